"""Factors and biases of single rows: the two plain kinds, teeth of gears, and paths."""

from __future__ import annotations

import numpy as np

from impeto.core.geometry.arrays import Floats, Rows, Vector3
from impeto.core.mechanics.columns import (
    ACROSS,
    BEND_ALONG,
    BENDS,
    PATH_PACE,
    PATH_RATE,
    SIDEWAYS,
    TANGENT,
    UP,
    WITHIN,
    TeethValue,
)
from impeto.core.mechanics.kernel import kernel
from impeto.core.mechanics.kinematics import cross, dot, path_value

FOURTH = 3  # row of the scratch


@kernel
def slide_row(
    e: Vector3, d: Vector3, gap_rate: Vector3, arm: Rows, wa: Vector3, wb: Vector3, out: Floats
) -> float:
    sa, sb = arm[0], arm[1]
    lever = (sa[0] + d[0], sa[1] + d[1], sa[2] + d[2])
    turn_a, turn_b = cross(lever, e), cross(sb, e)
    for k in range(3):
        out[k], out[3 + k], out[6 + k], out[9 + k] = -e[k], -turn_a[k], e[k], turn_b[k]
    moved = cross(wa, e)
    bias = dot(cross(wa, moved), d) + 2.0 * dot(moved, gap_rate)
    return bias + dot(e, cross(wb, cross(wb, sb))) - dot(e, cross(wa, cross(wa, sa)))


@kernel
def dot_row(u: Vector3, w: Vector3, wa: Vector3, wb: Vector3, sign: float, out: Floats) -> float:
    c = cross(u, w)
    for k in range(3):
        out[3 + k] += sign * c[k]
        out[9 + k] -= sign * c[k]
    du, dw = cross(wa, u), cross(wb, w)
    bias = dot(cross(wa, du), w) + dot(u, cross(wb, dw)) + 2.0 * dot(du, dw)
    return sign * bias


@kernel
def mesh_row(
    value: Floats, axes: Floats, gap: Vector3, gap_rate: Vector3, arm: Rows, va: Vector3,
    wa: Vector3, vb: Vector3, wb: Vector3, rack: bool, flank: float, out: Floats, work: Rows,
) -> float:  # fmt: skip
    """Teeth of A on teeth of B: force along n at the pitch point P; factors and bias like a row.

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
    sa = _reach(arm[0], e, value[TeethValue.ARM])
    sb = (
        arm[1][0] - gap[0] + value[TeethValue.ARM] * e[0],
        arm[1][1] - gap[1] + value[TeethValue.ARM] * e[1],
        arm[1][2] - gap[2] + value[TeethValue.ARM] * e[2],
    )
    slip_a, slip_b = cross(wa, sa), cross(wb, sb)
    tangential, along = value[TeethValue.TANGENTIAL], value[TeethValue.ALONG]
    pressure = flank * value[TeethValue.PRESSURE]
    dsa, dsb, n, dn = work[0], work[1], work[2], work[FOURTH]
    for k in range(3):
        # Velocity of the pitch point less those of the centres of mass.
        point = va[k] + swing_a[k] + value[TeethValue.ARM] * de[k]
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


@kernel
def _reach(arm: Vector3, e: Vector3, length: float) -> tuple[float, float, float]:
    return arm[0] + length * e[0], arm[1] + length * e[1], arm[2] + length * e[2]


@kernel
def travel_row(
    track: Floats, gap: Vector3, gap_rate: Vector3, arm: Rows, wa: Vector3, wb: Vector3,
    out: Floats,
) -> float:  # fmt: skip
    """Factors (world) and bias of the parameter of a path: s̈ = (t·q̈ − t·c'' ṡ²) / |c'|."""
    bias = slide_row(track[TANGENT:SIDEWAYS], gap, gap_rate, arm, wa, wb, out)
    for k in range(12):
        out[k] /= track[PATH_PACE]
    return (bias - track[BEND_ALONG] * track[PATH_RATE] * track[PATH_RATE]) / track[PATH_PACE]


@kernel
def across_row(
    track: Floats, which: int, gap: Vector3, gap_rate: Vector3, arm: Rows, wa: Vector3, wb: Vector3,
    out: Floats,
) -> float:  # fmt: skip
    """Factors and bias of the distance across a path, sideways (0) or up (1)."""
    e = track[SIDEWAYS:UP] if which == 0 else track[UP:ACROSS]
    bias = slide_row(e, gap, gap_rate, arm, wa, wb, out)
    return bias - track[BENDS + which] * track[PATH_RATE] * track[PATH_RATE]


@kernel
def with_path_row(
    track: Floats, piece: Floats, axes: Floats, which: int, j: int, gap: Vector3, gap_rate: Vector3,
    arm: Rows, wa: Vector3, wb: Vector3, out: Floats, work: Rows,
) -> float:  # fmt: skip
    """Factors and bias of u(s)·w, an axis of the path (0 tangent, 1 sideways) and axis j of B.

    φ̈ = dot row + 2 (∂(u'·w)/∂t) ṡ + (u''·w) ṡ² + (u'·w) s̈
    Returns the bias; the value goes to work[3, 0].
    """
    A, B = axes[0], axes[1]
    local, first, second = work[0], work[1], work[2]
    for k in range(3):
        path_value(piece, track[WITHIN], 3 + 3 * which + k, local, first, second, k)
    u, du, ddu = work[FOURTH], work[FOURTH + 1], work[FOURTH + 2]
    for i in range(3):
        u[i], du[i], ddu[i] = 0.0, 0.0, 0.0
        for k in range(3):
            u[i] += A[i, k] * local[k]
            du[i] += A[i, k] * first[k]
            ddu[i] += A[i, k] * second[k]
    w = B[:, j]
    pace = track[PATH_RATE]
    bias = travel_row(track, gap, gap_rate, arm, wa, wb, out)
    share = dot(du, w)
    for k in range(12):
        out[k] *= share
    bias *= share
    bias += dot_row(u, w, wa, wb, 1.0, out)
    bias += 2.0 * pace * (dot(cross(wa, du), w) + dot(du, cross(wb, w)))
    bias += pace * pace * dot(ddu, w)
    work[3, 0] = dot(u, w)
    return bias
