"""Constraint rows: Jacobian, residuals and velocity terms of locked freedoms, motions, couplers.

With e, u axes of A, w axis of B, d the gap from A to B and s the lever arms (all world):
slide  e·d                       rate  e·(v_B − v_A + …) + (ω_A×e)·d
dot    u·w                       rate  (u×w)·(ω_A − ω_B)
turn   θ (an axis n of A or B)   rate  n·(ω_B − ω_A)
twist  x_A·y_B − y_A·x_B         the sum of two of the kind dot
distance  |d|                    rate  d/|d| · (velocity of B − velocity of A)
along  a coordinate held at a target;  sum  Σ factor · coordinate
"""

from __future__ import annotations

import numpy as np

from impeto.core.couplers.columns import GearPair
from impeto.core.couplers.kernels import gear_pair_row
from impeto.core.drives.columns import Motion
from impeto.core.dynamics.columns import Coordinate, Row, RowValue, Term
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.state import SIDE
from impeto.core.dynamics.tables import (
    ACROSS_PATH,
    ACTED_ALONG,
    ALONG,
    BY_ACCELERATION,
    BY_SPEED,
    CARDAN_1,
    CARDAN_2,
    DISTANCE,
    DOT,
    MESH,
    RACK,
    SLIDE,
    STICKS,
    SUM,
    TRAVEL,
    TURN_A,
    TURN_B,
    TWIST,
    WITH_PATH,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Ints, Matrix3, Rows, Vector3
from impeto.core.joints.columns import ACROSS, PATH_ROW
from impeto.core.joints.kinematics import cardan_axes
from impeto.core.joints.rows import across_row, dot_row, slide_row, travel_row, with_path_row


@kernel
def world_row(
    axes: Floats, gap: Vector3, gap_rate: Vector3, arm: Rows, wa: Vector3, wb: Vector3, kind: int,
    i: int, j: int, out: Floats,
) -> float:  # fmt: skip
    """Fill out (12,) with the row's factors on v_A, ω_A, v_B, ω_B (world); return its bias.

    axes (2, 3, 3), gap, gap_rate (3,), arm (2, 3) : of one joint;  wa, wb : spins of its bodies
    The bias is what the row's second derivative holds beside the accelerations.
    """
    A, B = axes[0], axes[1]
    out[:] = 0.0
    if kind == SLIDE:
        return slide_row(A[:, i], gap, gap_rate, arm, wa, wb, out)
    if kind == DOT:
        return dot_row(A[:, i], B[:, j], wa, wb, 1.0, out)
    if kind == TWIST:
        bias = dot_row(A[:, 0], B[:, 1], wa, wb, 1.0, out)
        return bias + dot_row(A[:, 1], B[:, 0], wa, wb, -1.0, out)
    if kind == DISTANCE:
        return _distance_row(gap, gap_rate, arm, wa, wb, out)
    if kind == TURN_A or kind == TURN_B:
        n = A[:, i] if kind == TURN_A else B[:, i]
        for k in range(3):
            out[3 + k], out[9 + k] = -n[k], n[k]
        carrier = wa if kind == TURN_A else wb
        return dot(cross(carrier, n), wb) - dot(cross(carrier, n), wa)
    return _cardan_row(A, B, wa, wb, kind, out)


@kernel
def _distance_row(
    d: Vector3, rate: Vector3, arm: Rows, wa: Vector3, wb: Vector3, out: Floats
) -> float:
    length = np.sqrt(dot(d, d))
    u = (d[0] / length, d[1] / length, d[2] / length)
    turn_a, turn_b = cross(arm[0], u), cross(arm[1], u)
    for k in range(3):
        out[k], out[3 + k], out[6 + k], out[9 + k] = -u[k], -turn_a[k], u[k], turn_b[k]
    along = dot(u, rate)
    bias = (dot(rate, rate) - along * along) / length
    bias += dot(u, cross(wb, cross(wb, arm[1])))
    return bias - dot(u, cross(wa, cross(wa, arm[0])))


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
def spins_to_body(rotation_a: Matrix3, rotation_b: Matrix3, out: Floats) -> None:
    """Turn the spin factors of a row from world into body axes."""
    for side in range(2):
        R = rotation_a if side == 0 else rotation_b
        k = 3 + SIDE * side
        x, y, z = out[k], out[k + 1], out[k + 2]
        for i in range(3):
            out[k + i] = R[0, i] * x + R[1, i] * y + R[2, i] * z


@kernel
def row_rate(out: Floats, va: Vector3, wa: Vector3, vb: Vector3, wb: Vector3) -> float:
    """Rate of a row with factors out (world) at velocities v and spins w of its bodies."""
    total = dot(out[0:3], va) + dot(out[3:6], wa)
    return total + dot(out[6:9], vb) + dot(out[9:12], wb)


@inlined
def set_units(T: Tables, S: Workspace) -> None:
    """Jacobian (world axes) and bias of every coordinate that something acts along."""
    for index in range(T.coordinate.shape[0]):
        if T.coordinate[index, Coordinate.NEED] != ACTED_ALONG:
            continue
        joint, kind, axis = (
            T.coordinate[index, Coordinate.JOINT],
            T.coordinate[index, Coordinate.KIND],
            T.coordinate[index, Coordinate.AXIS],
        )
        a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
        if kind == TRAVEL:
            S.bias[index] = travel_row(
                S.track[T.joint_path[joint]], S.gap[joint], S.gap_rate[joint], S.arm[joint],
                S.spin[a], S.spin[b], S.gradient[index],
            )  # fmt: skip
        elif kind == MESH or kind == RACK:
            mesh = T.coordinate[index, Coordinate.GEAR_PAIR]
            flank = 1.0  # the force pushes the gears apart, whichever flank bears
            if T.gear_pair[mesh, GearPair.ROW] < 0:
                flank = 1.0 if S.coordinate[index] > 0.0 else -1.0
            elif (
                T.gear_pair[mesh, GearPair.FLANK] >= 0
                and S.switch[T.gear_pair[mesh, GearPair.FLANK]] == 1
            ):
                flank = -1.0
            S.bias[index] = gear_pair_row(
                T.gear_pair_value[mesh], S.axes[joint], S.gap[joint], S.gap_rate[joint],
                S.arm[joint], S.v[a], S.spin[a], S.v[b], S.spin[b], kind == RACK, flank,
                S.gradient[index], S.work,
            )  # fmt: skip
        else:
            S.bias[index] = world_row(
                S.axes[joint], S.gap[joint], S.gap_rate[joint], S.arm[joint],
                S.spin[a], S.spin[b], kind, axis, 0, S.gradient[index],
            )  # fmt: skip


@inlined
def motion_targets(T: Tables, S: Workspace, motion: int, y: Floats) -> tuple[float, float, float]:
    """Prescribed position, speed and acceleration of a motion; rates of its references."""
    kind, state = T.motion[motion, Motion.KIND], T.motion[motion, Motion.STATE]
    first = T.mass.shape[0] * 13 - 13 + state
    f = S.signal[T.motion[motion, Motion.VALUE]]
    df, ddf = S.signal[T.motion[motion, Motion.RATE]], S.signal[T.motion[motion, Motion.SECOND]]
    if kind == BY_SPEED:
        S.power[state] = f
        return y[first], f, df
    if kind == BY_ACCELERATION:
        S.power[state] = y[first + 1]
        S.power[state + 1] = f
        return y[first], y[first + 1], f
    return f, df, ddf


@kernel
def row_holds(on: Floats, switch: Ints, element: int, index: int) -> bool:
    """Whether a row is in force: its element is on and, with friction, sticking."""
    return on[element] != 0.0 and (index < 0 or switch[index] == STICKS)


@inlined
def set_rows(T: Tables, S: Workspace, y: Floats) -> None:
    """Jacobian, residuals of position and velocity, and gamma of every constraint row."""
    for r in range(T.row.shape[0]):
        joint, kind, i, j = (
            T.row[r, Row.JOINT],
            T.row[r, Row.KIND],
            T.row[r, Row.I],
            T.row[r, Row.J],
        )
        out = S.jacobian[r]
        scale = T.row_value[r, RowValue.SCALE]
        target = (T.row_value[r, RowValue.TARGET], T.row_value[r, RowValue.TARGET_RATE], 0.0)
        motion = T.row[r, Row.MOTION]
        if motion >= 0:
            target = motion_targets(T, S, motion, y)
        if not row_holds(S.on, S.switch, T.row[r, Row.ELEMENT], T.row[r, Row.SWITCH]):
            out[:] = 0.0
            S.residual[r], S.residual_rate[r], S.gamma[r] = 0.0, 0.0, 0.0
            continue
        if kind == SUM:
            out[:] = 0.0
            S.residual[r], S.residual_rate[r], S.gamma[r] = -scale * target[0], 0.0, 0.0
            continue
        a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
        wa, wb = S.spin[a], S.spin[b]
        if kind == ALONG:
            c = T.row[r, Row.COORDINATE]
            copy(S.gradient[c], out)
            bias = S.bias[c]
            value = S.coordinate[c]
            if T.row[r, Row.SWITCH] >= 0:
                target = (S.memory[T.row[r, Row.SWITCH]], 0.0, 0.0)
        elif kind == ACROSS_PATH:
            track = S.track[T.joint_path[joint]]
            bias = across_row(track, i, S.gap[joint], S.gap_rate[joint], S.arm[joint], wa, wb, out)
            value = track[ACROSS + i]
        elif kind == WITH_PATH:
            track = S.track[T.joint_path[joint]]
            bias = with_path_row(
                track, T.path_piece[int(track[PATH_ROW])], S.axes[joint], i, j, S.gap[joint],
                S.gap_rate[joint], S.arm[joint], wa, wb, out, S.work,
            )  # fmt: skip
            value = S.work[3, 0]
        elif kind == SLIDE:
            e = S.axes[joint, 0, :, i]
            bias = slide_row(e, S.gap[joint], S.gap_rate[joint], S.arm[joint], wa, wb, out)
            value = dot(e, S.gap[joint])
        elif kind == DOT:
            u, w = S.axes[joint, 0, :, i], S.axes[joint, 1, :, j]
            out[:] = 0.0
            bias = dot_row(u, w, wa, wb, 1.0, out)
            value = dot(u, w)
        else:
            bias = world_row(
                S.axes[joint], S.gap[joint], S.gap_rate[joint], S.arm[joint], wa, wb, kind, i, j,
                out,
            )  # fmt: skip
            A, B = S.axes[joint, 0], S.axes[joint, 1]
            if kind == TWIST:
                value = dot(A[:, 0], B[:, 1]) - dot(A[:, 1], B[:, 0])
            else:
                value = np.sqrt(dot(S.gap[joint], S.gap[joint]))
        S.residual[r] = scale * (value - target[0])
        S.residual_rate[r] = scale * (row_rate(out, S.v[a], wa, S.v[b], wb) - target[1])
        S.gamma[r] = scale * (target[2] - bias)
        if (
            T.row_value[r, RowValue.COMPLIANCE] > 0.0
        ):  # compliant rows carry inertia: no place to hold
            S.residual[r], S.residual_rate[r] = 0.0, 0.0
        if np.isnan(target[0]):
            S.residual[r] = 0.0
        if np.isnan(target[1]):
            S.residual_rate[r] = 0.0
        spins_to_body(S.rotation[a], S.rotation[b], out)
        for k in range(12):
            out[k] *= scale
    add_terms(T, S)


@inlined
def add_terms(T: Tables, S: Workspace) -> None:
    """The rows that are sums of coordinates."""
    for q in range(T.term.shape[0]):
        r, c = T.term[q, Term.ROW], T.term[q, Term.COORDINATE]
        part = S.term_jacobian[q]
        part[:] = 0.0
        if S.on[T.row[r, Row.ELEMENT]] == 0.0:
            continue
        factor = T.term_factor[q] * T.row_value[r, RowValue.SCALE]
        joint = T.coordinate[c, Coordinate.JOINT]
        a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
        copy(S.gradient[c], part)
        S.residual[r] += factor * S.coordinate[c]
        S.residual_rate[r] += factor * row_rate(part, S.v[a], S.spin[a], S.v[b], S.spin[b])
        S.gamma[r] -= factor * S.bias[c]
        spins_to_body(S.rotation[a], S.rotation[b], part)
        for k in range(12):
            part[k] *= factor
