"""Curves over time as SVG for reports: lines, ticks at round numbers, a legend beside."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from markupsafe import Markup, escape

Floats = npt.NDArray[np.float64]
WIDTH, HEIGHT = 760, 210  # px
LEFT, RIGHT, TOP, BELOW = 58, 10, 8, 24  # px around the lines
COLOURS = ("#2A43C4", "#C8471F", "#2F6F53", "#7A3E9D", "#8F5608", "#3A7D8C")
DASHES = ("", "6 4", "2 3", "8 3 2 3")
MOST = 1500  # points of a line: more cannot be seen
TICKS = 5


@dataclass(frozen=True, slots=True)
class Curve:
    """time [s] and values (N,) in the unit of the chart"""

    title: str
    time: Floats
    values: Floats


def drawn(curves: Sequence[Curve]) -> Markup:
    """A chart of curves in one unit."""
    times = [float(c.time[k]) for c in curves for k in (0, -1)]
    lows = [float(np.nanmin(c.values)) for c in curves]
    highs = [float(np.nanmax(c.values)) for c in curves]
    left, right = min(times), max(*times, min(times) + 1e-9)
    ticks = rounds(min(lows), max(highs))
    low, high = min(*lows, ticks[0]), max(*highs, ticks[-1])

    def x(t: Floats | float) -> Floats:
        return np.asarray(LEFT + (np.asarray(t) - left) / (right - left) * (WIDTH - LEFT - RIGHT))

    def y(v: Floats | float) -> Floats:
        return np.asarray(TOP + (high - np.asarray(v)) / (high - low) * (HEIGHT - TOP - BELOW))

    parts = [f'<svg viewBox="0 0 {WIDTH} {HEIGHT}" role="img" class="chart">']
    for tick in ticks:
        at = float(y(tick))
        ends = f'x1="{LEFT}" x2="{WIDTH - RIGHT}" y1="{at:.1f}" y2="{at:.1f}"'
        parts.append(f'<line class="grid" {ends}/>')
        parts.append(_text(LEFT - 6, at + 4, "end", tick))
    parts += [
        _text(float(x(tick)), HEIGHT - 6, "middle", tick)
        for tick in rounds(left, right) if left <= tick <= right
    ]  # fmt: skip
    for number, curve in enumerate(curves):
        time, values = thinned(curve.time, curve.values)
        points = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x(time), y(values), strict=True))
        colour, dash = COLOURS[number % 6], DASHES[number // 6 % 4]
        parts.append(
            f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-dasharray="{dash}">'
            f"<title>{escape(curve.title)}</title></polyline>"
        )
    return Markup("".join(parts) + "</svg>")


def thinned(time: Floats, values: Floats) -> tuple[Floats, Floats]:
    """At most so many points as can be seen, with the least and the largest of every stretch."""
    if len(time) <= MOST:
        return time, values
    edges = np.linspace(0, len(time), MOST // 2 + 1).astype(int)
    kept = [
        a + k
        for a, b in pairwise(edges) if b > a
        for k in sorted({int(np.argmin(values[a:b])), int(np.argmax(values[a:b]))})
    ]  # fmt: skip
    return time[kept], values[kept]


def rounds(low: float, high: float) -> list[float]:
    """Round numbers that a range is marked with, from below it to above; of one value around it."""
    size = high - low
    if size <= 1e-9 * max(abs(low), abs(high)):
        aside = 0.1 * abs(low) or 1.0
        low, high, size = low - aside, high + aside, 2.0 * aside
    step = 10.0 ** np.floor(np.log10(size / TICKS))
    step *= next(m for m in (1, 2, 5, 10) if size / (m * step) <= TICKS)
    first, last = np.floor(low / step), np.ceil(high / step)
    return [float(k * step) for k in np.arange(first, last + 1)]


def _text(x: float, y: float, anchor: str, value: float) -> str:
    return f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}">{_plain(value)}</text>'


def _plain(value: float) -> str:
    return f"{value:.6g}".replace("-", "−")
