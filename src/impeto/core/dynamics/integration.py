"""The state of an integration, which every method changes in place."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.pack import Pack

Floats = npt.NDArray[np.float64]
# Clock entries.
(
    TIME, STEP, WORST_GAP, ERROR, SUSPECT, CROSSED, PROGRESS_AT, TRIED, LONGEST_TURN, LONGEST_TOUCH,
    SHORT_STEP, INSTANT,
) = range(12)  # fmt: skip
# Count entries.
(
    ACCEPTED, REJECTED, EVALUATIONS, WRITTEN, CHANGES, CROWDED, STIFF_STEPS, EASY_STEPS, LOGGED,
    REPEATED, ROUGH,
) = range(11)  # fmt: skip


class Integration(Pack):
    """State of an integration, changed in place."""

    clock: (
        Floats  # (12,) time, step, gap, sum of errors, suspect, crossed switch, marks of progress
    )
    counts: npt.NDArray[np.int64]  # (11,) steps, evaluations, outputs, changes, signs of stiffness
    y: Floats
    y_new: Floats  # candidate state
    trial: Floats
    scale: Floats  # (2,) speed and spin of the mechanism, for what holds all of it
    pace: Floats  # (n,) m/s, the fastest that each body was: what its errors are held against
    floor: Floats  # (extras,) the same for extra states; infinite where errors do not matter
    k: Floats  # (16, size) stages
    dense: Floats  # (7, size)
    rate: Floats  # scratch
    turned: Floats  # (C,) angles at the end of the step
    followed: Floats  # (P,) parameters of paths at the end of the step
    log: Floats  # (M, 2) time and switch of impacts, sticking and slipping
