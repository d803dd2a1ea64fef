"""Equations of motion: from a state to its rate, and projection back onto the constraints."""

from __future__ import annotations

import numpy as np

from impeto.core.mechanics.contact.forces import add_contacts
from impeto.core.mechanics.efforts import (
    brake_of,
    friction_limits,
    friction_load,
    gear_of,
    set_efforts,
    set_guards,
)
from impeto.core.mechanics.flow import set_flow_guards
from impeto.core.mechanics.forces import run_programs, sense_forces, set_forces
from impeto.core.mechanics.kernel import copy, inlined, kernel
from impeto.core.mechanics.kinematics import (
    cross,
    dot,
    is_away,
    set_bodies,
    set_joints,
    set_links,
    set_sensors,
)
from impeto.core.mechanics.kkt import assemble_and_factor, solve, solve_once
from impeto.core.mechanics.rows import set_rows, set_units
from impeto.core.mechanics.tables import (
    AT_ONCE,
    MOTOR_STATES,
    SLIPS_UP,
    STICKS,
    X_EFFORTS,
    X_MOTIONS,
    X_MOTORS,
)

CORRECTIONS = 12
ROUNDS = 4  # of corrections of positions after a step
LOADINGS = 60  # rounds in which friction and reactions find each other
SAME = 1e-14  # relative change at which they have


@inlined
def set_place(T, S, t, y, every):
    """Kinematics, sensors and constraint rows at a state; every : 1 for all coordinates, 0 for
    those that something acts along or asks for."""
    set_bodies(T, S, y)
    set_joints(T, S, every)
    set_links(T, S)
    set_sensors(T, S, y)
    run_programs(T, S, t, AT_ONCE)
    set_units(T, S)
    set_rows(T, S, y)


@kernel
def place(T, S, t, y):
    """The same with all coordinates, for callers that need no forces."""
    set_place(T, S, t, y, 1)


@kernel
def derivative(T, S, t, y, dy):
    """dy = rate of the state; leaves accelerations and −λ in S.solution.

    Index-1 formulation: M a = f + Jᵀλ, J a = γ, spins and torques in body axes (Euler).
    """
    set_place(T, S, t, y, 0)
    set_forces(T, S, t)
    add_contacts(T, S, y)
    set_efforts(T, S, y)
    sense_forces(T, S, t)
    n = T.mass.shape[0] - 1
    set_right(T, S, y, n)
    assemble_and_factor(T, S)
    copy(S.base, S.right)
    if T.friction.shape[0] > 0:
        add_friction(T, S, n)
    solve(T, S, CORRECTIONS)
    for _ in range(LOADINGS if T.friction.shape[0] > 0 else 0):
        change = 0.0
        for index in range(T.friction.shape[0]):
            load = friction_load(T, S, index)
            before = S.friction_effort[index, 1]
            if abs(load - before) > SAME * max(abs(load), abs(before)):
                change = 1.0
            S.friction_effort[index, 1] = load
        if change == 0.0:
            break
        copy(S.base, S.right)
        add_friction(T, S, n)
        solve(T, S, CORRECTIONS)
    set_rates(T, y, dy, S.solution, n)
    set_guards(T, S, t)
    set_flow_guards(T, S, t)
    set_drive_powers(T, S)
    copy(S.power, dy[13 * n :])


@inlined
def set_right(T, S, y, n):
    """Right-hand side without friction: forces, gyroscopic torques, gammas."""
    for body in range(1, n + 1):
        first = 6 * (body - 1)
        if is_away(T, S, body):
            S.base[first : first + 6] = 0.0
            continue
        w = y[7 * n + first + 3 : 7 * n + first + 6]
        J = T.inertia[body]
        momentum = (dot(J[0], w), dot(J[1], w), dot(J[2], w))
        gyroscopic = cross(w, momentum)
        R = S.rotation[body]
        for k in range(3):
            S.base[first + k] = S.wrench[body, k]
            torque = R[0, k] * S.wrench[body, 3] + R[1, k] * S.wrench[body, 4]
            torque += R[2, k] * S.wrench[body, 5]
            S.base[first + 3 + k] = torque - gyroscopic[k]
    for r in range(T.row.shape[0]):
        S.base[T.place[r]] = S.gamma[r]


