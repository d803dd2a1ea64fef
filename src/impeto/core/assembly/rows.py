"""Constraint rows: Jacobian, residuals and velocity terms of locked freedoms, motions, couplers.

Rows of freedoms are in `joints/rows.py`, those of special joints in their files. Besides:
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
    ACTED_ALONG,
    ALONG,
    BY_ACCELERATION,
    BY_SPEED,
    DOT,
    MESH,
    RACK,
    SLIDE,
    STICKS,
    SUM,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import dot
from impeto.core.geometry.arrays import Floats, Ints, Matrix3, Vector3
from impeto.core.joints.kinds import coordinate_row, special_row
from impeto.core.joints.rows import dot_row, slide_row


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
        joint, kind = T.coordinate[index, Coordinate.JOINT], T.coordinate[index, Coordinate.KIND]
        a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
        if kind == MESH or kind == RACK:
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
            S.bias[index] = coordinate_row(T, S, index, S.gradient[index])


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
            bias, value = special_row(T, S, kind, joint, i, j, out)
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
