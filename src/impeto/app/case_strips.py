"""How far each of several cases is solved: a strip for each, while they are solved together."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QGridLayout, QProgressBar, QWidget

from impeto.app.widgets import empty, label

COLUMNS = 4


class CaseStrips(QWidget):
    """Hidden while nothing is solved, or one case only."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Cases that are solved")
        self.bars: dict[str, QProgressBar] = {}
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(14, 2, 14, 6)
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(2)
        self.hide()

    def show_shares(self, shares: Mapping[str, float]) -> None:
        """The share done of each case, by name."""
        if list(shares) != list(self.bars):
            self.clear()
            for number, name in enumerate(shares):
                bar = QProgressBar()
                bar.setTextVisible(False)
                bar.setRange(0, 1000)
                bar.setAccessibleName(f"Solved of {name}")
                row, column = divmod(number, COLUMNS)
                self.grid.addWidget(label(name, "soft"), 2 * row, column)
                self.grid.addWidget(bar, 2 * row + 1, column)
                self.bars[name] = bar
        for name, share in shares.items():
            self.bars[name].setValue(round(1000 * share))
        self.setVisible(len(shares) > 1)

    def clear(self) -> None:
        """Nothing is solved any more."""
        empty(self.grid)
        self.bars = {}
        self.hide()
