"""What many runs came to, as pictures: curves, maps, scatter, parallel lines, bars, histories."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyqtgraph as pg
from PyQt6.QtGui import QColor
from scipy.interpolate import griddata

from impeto.app.theme import Theme
from impeto.core.model import units
from impeto.core.studies.optimum import MET, History
from impeto.core.studies.sensitivity import Indices, Slope
from impeto.core.studies.solved import Solved
from impeto.core.studies.trading import front_of

Floats = npt.NDArray[np.float64]
CURVE, MAP, SCATTER, PARALLEL = "curve", "map", "scatter", "parallel lines"
SLOPE_BARS, CURVES, HISTORY, FRONT = "bars", "curves", "history", "one against the other"
CELLS = 60  # of a map, along each side
DOT, SMALL = 8, 5  # px
LEVELS = 7
MOST_AXES = 5  # of a scatter matrix
MOST_LINES = 2000


@dataclass(frozen=True, slots=True)
class Axis:
    """Values (P,) in the unit in which they are told"""

    title: str
    values: Floats


def axes_of(solved: Solved) -> dict[str, Axis]:
    """Of what varies, then of the figures."""
    kinds = {n: a.kinds.get(n, "number") for a in solved.answers.values() for n in a.figures}
    axes = {s.name: _axis(s.name, s.kind, solved.values[:, k], s.typed)
            for k, s in enumerate(solved.points.varied)}  # fmt: skip
    return axes | {
        name: _axis(name, kinds[name], column) for name, column in solved.figures.items()
    }


def _axis(name: str, kind: str, values: Floats, typed: str = "") -> Axis:
    """typed : the unit in which values were typed, '' for one that suits them"""
    known = np.abs(values[np.isfinite(values)])
    unit, factor = units.shown_unit(kind, float(known.max(initial=0.0)))
    if typed:
        unit, factor = typed, units.unit(typed)[0]
    return Axis(f"{name} [{units.printed(unit)}]" if unit else name, values / factor)


def views_of(solved: Solved) -> list[str]:
    """The pictures that make sense of it, the best one first."""
    width = len(solved.points.varied)
    first = {1: [CURVE], 2: [MAP]}.get(width, [])
    return [*first, SCATTER, PARALLEL]


class Picture(pg.GraphicsLayoutWidget):  # type: ignore[misc]
    """Any of the pictures; `picked` is called with the number of a point that was clicked."""

    def __init__(self, look: Theme, picked: Callable[[int], None]) -> None:
        super().__init__()
        self.look, self.picked = look, picked
        self.setAccessibleName("Picture")
        self.set_look(look)

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.setBackground(look.sheet)

    def show_solved(self, solved: Solved, view: str, figure: str) -> None:
        """Draw a sweep as far as it is solved."""
        self.clear()
        axes = axes_of(solved)
        if figure not in axes:
            return
        names = solved.names
        if view == CURVE:
            self._dots(self.addPlot(), axes[names[0]], axes[figure], solved, joined=True)
        elif view == MAP:
            self._map(axes[names[0]], axes[names[1]], axes[figure], solved)
        elif view == SCATTER:
            self._matrix([axes[n] for n in (*names, figure)][-MOST_AXES:], solved)
        else:
            self._parallel([axes[n] for n in (*names, *solved.figures)], axes[figure], solved)

    def _plot(self, across: str, up: str) -> pg.PlotItem:
        plot = self.addPlot()
        plot.setLabel("bottom", across)
        plot.setLabel("left", up)
        self._plain(plot)
        return plot

    def _plain(self, plot: pg.PlotItem) -> None:
        for side in ("bottom", "left"):
            axis = plot.getAxis(side)
            axis.setPen(self.look.line)
            axis.setTextPen(self.look.soft)
            axis.enableAutoSIPrefix(False)
        plot.showGrid(x=True, y=True, alpha=0.12)
        plot.hideButtons()

    def _brushes(self, solved: Solved) -> list[QColor]:
        """Of each point, by whether it meets what is asked."""
        asked = any(a.margins for a in solved.answers.values())
        good, bad = self.look.colour("accent" if not asked else "good"), self.look.colour("bad")
        return [good if met or not asked else bad for met in solved.meets]

    def _dots(
        self, plot: pg.PlotItem, x: Axis, y: Axis, solved: Solved, joined: bool = False,
        size: int = DOT,
    ) -> None:  # fmt: skip
        plot.setLabel("bottom", x.title)
        plot.setLabel("left", y.title)
        self._plain(plot)
        if joined:
            order = np.argsort(x.values, kind="stable")
            plot.plot(x.values[order], y.values[order], pen=pg.mkPen(self.look.soft, width=1.5))
        self._spots(plot, x.values, y.values, self._brushes(solved), size)

    def _spots(
        self, plot: pg.PlotItem, x: Floats, y: Floats, brushes: Sequence[QColor], size: int
    ) -> None:
        """A spot for each point (P,) that has both values; a click picks it."""
        seen = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
        dots = pg.ScatterPlotItem(
            x=x[seen], y=y[seen], data=seen, size=size, pen=None,
            brush=[brushes[k] for k in seen.tolist()], hoverable=True, hoverSize=size + 4,
            tip=lambda x, y, data: f"point {data}: {x:.4g}, {y:.4g}",
        )  # fmt: skip
        dots.sigClicked.connect(lambda _item, spots, _event: self.picked(int(spots[0].data())))
        plot.addItem(dots)

    def _map(self, x: Axis, y: Axis, z: Axis, solved: Solved) -> None:
        plot = self._plot(x.title, y.title)
        seen = np.isfinite(z.values)
        if seen.sum() >= 4 and np.ptp(x.values[seen]) > 0.0 and np.ptp(y.values[seen]) > 0.0:
            self._field(plot, x.values[seen], y.values[seen], z.values[seen], z.title)
        self._dots(plot, x, Axis(y.title, np.where(seen, y.values, np.nan)), solved, size=SMALL)

    def _field(self, plot: pg.PlotItem, x: Floats, y: Floats, z: Floats, title: str) -> None:
        """Values between the points, with lines of equal ones."""
        low, high = np.array([x.min(), y.min()]), np.array([x.max(), y.max()])
        across = (np.stack([x, y], axis=1) - low) / (high - low)
        cells = (np.arange(CELLS) + 0.5) / CELLS
        grid = np.stack(np.meshgrid(cells, cells, indexing="ij"), axis=-1)
        field = griddata(across, z, grid, method="linear", rescale=False)
        paper, strong = QColor(self.look.field), self.look.colour("accent")
        colours = pg.ColorMap([0.0, 1.0], [paper.getRgb(), strong.getRgb()])
        image = pg.ImageItem(field)
        image.setRect(low[0], low[1], high[0] - low[0], high[1] - low[1])
        image.setColorMap(colours)
        levels = (float(np.nanmin(z)), float(np.nanmax(z)))
        image.setLevels(levels)
        plot.addItem(image)
        known = np.nan_to_num(field, nan=float(np.nanmean(z)))
        for level in np.linspace(*levels, LEVELS + 2)[1:-1]:
            line = pg.IsocurveItem(known, float(level), pen=pg.mkPen(self.look.soft, width=1))
            line.setParentItem(image)
        bar = pg.ColorBarItem(values=levels, colorMap=colours, interactive=False, label=title)
        bar.setImageItem(image)
        self.addItem(bar)

    def _matrix(self, axes: Sequence[Axis], solved: Solved) -> None:
        """Everything against everything, below the diagonal."""
        for row in range(1, len(axes)):
            for column in range(row):
                plot = self.addPlot(row=row, col=column)
                self._dots(plot, axes[column], axes[row], solved, size=SMALL)
                if row < len(axes) - 1:
                    plot.setLabel("bottom", "")
                if column:
                    plot.setLabel("left", "")

    def _parallel(self, axes: Sequence[Axis], by: Axis, solved: Solved) -> None:
        """A line for each run across all axes, coloured by what it meets."""
        plot = self.addPlot()
        self._plain(plot)
        plot.showGrid(x=True, y=False, alpha=0.3)
        table = np.stack([axis.values for axis in axes], axis=1)
        low, high = np.nanmin(table, axis=0), np.nanmax(table, axis=0)
        scaled = (table - low) / np.where(high > low, high - low, 1.0)
        seen = np.flatnonzero(np.isfinite(table).all(axis=1))[:MOST_LINES]
        brushes = self._brushes(solved)
        for met in {brushes[k].name(): brushes[k] for k in seen}.values():
            rows = [k for k in seen if brushes[k].name() == met.name()]
            gaps = np.full((len(rows), 1), np.nan)
            across = np.hstack([np.tile(np.arange(len(axes)), (len(rows), 1)), gaps])
            lines = np.hstack([scaled[rows], gaps])
            faint = QColor(met)
            faint.setAlpha(150 if len(seen) < 100 else 60)
            plot.plot(across.ravel(), lines.ravel(), pen=pg.mkPen(faint), connect="finite")
        told = [f"{axis.title}\n{units.digits(a, 3)} … {units.digits(b, 3)}"
                for axis, a, b in zip(axes, low, high, strict=True)]  # fmt: skip
        plot.getAxis("bottom").setTicks([list(enumerate(told))])
        plot.getAxis("bottom").setHeight(40)
        plot.hideAxis("left")
        plot.getViewBox().setXRange(-0.3, len(axes) - 0.7)

    def show_slopes(self, slopes: Sequence[Slope], figure: str) -> None:
        """Elasticities of a figure as bars, the largest on top."""
        self.clear()
        own = [s for s in slopes if s.figure == figure and np.isfinite(s.elasticity)]
        own.sort(key=lambda s: abs(s.elasticity))
        plot = self._plot(f"% of {figure} for 1 % of the parameter", "")
        plot.showGrid(x=True, y=False, alpha=0.2)
        sizes = np.array([s.elasticity for s in own])
        brushes = [self.look.colour("accent" if size > 0 else "force") for size in sizes]
        plot.addItem(pg.BarGraphItem(x0=np.minimum(sizes, 0.0), width=np.abs(sizes),
                                     y=np.arange(len(own)), height=0.6, brushes=brushes,
                                     pen=None))  # fmt: skip
        plot.getAxis("left").setTicks([[(k, s.parameter) for k, s in enumerate(own)]])
        plot.addLine(x=0.0, pen=pg.mkPen(self.look.soft))

    def show_indices(self, found: Indices) -> None:
        """Shares of a figure's variance: of each parameter alone, and with all others."""
        self.clear()
        plot = self._plot(f"share of the variance of {found.figure}", "")
        plot.addLegend(offset=(-10, 10), labelTextColor=self.look.ink)
        rows = np.arange(len(found.parameters))
        for sizes, up, token, said in (
            (found.total, 0.2, "accent", "with what it does together with others"),
            (found.first, -0.2, "good", "alone"),
        ):  # fmt: skip
            brush = self.look.colour(token)
            plot.addItem(pg.BarGraphItem(x0=np.zeros(len(rows)), width=np.maximum(sizes, 0.0),
                                         y=rows + up, height=0.36, brush=brush, pen=None,
                                         name=said))  # fmt: skip
        plot.getAxis("left").setTicks([list(enumerate(found.parameters))])
        plot.setXRange(0.0, 1.05)

    def show_fit(self, times: Floats, measured: Floats, fitted: Floats, title: str) -> None:
        """The measured curve as points, the fitted one as a line; SI."""
        self.clear()
        plot = self._plot("time [s]", title)
        plot.plot(times, measured, pen=None, symbol="o", symbolSize=3, symbolPen=None,
                  symbolBrush=self.look.colour("soft"))  # fmt: skip
        plot.plot(times, fitted, pen=pg.mkPen(self.look.accent, width=2))

    def show_history(self, history: History, figure: str, kind: str) -> None:
        """Costs of all runs, and the best one so far that meets the targets."""
        self.clear()
        costs = _axis(figure, kind, np.array(history.costs))
        plot = self._plot("run", costs.title)
        met = np.array(history.shorts) <= MET
        runs = np.arange(len(costs.values))
        for rows, token in ((~met, "bad"), (met, "good")):
            plot.plot(runs[rows], costs.values[rows], pen=None, symbol="o", symbolSize=SMALL,
                      symbolPen=None, symbolBrush=self.look.colour(token))  # fmt: skip
        best = np.fmin.accumulate(np.where(met, costs.values, np.nan))
        plot.plot(runs, best, pen=pg.mkPen(self.look.accent, width=2), connect="finite")

    def show_front(self, history: History, figures: tuple[str, str]) -> None:
        """All runs by two figures, and those than which no other is better in both."""
        self.clear()
        kinds = next((a.kinds for a in history.answers if a.kinds), {})
        axes = [
            _axis(name, kinds.get(name, "number"),
                  np.array([a.figures.get(name, np.nan) for a in history.answers]))
            for name in figures
        ]  # fmt: skip
        plot = self._plot(axes[0].title, axes[1].title)
        met, best = np.array(history.shorts) <= MET, front_of(history, figures)
        tokens = np.where(met, "soft", "bad").astype(object)
        tokens[best] = "good"
        brushes = [self.look.colour(token) for token in tokens]
        plot.plot(axes[0].values[best], axes[1].values[best],
                  pen=pg.mkPen(self.look.colour("good"), width=2))  # fmt: skip
        self._spots(plot, axes[0].values, axes[1].values, brushes, SMALL)
