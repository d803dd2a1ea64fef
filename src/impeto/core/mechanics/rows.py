"""Constraint rows: Jacobian, residuals and velocity terms of locked freedoms and motions.

With e, u axes of A, w axis of B, d the gap from A to B and s the lever arms (all world):
slide  e·d                       rate  e·(v_B − v_A + …) + (ω_A×e)·d
dot    u·w                       rate  (u×w)·(ω_A − ω_B)
turn   θ (an axis n of A or B)   rate  n·(ω_B − ω_A)
"""

from __future__ import annotations

from numba import njit

from impeto.core.mechanics.kinematics import cross, dot
from impeto.core.mechanics.programs import run_program
from impeto.core.mechanics.tables import (
    BY_ACCELERATION,
    BY_SPEED,
    DOT,
    SLIDE,
    TURN_A,
)


@njit(cache=True, error_model="numpy")
def world_row(axes, gap, gap_rate, arm, wa, wb, kind, i, j, out):
    """Fill out (12,) with the row's factors on v_A, ω_A, v_B, ω_B (world); return its bias.

    axes (2, 3, 3), gap, gap_rate (3,), arm (2, 3) : of one joint;  wa, wb : spins of its bodies
    The bias is what the row's second derivative holds beside the accelerations.
    """
    A, B = axes[0], axes[1]
    out[:] = 0.0
    if kind == SLIDE:
        e, d = A[:, i], gap
        sa, sb = arm[0], arm[1]
        lever = (sa[0] + d[0], sa[1] + d[1], sa[2] + d[2])
        turn_a, turn_b = cross(lever, e), cross(sb, e)
        for k in range(3):
            out[k], out[3 + k], out[6 + k], out[9 + k] = -e[k], -turn_a[k], e[k], turn_b[k]
        moved = cross(wa, e)
        bias = dot(cross(wa, moved), d) + 2.0 * dot(moved, gap_rate)
        bias += dot(e, cross(wb, cross(wb, sb))) - dot(e, cross(wa, cross(wa, sa)))
        return bias
    if kind == DOT:
        u, w = A[:, i], B[:, j]
        c = cross(u, w)
        for k in range(3):
            out[3 + k], out[9 + k] = c[k], -c[k]
        du, dw = cross(wa, u), cross(wb, w)
        return dot(cross(wa, du), w) + dot(u, cross(wb, dw)) + 2.0 * dot(du, dw)
    n = A[:, i] if kind == TURN_A else B[:, i]
    for k in range(3):
        out[3 + k], out[9 + k] = -n[k], n[k]
    carrier = wa if kind == TURN_A else wb
    return dot(cross(carrier, n), wb) - dot(cross(carrier, n), wa)


@njit(cache=True, error_model="numpy")
def spins_to_body(rotation_a, rotation_b, out):
    """Turn the spin factors of a row from world into body axes."""
    for side in range(2):
        R = rotation_a if side == 0 else rotation_b
        k = 3 + 6 * side
        x, y, z = out[k], out[k + 1], out[k + 2]
        for i in range(3):
            out[k + i] = R[0, i] * x + R[1, i] * y + R[2, i] * z


@njit(cache=True, error_model="numpy")
def row_rate(out, va, wa, vb, wb):
    """Rate of a row with factors out (world) at velocities v and spins w of its bodies."""
    total = dot(out[0:3], va) + dot(out[3:6], wa)
    return total + dot(out[6:9], vb) + dot(out[9:12], wb)


@njit(cache=True, error_model="numpy", inline="always")
def motion_targets(T, S, motion, t, y):
    """Prescribed position, speed and acceleration of a motion at time t."""
    kind, state = T.motion[motion, 1], T.motion[motion, 5]
    first = T.mass.shape[0] * 13 - 13 + state
    values = S.row12
    for order in range(3):
        program = T.motion[motion, 2 + order]
        span = T.program[program]
        values[order] = run_program(
            span[0], span[1], T.instruction, T.constant, S.sensed, t, S.stack
        )
    f, df, ddf = values[0], values[1], values[2]
    if kind == BY_SPEED:
        S.power[state] = f
        return y[first], f, df
    if kind == BY_ACCELERATION:
        S.power[state] = y[first + 1]
        S.power[state + 1] = f
        return y[first], y[first + 1], f
    return f, df, ddf


@njit(cache=True, error_model="numpy", inline="always")
def set_rows(T, S, t, y):
    """Jacobian, residuals of position and velocity, and gamma of every constraint row."""
    for r in range(T.row.shape[0]):
        joint, kind, i, j = T.row[r, 0], T.row[r, 1], T.row[r, 2], T.row[r, 3]
        a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
        wa, wb = S.spin[a], S.spin[b]
        out = S.jacobian[r]
        target = (0.0, 0.0, 0.0)
        motion = T.row_motion[r]
        if motion >= 0:
            target = motion_targets(T, S, motion, t, y)
        bias = world_row(
            S.axes[joint], S.gap[joint], S.gap_rate[joint], S.arm[joint], wa, wb, kind, i, j, out
        )
        scale = T.row_scale[r]
        if motion >= 0:
            value = S.coordinate[T.motion[motion, 0]]
        elif kind == SLIDE:
            value = dot(S.axes[joint, 0, :, i], S.gap[joint])
        else:
            value = dot(S.axes[joint, 0, :, i], S.axes[joint, 1, :, j])
        S.value[r] = scale * (value - target[0])
        S.speed[r] = scale * (row_rate(out, S.v[a], wa, S.v[b], wb) - target[1])
        S.gamma[r] = scale * (target[2] - bias)
        spins_to_body(S.rotation[a], S.rotation[b], out)
        for k in range(12):
            out[k] *= scale