@inlined
def add_friction(T, S, n):
    """Friction of what slips, for the present loads, added to S.right."""
    for index in range(T.friction.shape[0]):
        state = S.switch[T.friction[index, 3]]
        if state == STICKS or S.on[T.friction[index, 1]] == 0.0:
            S.friction_effort[index, 0] = 0.0
            continue
        motor, torque = gear_of(T, S, index)
        up, down = friction_limits(
            T.friction_value[index],
            S.friction_effort[index, 1],
            brake_of(T, S, index),
            motor,
            torque,
            False,
        )
        effort = -up if state == SLIPS_UP else down
        S.friction_effort[index, 0] = effort
        c = T.friction[index, 0]
        joint = T.coordinate[c, 0]
        unit = S.unit[c]
        for side in range(2):
            body = T.joint_body[joint, side]
            if body == 0:
                continue
            first, R = 6 * (body - 1), S.rotation[body]
            for k in range(3):
                S.right[first + k] += effort * unit[6 * side + k]
                turned = R[0, k] * unit[6 * side + 3] + R[1, k] * unit[6 * side + 4]
                turned += R[2, k] * unit[6 * side + 5]
                S.right[first + 3 + k] += effort * turned


@inlined
def set_drive_powers(T, S):
    """Power of prescribed motions from their multipliers; of motors what leaves the gear."""
    for motion in range(T.motion.shape[0]):
        r = T.motion_drive[motion, 1]
        effort = -S.solution[T.place[r]] * T.row_value[r, 0]
        S.drive_effort[T.motion_drive[motion, 0]] = effort
        S.power[T.extra[X_MOTIONS] + motion] = effort * S.rate[T.motion[motion, 0]]
    for motor in range(T.motor.shape[0]):
        e, r, friction = T.motor[motor, 0], T.motor[motor, 1], T.motor[motor, 2]
        c, drive = T.effort[e, 0], T.effort[e, 3]
        lost = 0.0
        if friction >= 0:
            lost = S.friction_effort[friction, 0]
        if r >= 0:
            S.drive_effort[drive] += -S.solution[T.place[r]] * T.row_value[r, 0]
        S.drive_effort[drive] += lost
        S.power[T.extra[X_EFFORTS] + e] = S.drive_effort[drive] * S.rate[c]
        S.power[T.extra[X_MOTORS] + MOTOR_STATES * motor + 3] = -lost * S.rate[c]


@kernel
def set_rates(T, y, dy, solution, n):
    """Rates of positions, quaternions (q̇ = ½ q ω) and velocities."""
    for body in range(n):
        p, u = 7 * body, 7 * n + 6 * body
        copy(y[u : u + 3], dy[p : p + 3])
        w, x, yy, z = y[p + 3], y[p + 4], y[p + 5], y[p + 6]
        a, b, c = y[u + 3], y[u + 4], y[u + 5]
        dy[p + 3] = 0.5 * (-x * a - yy * b - z * c)
        dy[p + 4] = 0.5 * (w * a + yy * c - z * b)
        dy[p + 5] = 0.5 * (w * b + z * a - x * c)
        dy[p + 6] = 0.5 * (w * c + x * b - yy * a)
        copy(solution[6 * body : 6 * body + 6], dy[u : u + 6])


@kernel
def project(T, S, t, y, tolerance, pace):
    """Bring positions, then velocities, back onto the constraints by the least change in the
    mass metric (quasi-Newton with the last factor).

    tolerance [m] for positions, times pace [1/s] for velocities.
    Returns the largest remaining residual [m]; places T, S at the new state.
    """
    n = T.mass.shape[0] - 1
    normalise(y, n)
    place(T, S, t, y)
    worst = 0.0
    for attempt in range(ROUNDS + 2):
        positions = attempt < ROUNDS
        residual = S.value if positions else S.speed
        if positions:
            worst = largest(S.value)
        if (worst if positions else largest(S.speed) / pace) <= tolerance:
            continue
        S.right[: 6 * n] = 0.0
        for r in range(T.row.shape[0]):
            S.right[T.place[r]] = -residual[r]
        solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
        if positions:
            move(y, S.right, n)
        else:
            for k in range(6 * n):
                y[7 * n + k] += S.right[k]
        place(T, S, t, y)
    return largest(S.value)


@kernel
def largest(values):
    worst = 0.0
    for value in values:
        if not abs(value) <= worst:
            worst = abs(value)
    return worst


@kernel
def normalise(y, n):
    for body in range(n):
        q = y[7 * body + 3 : 7 * body + 7]
        size = np.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])
        for k in range(4):
            q[k] /= size


@kernel
def move(y, step, n):
    """Displace the bodies: positions in the world, turns about body axes (q ∘ (1, θ/2))."""
    for body in range(n):
        p, s = 7 * body, 6 * body
        for k in range(3):
            y[p + k] += step[s + k]
        a, b, c = 0.5 * step[s + 3], 0.5 * step[s + 4], 0.5 * step[s + 5]
        w, x, yy, z = y[p + 3], y[p + 4], y[p + 5], y[p + 6]
        y[p + 3] = w - x * a - yy * b - z * c
        y[p + 4] = x + w * a + yy * c - z * b
        y[p + 5] = yy + w * b + z * a - x * c
        y[p + 6] = z + w * c + x * b - yy * a
    normalise(y, n)
