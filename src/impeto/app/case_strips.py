"""How far each of several cases is solved: a strip for each, while they are solved together."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QProgressBar, QVBoxLayout, QWidget

from impeto.app.widgets import button, empty, label

COLUMNS, MOST = 4, 8  # strips in a row, and in all


class _Strip(QWidget):
    def __init__(self, name: str, stop: Callable[[], None]) -> None:
        super().__init__()
        self.bar, self.stop = QProgressBar(), button("✕", "link")
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.bar.setAccessibleName(f"Solved of {name}")
        self.stop.setAccessibleName(f"Stop {name}")
        self.stop.setToolTip("Stop this case; what is solved of it is kept")
        self.stop.clicked.connect(stop)
        head, layout = QHBoxLayout(), QVBoxLayout(self)
        head.addWidget(label(name, "soft"), 1)
        head.addWidget(self.stop)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addLayout(head)
        layout.addWidget(self.bar)

    def show_share(self, share: float) -> None:
        self.bar.setValue(round(1000 * share))
        self.stop.setEnabled(share < 1.0)


class CaseStrips(QWidget):
    """Those that go on, with a cross that ends one; hidden while nothing is solved, or one case."""

    stop_asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Cases that are solved")
        self.strips: dict[str, _Strip] = {}
        self.count: QLabel = label("", "soft")
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 2, 14, 6)
        layout.setSpacing(2)
        layout.addLayout(self.grid)
        layout.addWidget(self.count)
        self.hide()

    def show_shares(self, shares: Mapping[str, float]) -> None:
        """The share done of each case, by name."""
        names = list(shares)
        if len(names) > MOST:  # those that have begun and not ended, with what comes next
            left = [name for name in names if shares[name] < 1.0]
            names = sorted(left, key=lambda name: shares[name] == 0.0)[:MOST]
        if set(names) != set(self.strips):
            empty(self.grid)
            self.strips = {
                name: _Strip(name, partial(self.stop_asked.emit, name)) for name in names
            }
            for number, strip in enumerate(self.strips.values()):
                self.grid.addWidget(strip, *divmod(number, COLUMNS))
        for name, strip in self.strips.items():
            strip.show_share(shares[name])
        done = sum(share >= 1.0 for share in shares.values())
        self.count.setText(f"{done} of {len(shares)} cases solved")
        self.count.setVisible(len(shares) > MOST)
        self.setVisible(len(shares) > 1)

    def clear(self) -> None:
        """Nothing is solved any more."""
        empty(self.grid)
        self.strips = {}
        self.hide()
