"""Effort over speed of a drive in the last run, against what its motor can give."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from impeto.app.theme import Theme
from impeto.app.widgets import label, wrapped
from impeto.core.model import units
from impeto.core.results.recording import Recording
from impeto.core.results.sizing import cloud

MOST = 3000  # points drawn


class CloudChart(QWidget):
    """A small chart with the points of the run and the limit curve, and the margin in words."""

    def __init__(self, recording: Recording, drive: str, kind: str, look: Theme) -> None:
        super().__init__()
        found = cloud(recording, drive)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(3)
        effort = "Torque" if kind == "torque" else "Force"
        layout.addWidget(label(f"{effort} over speed", "caption"))
        self.plot = pg.PlotWidget()
        self.plot.setAccessibleName(f"{effort} over speed")
        self.plot.setBackground(look.field)
        self.plot.setFixedHeight(150)
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(False, False)
        self.plot.hideButtons()
        self.plot.showGrid(x=True, y=True, alpha=0.15)
        stride = max(1, len(found.speed) // MOST)
        self.plot.plot(
            found.speed[::stride], found.effort[::stride], pen=None, symbol="o", symbolSize=3,
            symbolPen=None, symbolBrush=look.accent,
        )  # fmt: skip
        if found.limit is not None:
            self.plot.plot(*found.limit, pen=pg.mkPen(look.bad, width=2))
        layout.addWidget(self.plot)
        if found.margin is not None:
            room = units.shown(abs(found.margin), kind)
            kept = (
                f"Within its limit, {room} to spare."
                if found.margin >= 0
                else (f"Beyond its limit by {room}.")
            )
            layout.addWidget(wrapped(kept, "soft" if found.margin >= 0 else "bad"))
