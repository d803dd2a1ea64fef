"""The Stage: the picture of the scene in a plain widget, with badges, arrows and paths on top."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFont,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from impeto.app import glyphs
from impeto.app.document import Document
from impeto.app.stage import camera, flow, overlay, touch
from impeto.app.stage.pointing import Pointing
from impeto.app.stage.resolution import Resolution
from impeto.app.stage.scene import Scene
from impeto.app.theme import Theme, font
from impeto.core.elements import Body, Frame, Joint
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.joints.paths import path_points
from impeto.core.model.scope import Scope
from impeto.core.results.poses import poses, present_at

Floats = npt.NDArray[np.float64]
CLICK = 4  # pixels that a click may wander
BADGE = 20  # pixels that a badge keeps from the next
SIDE_BY_SIDE = 8  # badges on one point; more have no room there
SETTLE = 160  # ms after the last movement until the sharp picture


class StageView(QWidget):
    """Shows the model as written, or the shown run at the document's instant."""

    view_changed = pyqtSignal(str)

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Stage")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 200)
        self.document, self.look = document, look
        self.scene = Scene(look)
        self.show_badges, self.show_frames = True, False
        self.arrows: list[str] = []
        self.paths: list[str] = []
        self.view = "oblique"
        self._image = QImage()
        self._pixels: Any = None
        self._stale = True
        self._moving = False
        self._fitted = self._turned = False
        self._press = QPoint()
        self._last = QPoint()
        self.flow_badges: dict[str, QPointF] = {}  # as they were drawn last
        self._frames: dict[str, tuple[str, Floats, Floats]] = {}
        self._placed: dict[str, tuple[Floats, Floats]] = {}
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE)
        self._settle.timeout.connect(self._sharpen)
        self.resolution = Resolution(self, self)
        self.pointing = Pointing(self, self)
        self.setMouseTracking(True)
        document.model_changed.connect(self.rebuild)
        document.case_changed.connect(self.rebuild)
        document.runs_changed.connect(self._repose)
        document.instant_changed.connect(self._repose)
        document.selection_changed.connect(self._reselect)
        self.rebuild()

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.scene.set_look(look)
        self.refresh()

    # content

    def rebuild(self) -> None:
        """Take over the model: solids, frames, poses."""
        try:
            scope = Scope(self.document.model, self.document.case)
        except ModelError:
            return  # the Roster tells
        for complaint in self.scene.build(self.document.model, scope):
            self.document.complained.emit(complaint)
        self.pointing.forget()
        self._frames, self.flow_badges = {}, {}
        self._written: dict[str, tuple[Floats, Floats]] = {}
        try:
            self._read_placements(scope)
            self._widen(scope)
        except ModelError as error:
            self.document.complained.emit(str(error))
        self.scene.select(self.document.selected)
        self._repose()
        if not self._fitted:
            self.set_view(self.view)

    def _read_placements(self, scope: Scope) -> None:
        for body in self.document.model.of(Body):
            rotation = from_roll_pitch_yaw(scope.vector(body, "orientation", "angle"))
            self._written[body.name] = scope.vector(body, "position", "length"), rotation
        for frame in self.document.model.of(Frame):
            if scope.on(frame) and frame.body in self._written:
                rotation = from_roll_pitch_yaw(scope.vector(frame, "orientation", "angle"))
                position = scope.vector(frame, "position", "length")
                self._frames[frame.name] = frame.body, position, rotation
        self._placed = dict(self._written)

    def _widen(self, scope: Scope) -> None:
        """Let the view take in frames and paths beside the solids."""
        places = [self.frame_place(name) for name in self._frames]
        points = [place[0] for place in places if place is not None]
        for joint in self.document.model.of(Joint):
            place = self.frame_place(joint.frame_a)
            if joint.path is not None and place is not None:
                along = path_points(scope, self.document.model[joint.path], 20)
                points += list(place[0] + along @ place[1].T)
        if points:
            self.scene.widen(np.array(points))

    def _repose(self, _time: float = 0.0) -> None:
        """Bodies to their places: of the shown run, or as written where there is none."""
        self._placed = dict(self._written)
        run, there = self.document.run, dict[str, bool]()
        masters = run.recording.system.mechanism.masters if run is not None else {}
        self.scene.set_copies(masters)
        if run is not None:
            there = present_at(run.recording, self.document.instant)
            origins, rotations = poses(run.recording, self.document.instant)
            for name, row in run.recording.bodies.items():
                if row and (name in self._placed or name in masters):
                    self._placed[name] = origins[row], rotations[row]
        fed = set(masters.values())  # fades while its copies are shown
        for name, (origin, rotation) in self._placed.items():
            self.scene.place(name, origin, rotation)
            self.scene.show(name, there.get(name, True), faded=name in fed)
        self.refresh(moving=run is not None)

    def place_bodies(self, placed: dict[str, tuple[Floats, Floats]]) -> None:
        """Show bodies somewhere else for a moment, as a mode does; `show_present` ends that."""
        self._placed |= {name: place for name, place in placed.items() if name in self._placed}
        for name, (origin, rotation) in placed.items():
            self.scene.place(name, origin, rotation)
        self.refresh(moving=True)

    def show_present(self) -> None:
        """Bodies where the run or the drawing has them."""
        self._repose()

    def _reselect(self) -> None:
        self.scene.select(self.document.selected)
        self.refresh()

    def refresh(self, moving: bool = False) -> None:
        """Draw again; coarse while things move, sharp a moment later."""
        self._stale, self._moving = True, moving
        if moving:
            self._settle.start()
        self.update()

    def _sharpen(self) -> None:
        self.refresh()

    def set_view(self, view: str) -> None:
        """One of camera.VIEWS, with everything in sight."""
        self.view = view
        aspect = self.width() / max(self.height(), 1)
        camera.look_from(self.scene.camera, view, self.scene.bounds, aspect)
        self._fitted = True
        self.view_changed.emit(view)
        self.refresh()

    def fit(self) -> None:
        camera.fit(self.scene.camera, self.scene.bounds, self.width() / max(self.height(), 1))
        self.refresh()

    def finish(self) -> None:
        """Wait for what is under way and give the drawing memory back."""
        self.resolution.finish()
        self.scene.close()

    # geometry on the picture

    def frame_place(self, name: str) -> tuple[Floats, Floats] | None:
        """Origin and axes of a frame in the world, or None when it is off."""
        if name not in self._frames:
            return None
        body, position, rotation = self._frames[name]
        origin, turned = self._placed[body]
        return origin + turned @ position, turned @ rotation

    def body_place(self, name: str) -> tuple[Floats, Floats]:
        """Origin and axes of a body in the world."""
        return self._placed[name]

    def body_middle(self, name: str) -> Floats:
        """A point (3,) to stand for a body: the middle of its solids, else its origin."""
        bounds = self.scene.body_bounds(name)
        if bounds is None:
            return self._placed[name][0]
        return np.array([(bounds[2 * k] + bounds[2 * k + 1]) / 2 for k in range(3)])

    @property
    def reach(self) -> float:
        """Largest side [m] of the box around everything."""
        bounds = self.scene.bounds
        return max(bounds[2 * k + 1] - bounds[2 * k] for k in range(3))

    def to_screen(self, points: Floats) -> Floats:
        """(N, 2) pixels of (N, 3) world points."""
        matrix = self.scene.projection(self.width() / max(self.height(), 1))
        flat = np.column_stack([points, np.ones(len(points))]) @ matrix.T
        flat = flat[:, :2] / flat[:, 3:]
        return np.column_stack(
            [(flat[:, 0] + 1) / 2 * self.width(), (1 - flat[:, 1]) / 2 * self.height()]
        )

    def badge_places(self) -> dict[str, QPointF]:
        """Where the badge of each joint is drawn; badges on one point stand side by side, as many
        as there is room for."""
        places: dict[str, QPointF] = {}
        taken: dict[tuple[int, int], list[QPointF]] = {}
        names, points = [], []
        for joint in self.document.model.of(Joint):
            at = self.frame_place(joint.frame_b)
            if at is not None and self.document.is_on(joint):
                names.append(joint.name)
                points.append(at[0])
        flat = self.to_screen(np.array(points).reshape(-1, 3))
        for name, (x, y) in zip(names, flat, strict=True):
            for beside in range(SIDE_BY_SIDE):
                point = QPointF(float(x) + 24 * beside, float(y))
                column, row = int(point.x() // BADGE), int(point.y() // BADGE)
                around = [(column + i, row + k) for i in (-1, 0, 1) for k in (-1, 0, 1)]
                near = [other for cell in around for other in taken.get(cell, ())]
                if all((point - other).manhattanLength() >= BADGE for other in near):
                    taken.setdefault((column, row), []).append(point)
                    places[name] = point
                    break
            if name == self.document.selected:
                places.setdefault(name, QPointF(float(x), float(y)))
        return places

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._stale:
            self._render()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.rect()), self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        overlay.paint_elements(painter, self)
        for name in self.paths:
            overlay.paint_trace(painter, self, name)
        if self.show_badges:
            for name, place in self.badge_places().items():
                joint = self.document.model[name]
                marked = name == self.document.selected
                glyphs.draw_badge(painter, place, joint.motions, self.look, marked)
        for name in self._frames:
            if self.show_frames or name == self.document.selected:
                self._paint_frame(painter, name)
        touch.paint_contacts(painter, self)
        if self.document.run is None:
            self.resolution.paint(painter)
            self.pointing.paint(painter)
        for name in self.arrows:
            overlay.paint_reaction(painter, self, name)
        self._paint_triad(painter)
        if not any(body.shapes for body in self.document.model.of(Body)):
            painter.setPen(self.look.colour("soft"))
            hint = "Add a body with “+ add” beside the Roster's search to begin."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, hint)
        painter.end()

    def _render(self) -> None:
        ratio = self.devicePixelRatioF() * (0.5 if self._moving else 1.0)
        width, height = max(int(self.width() * ratio), 8), max(int(self.height() * ratio), 8)
        self._pixels = self.scene.render(width, height, not self._moving)
        self._image = QImage(
            self._pixels.data, width, height, 4 * width, QImage.Format.Format_RGBX8888
        )
        self._stale = False

    def _paint_triad(self, painter: QPainter) -> None:
        matrix = self.scene.camera.GetViewTransformMatrix()
        corner = QPointF(44, self.height() - 44)
        painter.setFont(font(11, QFont.Weight.DemiBold))
        for axis, letter in enumerate("xyz"):
            tip = QPointF(matrix.GetElement(0, axis), -matrix.GetElement(1, axis)) * 26
            painter.setPen(QPen(QColor(self.look.axes[axis]), 2))
            painter.drawLine(corner, corner + tip)
            label = corner + tip * 1.35
            painter.drawText(
                QRectF(label.x() - 8, label.y() - 8, 16, 16),
                Qt.AlignmentFlag.AlignCenter,
                letter,
            )

    def _paint_frame(self, painter: QPainter, name: str) -> None:
        """Three axes; longer and thicker for the selected frame."""
        place = self.frame_place(name)
        if place is None:
            return
        origin, axes = place
        chosen = name == self.document.selected
        length = (0.06 if chosen else 0.025) * self.reach
        points = self.to_screen(np.vstack([origin, origin + length * axes.T]))
        start = QPointF(*points[0])
        for axis in range(3):
            painter.setPen(QPen(QColor(self.look.axes[axis]), 2.4 if chosen else 1.3))
            painter.drawLine(start, QPointF(*points[1 + axis]))

    # mouse and keys

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if not self._turned:  # as long as nobody has chosen a view, show everything
            camera.fit(self.scene.camera, self.scene.bounds, self.width() / max(self.height(), 1))
        self.refresh()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._press = self._last = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        here = event.position().toPoint()
        dx, dy = here.x() - self._last.x(), here.y() - self._last.y()
        wandered = (here - self._press).manhattanLength() > CLICK
        if not event.buttons():
            self.pointing.look(here)
        if not event.buttons() or not wandered:
            return
        self._last, self._turned = here, True
        shifted = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if event.buttons() & Qt.MouseButton.LeftButton and not shifted:
            camera.orbit(self.scene.camera, 0.4 * dx, 0.4 * dy)
        else:
            camera.pan(self.scene.camera, dx, dy, self.height())
        self.refresh(moving=True)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        here = event.position().toPoint()
        if (here - self._press).manhattanLength() <= CLICK:
            shifted = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            if not self.pointing.clicked(here, shifted):
                self.document.select(self.element_at(here))

    def element_at(self, here: QPoint) -> str:
        """The joint whose badge, else the body whose solid, is at a pixel."""
        if self.show_badges:
            for name, place in self.badge_places().items():
                if (place - QPointF(here)).manhattanLength() < 14:
                    return name
        line = overlay.element_near(self, here) or flow.badge_near(self, here)
        found = line or self.scene.pick(here.x(), here.y(), self.width(), self.height())
        return self.scene.masters.get(found, found)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self._turned = True
        camera.zoom(self.scene.camera, 1.0015 ** event.angleDelta().y())
        self.refresh(moving=True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {
            Qt.Key.Key_Left: (-8, 0), Qt.Key.Key_Right: (8, 0),
            Qt.Key.Key_Up: (0, 6), Qt.Key.Key_Down: (0, -6),
        }  # fmt: skip
        if event.key() in steps:
            camera.orbit(self.scene.camera, *steps[Qt.Key(event.key())])
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            camera.zoom(self.scene.camera, 1.15 if event.key() == Qt.Key.Key_Plus else 1 / 1.15)
        else:
            super().keyPressEvent(event)
            return
        self.refresh(moving=True)
