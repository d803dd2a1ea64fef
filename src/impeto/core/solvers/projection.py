"""Projection onto the constraints with a fresh factor each round: for starts and events."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import move, normalise, place
from impeto.core.dynamics.kkt import factor_now, solve_once
from impeto.core.dynamics.state import all_speeds, unknowns
from impeto.core.dynamics.tables import Tables, Workspace

Floats = npt.NDArray[np.float64]


def least_movement(T: Tables, S: Workspace, wanted: Floats) -> Floats:
    """(6n,) least movement in the mass metric that changes every residual as wanted."""
    factor_now(T, S)
    right = np.zeros(len(S.right))
    right[T.place] = wanted
    solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, right)
    return right[: unknowns(len(T.mass) - 1)]


def project_fresh(
    T: Tables, S: Workspace, t: float, y: Floats, tolerance: float, rounds: int
) -> float:
    """Bring positions (in so many rounds), then velocities, onto the constraints that now hold.

    Returns the largest remaining residual of positions [m]; places T, S at the new state.
    """
    n = len(T.mass) - 1
    normalise(y, n)
    place(T, S, t, y)
    for _ in range(rounds):
        if np.abs(S.residual).max(initial=0.0) <= tolerance:
            break
        move(y, least_movement(T, S, -S.residual), n)
        place(T, S, t, y)
    for _ in range(3):
        if np.abs(S.residual_rate).max(initial=0.0) <= 1e-3 * tolerance:
            break
        y[all_speeds(n)] += least_movement(T, S, -S.residual_rate)
        place(T, S, t, y)
    return float(np.abs(S.residual).max(initial=0.0))
