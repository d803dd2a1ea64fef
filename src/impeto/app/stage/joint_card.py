"""The card beside a joint that was just made by pointing: what it lets go, and how its bodies
meet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from impeto.app.sheet.freedom_strip import FreedomStrip
from impeto.app.stage.joint_motion import JointMotion
from impeto.app.stage.view import StageView
from impeto.app.widgets import button, panel, wrapped
from impeto.core.elements import Joint
from impeto.core.errors import ModelError
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

NUMBERS = "123456"  # keys of the freedoms
BRING, FREELY, GAP = "bring", "freely", "gap"
WAYS = {BRING: "bring the body", FREELY: "bring what is free", GAP: "keep the gap"}
TIPS = {
    BRING: "The body that nothing holds yet comes to the other",
    FREELY: "Held bodies come as far as their own joints let them",
    GAP: "Nothing moves: both frames are put where the first feature is",
}


@dataclass(frozen=True, slots=True)
class Meeting:
    """How two features meet. offset : m, along the feature that the body comes to"""

    way: str = BRING
    flip: bool = False
    offset: float = 0.0
    free: tuple[str, ...] | None = None


class JointCard(QWidget):
    """Changes go into the step of undo that made the joint; Enter names it, Escape leaves it."""

    changed = pyqtSignal(object)  # a Meeting
    named = pyqtSignal()

    def __init__(self, stage: StageView) -> None:
        super().__init__(stage)
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Joint just made")
        self.stage, self.motion = stage, JointMotion(stage)
        self.meeting = Meeting()
        self.shown_joint = ""
        self.holder = QVBoxLayout()
        self.holder.setSpacing(0)
        self.ways: dict[str, QPushButton] = {}
        row = QHBoxLayout()
        for way, text in WAYS.items():
            chip = self._chip(text, TIPS[way], lambda _=False, w=way: self._put(way=w))
            self.ways[way] = chip
            row.addWidget(chip)
        self.flip = self._chip("flip", "Turn the body over (F)",
                               lambda: self._put(flip=not self.meeting.flip))  # fmt: skip
        self.offset = QLineEdit()
        self.offset.setAccessibleName("Offset")
        self.offset.setPlaceholderText("offset, 5 mm")
        self.offset.setFixedWidth(112)
        self.offset.editingFinished.connect(self._take_offset)
        second = QHBoxLayout()
        second.addWidget(self.flip)
        second.addWidget(self.offset)
        second.addStretch()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        layout.addLayout(self.holder)
        layout.addLayout(row)
        layout.addLayout(second)
        layout.addWidget(
            wrapped(
                "1 to 6 and K: freedoms. B: how they meet. F: flip. O: offset. Space: show again. "
                "Enter: name it.",
                "hint",
            )
        )
        stage.document.selection_changed.connect(self._follow)
        stage.pointing.changed.connect(self._follow)
        self.hide()

    def _chip(self, text: str, tip: str, act: Callable[..., None]) -> QPushButton:
        chip = button(text, "chip")
        chip.setCheckable(True)
        chip.setToolTip(tip)
        chip.setAccessibleName(text)
        chip.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        chip.clicked.connect(act)
        return chip

    def show_joint(self, name: str, meeting: Meeting, here: QPoint) -> None:
        """With the joint as the model has it now, at a pixel."""
        again = self.isVisible()
        self.shown_joint, self.meeting = name, meeting
        joint: Joint = self.stage.document.model[name]
        while self.holder.count():
            item = self.holder.takeAt(0)
            old = item.widget() if item is not None else None
            if old is not None:
                old.hide()
                old.deleteLater()
        inner = panel("bare")
        box = QVBoxLayout(inner)
        box.setContentsMargins(0, 0, 0, 0)
        self.strip = FreedomStrip(
            joint.free, {}, lambda free: self._put(free=free), self.stage.look
        )
        box.addWidget(self.strip)
        self.holder.addWidget(inner)
        for way, chip in self.ways.items():
            chip.setChecked(way == meeting.way)
        self.flip.setChecked(meeting.flip)
        if not again:
            self.offset.clear()
        self.show()
        self.adjustSize()
        if not again:
            self._place(here)
        self.raise_()
        self.setFocus()
        self.motion.show(joint)

    def _place(self, here: QPoint) -> None:
        """At the height of the joint, on the side of the Stage that is further from it."""
        right, bottom = self.stage.width() - self.width() - 8, self.stage.height() - self.height()
        left = right if here.x() < self.stage.width() / 2 else 8
        self.move(max(left, 8), min(max(here.y() - self.height() // 2, 44), bottom - 8))

    def end(self) -> None:
        self.motion.stop()
        focus = QApplication.focusWidget()
        inside = focus is not None and (focus is self or self.isAncestorOf(focus))
        self.hide()
        if inside:  # else somebody has asked for it already
            self.stage.setFocus()

    def _follow(self) -> None:
        """Something else is selected or pointed at."""
        if self.isVisible() and (
            self.stage.document.selected != self.shown_joint
            or self.stage.pointing.gesture is not None
        ):
            self.end()

    def _put(self, **changes: object) -> None:
        self.changed.emit(replace(self.meeting, **changes))  # type: ignore[arg-type]

    def _take_offset(self) -> None:
        text = self.offset.text().strip()
        if not text:
            return
        try:
            value = Scope(self.stage.document.model, None).si(Quantity(text), "length")
        except ModelError as error:
            self.stage.document.complained.emit(str(error))
            return
        if value != self.meeting.offset:
            self._put(offset=value)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = event.key()
        ways = list(WAYS)
        if key == Qt.Key.Key_F:
            self._put(flip=not self.meeting.flip)
        elif key == Qt.Key.Key_B:
            self._put(way=ways[(ways.index(self.meeting.way) + 1) % len(ways)])
        elif key == Qt.Key.Key_K:
            self.strip.kinds.setFocus()
            self.strip.kinds.showPopup()
        elif event.text() in tuple(NUMBERS):
            self.strip.cells[FREEDOMS[NUMBERS.index(event.text())]].click()
        elif key == Qt.Key.Key_O:
            self.offset.setFocus()
        elif key == Qt.Key.Key_Space:
            self.motion.show(self.stage.document.model[self.shown_joint])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.end()
            self.named.emit()
        elif key == Qt.Key.Key_Escape:
            self.end()
        else:
            super().keyPressEvent(event)
