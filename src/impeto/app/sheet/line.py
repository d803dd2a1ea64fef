"""The text field of all values."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QLineEdit

BY_KEY = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)


class Line(QLineEdit):
    """A text field that takes back what was typed on Escape."""

    escaped = pyqtSignal()
    entered = pyqtSignal()  # the focus has come

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Tab marks what is there, so that typing replaces it."""
        self.entered.emit()
        super().focusInEvent(event)
        if event is not None and event.reason() in BY_KEY:
            self.selectAll()

    def event(self, event: QEvent | None) -> bool:
        """Undo and redo belong to the model as long as nothing has been typed here."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            keys = QKeySequence.StandardKey
            undo = event.matches(keys.Undo) and not self.isUndoAvailable()
            redo = event.matches(keys.Redo) and not self.isRedoAvailable()
            if undo or redo:
                event.ignore()
                return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.escaped.emit()
            return
        super().keyPressEvent(event)
