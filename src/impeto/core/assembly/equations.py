"""Equations of motion: from a state to its rate, and projection back onto the constraints."""

from __future__ import annotations

import numpy as np

from impeto.core.assembly.forces import set_forces
from impeto.core.assembly.guards import set_guards
from impeto.core.assembly.rows import set_rows, set_units
from impeto.core.assembly.sensors import run_programs, sense_forces, set_sensors
from impeto.core.bodies.kinematics import set_bodies
from impeto.core.contact.forces import add_contacts
from impeto.core.couplers.kernels import set_teeth
from impeto.core.drives.columns import Effort, Motion, MotionDrive, Motor
from impeto.core.drives.kernels import gear_of, set_efforts
from impeto.core.dynamics.columns import Coordinate, Friction, RowValue
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.kkt import assemble_and_factor, solve, solve_once
from impeto.core.dynamics.state import (
    QUATERNION,
    SIDE,
    SPIN,
    extras_at,
    motion_at,
    pose_at,
    speeds_at,
    unknown_at,
    unknowns,
)
from impeto.core.dynamics.tables import (
    AT_ONCE,
    MOTOR_STATES,
    SLIPS_UP,
    STICKS,
    X_EFFORTS,
    X_MOTIONS,
    X_MOTORS,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import cross, dot, is_away
from impeto.core.flow.kernels import set_flow_guards
from impeto.core.forces.line_law import set_links
from impeto.core.geometry.arrays import Floats
from impeto.core.joints.columns import Rubbing
from impeto.core.joints.efforts import (
    add_springs,
    add_stops,
    brake_of,
    friction_limits,
    friction_load,
)
from impeto.core.joints.kinematics import set_joints

CORRECTIONS = 12
ROUNDS = 4  # of corrections of positions after a step
LOADINGS = 60  # rounds in which friction and reactions find each other
SAME = 1e-14  # relative change at which they have


@inlined
def set_place(T: Tables, S: Workspace, t: float, y: Floats, every: int) -> None:
    """Kinematics, sensors and constraint rows at a state; every : 1 for all coordinates, 0 for
    those that something acts along or asks for."""
    set_bodies(T, S, y)
    set_joints(T, S, every)
    set_teeth(T, S, every)
    set_links(T, S)
    set_sensors(T, S, y)
    run_programs(T, S, t, AT_ONCE)
    set_units(T, S)
    set_rows(T, S, y)


@kernel
def place(T: Tables, S: Workspace, t: float, y: Floats) -> None:
    """The same with all coordinates, for callers that need no forces."""
    set_place(T, S, t, y, 1)


@kernel
def derivative(T: Tables, S: Workspace, t: float, y: Floats, dy: Floats) -> None:
    """dy = rate of the state; leaves accelerations and −λ in S.solution.

    Index-1 formulation: M a = f + Jᵀλ, J a = γ, spins and torques in body axes (Euler).
    """
    set_place(T, S, t, y, 0)
    set_forces(T, S, t)
    add_contacts(T, S, y)
    add_springs(T, S)
    add_stops(T, S)
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
            before = S.friction_effort[index, Rubbing.LOAD]
            if abs(load - before) > SAME * max(abs(load), abs(before)):
                change = 1.0
            S.friction_effort[index, Rubbing.LOAD] = load
        if change == 0.0:
            break
        copy(S.base, S.right)
        add_friction(T, S, n)
        solve(T, S, CORRECTIONS)
    set_rates(T, y, dy, S.solution, n)
    set_guards(T, S, t)
    set_flow_guards(T, S, t)
    set_drive_powers(T, S)
    copy(S.power, dy[extras_at(n) :])


@inlined
def set_right(T: Tables, S: Workspace, y: Floats, n: int) -> None:
    """Right-hand side without friction: forces, gyroscopic torques, gammas."""
    for body in range(1, n + 1):
        first = unknown_at(body)
        if is_away(T, S, body):
            S.base[first : first + 6] = 0.0
            continue
        w = y[speeds_at(n) + first + 3 : speeds_at(n) + first + 6]
        J = T.inertia[body]
        momentum = (dot(J[0], w), dot(J[1], w), dot(J[2], w))
        gyroscopic = cross(w, momentum)
        R = S.rotation[body]
        for k in range(3):
            S.base[first + k] = S.wrench[body, k]
            torque = dot(R[:, k], S.wrench[body, SPIN:])
            S.base[first + 3 + k] = torque - gyroscopic[k]
    for r in range(T.row.shape[0]):
        S.base[T.place[r]] = S.gamma[r]


@inlined
def add_friction(T: Tables, S: Workspace, n: int) -> None:
    """Friction of what slips, for the present loads, added to S.right."""
    for index in range(T.friction.shape[0]):
        state = S.switch[T.friction[index, Friction.SWITCH]]
        if state == STICKS or S.on[T.friction[index, Friction.ELEMENT]] == 0.0:
            S.friction_effort[index, Rubbing.EFFORT] = 0.0
            continue
        motor, torque = gear_of(T, S, index)
        up, down = friction_limits(
            T.friction_value[index],
            S.friction_effort[index, Rubbing.LOAD],
            brake_of(T, S, index),
            motor,
            torque,
            False,
        )
        effort = -up if state == SLIPS_UP else down
        S.friction_effort[index, Rubbing.EFFORT] = effort
        c = T.friction[index, Friction.COORDINATE]
        joint = T.coordinate[c, Coordinate.JOINT]
        unit = S.gradient[c]
        for side in range(2):
            body = T.joint_body[joint, side]
            if body == 0:
                continue
            first, R = unknown_at(body), S.rotation[body]
            for k in range(3):
                S.right[first + k] += effort * unit[SIDE * side + k]
                turned = R[0, k] * unit[SIDE * side + 3] + R[1, k] * unit[SIDE * side + 4]
                turned += R[2, k] * unit[SIDE * side + 5]
                S.right[first + 3 + k] += effort * turned


@inlined
def set_drive_powers(T: Tables, S: Workspace) -> None:
    """Power of prescribed motions from their multipliers; of motors what leaves the gear."""
    for motion in range(T.motion.shape[0]):
        r = T.motion_drive[motion, MotionDrive.ROW]
        effort = -S.solution[T.place[r]] * T.row_value[r, RowValue.SCALE]
        S.drive_effort[T.motion_drive[motion, MotionDrive.DRIVE]] = effort
        S.power[T.extra[X_MOTIONS] + motion] = effort * S.rate[T.motion[motion, Motion.COORDINATE]]
    for motor in range(T.motor.shape[0]):
        e, r, friction = (
            T.motor[motor, Motor.EFFORT],
            T.motor[motor, Motor.INERTIA],
            T.motor[motor, Motor.FRICTION],
        )
        c, drive = T.effort[e, Effort.COORDINATE], T.effort[e, Effort.DRIVE]
        lost = 0.0
        if friction >= 0:
            lost = S.friction_effort[friction, Rubbing.EFFORT]
        if r >= 0:
            S.drive_effort[drive] += -S.solution[T.place[r]] * T.row_value[r, RowValue.SCALE]
        S.drive_effort[drive] += lost
        S.power[T.extra[X_EFFORTS] + e] = S.drive_effort[drive] * S.rate[c]
        S.power[T.extra[X_MOTORS] + MOTOR_STATES * motor + 3] = -lost * S.rate[c]


@kernel
def set_rates(T: Tables, y: Floats, dy: Floats, solution: Floats, n: int) -> None:
    """Rates of positions, quaternions (q̇ = ½ q ω) and velocities."""
    for body in range(n):
        p, u = pose_at(body + 1), motion_at(n, body + 1)
        copy(y[u : u + 3], dy[p : p + 3])
        w, x, yy, z = y[p + 3], y[p + 4], y[p + 5], y[p + 6]
        a, b, c = y[u + 3], y[u + 4], y[u + 5]
        dy[p + 3] = 0.5 * (-x * a - yy * b - z * c)
        dy[p + 4] = 0.5 * (w * a + yy * c - z * b)
        dy[p + 5] = 0.5 * (w * b + z * a - x * c)
        dy[p + 6] = 0.5 * (w * c + x * b - yy * a)
        copy(solution[unknown_at(body + 1) : unknown_at(body + 2)], dy[u : u + 6])


@kernel
def project(T: Tables, S: Workspace, t: float, y: Floats, tolerance: float, pace: float) -> float:
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
        residual = S.residual if positions else S.residual_rate
        if positions:
            worst = largest(S.residual)
        if (worst if positions else largest(S.residual_rate) / pace) <= tolerance:
            continue
        S.right[: unknowns(n)] = 0.0
        for r in range(T.row.shape[0]):
            S.right[T.place[r]] = -residual[r]
        solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
        if positions:
            move(y, S.right, n)
        else:
            for k in range(unknowns(n)):
                y[speeds_at(n) + k] += S.right[k]
        place(T, S, t, y)
    return largest(S.residual)


@kernel
def largest(values: Floats) -> float:
    worst = 0.0
    for value in values:
        if not abs(value) <= worst:
            worst = abs(value)
    return worst


@kernel
def normalise(y: Floats, n: int) -> None:
    for body in range(n):
        q = y[pose_at(body + 1) + QUATERNION : pose_at(body + 2)]
        size = 0.0
        for k in range(4):
            size += q[k] * q[k]
        size = np.sqrt(size)
        for k in range(4):
            q[k] /= size


@kernel
def move(y: Floats, step: Floats, n: int) -> None:
    """Displace the bodies: positions in the world, turns about body axes (q ∘ (1, θ/2))."""
    for body in range(n):
        p, s = pose_at(body + 1), unknown_at(body + 1)
        for k in range(3):
            y[p + k] += step[s + k]
        a, b, c = 0.5 * step[s + 3], 0.5 * step[s + 4], 0.5 * step[s + 5]
        w, x, yy, z = y[p + 3], y[p + 4], y[p + 5], y[p + 6]
        y[p + 3] = w - x * a - yy * b - z * c
        y[p + 4] = x + w * a + yy * c - z * b
        y[p + 5] = yy + w * b + z * a - x * c
        y[p + 6] = z + w * c + x * b - yy * a
    normalise(y, n)
