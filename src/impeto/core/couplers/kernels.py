"""GearPair of two parts on each other: their coordinate and its Jacobian."""

from __future__ import annotations

import numpy as np

from impeto.core.couplers.columns import GearPair, GearPairValue
from impeto.core.dynamics.columns import Coordinate
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.tables import UNUSED, Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Rows, Vector3

FOURTH = 3  # row of the scratch


@kernel
def gear_pair_row(
    value: Floats, axes: Floats, gap: Vector3, gap_rate: Vector3, arm: Rows, va: Vector3,
    wa: Vector3, vb: Vector3, wb: Vector3, rack: bool, flank: float, out: Floats, work: Rows,
) -> float:  # fmt: skip
    """GearPair of A on teeth of B: force along n at the pitch point P; factors and bias like a row.

    work (4, 3) : scratch
    value (6,) : arm, tangential and along shares, factors, tan of the pressure angle
    P = C_A + arm·e, e across axis A towards B (for a rack across its direction). The point's and
    the direction's own movement enters the bias, so that moving carriers are right too.
    """
    z = axes[0][:, 2]
    dz = cross(wa, z)
    if rack:
        u = axes[1][:, 2]
        du = cross(wb, u)
        w = cross(u, z)
        g, h = cross(du, z), cross(u, dz)
        dw = (g[0] + h[0], g[1] + h[1], g[2] + h[2])
    else:
        share = dot(gap, z)
        growth = dot(gap_rate, z) + dot(gap, dz)
        w = (gap[0] - share * z[0], gap[1] - share * z[1], gap[2] - share * z[2])
        dw = (
            gap_rate[0] - growth * z[0] - share * dz[0],
            gap_rate[1] - growth * z[1] - share * dz[1],
            gap_rate[2] - growth * z[2] - share * dz[2],
        )
    size = np.sqrt(dot(w, w))
    e = (w[0] / size, w[1] / size, w[2] / size)
    shrink = dot(dw, e)
    de = (
        (dw[0] - shrink * e[0]) / size,
        (dw[1] - shrink * e[1]) / size,
        (dw[2] - shrink * e[2]) / size,
    )
    t = cross(z, e)
    g, h = cross(dz, e), cross(z, de)
    swing_a = cross(wa, arm[0])
    bias = 0.0
    sa = _reach(arm[0], e, value[GearPairValue.ARM])
    sb = (
        arm[1][0] - gap[0] + value[GearPairValue.ARM] * e[0],
        arm[1][1] - gap[1] + value[GearPairValue.ARM] * e[1],
        arm[1][2] - gap[2] + value[GearPairValue.ARM] * e[2],
    )
    slip_a, slip_b = cross(wa, sa), cross(wb, sb)
    tangential, along = value[GearPairValue.TANGENTIAL], value[GearPairValue.ALONG]
    pressure = flank * value[GearPairValue.PRESSURE]
    dsa, dsb, n, dn = work[0], work[1], work[2], work[FOURTH]
    for k in range(3):
        # Velocity of the pitch point less those of the centres of mass.
        point = va[k] + swing_a[k] + value[GearPairValue.ARM] * de[k]
        dsa[k] = point - va[k]
        dsb[k] = point - vb[k]
        n[k] = tangential * t[k] + along * z[k] + pressure * e[k]
        dn[k] = tangential * (g[k] + h[k]) + along * dz[k] + pressure * de[k]
    turn_a, turn_b = cross(sa, n), cross(sb, n)
    cen_a, cen_b = cross(wa, dsa), cross(wb, dsb)
    for k in range(3):
        out[k], out[3 + k], out[6 + k], out[9 + k] = n[k], turn_a[k], -n[k], -turn_b[k]
        bias += dn[k] * (va[k] + slip_a[k] - vb[k] - slip_b[k]) + n[k] * (cen_a[k] - cen_b[k])
    return bias


@inlined
def set_teeth(T: Tables, S: Workspace, every: int) -> None:
    """Coordinates along the teeth of two parts, from those of their joints."""
    for index in range(T.coordinate.shape[0]):
        mesh = T.coordinate[index, Coordinate.GEAR_PAIR]
        if mesh < 0 or (every == 0 and T.coordinate[index, Coordinate.NEED] == UNUSED):
            continue
        first, second = T.gear_pair[mesh, GearPair.FIRST], T.gear_pair[mesh, GearPair.SECOND]
        fa, fb = (
            T.gear_pair_value[mesh, GearPairValue.FIRST],
            T.gear_pair_value[mesh, GearPairValue.SECOND],
        )
        S.coordinate[index] = fa * S.coordinate[first] - fb * S.coordinate[second]
        S.rate[index] = fa * S.rate[first] - fb * S.rate[second]


@kernel
def _reach(arm: Vector3, e: Vector3, length: float) -> tuple[float, float, float]:
    return arm[0] + length * e[0], arm[1] + length * e[1], arm[2] + length * e[2]
