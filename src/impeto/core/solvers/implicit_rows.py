"""Rows along which forces are taken implicitly: what they answer, and slopes of what acts there."""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.columns import Coordinate, Curve
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.kkt import solve_once
from impeto.core.dynamics.state import SIDE, all_speeds
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.geometry.arrays import Floats, Ints


def effort_of(lost: float, speed: float) -> float:
    """Effort of a damper that takes out this power at a speed."""
    return -lost / speed if speed != 0.0 else 0.0


def curve_slope(T: Tables, S: Workspace, curve: int) -> float:
    """Slope of a curve where it was looked up last; 0 for none."""
    if curve < 0:
        return 0.0
    switch = T.curve[curve, Curve.SWITCH]
    x, _, c1, c2, c3 = T.curve_piece[S.switch[switch]]
    s = float(S.memory[switch] - x)
    return float(c1 + s * (2.0 * c2 + 3.0 * s * c3))


def coordinate_accelerations(T: Tables, S: Workspace, c: Ints, rate: Floats) -> Floats:
    """Second derivatives of coordinates (K,) with the rates of the state."""
    n = len(T.mass) - 1
    moved = np.zeros((n + 1, 6))
    moved[1:] = rate[all_speeds(n)].reshape(n, 6)
    moved[1:, 3:] = np.einsum("bij,bj->bi", S.rotation[1:], moved[1:, 3:])
    bodies = T.joint_body[T.coordinate[c, Coordinate.JOINT]]
    total = S.bias[c].copy()
    for side in range(2):
        unit = S.gradient[c, SIDE * side : SIDE * side + 6]
        total += (unit * moved[bodies[:, side]]).sum(axis=1)
    return total


@kernel
def solve_rows(T: Tables, S: Workspace, row: Floats, answer: Floats) -> None:
    """answer (K, 6n) : velocities that impulses along the rows (K, 6n) give, joints in force."""
    for k in range(row.shape[0]):
        S.right[:] = 0.0
        for i in range(row.shape[1]):
            S.right[i] = row[k, i]
        solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
        for i in range(row.shape[1]):
            answer[k, i] = S.right[i]
