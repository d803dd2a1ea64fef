"""Quick mode: impulses that keep touching bodies apart over a whole step, at the velocity level.

Non-penetration and Coulomb friction at the end of the step (Anitescu and Potra 1997), solved by
projected Gauss-Seidel sweeps that start from the impulses of the step before. A contact that is
soft against the step keeps its stiffness and damping, taken implicitly; one that is stiffer bounces
by its restitution and rests with as much stiffness as the sweeps can follow. Joints answer exactly:
after every sweep the impulses so far go through the factored equations of motion.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    AGE,
    BELT,
    BODY,
    CLOSING,
    DEPTH,
    FIRST_SLOT,
    IDLE,
    MASS,
    NORMAL,
    PLACE,
    RULE,
    SHAPE_A,
    SHAPE_B,
    SLOPE,
    SLOTS,
    STATES,
    TAKEN,
    THICKNESS,
    WORK,
)
from impeto.core.contact.impulse_law import back_pairs, is_way_back, set_law
from impeto.core.contact.law import KINETIC, RESTS, ROLLING, STATIC, friction_limit
from impeto.core.contact.sweeps import (
    ACCUMULATED,
    ARM,
    BIAS,
    COMPLIANCE,
    DIRECTION,
    FIRST,
    IMPULSE,
    INVERSE,
    LIMIT,
    PAIR,
    RESISTANCE,
    ROLLED,
    SECOND,
    SETTLED,
    SLOT,
    SPRING,
    Sweeps,
    along_directions,
    answer,
    give,
    set_response,
    sweep_all,
    velocity_at,
)
from impeto.core.contact.touch import belt_velocity
from impeto.core.contact.travel import QUICK_STEPS_SEEN
from impeto.core.contact.tumbling import turned_on
from impeto.core.dynamics.integration import Integration
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.kkt import solve_once
from impeto.core.dynamics.state import extras_at, motion_at, unknown_at
from impeto.core.dynamics.tables import X_BELTS, X_BRISTLES, X_CONTACTS, Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Vector3

SAME = 0.06  # of the thickness: points of a pair so near to each other count as one
BOUNCES = 3.0  # times the speed of a fall of one step: slower impacts do not bounce
# Sweeps over all points of contact in a step: many over few points, few over many.
LEAST_SWEEPS, WITH_JOINTS, MOST_SWEEPS = 12, 20, 40
PUSHES = 4500  # points times sweeps, between these


@kernel
def contact_impulses(
    T: Tables, S: Workspace, state: Integration, Q: Sweeps, h: float, new: Floats
) -> None:
    """End velocities of a step of h seconds from the evaluation in S and state.rate, with contact.

    Q : arrays of the sweeps;  new : (6n,) the end velocities, world, and spins, body axes; written
    Leaves the impulses in the states of the points, the energy that contacts and belts exchange in
    state.rate.
    """
    n = T.mass.shape[0] - 1
    first = extras_at(n) + T.extra[X_BRISTLES]
    predict(T, S, Q, state.y, state.rate, h, n)
    count = gather(T, S, state.y, Q, h, first)
    jointed = T.row.shape[0] > 0 or Q.efforts[0] > 0
    if jointed:
        answer_of_joints(T, S, Q, n, count, 0)
    least = WITH_JOINTS if jointed else LEAST_SWEEPS
    sweeps = min(max(PUSHES // max(count, 1), least), MOST_SWEEPS)
    Q.awake[:] = 0
    for number in range(1, sweeps + 1 if count > 0 else 1):
        pushed = sweep_all(Q, count, number)
        if jointed:
            answer_of_joints(T, S, Q, n, count, number)
        if pushed == 0:
            break
    for slot in range(S.near_count[2]):
        for k in range(STATES):
            state.y[first + STATES * slot + k] = 0.0
    for index in range(count):
        book(T, S, state, Q, index, h, first)
    for body in range(1, n + 1):
        R, u = S.rotation[body], unknown_at(body)
        for k in range(3):
            new[u + k], new[u + 3 + k] = Q.velocity[body, k], 0.0
            for i in range(3):
                new[u + 3 + k] += R[i, k] * Q.velocity[body, 3 + i]


@inlined
def predict(T: Tables, S: Workspace, Q: Sweeps, y: Floats, rate: Floats, h: float, n: int) -> None:
    """Velocities after h without contact, world; inverse inertias in the world."""
    for body in range(1, n + 1):
        R, u = S.rotation[body], motion_at(n, body)
        if Q.free[body] != 0:
            w = y[u + 3 : u + 6]
            turned = turned_on(T.inertia[body], w, rate[u + 3 : u + 6], h, S.work)
            for k in range(3):
                rate[u + 3 + k] = (turned[k] - w[k]) / h
        Q.inverse[body] = 1.0 / T.mass[body]
        for i in range(3):
            Q.velocity[body, i] = S.v[body, i] + h * rate[u + i]
            Q.velocity[body, 3 + i] = S.spin[body, i]
            for k in range(3):
                Q.velocity[body, 3 + i] += h * R[i, k] * rate[u + 3 + k]
                Q.inertia[body, i, k] = 0.0
        for i in range(3):
            for k in range(3):
                for a in range(3):
                    for b in range(3):
                        Q.inertia[body, i, k] += R[i, a] * T.inverse_inertia[body, a, b] * R[k, b]
        copy(Q.velocity[body], Q.aimed[body])


@inlined
def gather(T: Tables, S: Workspace, y: Floats, Q: Sweeps, h: float, first: int) -> int:
    """Points that touch or may within the step; returns how many."""
    begin = count = 0
    fallen = BOUNCES * h * np.sqrt(dot(T.gravity, T.gravity))
    for pair in range(S.near_count[0]):
        row = S.near[pair]
        if not is_way_back(S.near, pair):
            begin = count
        if row[IDLE] != 0:
            continue
        thin = min(T.shape_value[row[SHAPE_A], THICKNESS], T.shape_value[row[SHAPE_B], THICKNESS])
        for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
            patch = S.patch[slot]
            if patch[DEPTH] + QUICK_STEPS_SEEN * h * (max(patch[CLOSING], 0.0) + fallen) <= 0.0:
                continue
            if patch[MASS] == 0.0:  # a place just found
                continue
            twin = twin_of(S, Q, begin, count, pair, slot, SAME * thin)
            if twin >= 0:
                Q.number[twin, SPRING] += patch[SLOPE]
                continue
            Q.joined[count, SLOT], Q.joined[count, PAIR] = slot, pair
            Q.joined[count, FIRST] = T.shape[row[SHAPE_A], BODY]
            Q.joined[count, SECOND] = T.shape[row[SHAPE_B], BODY]
            Q.number[count, SPRING] = patch[SLOPE]
            count += 1
    back_pairs(S, h)
    for index in range(count):
        prepare(T, S, y, Q, index, h, first)
        set_law(T, S, Q, index, h, fallen)
    for index in range(count):
        give(Q, index)
    return count


@kernel
def twin_of(
    S: Workspace, Q: Sweeps, begin: int, end: int, pair: int, slot: int, near: float
) -> int:
    """A point of the same two shapes at the same place, −1 for none: edges that share a corner, or
    cross."""
    patch = S.patch
    for index in range(begin, end):
        other = Q.joined[index, SLOT]
        square, along = 0.0, 0.0
        for k in range(3):
            square += (patch[slot, PLACE + k] - patch[other, PLACE + k]) ** 2
            along += patch[slot, NORMAL + k] * patch[other, NORMAL + k]
        if Q.joined[index, PAIR] != pair:  # its normal points the other way
            along = -along
        if square < near * near and along > 0.99:
            return index
    return -1


@kernel
def across(normal: Vector3) -> tuple[Vector3, Vector3]:
    """Two unit vectors square to a unit vector and to each other."""
    other = (1.0, 0.0, 0.0) if abs(normal[0]) < 0.7 else (0.0, 1.0, 0.0)
    u = cross(normal, other)
    size = np.sqrt(dot(u, u))
    u = (u[0] / size, u[1] / size, u[2] / size)
    return u, cross(normal, u)


@kernel
def prepare(
    T: Tables, S: Workspace, y: Floats, Q: Sweeps, index: int, h: float, first: int
) -> None:
    """Directions, masses, aims and starting impulses of a point."""
    slot, row = Q.joined[index, SLOT], S.near[Q.joined[index, PAIR]]
    patch, out, rule = S.patch[slot], Q.number[index], T.rule_value[row[RULE]]
    normal = (patch[NORMAL], patch[NORMAL + 1], patch[NORMAL + 2])
    u, w = across(normal)
    for k in range(3):
        out[DIRECTION + k], out[DIRECTION + 3 + k], out[DIRECTION + 6 + k] = normal[k], u[k], w[k]
    for side in range(2):
        for k in range(3):
            out[ARM + 3 * side + k] = patch[PLACE + k] - S.x[Q.joined[index, FIRST + side], k]
    set_response(Q, index)
    v = velocity_at(Q, index)
    ua, ub = belt_velocity(T, S, row[SHAPE_A]), belt_velocity(T, S, row[SHAPE_B])
    slip = 0.0
    for k in range(3):
        direction = out[DIRECTION + 3 * k : DIRECTION + 3 * k + 3]
        out[INVERSE + k] = dot(direction, answer(out, direction))
        belted = dot(ua, direction) - dot(ub, direction)
        out[BIAS + k] = -belted
        speed = dot(v, direction) + belted
        slip += speed * speed if k > 0 else 0.0
        start = dot(y[first + STATES * slot :], direction)
        out[IMPULSE + k] = y[first + STATES * slot + 3] if k == 0 else start
    out[LIMIT] = friction_limit(rule[STATIC], rule[KINETIC], np.sqrt(slip))
    out[RESISTANCE] = rule[ROLLING]
    out[ROLLED] = out[ROLLED + 1] = 0.0


@inlined
def answer_of_joints(T: Tables, S: Workspace, Q: Sweeps, n: int, count: int, number: int) -> None:
    """Velocities as all impulses so far change them with the joints in force; those that a sweep of
    that number had left otherwise are awake (a spin, as at an arm of a metre)."""
    S.right[:] = 0.0
    Q.impulse[:, :] = 0.0
    for index in range(count):
        p = Q.number[index]
        for side in range(2):
            body, sign = Q.joined[index, FIRST + side], 1.0 - 2.0 * side
            moment = cross(p[ARM + 3 * side : ARM + 3 * side + 3], p[ACCUMULATED : ACCUMULATED + 3])
            for i in range(3):
                rolled = p[ROLLED] * p[DIRECTION + 3 + i] + p[ROLLED + 1] * p[DIRECTION + 6 + i]
                Q.impulse[body, i] += sign * p[ACCUMULATED + i]
                Q.impulse[body, 3 + i] += sign * (moment[i] + rolled)
    for body in range(1, n + 1):
        R, first = S.rotation[body], unknown_at(body)
        for i in range(3):
            S.right[first + i] = Q.impulse[body, i]
            for k in range(3):
                S.right[first + 3 + i] += R[k, i] * Q.impulse[body, 3 + k]
    solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
    hold_back(S, Q)
    for body in range(1, n + 1):
        R, first = S.rotation[body], unknown_at(body)
        for i in range(3):
            speed, spin = Q.aimed[body, i] + S.right[first + i], Q.aimed[body, 3 + i]
            for k in range(3):
                spin += R[i, k] * S.right[first + 3 + k]
            off = max(abs(speed - Q.velocity[body, i]), abs(spin - Q.velocity[body, 3 + i]))
            if off > SETTLED:
                Q.awake[body] = number
            Q.velocity[body, i], Q.velocity[body, 3 + i] = speed, spin


@inlined
def hold_back(S: Workspace, Q: Sweeps) -> None:
    """What springs, dampers and drives take back, within the step, of velocities in S.right."""
    count, size = Q.efforts[0], Q.effort_row.shape[1]
    for k in range(count):
        Q.effort_speed[k] = dot_of(Q.effort_row[k], S.right, size)
    for k in range(count):
        taken = dot_of(Q.effort_gain[k], Q.effort_speed, count)
        for i in range(size):
            S.right[i] -= taken * Q.effort_answer[k, i]


@kernel
def dot_of(a: Floats, b: Floats, size: int) -> float:
    total = 0.0
    for i in range(size):
        total += a[i] * b[i]
    return total


@kernel
def book(
    T: Tables, S: Workspace, state: Integration, Q: Sweeps, index: int, h: float, first: int
) -> None:
    """Keep the impulses of a point and what they take out of the bodies and of belts, per second.

    Work of an impulse: times the mean of the velocities at both ends of the step, so that
    what only rests takes nothing. What goes into the spring of a point that has been there for
    long: times the way that it is moved, or one that trembles under a steady load would have taken
    nothing, and would give way.
    """
    out, row = Q.number[index], S.near[Q.joined[index, PAIR]]
    memory = state.y[first + STATES * Q.joined[index, SLOT] :]
    n, a, b = T.mass.shape[0] - 1, Q.joined[index, FIRST], Q.joined[index, SECOND]
    impulse = along_directions(out, out[IMPULSE : IMPULSE + 3])
    after = velocity_at(Q, index)
    turn_a = cross(S.spin[a], out[ARM : ARM + 3])
    turn_b = cross(S.spin[b], out[ARM + 3 : ARM + 6])
    rests = S.patch[Q.joined[index, SLOT], AGE] > RESTS
    taken, pressing = 0.0, 0.0
    for k in range(3):
        before = S.v[a, k] + turn_a[k] - S.v[b, k] - turn_b[k]
        taken -= 0.5 * (before + after[k]) * impulse[k]
        way = after[k] if rests else 0.5 * (before + after[k])
        pressing -= way * out[IMPULSE] * out[DIRECTION + k]
        memory[k] = impulse[k] - out[IMPULSE] * out[DIRECTION + k]
        for i in range(2):
            mean = 0.5 * (Q.velocity[a, 3 + k] + S.spin[a, k])
            mean -= 0.5 * (Q.velocity[b, 3 + k] + S.spin[b, k])
            taken -= out[ROLLED + i] * out[DIRECTION + 3 + 3 * i + k] * mean
    memory[TAKEN] = out[IMPULSE]
    if out[COMPLIANCE] > 0.0:  # an impact takes its share for good
        S.patch[Q.joined[index, SLOT], WORK] += pressing
    for side in range(2):
        shape = row[SHAPE_A if side == 0 else SHAPE_B]
        belt = T.shape[shape, BELT]
        if belt >= 0:
            work = dot(memory, belt_velocity(T, S, shape)) * (-1.0 if side == 0 else 1.0)
            state.rate[extras_at(n) + T.extra[X_BELTS] + belt] += work / h
            taken += work
    state.rate[extras_at(n) + T.extra[X_CONTACTS] + row[RULE]] += taken / h
