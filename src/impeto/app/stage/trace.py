"""Where frames and bodies have been in a run: plain, or coloured by a channel, with a scale."""

from __future__ import annotations

from functools import cache

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPen, QPolygonF

from impeto.app.stage.canvas import Canvas
from impeto.app.theme import font
from impeto.core.geometry.arrays import Floats
from impeto.core.model import units
from impeto.core.results.recording import Recording

MOST_POINTS = 2000  # of a path
BANDS = 48  # of colours
BAR = (150.0, 8.0)  # px, the scale
ITS_SPEED, ITS_ACCELERATION = "its speed", "its acceleration"  # of what goes along the path
OWN = {ITS_SPEED: "velocity", ITS_ACCELERATION: "acceleration"}


def paint_traces(painter: QPainter, stage: Canvas, names: list[str], by: str) -> None:
    """Paths of frames and bodies. by : '' for plain ones, a channel, or one of OWN"""
    run, drawn = stage.document.run, list[tuple[str, Floats, Floats]]()
    lengths: dict[str, float] = {}
    if run is None:
        return
    r = run.recording
    for name in names:
        if name in stage.document.drawn.elements and r.has(f"{name}.position.x"):
            stride = max(1, len(r.time) // MOST_POINTS)
            points = np.column_stack([r[f"{name}.position.{axis}"][::stride] for axis in "xyz"])
            channel = channel_of(name, by)
            values = r[channel][::stride] if channel and r.has(channel) else np.zeros(0)
            drawn.append((channel, stage.to_screen(points), values))
            lengths[name] = length_of(r, name)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    coloured = [values for _, _, values in drawn if len(values)]
    low, high = limits(coloured)
    _paint_lengths(painter, stage, lengths)
    for _, flat, values in drawn:
        if len(values):
            _paint_coloured(painter, flat, np.clip((values - low) / (high - low), 0.0, 1.0))
        else:
            painter.setPen(QPen(stage.look.colour("moment"), 1.3, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in flat]))
    if coloured:
        channel = next(channel for channel, _, values in drawn if len(values))
        _paint_scale(painter, stage, r, channel, by, (low, high))


def _paint_lengths(painter: QPainter, stage: Canvas, lengths: dict[str, float]) -> None:
    """At the lower edge, above where the scale of colours stands."""
    window = painter.viewport()
    painter.setFont(font(11))
    painter.setPen(stage.look.colour("moment"))
    known = [(name, length) for name, length in lengths.items() if np.isfinite(length)]
    for number, (name, length) in enumerate(known):
        top = window.height() - 84.0 - 16.0 * number
        told = f"path of {name}: {units.shown(length, 'length', 3)}"
        box = QRectF(0.0, top, window.width() - 24.0, 16.0)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight, told)


def length_of(r: Recording, name: str) -> float:
    """How far [m] a frame or body goes in a run; not a number for what comes or goes."""
    return float(r[f"integral({name}.velocity)"][-1])


def channel_of(name: str, by: str) -> str:
    """The channel by which the path of a frame or body is coloured."""
    return f"{name}.{OWN[by]}" if by in OWN else by


def limits(values: list[Floats]) -> tuple[float, float]:
    """Least and largest of all, a little apart where they are one."""
    whole = np.concatenate(values) if values else np.zeros(1)
    whole = whole[np.isfinite(whole)]
    low, high = (float(whole.min()), float(whole.max())) if len(whole) else (0.0, 1.0)
    return (low, high) if high > low else (low, low + max(abs(low), 1e-12))


@cache
def _colours() -> list[QColor]:
    import pyqtgraph  # it takes a tenth of a start

    shades = pyqtgraph.colormap.get("viridis").getLookupTable(0.0, 0.95, BANDS)
    return [QColor(*map(int, shade[:3])) for shade in shades]


def _paint_coloured(painter: QPainter, flat: Floats, shares: Floats) -> None:
    """Pieces of a path by the band of their colour; where there is no value it is left out."""
    colours = _colours()
    known = np.isfinite(shares[:-1])
    band = np.where(known, np.nan_to_num(shares[:-1]) * (BANDS - 1) + 0.5, 0.0).astype(int)
    ends = np.flatnonzero(np.diff(band) != 0) + 1
    for begin, end in zip([0, *ends], [*ends, len(band)], strict=True):
        if known[begin:end].all():
            painter.setPen(QPen(colours[band[begin]], 2.6, cap=Qt.PenCapStyle.RoundCap))
            points = [QPointF(x, y) for x, y in flat[begin : end + 1]]
            painter.drawPolyline(QPolygonF(points))


def _paint_scale(
    painter: QPainter, stage: Canvas, r: Recording, channel: str, by: str,
    ends: tuple[float, float],
) -> None:  # fmt: skip
    """Which colour means what, at the lower edge."""
    window = painter.viewport()
    left, top = window.width() - BAR[0] - 24.0, window.height() - 44.0
    gradient = QLinearGradient(left, 0.0, left + BAR[0], 0.0)
    colours = _colours()
    for number, colour in enumerate(colours):
        gradient.setColorAt(number / (BANDS - 1), colour)
    painter.fillRect(QRectF(left, top, *BAR), gradient)
    unit, factor = units.shown_unit(r.channel(channel).kind, max(map(abs, ends)))
    painter.setFont(font(11))
    painter.setPen(stage.look.colour("ink"))
    title = f"{by if by in OWN else channel} [{units.spoken(unit)}]"
    painter.drawText(
        QRectF(left - 200, top - 20, BAR[0] + 200, 16), Qt.AlignmentFlag.AlignRight, title
    )
    below = QRectF(left, top + 10, BAR[0], 16)
    peak = max(map(abs, ends))
    low, high = (units.digits(units.against(end, peak) / factor, 3) for end in ends)
    painter.drawText(below, Qt.AlignmentFlag.AlignLeft, low)
    painter.drawText(below, Qt.AlignmentFlag.AlignRight, high)
