"""Singular poses on the way of a run: where constraints that hold the mechanism elsewhere depend on
each other for an instant, so that it could go on in another way (a parallelogram that is flat)."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import place
from impeto.core.assembly.workspace import workspace_of
from impeto.core.dynamics.kkt import factor_now
from impeto.core.dynamics.names import SINGULAR, Mark
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import M_ON

Floats = npt.NDArray[np.float64]
LOOKS, WORK = 200, 2e6  # instants looked at, at most; times numbers in the factor
FEWEST = 8  # of these in a part of the run
NEAR = 0.1  # of the largest volume on the way: what is looked at more closely
ABRUPT = 0.6  # of the change to the instant before or after: it vanishes in between
TEXT = "passes a singular pose: it could go on in another way, and reactions are not determined"


def singular_poses(system: System, time: Floats, state: Floats, measured: Floats) -> list[Mark]:
    """Where the recorded motion passes a singular pose, at the nearest instant.

    The volume √det(ε I + J M⁻¹ Jᵀ), from the pivots of its factor, vanishes there as |θ| does at 0,
    also where some rows are redundant everywhere, as their ε stays. Joints on paths are left out.

    time : (N,);  state : (N, size);  measured : (N, Q), as in a recording
    """
    T = system.tables
    if not len(system.constraints) or (T.joint_path >= 0).any():
        return []
    first = int(T.measured[M_ON])
    on = measured[:, first : first + len(system.elements)]
    ends = np.flatnonzero((np.diff(on, axis=0) != 0.0).any(axis=1)) + 1
    marks = []
    for low, high in pairwise([0, *map(int, ends), len(time)]):  # joints may be released between
        if high - low > 1:
            looks = max(LOOKS * (high - low) // len(time), FEWEST)
            marks += _within(system, time[low:high], state[low:high], on[low], looks)
    return marks


def _within(system: System, time: Floats, state: Floats, on: Floats, looks: int) -> list[Mark]:
    """The same of a part of the run in which nothing is switched on or off."""
    T, S = system.tables, workspace_of(system)
    S.on[:] = on
    rows = np.array(system.constraints, dtype=np.int64)

    def pivots(index: int) -> Floats:
        """(k,) logarithm of the root of each constraint's pivot at an instant."""
        place(T, S, float(time[index]), state[index])
        S.turned[:] = S.coordinate
        factor_now(T, S)
        return 0.5 * np.log(np.maximum(np.abs(S.pivot[T.place[rows]]), 1e-300))

    count = int(min(looks, len(time), max(WORK / (len(S.factor) + 1), 20)))
    looked = np.unique(np.linspace(0, len(time) - 1, count).astype(np.int64))
    found = np.array([pivots(int(k)) for k in looked])
    most, highest = found.sum(axis=1).max(), found.max(axis=0)

    def volume(index: int) -> float:
        return float(np.exp(pivots(index).sum() - most))

    marks = []
    for k in _dips(np.exp(found.sum(axis=1) - most)):
        at = _lowest(volume, int(looked[max(k - 1, 0)]), int(looked[min(k + 1, len(looked) - 1)]))
        beside = [volume(i) for i in (at - 1, at + 1) if 0 <= i < len(time)]
        value = volume(at)
        if value < NEAR and value <= ABRUPT * (max(beside) - value):
            row = rows[np.argmin(pivots(at) - highest)]
            marks.append(Mark(float(time[at]), system.rows[row].owner, TEXT, SINGULAR))
    return marks


def _dips(values: Floats) -> list[int]:
    """Where values are lower than before and not higher than after, and low."""
    before, after = np.append(np.inf, values[:-1]), np.append(values[1:], np.inf)
    return [int(k) for k in np.flatnonzero((values < before) & (values <= after) & (values < 0.5))]


def _lowest(value: Callable[[int], float], low: int, high: int) -> int:
    """Index of the least value between two, where it falls and then rises."""
    while high - low > 2:
        third = (high - low) // 3
        if value(low + third) < value(high - third):
            high = high - third
        else:
            low = low + third
    return min(range(low, high + 1), key=value)
