"""Figures of a channel: the few numbers that a curve is read for."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Figures:
    """SI values; peak is the value largest in size, at peak_time [s]; mean, RMS over time."""

    minimum: float
    maximum: float
    mean: float
    rms: float
    peak: float
    peak_time: float


def figures(time: Floats, values: Floats) -> Figures:
    """Figures of values over time (N,), time increasing but not necessarily even."""
    at = int(np.argmax(np.abs(values)))
    span = time[-1] - time[0]
    if span > 0:
        mean = float(np.trapezoid(values, time) / span)
        rms = float(np.sqrt(np.trapezoid(values**2, time) / span))
    else:
        mean, rms = float(values.mean()), float(np.sqrt((values**2).mean()))
    return Figures(
        float(values.min()), float(values.max()), mean, rms, float(values[at]), float(time[at])
    )
