"""Contact forces between the shapes that are near each other.

Every near pair has a row in S.near: features of shape A against the field of shape B. Each point
where they can touch has a slot: its bristle is part of the state, its last impact speed is
remembered in S.patch. Forces go to S.wrench, powers to the extra states.
"""

from __future__ import annotations

import numpy as np

from impeto.core.mechanics.contact.columns import (
    BELT,
    BELT_AXIS,
    BODY,
    BOUND,
    CLOSING,
    DEPTH,
    ELASTIC,
    FEATURE_ROUNDING,
    FIRST_FEATURE,
    FIRST_SLOT,
    FORCE,
    FRICTION,
    HALVED,
    IMPACT,
    LAST_FEATURE,
    MASS,
    NORMAL,
    PLACE,
    PROGRAM,
    ROUNDING,
    RULE,
    SHAPE_A,
    SHAPE_B,
    SLIP,
    SLOPE,
    SLOTS,
    STATES,
    STORED,
    THICKNESS,
    WEIGHT,
)
from impeto.core.mechanics.contact.features import (
    BARREL,
    LEAST_STRETCH,
    POINT,
    RIM,
    STRETCH,
    deepest,
    end_of_stretch,
    probe,
)
from impeto.core.mechanics.contact.fields import field
from impeto.core.mechanics.contact.law import (
    DAMPING_LIMIT,
    EXPONENT,
    IMPACT_DAMPING,
    KINETIC,
    ROLLING,
    STATIC,
    STIFFNESS,
    bristle,
    elastic,
    normal_force,
)
from impeto.core.mechanics.kernel import inlined, kernel
from impeto.core.mechanics.kinematics import cross, dot
from impeto.core.mechanics.tables import X_BELTS, X_BRISTLES, X_CONTACTS

SPARE = 1e-4  # of the energy of an impact: what a point may give beyond that
APART = -1e30  # depth of what is too far to be looked at
FLAT, FLATTER = 0.995, 0.9999  # cosines between which the end of a bar takes over from its rim
ROLLING_AT = 0.01  # rad/s where rolling resistance is nearly whole
ZETA = 0.5  # damping ratio of the bristles


@inlined
def add_contacts(T, S, y):
    """Forces of all near pairs, added to S.wrench."""
    if T.shape.shape[0] == 0:
        return
    place_shapes(T, S)
    n, first = T.mass.shape[0] - 1, T.extra[X_CONTACTS]
    S.contact_energy[:] = 0.0
    S.power[first : T.extra[X_CONTACTS + 1]] = 0.0
    S.power[T.extra[X_BELTS] : T.extra[X_BELTS + 1]] = 0.0
    S.power[T.extra[X_BRISTLES] : T.extra[X_BRISTLES + 1]] = 0.0
    bristles = y[13 * n + T.extra[X_BRISTLES] : 13 * n + T.extra[X_BRISTLES + 1]]
    rates = S.power[T.extra[X_BRISTLES] : T.extra[X_BRISTLES + 1]]
    absorbed = S.power[first : T.extra[X_CONTACTS + 1]]
    belts = S.power[T.extra[X_BELTS] : T.extra[X_BELTS + 1]]
    for index in range(S.near_count[0]):
        row = S.near[index]
        if S.on[T.rule[row[RULE], 0]] == 0.0:
            set_apart(S.patch, row[FIRST_SLOT], row[SLOTS])
            continue
        S.near_gap[index] = add_pair(T, S, row, bristles, rates, absorbed, belts)


@kernel
def place_shapes(T, S):
    """Centres (3) and axes (9) of all shapes in the world."""
    for shape in range(T.shape.shape[0]):
        body, value, out = T.shape[shape, BODY], T.shape_value[shape], S.shape_place[shape]
        R = S.rotation[body]
        for i in range(3):
            out[i] = S.x[body, i]
            for k in range(3):
                out[i] += R[i, k] * value[k]
                out[3 + 3 * i + k] = (
                    R[i, 0] * value[3 + k] + R[i, 1] * value[6 + k] + R[i, 2] * value[9 + k]
                )


@kernel
def set_apart(patch, first, count):
    for slot in range(first, first + count):
        patch[slot, DEPTH] = APART
        patch[slot, FORCE] = 0.0
        patch[slot, STORED] = 0.0


@kernel
def set_turn(S, a, b, turn, offset):
    """From the axes of shape A to those of B: rotation (3, 3) and place of A's centre (3,)."""
    place_a, place_b = S.shape_place[a], S.shape_place[b]
    for i in range(3):
        offset[i] = 0.0
        for k in range(3):
            offset[i] += place_b[3 + 3 * k + i] * (place_a[k] - place_b[k])
        for j in range(3):
            turn[i, j] = 0.0
            for k in range(3):
                turn[i, j] += place_b[3 + 3 * k + i] * place_a[3 + 3 * k + j]


