"""One sentence at the bottom of the window, for a while."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QLabel, QWidget

SHOWN = 6000  # ms; complaints stay twice as long
WIDEST, ASIDE, BELOW = 620, 80, 24  # px: at most, free beside it, free under it


class Toast(QLabel):
    """Lies over the middle of its parent, above what stands at the bottom of that."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setObjectName("toast")
        self.setWordWrap(True)
        self.hide()
        self._end = QTimer(self)
        self._end.setSingleShot(True)
        self._end.timeout.connect(self.hide)

    def tell(self, text: str, above: int, times: int = 1) -> None:
        """Show a sentence; above : px of the bottom that stay free."""
        self.setText(text)
        self.show()
        self.place(above)
        self.raise_()
        self._end.start(times * SHOWN)

    def place(self, above: int) -> None:
        parent = self.parentWidget()
        assert parent is not None
        width = min(WIDEST, parent.width() - ASIDE)
        self.setFixedWidth(width)
        self.adjustSize()
        self.move((parent.width() - width) // 2, parent.height() - self.height() - BELOW - above)
