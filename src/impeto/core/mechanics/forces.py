"""Applied forces: gravity, springs, dampers, behaviours of freedoms, loads and efforts.

Each adds to S.wrench (force, world; torque about the centre of mass, world) and writes the power
it puts in or takes out to the extra state of its row, so that the energy audit integrates it.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from impeto.core.mechanics.kinematics import cross, dot, turn
from impeto.core.mechanics.programs import run_program
from impeto.core.mechanics.rows import world_row


@njit(cache=True, error_model="numpy", inline="always")
def set_forces(T, S, t):
    """Fill S.wrench and the powers of everything that is not a constraint."""
    for body in range(T.mass.shape[0]):
        for k in range(3):
            S.wrench[body, k] = T.mass[body] * T.gravity[k]
            S.wrench[body, 3 + k] = 0.0
    for program in range(T.program.shape[0]):
        span = T.program[program]
        S.signal[program] = run_program(
            span[0], span[1], T.instruction, T.constant, S.sensed, t, S.stack
        )
    add_links(T, S)
    add_loads(T, S)
    for b in range(T.behaviour.shape[0]):
        c = T.behaviour[b]
        stiffness, free, damping = T.behaviour_value[b]
        add_effort(T, S, c, -stiffness * (S.coordinate[c] - free) - damping * S.rate[c])
        S.power[T.extra[4] + b] = damping * S.rate[c] * S.rate[c]
    for e in range(T.effort.shape[0]):
        c = T.effort[e, 0]
        effort = S.signal[T.effort[e, 1]]
        add_effort(T, S, c, effort)
        S.power[T.extra[1] + e] = effort * S.rate[c]


@njit(cache=True, error_model="numpy")
def add_effort(T, S, coordinate, effort):
    """A force or torque along a joint coordinate, on B forwards and on A backwards."""
    joint, kind, axis = (
        T.coordinate[coordinate, 0],
        T.coordinate[coordinate, 1],
        T.coordinate[coordinate, 2],
    )
    a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
    world_row(
        S.axes[joint],
        S.gap[joint],
        S.gap_rate[joint],
        S.arm[joint],
        S.spin[a],
        S.spin[b],
        kind,
        axis,
        0,
        S.row12,
    )
    for side in range(2):
        body = T.joint_body[joint, side]
        for k in range(6):
            S.wrench[body, k] += effort * S.row12[6 * side + k]


@njit(cache=True, error_model="numpy", inline="always")
def add_links(T, S):
    """Straight springs and dampers; a positive force pulls the two points together."""
    sa, sb, d, dv = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for index in range(T.link.shape[0]):
        a, b = T.link[index, 0], T.link[index, 1]
        turn(S.rotation[a], T.link_point[index, 0], sa)
        turn(S.rotation[b], T.link_point[index, 1], sb)
        va, vb = cross(S.spin[a], sa), cross(S.spin[b], sb)
        for k in range(3):
            d[k] = S.x[b, k] + sb[k] - S.x[a, k] - sa[k]
            dv[k] = S.v[b, k] + vb[k] - S.v[a, k] - va[k]
        length = np.sqrt(dot(d, d))
        stiffness, free, preload, damping = T.link_value[index]
        rate = dot(d, dv) / length
        pull = preload + stiffness * (length - free) + damping * rate
        S.power[T.extra[3] + index] = damping * rate * rate
        for k in range(3):
            d[k] *= pull / length
        add_force(S.wrench[a], sa, d, 1.0)
        add_force(S.wrench[b], sb, d, -1.0)


@njit(cache=True, error_model="numpy")
def add_force(wrench, arm, force, sign):
    """A force at a lever arm from the centre of mass, added to that body's wrench (6,)."""
    moment = cross(arm, force)
    for k in range(3):
        wrench[k] += sign * force[k]
        wrench[3 + k] += sign * moment[k]


@njit(cache=True, error_model="numpy", inline="always")
def add_loads(T, S):
    direction, arm = np.empty(3), np.empty(3)
    for index in range(T.load.shape[0]):
        body, is_torque, follows = T.load[index, 0], T.load[index, 1], T.load[index, 2]
        size = S.signal[T.load[index, 3]]
        direction[:] = T.load_direction[index]
        if follows:
            turn(S.rotation[body], T.load_direction[index], direction)
        for k in range(3):
            direction[k] *= size
        if is_torque:
            for k in range(3):
                S.wrench[body, 3 + k] += direction[k]
            S.power[T.extra[0] + index] = dot(direction, S.spin[body])
        else:
            turn(S.rotation[body], T.load_point[index], arm)
            add_force(S.wrench[body], arm, direction, 1.0)
            swing = cross(S.spin[body], arm)
            S.power[T.extra[0] + index] = dot(direction, S.v[body]) + dot(direction, swing)