@kernel
def add_pair(T, S, row, bristles, rates, absorbed, belts):
    """One near pair; returns a distance [m] that lies between the two at least."""
    a, b, reach = row[SHAPE_A], row[SHAPE_B], S.near_margin[1]
    work = S.contact_work
    turn, offset, out = work[0:3, 0:3], work[3, 0:3], work[4]
    slot, rounding = row[FIRST_SLOT], T.shape_value[b, ROUNDING]
    set_turn(S, a, b, turn, offset)
    d, gx, gy, gz = field(T, b, offset[0], offset[1], offset[2])
    gap = d - rounding - T.shape_value[a, BOUND]
    if gap > reach:
        set_apart(S.patch, slot, row[SLOTS])
        return gap
    flat = abs(gx * turn[0, 2] + gy * turn[1, 2] + gz * turn[2, 2])
    flat = min(max((flat - FLAT) / (FLATTER - FLAT), 0.0), 1.0)
    flat = flat * flat * (3.0 - 2.0 * flat)
    gap = reach
    for f in range(T.shape[a, FIRST_FEATURE], T.shape[a, LAST_FEATURE]):
        style, roundings = T.feature[f], T.feature_value[f, FEATURE_ROUNDING] + rounding
        weight = (0.5 if row[HALVED] else 1.0) * T.feature_value[f, WEIGHT]
        if style == RIM:
            weight *= flat
        elif style == BARREL:
            weight *= 1.0 - flat
        if style == POINT or style == RIM:
            if weight > 0.0:
                probe(T, f, 0.0, b, turn, offset, out)
                gap = min(gap, out[0] - roundings)
                touch(T, S, row, f, slot, weight, bristles, rates, absorbed, belts)
            else:
                set_apart(S.patch, slot, 1)
            slot += 1
            continue
        at = -1.0
        if weight > 0.0:
            at = deepest(T, f, reach + roundings, S.near_margin[2], b, turn, offset, out)
        if at < 0.0:
            set_apart(S.patch, slot, 2)
        else:
            gap = min(gap, out[0] - roundings)
            touch_along(T, S, row, f, slot, at, weight, bristles, rates, absorbed, belts)
        slot += 2
    return gap


@kernel
def touch_along(T, S, row, f, slot, at, weight, bristles, rates, absorbed, belts):
    """A line or bar that is deepest at the share `at`: at both ends of the stretch around it."""
    turn, out, along = S.contact_work[0:3, 0:3], S.contact_work[4], S.contact_work[5, 0:3]
    b, value = row[SHAPE_B], T.feature_value[f]
    roundings = value[FEATURE_ROUNDING] + T.shape_value[b, ROUNDING]
    least, x, y, z = out[0], out[4], out[5], out[6]
    level = least + STRETCH * max(roundings - least, 0.0) + LEAST_STRETCH * S.near_margin[0]
    set_along(T.feature[f], value, turn, out, along)
    for side in range(2):
        out[0], out[4], out[5], out[6] = least, x, y, z
        if least < roundings:
            moved, distance = end_of_stretch(T, out, along, side - at, level, S.near_margin[2], b)
            out[0], out[4] = distance, x + moved * along[0]
            out[5], out[6] = y + moved * along[1], z + moved * along[2]
        touch(T, S, row, f, slot + side, 0.5 * weight, bristles, rates, absorbed, belts)


@kernel
def set_along(style, value, turn, found, along):
    """From end to end of a feature through the deepest place of its surface, axes of the other;
    the surface of a cone comes nearer to its axis along the way."""
    for k in range(3):
        along[k] = 0.0
        for j in range(3):
            along[k] += turn[k, j] * (value[3 + j] - value[j])
    if style == BARREL:
        inline = along[0] * found[1] + along[1] * found[2] + along[2] * found[3]
        square = along[0] ** 2 + along[1] ** 2 + along[2] ** 2
        u = (
            found[1] - inline / square * along[0], found[2] - inline / square * along[1],
            found[3] - inline / square * along[2],
        )  # fmt: skip
        across = max(np.sqrt(dot(u, u)), 1e-9)
        for k in range(3):
            along[k] -= (value[7] - value[6]) * u[k] / across


