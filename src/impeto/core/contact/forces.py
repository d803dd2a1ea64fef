"""Contact forces between the shapes that are near each other.

Every near pair has a row in S.near: features of shape A against the field of shape B. Each point
where they can touch has a slot: its bristle is part of the state, its last impact speed is
remembered in S.patch. Forces go to S.wrench, powers to the extra states.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.blocks import touch_blocks
from impeto.core.contact.columns import (
    AHEAD,
    ANCHOR,
    BEYOND,
    BODY,
    BOUND,
    CORE_X,
    CORE_Y,
    CORE_Z,
    CROSSING,
    FEATURE_ROUNDING,
    FIRST_FEATURE,
    FIRST_SLOT,
    FOUND,
    GX,
    GY,
    GZ,
    HALVED,
    IDLE,
    KIND,
    KNOWN,
    LAST_FEATURE,
    LOOKED,
    OFFSET,
    RADIUS_A,
    RADIUS_B,
    REST,
    ROUNDING,
    RULE,
    SAMPLE_KIND,
    SHAPE_A,
    SHAPE_B,
    SIZE,
    SLOTS,
    STATES,
    THICKNESS,
    UNTIL,
    WEIGHT,
    Sensed,
)
from impeto.core.contact.faces import held_face
from impeto.core.contact.features import (
    BARREL,
    LEAST_STRETCH,
    PLACES,
    POINT,
    RIM,
    STRETCH,
    SURFACE,
    deepest,
    end_of_stretch,
    probe,
)
from impeto.core.contact.fields import (
    BLOCK,
    CAPSULE,
    CONE,
    DRAWN,
    PIPE,
    PROFILE,
    ROUND,
    SOLID,
    field,
)
from impeto.core.contact.law import EXPONENT, STIFFNESS, elastic
from impeto.core.contact.places import find_place
from impeto.core.contact.touch import normal_before, set_apart, touch
from impeto.core.dynamics.columns import Quick
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.state import extras_at
from impeto.core.dynamics.tables import X_BELTS, X_BRISTLES, X_CONTACTS, Tables, Workspace
from impeto.core.dynamics.vectors import dot, is_away
from impeto.core.geometry.arrays import Floats, Ints, Matrix3

FLAT, FLATTER = 0.995, 0.9999  # cosines between which the end of a bar takes over from its rim
PLACE_WEIGHTS = (0.25, 0.25, 0.5, 1.0)  # share of the stiffness by kind of sample


@inlined
def add_contacts(T: Tables, S: Workspace, y: Floats) -> None:
    """Forces of all near pairs, added to S.wrench."""
    if T.shape.shape[0] == 0:
        return
    n, first = T.mass.shape[0] - 1, T.extra[X_CONTACTS]
    S.power[first : T.extra[X_CONTACTS + 1]] = 0.0
    S.power[T.extra[X_BELTS] : T.extra[X_BELTS + 1]] = 0.0
    S.power[T.extra[X_BRISTLES] : T.extra[X_BRISTLES + 1]] = 0.0
    if S.quick[Quick.MODE] > 2.0:  # nothing of contact is asked for
        return
    place_shapes(T, S)
    S.contact_energy[:] = 0.0
    for rule in range(T.rule.shape[0]):
        S.contact_sense[rule, Sensed.GAP] = S.near_margin[LOOKED]
        S.contact_sense[rule, 1:3] = 0.0
    bristles = y[extras_at(n) + T.extra[X_BRISTLES] : extras_at(n) + T.extra[X_BRISTLES + 1]]
    rates = S.power[T.extra[X_BRISTLES] : T.extra[X_BRISTLES + 1]]
    absorbed = S.power[first : T.extra[X_CONTACTS + 1]]
    belts = S.power[T.extra[X_BELTS] : T.extra[X_BELTS + 1]]
    within = S.near_margin[BEYOND]
    for index in range(S.near_count[0]):
        if 0.0 < within < S.near_start[index]:
            continue
        row = S.near[index]
        if S.on[T.rule[row[RULE], 0]] == 0.0:
            set_apart(S.patch, row[FIRST_SLOT], row[SLOTS])
            continue
        kinds = T.shape[row[SHAPE_A], KIND], T.shape[row[SHAPE_B], KIND]
        if S.quick[Quick.MODE] > 0.0 and kinds == (BLOCK, BLOCK):
            turn, offset = S.contact_work[0:3, 0:3], S.contact_work[3, 0:3]
            set_turn(S, row[SHAPE_A], row[SHAPE_B], turn, offset)
            gap = touch_blocks(T, S, row, turn, offset, bristles, rates, absorbed, belts)
        else:
            gap = add_pair(T, S, row, bristles, rates, absorbed, belts)
        S.near_gap[index] = gap
        sense = S.contact_sense[row[RULE]]
        sense[0] = min(sense[0], gap)


@kernel
def place_shapes(T: Tables, S: Workspace) -> None:
    """Centres (3) and axes (9) of all shapes in the world."""
    for shape in range(T.shape.shape[0]):
        body, value, out = T.shape[shape, BODY], T.shape_value[shape], S.shape_place[shape]
        if is_away(T, S, body):
            continue
        R = S.rotation[body]
        for i in range(3):
            out[i] = S.x[body, i]
            for k in range(3):
                out[i] += R[i, k] * value[k]
                out[3 + 3 * i + k] = (
                    R[i, 0] * value[3 + k] + R[i, 1] * value[6 + k] + R[i, 2] * value[9 + k]
                )


@kernel
def set_turn(S: Workspace, a: int, b: int, turn: Matrix3, offset: Floats) -> None:
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
def add_pair(
    T: Tables, S: Workspace, row: Ints, bristles: Floats, rates: Floats, absorbed: Floats,
    belts: Floats,
) -> float:  # fmt: skip
    """One near pair; returns a distance [m] that lies between the two at least."""
    a, b, reach = row[SHAPE_A], row[SHAPE_B], S.near_margin[LOOKED]
    work = S.contact_work
    turn, offset, out = work[0:3, 0:3], work[OFFSET, 0:3], work[FOUND]
    slot, rounding, kind = row[FIRST_SLOT], T.shape_value[b, ROUNDING], T.shape[b, KIND]
    set_turn(S, a, b, turn, offset)
    d, gx, gy, gz = field(T, b, offset[0], offset[1], offset[2])
    gap = d - rounding - extent_towards(T, a, b, turn, gx, gy, gz)
    if gap > reach:
        if row[IDLE] == 0:
            set_apart(S.patch, slot, row[SLOTS])
            row[IDLE] = 1
        return gap
    row[IDLE] = 0
    flat = abs(gx * turn[0, 2] + gy * turn[1, 2] + gz * turn[2, 2])
    flat = min(max((flat - FLAT) / (FLATTER - FLAT), 0.0), 1.0)
    flat = flat * flat * (3.0 - 2.0 * flat)
    gap = reach
    for f in range(T.shape[a, FIRST_FEATURE], T.shape[a, LAST_FEATURE]):
        style, roundings = T.feature[f], T.feature_value[f, FEATURE_ROUNDING] + rounding
        weight = (0.5 if row[HALVED] else 1.0) * T.feature_value[f, WEIGHT]
        if style == SURFACE:
            gap = min(
                gap, touch_places(T, S, row, f, slot, weight, bristles, rates, absorbed, belts)
            )
            slot += PLACES
            continue
        if style == RIM:
            weight *= flat
        elif style == BARREL:
            weight *= 1.0 - flat
        if style == POINT or style == RIM:
            if weight > 0.0:
                probe(T, f, 0.0, S.near_margin[KNOWN], b, turn, offset, out)
                if kind == CONE:  # it may be over the end and yet beside the body behind that
                    held_face(T, b, normal_before(S, slot, b), out)
                gap = min(gap, out[0] - roundings)
            if weight > 0.0 and out[0] - roundings <= reach:
                touch(T, S, row, f, slot, weight, 0, bristles, rates, absorbed, belts)
            else:
                set_apart(S.patch, slot, 1)
            slot += 1
            continue
        at = -1.0
        if weight > 0.0:
            at = deepest(T, f, reach + roundings, S.near_margin[KNOWN], b, turn, offset, out)
        if at < 0.0:
            set_apart(S.patch, slot, 2)
        else:
            gap = min(gap, out[0] - roundings)
            touch_along(T, S, row, f, slot, at, weight, bristles, rates, absorbed, belts)
        slot += 2
    return gap


@kernel
def extent_towards(
    T: Tables, a: int, b: int, turn: Matrix3, gx: float, gy: float, gz: float
) -> float:
    """How far [m] shape A reaches from its centre along the gradient there of the distance to B:
    beyond the tangent plane of a convex shape nothing is nearer. Otherwise, its bounding ball."""
    kind, other, size = T.shape[a, KIND], T.shape[b, KIND], T.shape_value[a, SIZE : SIZE + 4]
    most = T.shape_value[a, BOUND]
    if other == PIPE or other == PROFILE or other == SOLID or other == DRAWN:
        return most
    x = abs(turn[0, 0] * gx + turn[1, 0] * gy + turn[2, 0] * gz)
    y = abs(turn[0, 1] * gx + turn[1, 1] * gy + turn[2, 1] * gz)
    z = abs(turn[0, 2] * gx + turn[1, 2] * gy + turn[2, 2] * gz)
    if kind == BLOCK:
        return size[0] * x + size[1] * y + size[2] * z + T.shape_value[a, ROUNDING]
    if kind == ROUND:
        return size[0] * np.sqrt(x * x + y * y) + size[1] * z + T.shape_value[a, ROUNDING]
    if kind == CONE:
        return max(size[0], size[1]) * np.sqrt(x * x + y * y) + size[2] * z
    if kind == CAPSULE:
        return most - size[1] * (1.0 - min(z, 1.0))
    return most


@kernel
def touch_places(
    T: Tables, S: Workspace, row: Ints, f: int, slot: int, weight: float, bristles: Floats,
    rates: Floats, absorbed: Floats, belts: Floats,
) -> float:  # fmt: skip
    """The places that are followed over a sampled surface; returns the least gap [m] of them.

    They share what they have taken in: a place that comes in beside others carries its part of
    the load at once.
    """
    a, b, work = row[SHAPE_A], row[SHAPE_B], S.contact_work
    turn, offset, out = work[0:3, 0:3], work[OFFSET, 0:3], work[FOUND]
    gap, roundings = S.near_margin[LOOKED], T.feature_value[f, FEATURE_ROUNDING]
    roundings += T.shape_value[b, ROUNDING]
    thick = T.shape_value[b, THICKNESS] + T.feature_value[f, FEATURE_ROUNDING]
    rule, pool = T.rule_value[row[RULE]], S.contact_pool
    ahead = S.near_margin[AHEAD] if 0.0 < S.near_margin[BEYOND] < np.inf else np.inf
    pool[0] = pool[1] = pool[2] = 0.0
    for place in range(slot, slot + PLACES):
        patch = S.patch[place]
        if patch[ANCHOR] < 0.0 or patch[UNTIL] > ahead:
            continue
        pool[0] += bristles[STATES * place + 3]
        found = S.contact_found[place - slot]
        find_place(T, a, b, turn, offset, patch, found)
        gap = min(gap, found[0] - roundings)
        depth = roundings - found[0] - patch[REST]
        if depth > 0.0:
            share = share_of(T, patch, weight)
            stiffness = share * rule[STIFFNESS]
            pool[2] += share
            pool[1] += elastic(stiffness, rule[EXPONENT], depth, thick)[2]
    for place in range(slot, slot + PLACES):
        patch = S.patch[place]
        if patch[ANCHOR] < 0.0:
            set_apart(S.patch, place, 1)
            continue
        if patch[UNTIL] > ahead:
            continue
        copy(S.contact_found[place - slot], out)
        share = share_of(T, patch, weight)
        touch(T, S, row, f, place, share, 1, bristles, rates, absorbed, belts)
    return gap


@kernel
def share_of(T: Tables, patch: Floats, weight: float) -> float:
    """Share of the stiffness that a place has, by the kind of its sample."""
    return weight * PLACE_WEIGHTS[T.sample[int(patch[ANCHOR]), SAMPLE_KIND]]


@kernel
def touch_along(
    T: Tables, S: Workspace, row: Ints, f: int, slot: int, at: float, weight: float,
    bristles: Floats, rates: Floats, absorbed: Floats, belts: Floats,
) -> None:  # fmt: skip
    """A line or bar that is deepest at the share `at`: at both ends of the stretch around it, or
    there alone where two bars cross. In quick mode a point is only as stiff as the step can follow,
    and two of them give way less than one."""
    turn, out, along = S.contact_work[0:3, 0:3], S.contact_work[FOUND], S.contact_work[5, 0:3]
    b, value = row[SHAPE_B], T.feature_value[f]
    roundings = value[FEATURE_ROUNDING] + T.shape_value[b, ROUNDING]
    least, x, y, z = out[0], out[CORE_X], out[CORE_Y], out[CORE_Z]
    level = (
        least
        + STRETCH * max(roundings - least, 0.0)
        + LEAST_STRETCH * T.shape_value[row[SHAPE_A], BOUND]
    )
    if S.patch[slot, ANCHOR] == CROSSING and S.quick[Quick.MODE] == 0.0:
        touch(T, S, row, f, slot, weight, 0, bristles, rates, absorbed, belts)
        set_apart(S.patch, slot + 1, 1)
        return
    set_along(T.feature[f], value, turn, out, along)
    held_face(T, b, normal_before(S, slot, b), out)  # both ends go the way the deepest does
    for side in range(2):
        out[0], out[CORE_X], out[CORE_Y], out[CORE_Z] = least, x, y, z
        if least < roundings or S.quick[Quick.MODE] > 0.0:  # impulses come before it overlaps
            moved, distance = end_of_stretch(
                T, out, along, side - at, level, S.near_margin[KNOWN], b
            )
            out[0], out[CORE_X] = distance, x + moved * along[0]
            out[CORE_Y], out[CORE_Z] = y + moved * along[1], z + moved * along[2]
        touch(T, S, row, f, slot + side, 0.5 * weight, 0, bristles, rates, absorbed, belts)


@kernel
def set_along(style: int, value: Floats, turn: Matrix3, found: Floats, along: Floats) -> None:
    """From end to end of a feature through the deepest place of its surface, axes of the other;
    the surface of a cone comes nearer to its axis along the way."""
    for k in range(3):
        along[k] = 0.0
        for j in range(3):
            along[k] += turn[k, j] * (value[3 + j] - value[j])
    if style == BARREL:
        inline = along[0] * found[GX] + along[1] * found[GY] + along[2] * found[GZ]
        square = along[0] ** 2 + along[1] ** 2 + along[2] ** 2
        u = (
            found[GX] - inline / square * along[0], found[GY] - inline / square * along[1],
            found[GZ] - inline / square * along[2],
        )  # fmt: skip
        across = max(np.sqrt(dot(u, u)), 1e-9)
        for k in range(3):
            along[k] -= (value[RADIUS_B] - value[RADIUS_A]) * u[k] / across
