"""What the window is busy with, how far it is, and a way to stop it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from impeto.app.widgets import button, label

WIDTH, TOP = 420, 92  # px


class WaitBar(QWidget):
    """Lies over the top of the window while something is read; the work goes on below."""

    stop_asked = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.hide()
        self.text = label()
        self.stop = button("Stop")
        self.stop.clicked.connect(self.stop_asked)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        inner = QFrame()
        inner.setObjectName("card")
        row = QHBoxLayout()
        row.addWidget(self.text, 1)
        row.addWidget(self.stop)
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(12, 8, 12, 8)
        rows.addLayout(row)
        rows.addWidget(self.progress)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(inner)
        self._title = ""

    def name(self, title: str) -> None:
        """What goes on."""
        self._title = title
        self.text.setText(f"{title} …")
        self.progress.setRange(0, 0)

    def begin(self) -> None:
        """Show it."""
        parent = self.parentWidget()
        assert parent is not None
        self.setFixedWidth(WIDTH)
        self.adjustSize()
        self.move((parent.width() - WIDTH) // 2, TOP)
        self.show()
        self.raise_()

    def show_progress(self, share: float, _solved: float, left: float) -> None:
        if share <= 0.0:
            return
        self.progress.setRange(0, 1000)
        self.progress.setValue(round(1000 * share))
        self.text.setText(f"{self._title}: about {max(left, 1.0):.0f} s left")
