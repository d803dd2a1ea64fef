"""How a channel comes to rest: rise, overshoot, settling, decay; how often it goes to and fro."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
BAND = 0.02  # of the whole change: within which it counts as settled
LOW, HIGH = 0.1, 0.9  # of the whole change: where a rise begins and ends
SAME = 1e-9  # of the largest value: what only differs by rounding
IDLE = 0.02  # of the largest deviation: smaller swings are no cycles


def settling_time(time: Floats, values: Floats, band: float = BAND) -> float:
    """s from the first instant until it stays within a band about its last value; NaN where it does
    not change."""
    change = _change(values)
    outside = np.flatnonzero(np.abs(values - values[-1]) > band * abs(change))
    if change == 0.0 or not len(outside):
        return np.nan
    left = np.abs(values - values[-1])
    return _crossing(time, left, int(outside[-1]), band * abs(change)) - float(time[0])


def overshoot(values: Floats) -> float:
    """How far it goes beyond its last value, of the whole change; NaN where it does not change."""
    change = _change(values)
    if change == 0.0:
        return np.nan
    beyond = np.sign(change) * (values - values[-1])
    k = int(np.argmax(beyond))
    return max(_top(beyond, k), 0.0) / abs(change)


def rise_time(time: Floats, values: Floats) -> float:
    """s from a tenth to nine tenths of the whole change; NaN where it does not change."""
    change = _change(values)
    if change == 0.0:
        return np.nan
    share = (values - values[0]) / change
    begin, end = (int(np.argmax(share >= level)) for level in (LOW, HIGH))
    if begin == 0 or end == 0:
        return np.nan
    return _crossing(time, share, end - 1, HIGH) - _crossing(time, share, begin - 1, LOW)


def damping_ratio(values: Floats) -> float:
    """Of a decaying swing about its last value, by the logarithmic decrement of all its half
    swings (least squares); NaN where there are fewer than three."""
    size = np.abs(values - values[-1])
    if size.max() <= SAME * np.abs(values).max():
        return np.nan
    tops = np.flatnonzero((size[1:-1] > size[:-2]) & (size[1:-1] >= size[2:])) + 1
    tops = tops[size[tops] > IDLE * size.max(initial=0.0)]
    if len(tops) < 3:
        return np.nan
    heights = np.log([_top(size, int(k)) for k in tops])
    decrement = -float(np.polyfit(np.arange(len(tops)), heights, 1)[0])
    return decrement / float(np.hypot(np.pi, decrement))


def period(time: Floats, values: Floats) -> float:
    """s between crossings of the mean upwards, the mean of all; NaN where there are fewer than
    two. Swings smaller than a fiftieth of the largest do not count."""
    up = upward_crossings(time, values)
    return float(up[-1] - up[0]) / (len(up) - 1) if len(up) > 1 else np.nan


def upward_crossings(time: Floats, values: Floats) -> Floats:
    """Instants [s] at which it passes its mean upwards, after having been clearly below it."""
    off = values - np.trapezoid(values, time) / (time[-1] - time[0])
    largest = float(np.abs(off).max())
    if largest <= SAME * float(np.abs(values).max()):
        return np.zeros(0)
    idle = IDLE * largest
    state, found = 0, list[float]()
    last = 0
    for k, value in enumerate(off):
        if value < -idle:
            state, last = -1, k
        elif value > idle and state == -1:
            below = last + int(np.argmax(off[last : k + 1] >= 0.0)) - 1
            found.append(_crossing(time, off, below, 0.0))
            state = 1
    return np.array(found)


def _change(values: Floats) -> float:
    """From the first value to the last, 0 where that is rounding."""
    change = float(values[-1] - values[0])
    return change if abs(change) > SAME * float(np.abs(values).max()) else 0.0


def _crossing(time: Floats, values: Floats, k: int, level: float) -> float:
    """Instant between samples k and k + 1 at which a level is passed."""
    if k + 1 >= len(time) or values[k + 1] == values[k]:
        return float(time[min(k + 1, len(time) - 1)])
    share = (level - values[k]) / (values[k + 1] - values[k])
    return float(time[k] + share * (time[k + 1] - time[k]))


def _top(values: Floats, k: int) -> float:
    """The height of the parabola through a sample and its neighbours."""
    if not 0 < k < len(values) - 1:
        return float(values[k])
    a, b, c = values[k - 1], values[k], values[k + 1]
    bend = a - 2.0 * b + c
    return float(b if bend == 0.0 else b - (a - c) ** 2 / (8.0 * bend))
