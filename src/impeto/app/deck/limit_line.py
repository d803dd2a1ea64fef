"""A line on a chart that its curves are not to pass."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyqtgraph
from PyQt6.QtCore import Qt

from impeto.app.deck.plotting import Drawn
from impeto.app.plain_text import escaped
from impeto.app.theme import Theme
from impeto.core.errors import ModelError
from impeto.core.geometry.arrays import Floats
from impeto.core.model import units
from impeto.core.model.model import Model
from impeto.core.results.gauges import scope_of
from impeto.core.results.limits import beyond, read_limit


class LimitLine:
    """text : as written, '' for none;  points : (P, 2) SI, None where it cannot be read
    said : whether the curves stay below, as markup"""

    def __init__(self) -> None:
        self.text, self.complaint, self.said = "", "", ""
        self.points: Floats | None = None

    def read(self, model: Model, case: str, across: str, kind: str) -> None:
        """Understand it for a chart with these kinds of quantity below and at the left."""
        self.points, self.complaint = None, ""
        if self.text:
            try:
                self.points = read_limit(self.text, scope_of(model, case), across, kind)
            except ModelError as error:
                self.complaint = str(error)

    def draw(
        self, plot: Any, x_factor: float, y_factor: float, logs: tuple[bool, bool], look: Theme
    ) -> Any:
        """The line as an item of the plot; factors : SI units in one of an axis;  logs : axes that
        go by powers of ten"""
        assert self.points is not None
        pen = pyqtgraph.mkPen(look.bad, width=1.4, style=Qt.PenStyle.DashLine)
        x, y = self.points[:, 0] / x_factor, self.points[:, 1] / y_factor
        if len(x) == 1:
            level = float(np.log10(y[0]) if logs[1] and y[0] > 0.0 else y[0])
            item = pyqtgraph.InfiniteLine(level, angle=0, pen=pen)
        else:
            item = pyqtgraph.PlotDataItem(x, y, pen=pen)
            item.setLogMode(*logs)
        plot.addItem(item, ignoreBounds=True)
        return item

    def judge(self, curves: Sequence[Drawn], first: str, look: Theme) -> None:
        """Say whether the curves on the left axis stay below. first : the channel below, '' for
        time"""
        self.said = self._told(curves, first, look)

    def _told(self, curves: Sequence[Drawn], first: str, look: Theme) -> str:
        if self.complaint:
            return f'<span style="color:{look.bad}">{escaped(self.complaint)}</span>'
        if self.points is None:
            return ""
        share, when = 0.0, np.inf
        for curve in (c for c in curves if c.axis == 0):
            r = curve.run.recording
            past = beyond(self.points, r[first] if first else r.time, r[curve.name])
            if past.any():
                share = max(share, float(past.mean()))
                when = min(when, float(r.time[np.argmax(past)]))
        if not np.isfinite(when):
            return f'<span style="color:{look.good}">below the limit</span>'
        said = f"limit passed at {share:.1%} of the instants, first at {units.digits(when)} s"
        return f'<span style="color:{look.bad}">{said.replace("%", " %")}</span>'
