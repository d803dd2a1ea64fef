"""Factors and biases of rows and coordinates of the six freedoms.

With e, u axes of A, w axis of B, d the gap from A to B and s the lever arms (all world):
slide  e·d                       rate  e·(v_B − v_A + …) + (ω_A×e)·d
dot    u·w                       rate  (u×w)·(ω_A − ω_B)
turn   θ (an axis n of A or B)   rate  n·(ω_B − ω_A)
"""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import CARDAN_1, CARDAN_2, SLIDE, TURN_A, TURN_B
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Matrix3, Rows, Vector3


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
def freedom_row(
    axes: Floats, gap: Vector3, gap_rate: Vector3, arm: Rows, wa: Vector3, wb: Vector3, kind: int,
    i: int, out: Floats,
) -> float:  # fmt: skip
    """Factors of the coordinate of a freedom on v_A, ω_A, v_B, ω_B, world, into out (12,); its
    bias: what its second derivative holds beside the accelerations.

    axes (2, 3, 3), gap, gap_rate (3,), arm (2, 3) : of one joint;  wa, wb : spins of its bodies
    """
    A, B = axes[0], axes[1]
    out[:] = 0.0
    if kind == SLIDE:
        return slide_row(A[:, i], gap, gap_rate, arm, wa, wb, out)
    if kind == TURN_A or kind == TURN_B:
        n = A[:, i] if kind == TURN_A else B[:, i]
        for k in range(3):
            out[3 + k], out[9 + k] = -n[k], n[k]
        carrier = wa if kind == TURN_A else wb
        return dot(cross(carrier, n), wb) - dot(cross(carrier, n), wa)
    return _cardan_row(A, B, wa, wb, kind, out)


@kernel
def _cardan_row(A: Matrix3, B: Matrix3, wa: Vector3, wb: Vector3, kind: int, out: Floats) -> float:
    """Angle rate d·(ω_B − ω_A) with d = (next axis × axis after) / volume."""
    x, n, z = cardan_axes(A, B)
    dx, dz = cross(wa, x), cross(wb, z)
    c = cross(z, x)
    size = np.sqrt(dot(c, c))
    g, h = cross(dz, x), cross(z, dx)
    dc = ((g[0] + h[0]) / size, (g[1] + h[1]) / size, (g[2] + h[2]) / size)
    shrink = dot(dc, n)
    dn = (dc[0] - shrink * n[0], dc[1] - shrink * n[1], dc[2] - shrink * n[2])
    p, dp, q, dq = n, dn, z, dz
    if kind == CARDAN_2:
        p, dp, q, dq = z, dz, x, dx
    elif kind != CARDAN_1:
        p, dp, q, dq = x, dx, n, dn
    nz = cross(n, z)
    volume = dot(x, nz)
    g, h = cross(dn, z), cross(n, dz)
    growth = dot(dx, nz) + dot(x, g) + dot(x, h)
    e, e1, e2 = cross(p, q), cross(dp, q), cross(p, dq)
    bias = 0.0
    for k in range(3):
        d = e[k] / volume
        rate = (e1[k] + e2[k]) / volume - d * growth / volume
        out[3 + k], out[9 + k] = -d, d
        bias += rate * (wb[k] - wa[k])
    return bias


@kernel
def cardan_axis(A: Matrix3, B: Matrix3, kind: int) -> tuple[float, float, float]:
    """World vector d with angle rate = d · (ω_B − ω_A): the dual of the three turning axes."""
    x, n, z = cardan_axes(A, B)
    volume = dot(x, cross(n, z))
    if kind == CARDAN_1:
        c = cross(n, z)
    elif kind == CARDAN_2:
        c = cross(z, x)
    else:
        c = cross(x, n)
    return c[0] / volume, c[1] / volume, c[2] / volume


@kernel
def cardan_axes(A: Matrix3, B: Matrix3) -> tuple[Vector3, Vector3, Vector3]:
    """The axes that the three angles turn about: x of A, the line of nodes, z of B."""
    x = (A[0, 0], A[1, 0], A[2, 0])
    z = (B[0, 2], B[1, 2], B[2, 2])
    c = cross(z, x)
    size = np.sqrt(dot(c, c))
    return x, (c[0] / size, c[1] / size, c[2] / size), z
