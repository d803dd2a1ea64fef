"""Where within a step the first switch changes: on the dense output, before stepping there."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.mechanics.equations import derivative
from impeto.core.mechanics.tables import Tables, Workspace
from impeto.core.solvers.method import STAGES, Method, interpolate, set_dense
from impeto.core.solvers.switching import EVALUATIONS, TIME, Integration

Floats = npt.NDArray[np.float64]
NARROW = 1e-12  # of the step: how closely an instant is enclosed
SOON = 1e-6  # of the step: what does not hold by then did not hold from its start


def smallest_step(end: float) -> float:
    """The least step [s] of a run that ends there."""
    return max(1e-14, 1e-15 * end)


def first_crossing(
    T: Tables, S: Workspace, M: Method, state: Integration, h: float
) -> tuple[int, float]:
    """Switch whose guard fails first in the step that was tried, and the share of the step.

    The least of the failing guards, each over its own size, is a continuous function; its zero is
    bracketed by the Illinois method (Dowell and Jarratt 1971). Ends where it has just failed; 0
    when it fails at once.
    """
    t, y = float(state.clock[TIME]), state.y
    _extra_stages(T, S, M, state, t, h)
    set_dense(state.dense, state, M, h)
    derivative(T, S, t + h, state.fresh, state.rate)
    failing = np.flatnonzero(S.guard < 0.0)
    if not len(failing):
        return int(np.argmin(S.guard)), 1.0
    begins = np.maximum(S.before[failing], 0.0)
    size = np.maximum(np.abs(S.before[failing]), -S.guard[failing])
    size[~np.isfinite(size)] = 1.0
    low, high = 0.0, 1.0
    above, below = float((begins / size).min()), float((S.guard[failing] / size).min())
    which = int(failing[np.argmin(S.guard[failing] / size)])

    def least_at(share: float) -> Floats:
        interpolate(state.trial, y, state.dense, share)
        derivative(T, S, t + share * h, state.trial, state.rate)
        state.counts[EVALUATIONS] += 1
        return np.asarray(S.guard[failing] / size)

    if above <= 0.0:  # right at its border: it may have gone inside before it came back
        values = least_at(SOON)
        low, above = SOON, float(values.min())
        if above <= 0.0:
            return int(failing[np.argmin(values)]), 0.0
    kept = 0
    while high - low > NARROW:
        share = high - below * (high - low) / (below - above)
        share = min(max(share, low + 0.01 * (high - low)), high - 0.01 * (high - low))
        values = least_at(share)
        least = float(values.min())
        if least < 0.0:
            high, below, which = share, least, int(failing[np.argmin(values)])
            above = 0.5 * above if kept > 0 else above
            kept = 1
        else:
            low, above = share, least
            below = 0.5 * below if kept < 0 else below
            kept = -1
        if -1e-13 < least < 0.0:
            break
    return which, high


def _extra_stages(
    T: Tables, S: Workspace, M: Method, state: Integration, t: float, h: float
) -> None:
    """The three stages that the dense output needs beside those of the step."""
    for s in range(STAGES + 1, STAGES + 4):
        state.trial[:] = state.y + h * (M.a[s, :s] @ state.k[:s])
        derivative(T, S, t + M.c[s] * h, state.trial, state.k[s])
        state.counts[EVALUATIONS] += 1