@kernel
def touch(T, S, row, f, slot, weight, bristles, rates, absorbed, belts):
    """Force at one point where a feature may touch; what was found there is in S.contact_work[4]
    (its core at 4:7, axes of B)."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    body_a, body_b = T.shape[a, BODY], T.shape[b, BODY]
    x, v, spin, place, rule = S.x, S.v, S.spin, S.shape_place, T.rule_value[row[RULE]]
    rounding_a, rounding_b = T.feature_value[f, FEATURE_ROUNDING], T.shape_value[b, ROUNDING]
    found, out = S.contact_work[4], S.patch[slot]
    depth = rounding_a + rounding_b - found[0]
    middle = 0.5 * (rounding_a + found[0] - rounding_b)
    normal, point = out[NORMAL : NORMAL + 3], out[PLACE : PLACE + 3]
    steep = np.sqrt(found[1] ** 2 + found[2] ** 2 + found[3] ** 2)
    n = (found[1] / steep, found[2] / steep, found[3] / steep)
    p = (found[4] - middle * n[0], found[5] - middle * n[1], found[6] - middle * n[2])
    for i in range(3):
        B = place[b, 3 + 3 * i : 6 + 3 * i]
        normal[i] = B[0] * n[0] + B[1] * n[1] + B[2] * n[2]
        point[i] = place[b, i] + B[0] * p[0] + B[1] * p[1] + B[2] * p[2]
    arm_a = (point[0] - x[body_a, 0], point[1] - x[body_a, 1], point[2] - x[body_a, 2])
    arm_b = (point[0] - x[body_b, 0], point[1] - x[body_b, 1], point[2] - x[body_b, 2])
    turn_a, turn_b = cross(spin[body_a], arm_a), cross(spin[body_b], arm_b)
    closing = 0.0
    for k in range(3):
        closing -= normal[k] * (v[body_a, k] + turn_a[k] - v[body_b, k] - turn_b[k])
    out[DEPTH], out[CLOSING] = depth, closing
    out[FORCE], out[STORED], out[SLIP] = 0.0, 0.0, 0.0
    for k in range(3):
        out[FRICTION + k] = 0.0
    out[MASS] = 1.0 / (
        effective_mass(T, S, body_a, arm_a, normal) + effective_mass(T, S, body_b, arm_b, normal)
    )
    stiffness = weight * rule[STIFFNESS]
    out[SLOPE] = stiffness
    if S.quick[0] > 0.0:
        if S.quick[0] > 1.0:
            give_average(T, S, row, slot, arm_a, arm_b, turn_a, turn_b, bristles, absorbed, belts)
        return
    if depth <= 0.0:
        return
    thick = T.shape_value[a, THICKNESS] + T.shape_value[b, THICKNESS]
    spring, slope, stored = elastic(stiffness, rule[EXPONENT], depth, thick)
    spring *= steep
    force = normal_force(
        spring,
        slope,
        weight * out[MASS],
        rule[IMPACT_DAMPING],
        rule[DAMPING_LIMIT],
        out[IMPACT],
        closing,
    )
    # What a point gives back is not to exceed what it took in: where it moves along its shape, the
    # depth can grow without work.
    first, spare = STATES * slot, SPARE * out[MASS] * out[IMPACT] ** 2
    taken = max(bristles[first + 3], 0.0) + spare
    backed = min(taken / (stored + spare), 1.0)
    force *= backed
    out[ELASTIC] = stored
    out[FORCE], out[STORED], out[SLOPE] = force, backed * stored, slope
    rates[first + 3] = force * closing
    slip, s = out[SLIP:], bristles[first : first + 3]
    friction, rate = out[FRICTION : FRICTION + 3], rates[first : first + 3]
    vt, st = bristle_input(T, S, a, b, turn_a, turn_b, normal, closing, s)
    damping = 2.0 * ZETA * weight * np.sqrt(rule[STIFFNESS] * out[MASS])
    slip[0] = bristle(
        stiffness, damping, force, rule[STATIC], rule[KINETIC], st, vt, friction, rate
    )
    roll = dot(spin[body_a], normal) + dot(spin[body_b], normal)
    turning = cross(normal, st)
    elastic_rate = 0.0
    for k in range(3):
        elastic_rate += stiffness * st[k] * st[k]
        rate[k] += 0.5 * roll * turning[k]
    out[STORED] += 0.5 * elastic_rate
    S.contact_energy[row[RULE]] += out[STORED]
    give(T, S, row, arm_a, arm_b, normal, force, friction, closing, vt, absorbed, belts)


@kernel
def give_average(T, S, row, slot, arm_a, arm_b, turn_a, turn_b, bristles, absorbed, belts):
    """Mean force over the last step of quick mode, from the impulses that are kept as states."""
    out, kept = S.patch[slot], bristles[STATES * slot : STATES * slot + STATES]
    normal, friction = out[NORMAL : NORMAL + 3], out[FRICTION : FRICTION + 3]
    vt, _ = bristle_input(
        T, S, row[SHAPE_A], row[SHAPE_B], turn_a, turn_b, normal, out[CLOSING], kept
    )
    out[FORCE], out[SLIP] = kept[3] / S.quick[1], np.sqrt(dot(vt, vt))
    for k in range(3):
        friction[k] = kept[k] / S.quick[1]
    give(T, S, row, arm_a, arm_b, normal, out[FORCE], friction, out[CLOSING], vt, absorbed, belts)


@kernel
def effective_mass(T, S, body, arm, normal):
    """Inverse of the mass [1/kg] that a body opposes to a push along the normal at an arm."""
    if body == 0:
        return 0.0
    moment = cross(arm, normal)
    total, R, J = 1.0 / T.mass[body], S.rotation[body], T.inverse_inertia[body]
    m = (
        R[0, 0] * moment[0] + R[1, 0] * moment[1] + R[2, 0] * moment[2],
        R[0, 1] * moment[0] + R[1, 1] * moment[1] + R[2, 1] * moment[2],
        R[0, 2] * moment[0] + R[1, 2] * moment[1] + R[2, 2] * moment[2],
    )
    for i in range(3):
        total += m[i] * (J[i, 0] * m[0] + J[i, 1] * m[1] + J[i, 2] * m[2])
    return total


@kernel
def bristle_input(T, S, a, b, turn_a, turn_b, normal, closing, s):
    """Slip velocity of A over B, belts included, and the bristle, both in the tangent plane."""
    v, body_a, body_b = S.v, T.shape[a, BODY], T.shape[b, BODY]
    ua, ub = belt_velocity(T, S, a), belt_velocity(T, S, b)
    along = s[0] * normal[0] + s[1] * normal[1] + s[2] * normal[2]
    belted = 0.0
    for k in range(3):
        belted += normal[k] * (ua[k] - ub[k])
    excess = belted - closing
    vt = (
        v[body_a, 0] + turn_a[0] + ua[0] - v[body_b, 0] - turn_b[0] - ub[0] - excess * normal[0],
        v[body_a, 1] + turn_a[1] + ua[1] - v[body_b, 1] - turn_b[1] - ub[1] - excess * normal[1],
        v[body_a, 2] + turn_a[2] + ua[2] - v[body_b, 2] - turn_b[2] - ub[2] - excess * normal[2],
    )
    st = (s[0] - along * normal[0], s[1] - along * normal[1], s[2] - along * normal[2])
    return vt, st


@kernel
def belt_velocity(T, S, shape):
    """Velocity [m/s], world, of the surface of a shape over its body."""
    if T.shape[shape, BELT] < 0:
        return 0.0, 0.0, 0.0
    R, d = S.rotation[T.shape[shape, BODY]], T.shape_value[shape, BELT_AXIS : BELT_AXIS + 3]
    speed = S.signal[T.shape[shape, PROGRAM]]
    return (
        speed * (R[0, 0] * d[0] + R[0, 1] * d[1] + R[0, 2] * d[2]),
        speed * (R[1, 0] * d[0] + R[1, 1] * d[1] + R[1, 2] * d[2]),
        speed * (R[2, 0] * d[0] + R[2, 1] * d[1] + R[2, 2] * d[2]),
    )


@kernel
def give(T, S, row, arm_a, arm_b, normal, force, friction, closing, vt, absorbed, belts):
    """Force and rolling resistance onto both bodies; what the contact absorbs, belts put in."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    body_a, body_b = T.shape[a, BODY], T.shape[b, BODY]
    spin, wrench, rule = S.spin, S.wrench, T.rule_value[row[RULE]]
    f = (
        force * normal[0] + friction[0], force * normal[1] + friction[1],
        force * normal[2] + friction[2],
    )  # fmt: skip
    moment_a, moment_b = cross(arm_a, f), cross(arm_b, f)
    for k in range(3):
        wrench[body_a, k] += f[k]
        wrench[body_b, k] -= f[k]
        wrench[body_a, 3 + k] += moment_a[k]
        wrench[body_b, 3 + k] -= moment_b[k]
    taken = force * closing - dot(friction, vt)
    if rule[ROLLING] > 0.0:
        w = (
            spin[body_a, 0] - spin[body_b, 0], spin[body_a, 1] - spin[body_b, 1],
            spin[body_a, 2] - spin[body_b, 2],
        )  # fmt: skip
        about = dot(w, normal)
        w = (w[0] - about * normal[0], w[1] - about * normal[1], w[2] - about * normal[2])
        size = np.sqrt(dot(w, w) + ROLLING_AT * ROLLING_AT)
        for k in range(3):
            moment = -rule[ROLLING] * force * w[k] / size
            wrench[body_a, 3 + k] += moment
            wrench[body_b, 3 + k] -= moment
            taken -= moment * w[k]
    absorbed[row[RULE]] += taken
    for side in range(2):
        shape = a if side == 0 else b
        if T.shape[shape, BELT] >= 0:
            sign = -1.0 if side == 0 else 1.0
            belts[T.shape[shape, BELT]] += sign * dot(friction, belt_velocity(T, S, shape))
