"""Factors and biases of single rows: the two plain kinds, teeth of gears, and paths."""

from __future__ import annotations

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Rows, Vector3
from impeto.core.joints.columns import (
    ACROSS,
    BEND_ALONG,
    BENDS,
    PATH_PACE,
    PATH_RATE,
    SIDEWAYS,
    TANGENT,
    UP,
    WITHIN,
)
from impeto.core.joints.kinematics import path_value

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
