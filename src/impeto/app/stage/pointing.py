"""What lies under the pointer on the Stage, and gestures that go from one picked thing to the
next."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from impeto.app.stage.canvas import Canvas
from impeto.app.stage.drawing_plane import DrawingPlane
from impeto.app.stage.feature_signs import draw_feature, told
from impeto.app.stage.finding import Finder
from impeto.app.stage.gesture import FEATURES, JOINTS, PLACES, Gesture, Pick
from impeto.app.theme import font
from impeto.core.bodies.solid_features import PLANE, Feature
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.model.freedoms import kind_title
from impeto.core.pairing import JOINT, proposal

Floats = npt.NDArray[np.float64]
AXES = {Qt.Key.Key_X: 0, Qt.Key.Key_Y: 1, Qt.Key.Key_Z: 2}


class Pointing(QObject):
    """Finds features under the pointer; Tab goes through them. In a gesture clicks pick them, and
    points of a drawing plane where those are asked for."""

    picked = pyqtSignal(object, object)  # the gesture and its list of picks
    changed = pyqtSignal()  # another gesture, none, or one more pick

    def __init__(self, stage: Canvas, widget: QWidget) -> None:
        super().__init__(widget)
        self.stage, self.widget = stage, widget
        widget.installEventFilter(self)
        self.finder, self.plane = Finder(stage), DrawingPlane(stage)
        self.found: list[Feature] = []
        self.index = 0
        self.place: Floats | None = None  # (3,) where the pointer is on a solid or the plane
        self.joint = ""  # whose badge is under the pointer
        self.gesture: Gesture | None = None
        self.picks: list[Pick] = []
        self.here = QPoint()

    def forget(self) -> None:
        """The model has changed."""
        self.finder.forget()
        self.found, self.picks = [], []

    @property
    def current(self) -> Feature | None:
        return self.found[self.index % len(self.found)] if self.found else None

    def look(self, here: QPoint) -> None:
        """Find what lies at a pixel, while the model and no run is shown."""
        if self.stage.document.run is not None:
            return
        size = self.widget.width(), self.widget.height()
        body, hit = self.stage.scene.hit(here.x(), here.y(), *size)
        before, self.here = self.current, here
        self.found = self.finder.at(here, body, hit)
        self.place, self.joint = (hit if body else None), ""
        if self.gesture is not None:
            self._look_further(here, body)
        same = (k for k, feature in enumerate(self.found) if _alike(feature, before))
        self.index = next(same, 0)
        if before is not None or self.found or self.gesture is not None:
            self.widget.update()

    def _look_further(self, here: QPoint, body: str) -> None:
        """What a gesture takes beside features of solids."""
        assert self.gesture is not None
        if self.gesture.takes == JOINTS:
            self.found, self.joint = [], self.stage.badge_at(here)
            return
        if not body:
            self.found += self.finder.frames_near(here)
            crossing = self.plane.grid_point(here)
            if crossing is not None:
                self.found.append(crossing)
            self.place = self.plane.at(here)

    # a gesture

    def begin(self, gesture: Gesture | None) -> None:
        """Ask for what a gesture takes; None ends the present one."""
        if gesture == self.gesture:
            return
        self.gesture, self.picks, self.found = gesture, [], []
        self.plane.through = np.zeros(3)
        on = gesture is not None
        self.widget.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        self.widget.update()
        self.changed.emit()

    def clicked(self, here: QPoint, shifted: bool) -> bool:
        """Take what is under the pointer; False where clicks select."""
        if self.gesture is None:
            return False
        self.look(here)
        pick = self._pick(shifted)
        if pick is not None:
            self.take(pick)
        elif shifted:
            self.take_ground()
        return True

    def _pick(self, shifted: bool) -> Pick | None:
        assert self.gesture is not None
        current = self.current
        if self.gesture.takes == JOINTS:
            return Pick(np.zeros(3), joint=self.joint, shifted=shifted) if self.joint else None
        if current is not None:
            on_face = current.kind == PLANE and self.gesture.takes == PLACES
            at = self.place if on_face and self.place is not None else current.point
            out = current.direction if current.kind == PLANE else None
            return Pick(at, current, out, shifted)
        if self.gesture.takes == PLACES and self.place is not None:
            return Pick(self.place, shifted=shifted)
        return None

    def take(self, pick: Pick) -> None:
        """One more pick, by pointer or typed; the last one makes what the gesture makes."""
        assert self.gesture is not None
        if self.gesture.apart and any(earlier.body == pick.body for earlier in self.picks):
            self.stage.document.complained.emit(
                f"Both are features of {pick.body}: choose one of another body."
            )
            return
        self.picks.append(pick)
        self.plane.through = pick.point
        if self.gesture.is_done(len(self.picks)):
            self.finish()
        else:
            self.changed.emit()
        self.widget.update()

    def take_ground(self) -> bool:
        """The ground, right where the last pick is, as the next; False where that makes no
        sense."""
        last = self.picks[-1].feature if self.picks else None
        if self.gesture is None or not self.gesture.apart or last is None or last.body == GROUND:
            return False
        there = replace(last, body=GROUND, name="", shape=0)
        self.take(Pick(there.point, there, shifted=True))  # nothing has to move for it
        return True

    def take_back(self) -> None:
        """The last pick was not meant."""
        if self.picks:
            self.picks.pop()
            self.changed.emit()
            self.widget.update()

    def finish(self) -> None:
        """Make what was picked so far, or end where that is nothing."""
        gesture, picks = self.gesture, self.picks
        if gesture is None:
            return
        self.begin(None)
        if len(picks) >= min(2, len(gesture.asks)):
            self.picked.emit(gesture, picks)

    def key(self, event: QKeyEvent) -> bool:
        """Tab: the next of what lies there; Escape: no gesture; Enter: that was all."""
        key, chosen = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if key == Qt.Key.Key_Tab and self.found:
            self.index = (self.index + 1) % len(self.found)
        elif self.gesture is None:
            return False
        elif key == Qt.Key.Key_Escape:
            self.begin(None)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            shifted = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            if not (shifted and self.take_ground()):
                self.finish()
        elif key == Qt.Key.Key_Backspace:
            self.take_back()
        elif chosen and Qt.Key(key) in AXES:
            self.plane.axis = AXES[Qt.Key(key)]
            self.look(self.here)
            self.changed.emit()
        else:
            return False
        self.widget.update()
        return True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Leave:
            self.found, self.place = [], None
            self.widget.update()
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        return self.key(event)

    # painting

    def paint(self, painter: QPainter) -> None:
        """What is picked and what is under the pointer, with its name beside it."""
        look, current = self.stage.look, self.current
        self._paint_picks(painter)
        if current is not None:
            draw_feature(painter, self.stage, current, look.colour("accent"))
        text = self._text()
        if not text:
            return
        painter.setFont(font(11))
        width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 14
        left = min(self.here.x() + 14.0, self.widget.width() - width - 4.0)
        box = QRectF(left, self.here.y() + 16, width, 22)
        painter.setPen(QPen(look.colour("line")))
        painter.setBrush(look.colour("field"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(look.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_picks(self, painter: QPainter) -> None:
        """Picked features; places with the lines between them, and to the pointer."""
        colour = self.stage.look.colour("force")
        for pick in self.picks:
            if pick.feature is not None and self.gesture is not None:
                draw_feature(painter, self.stage, pick.feature, colour)
        if self.gesture is None or self.gesture.takes != PLACES:
            return
        points = [pick.point for pick in self.picks]
        target = self.target
        if target is not None:
            points.append(target)
        if not points:
            return
        flat = self.stage.to_screen(np.array(points))
        painter.setPen(QPen(colour, 1.8))
        painter.setBrush(self.stage.look.colour("field"))
        for a, b in pairwise(flat):
            if self.gesture.goes_on:
                painter.drawLine(QPointF(*a), QPointF(*b))
        for place in flat:
            painter.drawEllipse(QPointF(*place), 3.5, 3.5)

    @property
    def target(self) -> Floats | None:
        """(3,) the point that a click would take where places are asked for."""
        if self.gesture is None or self.gesture.takes == JOINTS:
            return None
        pick = self._pick(False)
        return pick.point if pick is not None else None

    def _text(self) -> str:
        """What stands beside the pointer."""
        current, gesture = self.current, self.gesture
        if gesture is not None and gesture.takes == JOINTS:
            return self.joint
        if current is None and (gesture is None or self.target is None):
            return ""
        text = told(current) if current is not None else ""
        if gesture is not None and gesture.takes == PLACES:
            text = self._measured(text)
        if len(self.found) > 1:
            text += f"   {self.index % len(self.found) + 1} of {len(self.found)}, Tab"
        if gesture is None or not self.picks or gesture.takes != FEATURES or current is None:
            return text
        first = self.picks[-1].feature
        if first is not None and first.body != current.body:
            kind = kind_title(proposal(first, current))
            text += f"  →  {kind if gesture.makes == JOINT else gesture.makes}"
        return text

    def _measured(self, text: str) -> str:
        """With where the point is, and how far from the last."""
        target = self.target
        if target is None:
            return text
        at = ", ".join(units.digits(round(float(v), 9) + 0.0) for v in target) + " m"
        words = [text, at] if text else [at]
        if self.picks:
            away = float(np.linalg.norm(target - self.picks[-1].point))
            words.append(f"{units.shown(away, 'length')} long")
        return "   ".join(words)


def _alike(a: Feature | None, b: Feature | None) -> bool:
    if a is None or b is None:
        return a is b
    return (a.kind, a.body) == (b.kind, b.body) and np.array_equal(a.point, b.point)
