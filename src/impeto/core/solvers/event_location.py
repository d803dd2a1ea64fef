"""Where within a step the first switch changes: on the dense output, before stepping there."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
NARROW = 1e-12  # of the step: how closely an instant is enclosed
SOON = 1e-6  # of the step: what does not hold by then did not hold from its start
BESIDE = -1e-13  # a guard that has failed by so little is where it fails


def smallest_step(end: float) -> float:
    """The least step [s] of a run that ends there."""
    return max(1e-14, 1e-15 * end)


def first_crossing(
    guards: Callable[[float], Floats], before: Floats, after: Floats
) -> tuple[int, float]:
    """Switch whose guard fails first in a step that was tried, and the share of the step.

    guards : all guards (W,) at a share of the step;  before, after : (W,) at its start and end
    The least of the failing guards, each over its own size, is a continuous function; its zero is
    bracketed by the Illinois method (Dowell and Jarratt 1971). Ends where it has just failed; 0
    when it fails at once.
    """
    failing = np.flatnonzero(after < 0.0)
    if not len(failing):
        return int(np.argmin(after)), 1.0
    begins = np.maximum(before[failing], 0.0)
    size = np.maximum(np.abs(before[failing]), -after[failing])
    size[~np.isfinite(size)] = 1.0
    low, high = 0.0, 1.0
    above, below = float((begins / size).min()), float((after[failing] / size).min())
    which = int(failing[np.argmin(after[failing] / size)])
    if above <= 0.0:  # right at its border: it may have gone inside before it came back
        values = guards(SOON)[failing] / size
        low, above = SOON, float(values.min())
        if above <= 0.0:
            return int(failing[np.argmin(values)]), 0.0
    kept = 0
    while high - low > NARROW:
        share = high - below * (high - low) / (below - above)
        share = min(max(share, low + 0.01 * (high - low)), high - 0.01 * (high - low))
        values = guards(share)[failing] / size
        least = float(values.min())
        if least < 0.0:
            high, below, which = share, least, int(failing[np.argmin(values)])
            above = 0.5 * above if kept > 0 else above
            kept = 1
        else:
            low, above = share, least
            below = 0.5 * below if kept < 0 else below
            kept = -1
        if BESIDE < least < 0.0:
            break
    return which, high
