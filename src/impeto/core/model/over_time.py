"""Functions of a whole curve, for gauges and charts: time (N,) [s] increasing, values (N,)."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]


def rate(time: Floats, values: Floats) -> Floats:
    """Derivative of values (N, …) by parabolas through three instants.

    Second order in the output step; across a jump of the values it grows with 1/step. Not a
    number where there are fewer than three instants.
    """
    if len(time) < 3:
        return np.full_like(values, np.nan)
    return np.asarray(np.gradient(values, time, axis=0, edge_order=2))


def integral(time: Floats, values: Floats) -> Floats:
    """From the start on, by the trapezoidal rule."""
    from scipy.integrate import cumulative_trapezoid  # with much that the first picture needs not

    return np.asarray(cumulative_trapezoid(values, time, initial=0.0))


def average(time: Floats, values: Floats, window: float) -> Floats:
    """Mean over a window [s] around each instant, shorter at both ends."""
    sums = integral(time, values)
    begin, end = _window(time, window)
    width = end - begin
    with np.errstate(all="ignore"):
        mean = (np.interp(end, time, sums) - np.interp(begin, time, sums)) / width
    return np.where(width > 0.0, mean, values)


def envelope(time: Floats, values: Floats, window: float) -> Floats:
    """The largest value in a window [s] around each instant."""
    begin, end = _window(time, window)
    first = np.searchsorted(time, begin, side="left")
    count = np.maximum(np.searchsorted(time, end, side="right") - first, 1)
    largest, size = values.astype(float), 1
    out = np.full(time.shape, -np.inf)
    while True:  # largest : of `size` values from each on, doubled from round to round
        now = (count >= size) & (count < 2 * size)
        out[now] = np.maximum(largest[first[now]], largest[(first + count)[now] - size])
        if 2 * size > len(time):
            return out
        further = largest.copy()
        further[: len(time) - size] = np.maximum(largest[:-size], largest[size:])
        largest, size = further, 2 * size


def _window(time: Floats, window: float) -> tuple[Floats, Floats]:
    half = 0.5 * abs(window)
    return np.maximum(time - half, time[0]), np.minimum(time + half, time[-1])


def highest(time: Floats, values: Floats) -> Floats:
    """The largest value so far."""
    return np.asarray(np.fmax.accumulate(values))


def lowest(time: Floats, values: Floats) -> Floats:
    """The least value so far."""
    return np.asarray(np.fmin.accumulate(values))


def first(time: Floats, values: Floats) -> Floats:
    """The value at the start, throughout."""
    return np.full(time.shape, values[0])


def count(time: Floats, values: Floats) -> Floats:
    """How often a condition has become true so far."""
    holds = values > 0.0
    return np.concatenate([[0.0], np.cumsum(holds[1:] & ~holds[:-1])])
