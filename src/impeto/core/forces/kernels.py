"""Applied forces between points: gravity, straight force elements, bushings, loads.

Each adds to S.wrench (force, world; torque about the centre of mass, world) and writes the power
it puts in or takes out to the extra state of its row, so that the energy audit integrates it.
"""

from __future__ import annotations

import math

import numpy as np

from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.tables import (
    X_BUSHINGS,
    X_DRAGS,
    X_LOADS,
    X_WINDS,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import cross, dot, turn
from impeto.core.forces.columns import (
    BUSHING_ENERGY,
    DAMPING,
    OFFSET,
    PRELOAD,
    STIFFNESS,
    TURNING_DAMPING,
    TURNING_PRELOAD,
    TURNING_STIFFNESS,
    Bushing,
    Drag,
    DragValue,
    Load,
)
from impeto.core.forces.lines import add_force
from impeto.core.geometry.arrays import Floats, Matrix3, Rows, Vector3


@inlined
def add_bushings(T: Tables, S: Workspace) -> None:
    """Elastic connections: force along the axes of A, torque from the rotation vector of B in A."""
    sa, sb, lever = S.work[0], S.work[1], S.work[2]
    A, B = S.work[3:6], S.work[6:9]
    for index in range(T.bushing.shape[0]):
        a, b = T.bushing[index, Bushing.A], T.bushing[index, Bushing.B]
        power = T.extra[X_BUSHINGS] + index
        S.bushing_effort[index, :] = 0.0
        S.power[power] = 0.0
        if S.on[T.bushing[index, Bushing.ELEMENT]] == 0.0:
            continue
        turn(S.rotation[a], T.bushing_point[index, 0], sa)
        turn(S.rotation[b], T.bushing_point[index, 1], sb)
        A[:] = 0.0
        B[:] = 0.0
        for i in range(3):
            for j in range(3):
                for k in range(3):
                    A[i, j] += S.rotation[a, i, k] * T.bushing_axes[index, 0, k, j]
                    B[i, j] += S.rotation[b, i, k] * T.bushing_axes[index, 1, k, j]
        for k in range(3):
            lever[k] = S.x[b, k] + sb[k] - S.x[a, k]  # force on A acts at the point of B
        va, vb = cross(S.spin[a], lever), cross(S.spin[b], sb)
        gap = (lever[0] - sa[0], lever[1] - sa[1], lever[2] - sa[2])
        rate = (
            S.v[b, 0] + vb[0] - S.v[a, 0] - va[0],
            S.v[b, 1] + vb[1] - S.v[a, 1] - va[1],
            S.v[b, 2] + vb[2] - S.v[a, 2] - va[2],
        )
        spin = (
            S.spin[b, 0] - S.spin[a, 0],
            S.spin[b, 1] - S.spin[a, 1],
            S.spin[b, 2] - S.spin[a, 2],
        )
        S.power[power] = bushing_law(
            T.bushing_value[index], A, B, gap, rate, spin, S.bushing_effort[index], S.work[9:]
        )
        effort = S.bushing_effort[index]
        add_force(S.wrench[a], lever, effort[0:3], -1.0)
        add_force(S.wrench[b], sb, effort[0:3], 1.0)
        for k in range(3):
            S.wrench[a, 3 + k] -= effort[3 + k]
            S.wrench[b, 3 + k] += effort[3 + k]


@kernel
def bushing_law(
    value: Rows, A: Matrix3, B: Matrix3, gap: Vector3, rate: Vector3, spin: Vector3, out: Floats,
    work: Rows,
) -> float:  # fmt: skip
    """Force and torque on B (world) and stored energy into out (7,); returns the power lost.

    work (5, 3) : scratch
    """
    lost = 0.0
    local, torque = work[0], work[1]
    turned = rotation_vector(A, B, work[2:5])
    for k in range(3):
        axis = A[:, k]
        displacement, speed = dot(axis, gap) - value[OFFSET, k], dot(axis, rate)
        damped = value[DAMPING, k] * speed
        local[k] = value[PRELOAD, k] - value[STIFFNESS, k] * displacement - damped
        lost += damped * speed
        out[BUSHING_ENERGY] += displacement * (
            0.5 * value[STIFFNESS, k] * displacement - value[PRELOAD, k]
        )
        out[BUSHING_ENERGY] += turned[k] * (
            0.5 * value[TURNING_STIFFNESS, k] * turned[k] - value[TURNING_PRELOAD, k]
        )
        torque[k] = value[TURNING_PRELOAD, k] - value[TURNING_STIFFNESS, k] * turned[k]
    conservative = _from_rotation_vector(turned, torque)
    for k in range(3):
        damped = value[TURNING_DAMPING, k] * dot(A[:, k], spin)
        lost += damped * dot(A[:, k], spin)
        for i in range(3):
            out[i] += A[i, k] * local[k]
            out[3 + i] += A[i, k] * (conservative[k] - damped)
    return lost


@kernel
def rotation_vector(A: Matrix3, B: Matrix3, R: Matrix3) -> tuple[float, float, float]:
    """Rotation vector of R = Aᵀ B (3,), in the axes of A, up to half a turn; R is scratch."""
    for i in range(3):
        for j in range(3):
            R[i, j] = dot(A[:, i], B[:, j])
    v = (0.5 * (R[2, 1] - R[1, 2]), 0.5 * (R[0, 2] - R[2, 0]), 0.5 * (R[1, 0] - R[0, 1]))
    sine = np.sqrt(dot(v, v))
    cosine = 0.5 * (R[0, 0] + R[1, 1] + R[2, 2] - 1.0)
    if sine < 1e-7 and cosine > 0.0:
        return v
    factor = np.arctan2(sine, cosine) / max(sine, 1e-300)
    return v[0] * factor, v[1] * factor, v[2] * factor


@kernel
def _from_rotation_vector(turned: Vector3, moment: Vector3) -> tuple[float, float, float]:
    """Torque (axes of A) whose power is moment · rate of the rotation vector.

    The rate is J⁻¹ ω with J the left Jacobian of rotations; the torque is J⁻ᵀ moment.
    """
    square = dot(turned, turned)
    half = cross(turned, moment)
    twice = cross(turned, half)
    if square < 1e-8:
        share = 1.0 / 12.0
    else:
        angle = np.sqrt(square)
        share = 1.0 / square - (1.0 + np.cos(angle)) / (2.0 * angle * np.sin(angle))
    return (
        moment[0] + 0.5 * half[0] + share * twice[0],
        moment[1] + 0.5 * half[1] + share * twice[1],
        moment[2] + 0.5 * half[2] + share * twice[2],
    )


@inlined
def add_drags(T: Tables, S: Workspace) -> None:
    """Resistance of the air, −½ ρ C A |u| u, with u the velocity relative to the wind. What it
    takes from the motion through the air is lost; what it moves along with the wind, the wind
    puts in."""
    arm, through = S.work[0], S.work[1]
    for index in range(T.drag.shape[0]):
        body = T.drag[index, Drag.BODY]
        turn(S.rotation[body], T.drag_point[index], arm)
        swing = cross(S.spin[body], arm)
        for k in range(3):
            through[k] = S.v[body, k] + swing[k] - T.drag_value[index, DragValue.WIND + k]
        square = dot(through, through)
        on = S.on[T.drag[index, Drag.ELEMENT]]
        size = on * T.drag_value[index, DragValue.FACTOR] * math.sqrt(square)
        blown = 0.0
        for k in range(3):
            through[k] *= -size
            blown += through[k] * T.drag_value[index, DragValue.WIND + k]
        add_force(S.wrench[body], arm, through, 1.0)
        S.power[T.extra[X_DRAGS] + index] = size * square
        S.power[T.extra[X_WINDS] + index] = blown


@inlined
def add_loads(T: Tables, S: Workspace) -> None:
    """Forces and torques by signal, with their opposites where a counter frame is given."""
    acting, arm = S.work[0], S.work[1]
    for index in range(T.load.shape[0]):
        body, is_torque, axes = (
            T.load[index, Load.BODY],
            T.load[index, Load.IS_TORQUE],
            T.load[index, Load.AXES],
        )
        counter = T.load[index, Load.COUNTER]
        size = S.signal[T.load[index, Load.PROGRAM]] * S.on[T.load[index, Load.ELEMENT]]
        turn(S.rotation[axes], T.load_direction[index], acting)
        for k in range(3):
            acting[k] *= size
        power = 0.0
        for side in range(2):
            which = body if side == 0 else counter
            sign = 1.0 if side == 0 else -1.0
            if which < 0:
                continue
            if is_torque:
                for k in range(3):
                    S.wrench[which, 3 + k] += sign * acting[k]
                power += sign * dot(acting, S.spin[which])
            else:
                turn(S.rotation[which], T.load_point[index, side], arm)
                add_force(S.wrench[which], arm, acting, sign)
                swing = cross(S.spin[which], arm)
                power += sign * (dot(acting, S.v[which]) + dot(acting, swing))
        S.power[T.extra[X_LOADS] + index] = power
