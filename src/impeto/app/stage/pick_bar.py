"""The bar at the bottom of the Stage while something is pointed at: what is asked for, and a field
in which points, lengths and names are typed."""

from __future__ import annotations

import re

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QEvent, QObject, QStringListModel, Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCompleter, QGridLayout, QLabel, QLineEdit, QWidget

from impeto.app.stage.canvas import Canvas
from impeto.app.stage.feature_signs import told
from impeto.app.stage.gesture import JOINTS, PLACES, Gesture, Pick
from impeto.app.stage.pointing import Pointing
from impeto.app.widgets import label, wrapped
from impeto.core.bodies.solid_features import GRID, PLANE, Feature
from impeto.core.elements import Body, Joint
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
WIDEST, BELOW = 620, 14  # px
NUMBER = re.compile(r"[\s+\-−.\d]")
NAMED = re.compile(r"([A-Za-z_]\w*)\s+at\s+(.*)")  # chassis at 0, 0, 0.8 m
LISTED = 12  # of what fits the words
HINTS = {
    PLACES: "Or type 0, 0, 300 mm; + from the last; 200 mm that way; NAME at 0, 0, 0.",
    JOINTS: "Or type its name.",
}


class PickBar(QWidget):
    """Has the keys while a gesture goes on; what is typed there is a pick like a click."""

    def __init__(self, stage: Canvas, pointing: Pointing, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.stage, self.pointing = stage, pointing
        self.ask, self.hint = wrapped("", "strong"), wrapped("", "hint")
        self.complaint = label("", "bad")
        self.line, self.extra = QLineEdit(), QLineEdit()
        self.line.setAccessibleName("Typed pick")
        self.extra_title = QLabel()
        self._words: dict[str, Feature] = {}
        self.options = QStringListModel()
        completer = QCompleter(self.options, self)
        completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        completer.setMaxVisibleItems(LISTED)
        self.line.setCompleter(completer)
        grid = QGridLayout(self)
        grid.setContentsMargins(12, 8, 12, 8)
        grid.setVerticalSpacing(4)
        grid.addWidget(self.ask, 0, 0, 1, 3)
        grid.addWidget(self.line, 1, 0)
        grid.addWidget(self.extra_title, 1, 1)
        grid.addWidget(self.extra, 1, 2)
        grid.addWidget(self.hint, 2, 0, 1, 3)
        grid.addWidget(self.complaint, 3, 0, 1, 3)
        grid.setColumnStretch(0, 1)
        self.line.textEdited.connect(self._offer)
        self.line.installEventFilter(self)
        self.extra.installEventFilter(self)
        pointing.changed.connect(self._follow)
        self.hide()

    def _follow(self) -> None:
        """Another gesture, or one more pick."""
        gesture = self.pointing.gesture
        self.complaint.setText("")
        self.complaint.hide()
        if gesture is None:
            if self.isVisible():
                self.hide()
                parent = self.parentWidget()
                assert parent is not None
                parent.setFocus()
            return
        self.ask.setText(gesture.ask(len(self.pointing.picks)))
        self.hint.setText(self._hint(gesture))
        self.line.clear()
        for part in (self.extra_title, self.extra):
            part.setVisible(bool(gesture.extra))
        if not self.isVisible():
            self.extra_title.setText(gesture.extra)
            self.extra.setAccessibleName(gesture.extra)
            self.extra.setText(gesture.typed)
            self._words = {}
            self.show()
            self.line.setFocus()
        self.place()
        self.raise_()

    def _hint(self, gesture: Gesture) -> str:
        words = [HINTS.get(gesture.takes, "Or type words (hole lever), or a point of the ground.")]
        if gesture.apart and self.pointing.picks:
            words.append("Shift+Enter: the ground, right there.")
        if gesture.takes == PLACES:
            normal = "xyz"[int(np.argmax(self.pointing.plane.normal))]
            words.append(f"Drawn square to {normal}: Alt+X, Y, Z.")
        return " ".join([*words, "Esc ends."])

    def place(self) -> None:
        """Over the bottom of the Stage."""
        parent = self.parentWidget()
        assert parent is not None
        if not self.isVisible():
            return
        self.setFixedWidth(min(WIDEST, parent.width() - 24))
        layout = self.layout()
        assert layout is not None
        self.setFixedHeight(layout.totalHeightForWidth(self.width()))
        self.move((parent.width() - self.width()) // 2, parent.height() - self.height() - BELOW)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Enter takes what is typed; the gesture has the other keys."""
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        text = self.line.text().strip()
        key = event.key()
        if watched is self.extra and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.line.setFocus()
            return True
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and text:
            self._take(text, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            return True
        if key == Qt.Key.Key_Tab and (not self.pointing.found or text):
            return False
        if key == Qt.Key.Key_Backspace and (text or watched is self.extra):
            return False
        return self.pointing.key(event)

    # what is typed

    def _take(self, text: str, shifted: bool) -> None:
        gesture = self.pointing.gesture
        assert gesture is not None
        try:
            pick = self._read(text, gesture, shifted)
        except ModelError as error:
            self.complaint.setText(str(error))
            self.complaint.show()
            self.place()
            return
        popup = self.line.completer()
        if popup is not None and popup.popup() is not None:
            popup.popup().hide()  # type: ignore[union-attr]
        # once the list has given the focus back, which may then go on to what is made
        QTimer.singleShot(0, lambda: self._hand_over(gesture, pick))

    def _hand_over(self, gesture: Gesture, pick: Pick) -> None:
        if self.pointing.gesture is gesture:
            self.pointing.take(pick)

    def _read(self, text: str, gesture: Gesture, shifted: bool) -> Pick:
        if gesture.takes == JOINTS:
            return Pick(np.zeros(3), joint=self._joint(text), shifted=shifted)
        named = NAMED.fullmatch(text)
        name, place = named.groups() if named else ("", text)
        if gesture.takes == PLACES and NUMBER.match(place):
            return Pick(self._point(place), shifted=shifted, name=name)
        if gesture.apart and NUMBER.match(text):  # a point of the ground
            point = self._point(text)
            return Pick(point, Feature(GRID, point, body=GROUND), shifted=shifted)
        fits = self._fitting(text)
        if not fits:
            raise ModelError(
                f"nothing to point at fits '{text}'",
                remedy="Type words of its name, such as hole or corner, and of its body",
            )
        feature = self._words[fits[0]]
        return Pick(feature.point, feature, shifted=shifted)

    def _joint(self, text: str) -> str:
        names = [joint.name for joint in self.stage.document.drawn.of(Joint)]
        fits = [n for n in names if n == text] or [n for n in names if text.lower() in n.lower()]
        if not fits:
            raise ModelError(f"no joint fits '{text}'", remedy="Type a part of its name")
        return fits[0]

    def _point(self, text: str) -> Floats:
        """(3,) of the world: coordinates, steps from the last point, or a length that way."""
        scope = Scope(self.stage.document.model, self.stage.document.case)
        relative = text.startswith("+")
        parts = [part.strip() for part in re.split(r"[,;]", text.removeprefix("+"))]
        values = np.array([scope.si(Quantity(_with_unit(part, parts)), "length") for part in parts])
        if not np.isfinite(values).all():
            raise ModelError(f"'{text}' is no point", remedy="Type three lengths: 0, 0, 300 mm")
        last = self.pointing.picks[-1].point if self.pointing.picks else None
        if len(parts) == 3:
            return np.asarray(values + last if relative and last is not None else values)
        target = self.pointing.target
        if len(parts) == 1 and last is not None and target is not None:
            way = target - last
            if np.linalg.norm(way) > 0.0:
                return np.asarray(last + values[0] * way / np.linalg.norm(way))
        raise ModelError(
            f"'{text}' is no point",
            remedy="Type three lengths: 0, 0, 300 mm; one alone goes from the last towards the "
            "pointer",
        )  # fmt: skip

    # what is offered while typing

    def _offer(self, text: str) -> None:
        gesture = self.pointing.gesture
        typed_number = gesture is not None and gesture.takes == PLACES and NUMBER.match(text)
        if not text.strip() or typed_number or gesture is None:
            self.options.setStringList([])
        elif gesture.takes == JOINTS:
            names = [joint.name for joint in self.stage.document.drawn.of(Joint)]
            self.options.setStringList([n for n in names if text.lower() in n.lower()][:LISTED])
        else:
            self.options.setStringList(self._fitting(text)[:LISTED])

    def _fitting(self, text: str) -> list[str]:
        """Features by words of their names, whole words first."""
        if not self._words:
            self._words = self._everything()
        if text in self._words:
            return [text]
        words = text.lower().split()
        fits = [name for name in self._words if all(word in name.lower() for word in words)]
        whole = {name for name in fits
                 if set(words) <= set(re.split(r"[\s,]+", name.lower()))}  # fmt: skip
        return sorted(fits, key=lambda name: name not in whole)

    def _everything(self) -> dict[str, Feature]:
        found = dict[str, Feature]()
        for body in self.stage.document.drawn.of(Body):
            for feature in self.pointing.finder.features(body.name):
                at = ", ".join(units.digits(round(float(v), 6) + 0.0) for v in feature.point)
                found[f"{told(feature)}{_facing(feature)}, at {at} m"] = feature
        return found


def _with_unit(part: str, parts: list[str]) -> str:
    """A bare number has the unit of the last that has one, else metres."""
    try:
        float(part)
    except ValueError:
        return part
    with_unit = [p for p in parts if p[-1:].isalpha()]
    unit = with_unit[-1].lstrip("+-−.0123456789eE ").strip() if with_unit else "m"
    return f"{part} {unit}"


def _facing(feature: Feature) -> str:
    """Along which axis of the world a feature looks, where that is one."""
    axis = int(np.argmax(np.abs(feature.direction)))
    share = float(feature.direction[axis])
    if abs(share) < 1.0 - 1e-9:
        return ""
    if feature.kind == PLANE:
        return f", facing {'+' if share > 0.0 else '-'}{'xyz'[axis]}"
    return f", along {'xyz'[axis]}"
