"""Figures of a channel: the few numbers that a curve is read for, over a span of its time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ModelError
from impeto.core.results import response
from impeto.core.results.rainflow import equivalent_load, rainflow

Floats = npt.NDArray[np.float64]
SAME, TIME, FREQUENCY, NUMBER = "same", "time", "frequency", "number"  # kinds of figures
EXPONENT = 5.0  # of the life of welded steel over the range of its load
PER_SECOND = 1.0  # cycles for which an equivalent load stands


@dataclass(frozen=True, slots=True)
class Figures:
    """SI values; peak is the value largest in size, at peak_time [s]; mean, RMS over time."""

    minimum: float
    maximum: float
    mean: float
    rms: float
    peak: float
    peak_time: float


@dataclass(frozen=True, slots=True)
class Figure:
    """A number that a curve is read for. kind : of its unit, SAME for that of the channel;
    of : from times [s] and values (N,); NaN where it makes no sense"""

    title: str
    kind: str
    of: Callable[[Floats, Floats], float]


def figures(time: Floats, values: Floats) -> Figures:
    """Figures of values over time (N,), time increasing but not necessarily even."""
    at = int(np.argmax(np.abs(values)))
    return Figures(
        float(values.min()), float(values.max()), mean(time, values), rms(time, values),
        float(values[at]), float(time[at]),
    )  # fmt: skip


def largest(values: Floats) -> float:
    """The largest size of values, of which some or all may be no numbers."""
    return float(np.nanmax(np.abs(values), initial=0.0))


def mean(time: Floats, values: Floats) -> float:
    span = time[-1] - time[0]
    return float(np.trapezoid(values, time) / span if span > 0 else values.mean())


def rms(time: Floats, values: Floats) -> float:
    return float(np.sqrt(mean(time, values**2)))


def _equivalent(time: Floats, values: Floats) -> float:
    return equivalent_load(values, PER_SECOND * float(time[-1] - time[0]), EXPONENT)


# As they are offered.
FIGURES: dict[str, Figure] = {
    figure.title: figure
    for figure in (
        Figure("min", SAME, lambda t, v: float(v.min())),
        Figure("max", SAME, lambda t, v: float(v.max())),
        Figure("mean", SAME, mean),
        Figure("RMS", SAME, rms),
        Figure("peak", SAME, lambda t, v: float(v[np.argmax(np.abs(v))])),
        Figure("peak to peak", SAME, lambda t, v: float(np.ptp(v))),
        Figure("last", SAME, lambda t, v: float(v[-1])),
        Figure("time of min", TIME, lambda t, v: float(t[np.argmin(v)])),
        Figure("time of max", TIME, lambda t, v: float(t[np.argmax(v)])),
        Figure("period", TIME, response.period),
        Figure("frequency", FREQUENCY, lambda t, v: 1.0 / response.period(t, v)),
        Figure("settling time", TIME, response.settling_time),
        Figure("overshoot", NUMBER, lambda t, v: response.overshoot(v)),
        Figure("rise time", TIME, response.rise_time),
        Figure("damping ratio", NUMBER, lambda t, v: response.damping_ratio(v)),
        Figure("crossings of the mean", NUMBER,
               lambda t, v: float(len(response.upward_crossings(t, v)))),
        Figure("load cycles", NUMBER, lambda t, v: rainflow(v).total),
        Figure("equivalent load, 1 Hz, m = 5", SAME, _equivalent),
    )
}  # fmt: skip


def figure_of(
    title: str, time: Floats, values: Floats, span: tuple[float, float] | None = None
) -> float:
    """A figure by its title over a span [s] of a channel, SI. Raises ModelError for an unknown one
    and a span without samples."""
    if title not in FIGURES:
        raise ModelError(f"'{title[:60]}' is no figure", remedy=f"There are {', '.join(FIGURES)}")
    time, values = within(time, values, span)
    return FIGURES[title].of(time, values)


def within(time: Floats, values: Floats, span: tuple[float, float] | None) -> tuple[Floats, Floats]:
    """The samples in a span [s], all for None. Raises ModelError where there are fewer than two."""
    if span is None:
        return time, values
    inside = (time >= span[0]) & (time <= span[1])
    if int(inside.sum()) < 2:
        raise ModelError(
            f"there are no samples from {span[0]:g} to {span[1]:g} s",
            remedy="Choose a longer span within the run",
        )
    return time[inside], values[inside]


def steady_span(
    time: Floats, values: Floats, tolerance: float = 0.01
) -> tuple[float, float] | None:
    """The longest span up to the end of which all whole periods have the same extremes, within a
    tolerance of their size; None where there are not two such periods."""
    up = response.upward_crossings(time, values)
    if len(up) < 3:
        return None
    rows = np.searchsorted(time, up)
    ends = [(values[a:b].min(), values[a:b].max()) for a, b in pairwise(rows)]
    size = float(ends[-1][1] - ends[-1][0])
    first = len(ends)
    while first > 0 and max(abs(np.subtract(ends[first - 1], ends[-1]))) <= tolerance * size:
        first -= 1
    return (float(up[first]), float(up[-1])) if len(ends) - first >= 2 else None
