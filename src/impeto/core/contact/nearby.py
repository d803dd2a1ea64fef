"""Which shapes are near each other: a list that stays good while they move by less than a margin,
and what follows from an accepted step."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.blocks import furthest_axis
from impeto.core.contact.columns import (
    AGE,
    ANCHOR,
    BACKED,
    BODY,
    BOUND,
    CLOSING,
    CROSSING,
    DEPTH,
    FEATURE_ROUNDING,
    FIRST_FEATURE,
    FIRST_SAMPLE,
    FIRST_SLOT,
    FOUND,
    GRID,
    HALVED,
    IDLE,
    IMPACT,
    KIND,
    LAST_FEATURE,
    LAST_SAMPLE,
    LOOKED,
    MASS,
    PLACE,
    POINT_AT,
    REST,
    ROAM,
    ROUNDING,
    RULE,
    SHAPE_A,
    SHAPE_B,
    SLOPE,
    SLOTS,
    STATES,
    TAKEN,
    THICKNESS,
    UNTIL,
)
from impeto.core.contact.features import POINT, RIM, ROUGHLY, SURFACE, deepest, probe
from impeto.core.contact.fields import (
    BALL,
    BLOCK,
    CAPSULE,
    DRAWN,
    HALF_SPACE,
    PIPE,
    PROFILE,
    ROUND,
    SOLID,
    field,
)
from impeto.core.contact.forces import extent_towards, set_turn
from impeto.core.contact.law import LEAST_IMPACT
from impeto.core.contact.others import time_to_keep_up, until_noted
from impeto.core.contact.places import other_field
from impeto.core.contact.seeking import follow_on, roundings_of, seek
from impeto.core.contact.travel import (
    closing_bound,
    gaining_bound,
    time_to_go,
    travel_left,
    unseen_of,
    until_touch,
)
from impeto.core.dynamics.columns import Quick
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.state import extras_at, unknown_at
from impeto.core.dynamics.tables import X_BRISTLES, Tables, Workspace
from impeto.core.dynamics.vectors import dot
from impeto.core.geometry.arrays import Floats, IntRows, Ints, Matrix3, Rows, Vector3

ACROSS = 0.9  # cosine below which bars do not lie along each other
SHORT = 0.9  # of the time to a contact: steps end before, to see the speed of the impact
HARDLY = 0.1  # of its force
ONSET = 0.4  # of √(m/k): a step in which a force that begins is seen
GRANTED = ONSET**2 / 40  # of m v²: a 20th of what such a step takes in
IMPACT_STEPS = 3.0  # steps in a time of contact when an impact begins


@kernel
def directions(kind_a: int, kind_b: int) -> int:
    """Whose features are held against the other's field: 1 A's, 2 B's, 3 both.

    One way is enough where the features of one shape are its whole surface.
    """
    if kind_b == HALF_SPACE:
        return 1
    if kind_a == HALF_SPACE:
        return 2
    for complete in (SOLID, DRAWN):  # a ball in a dish may touch at several places
        if kind_a == complete and (kind_b == BALL or kind_b == CAPSULE):
            return 1
        if kind_b == complete and (kind_a == BALL or kind_a == CAPSULE):
            return 2
    for complete in (BALL, CAPSULE):
        if kind_a == complete:
            return 1
        if kind_b == complete:
            return 2
    if kind_b == PROFILE and (kind_a == ROUND or kind_a == PIPE):
        return 1
    if kind_a == PROFILE and (kind_b == ROUND or kind_b == PIPE):
        return 2
    return 3


@kernel
def pair_rows(shape: IntRows, pairs: IntRows, slots: Ints, out: IntRows) -> int:
    """Rows of S.near for pairs of shapes (P, 3), one or both ways; returns how many.

    slots : (H,) points of contact that the features of each shape can have
    """
    count, used = 0, 0
    for index in range(pairs.shape[0]):
        a, b, rule = pairs[index]
        ways = directions(shape[a, KIND], shape[b, KIND])
        both = 1 if ways == 3 and slots[a] > 0 and slots[b] > 0 else 0
        for side in range(2):
            first, second = (a, b) if side == 0 else (b, a)
            if ways & (1 + side) == 0 or slots[first] == 0:
                continue
            row = out[count]
            row[SHAPE_A], row[SHAPE_B], row[RULE] = first, second, rule
            row[FIRST_SLOT], row[SLOTS], row[HALVED] = used, slots[first], both
            used += slots[first]
            count += 1
    return count


@kernel
def find_near(
    shape: IntRows, shape_value: Rows, place: Rows, pairing: IntRows, margin: float,
    further: Floats, order: Ints, out: IntRows,
) -> int:  # fmt: skip
    """Pairs of shapes within `margin` [m] of each other by their bounding balls: sweep along x.

    pairing : (N, N) rule of each pair, −1 where they may not touch
    further : (H,) m, by how much each ball is wider
    order : (M,) shapes that are there, scratch;  out : (P, 3) A, B, rule; written as far as
    there is room. Returns how many there are.
    """
    count = order.shape[0]
    for i in range(1, count):  # nearly sorted already
        moved = order[i]
        key = place[moved, 0] - shape_value[moved, BOUND] - further[moved]
        j = i - 1
        while j >= 0 and left_end(shape_value, place, further, order[j]) > key:
            order[j + 1] = order[j]
            j -= 1
        order[j + 1] = moved
    found = 0
    for i in range(count):
        a = order[i]
        wide = shape_value[a, BOUND] + further[a] + margin
        limit = place[a, 0] + wide
        for j in range(i + 1, count):
            b = order[j]
            if left_end(shape_value, place, further, b) > limit:
                break
            first, second = min(a, b), max(a, b)
            rule = pairing[first, second]
            if rule < 0:
                continue
            square = 0.0
            for k in range(3):
                square += (place[a, k] - place[b, k]) ** 2
            span = wide + shape_value[b, BOUND] + further[b]
            if square <= span * span:
                if found < out.shape[0]:
                    out[found, 0], out[found, 1], out[found, 2] = first, second, rule
                found += 1
    return found


@kernel
def left_end(shape_value: Rows, place: Rows, further: Floats, shape: int) -> float:
    """Where [m] along x the widened ball around a shape begins."""
    return place[shape, 0] - shape_value[shape, BOUND] - further[shape]


@kernel
def set_gaps(T: Tables, S: Workspace, rows: IntRows, reaches: Floats, out: Floats) -> None:
    """out (P,) = distance [m] of each near pair, or its reach (P,) where it is more."""
    turn, offset, found = S.contact_work[0:3, 0:3], S.contact_work[3, 0:3], S.contact_work[FOUND]
    for index in range(rows.shape[0]):
        a, b = rows[index, SHAPE_A], rows[index, SHAPE_B]
        reach = reaches[index]
        out[index] = reach
        set_turn(S, a, b, turn, offset)
        d, gx, gy, gz = field(T, b, offset[0], offset[1], offset[2])
        if d - T.shape_value[b, ROUNDING] - extent_towards(T, a, b, turn, gx, gy, gz) > reach:
            continue
        if S.quick[Quick.MODE] > 0.0 and T.shape[a, KIND] == BLOCK and T.shape[b, KIND] == BLOCK:
            out[index] = min(reach, furthest_axis(T, S, a, b, turn, offset, reach)[0])
            continue
        for f in range(T.shape[a, FIRST_FEATURE], T.shape[a, LAST_FEATURE]):
            roundings = T.feature_value[f, FEATURE_ROUNDING] + T.shape_value[b, ROUNDING]
            if T.feature[f] == SURFACE:
                out[index] = min(out[index], sampled_gap(T, a, b, turn, offset, reach) - roundings)
                continue
            if T.feature[f] == POINT or T.feature[f] == RIM:
                probe(T, f, 0.0, ROUGHLY, b, turn, offset, found)
            elif deepest(T, f, reach + roundings, ROUGHLY, b, turn, offset, found) < 0.0:
                continue
            out[index] = min(out[index], found[0] - roundings)


@kernel
def sampled_gap(T: Tables, a: int, b: int, turn: Matrix3, offset: Vector3, reach: float) -> float:
    """A distance [m] that lies between the samples of A and B at least."""
    least = reach
    for sample in range(T.shape[a, FIRST_SAMPLE], T.shape[a, LAST_SAMPLE]):
        value = T.sample_value[sample]
        at = (value[POINT_AT], value[POINT_AT + 1], value[POINT_AT + 2])
        least = min(least, other_field(T, b, turn, offset, at)[0] - value[ROAM])
    return least


@kernel
def seek_places(T: Tables, S: Workspace) -> None:
    """Places of contact of all near pairs whose first shape is sampled."""
    turn, offset, out = S.contact_work[0:3, 0:3], S.contact_work[3, 0:3], S.contact_work[FOUND]
    for index in range(S.near_count[0]):
        a, b = S.near[index, SHAPE_A], S.near[index, SHAPE_B]
        if T.shape[a, GRID] >= 0:
            set_turn(S, a, b, turn, offset)
            seek(T, S, index, turn, offset, out)


@kernel
def after_step(T: Tables, S: Workspace, y: Floats) -> float:
    """Take over what an accepted step has led to; returns the longest next step [s] (in quick mode:
    until the list of near pairs is to be renewed).

    Bristles without load let go. Contacts still apart note how fast they close in. The next step
    is to end where a contact begins, or to be short against the time of contact.
    """
    if T.shape.shape[0] == 0:
        return np.inf
    longest, quick = np.inf, S.quick[Quick.MODE] > 0.0
    bristles = y[extras_at(T.mass.shape[0] - 1) + T.extra[X_BRISTLES] :]
    for index in range(S.near_count[0]):
        row = S.near[index]
        if T.shape[row[SHAPE_A], GRID] >= 0:
            longest = min(longest, time_to_keep_up(T, S, row))  # before they go on
            follow_on(T, S, index, bristles)
        S.near_start[index] = S.near_gap[index]
        longest = min(longest, after_points(T, S, row, bristles))
        if not quick:
            longest = min(longest, time_of_pair(T, S, index))
    return min(longest, travel_left(T, S))


@kernel
def note_depth(T: Tables, S: Workspace, row: Ints, depth: float) -> None:
    """Keep the largest share of its thickness by which a shape was pressed in at the end of a
    step."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    share = depth / min(T.shape_value[a, THICKNESS], T.shape_value[b, THICKNESS])
    if share > S.deepest[0]:
        S.deepest[0], S.deepest[1], S.deepest[2] = share, a, b


@kernel
def after_points(T: Tables, S: Workspace, row: Ints, bristles: Floats) -> float:
    """The points of contact of a pair after a step; returns the longest next step [s] by what is
    known of them."""
    longest, quick, sampled = np.inf, S.quick[Quick.MODE] > 0.0, T.shape[row[SHAPE_A], GRID] >= 0
    crossing = row[IDLE] == 0 and bars_cross(T, S, row[SHAPE_A], row[SHAPE_B])
    count = row[SLOTS] if row[IDLE] < 2 else 0
    row[IDLE] = min(2 * row[IDLE], 2)
    for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + count):
        patch = S.patch[slot]
        patch[UNTIL] = 0.0
        if patch[DEPTH] > 0.0:
            note_depth(T, S, row, patch[DEPTH])
            patch[AGE] += 1.0
            if not quick:
                longest = min(longest, bear(patch, bristles[STATES * slot :]))
            continue
        patch[REST] = patch[AGE] = 0.0
        for k in range(0 if quick else STATES):
            bristles[STATES * slot + k] = 0.0
        if patch[DEPTH] < -1e20 or patch[MASS] == 0.0:
            continue
        patch[IMPACT] = max(patch[CLOSING], LEAST_IMPACT)
        if not sampled:
            patch[ANCHOR] = CROSSING if crossing else -1.0
        elif not quick:
            patch[UNTIL] = until_touch(T, S, row, patch, -patch[DEPTH])
        if not quick:
            touching = np.pi * np.sqrt(patch[MASS] / patch[SLOPE]) / IMPACT_STEPS
            longest = min(longest, max(SHORT * time_to_touch(T, S, row, patch), touching))
    return longest


@kernel
def time_of_pair(T: Tables, S: Workspace, index: int) -> float:
    """Time [s] in which two shapes neither leap through each other nor touch unseen."""
    row, gap = S.near[index], S.near_gap[index]
    a, b = row[SHAPE_A], row[SHAPE_B]
    thick = T.shape_value[a, THICKNESS] + T.shape_value[b, THICKNESS]
    seen = gap <= S.near_margin[LOOKED]
    gaining = gaining_bound(T, S, a) + gaining_bound(T, S, b)
    way = max(gap, 0.5 * thick) if seen else gap
    longest = time_to_go(way, closing_bound(T, S, a, b), gaining)
    if T.shape[a, GRID] >= 0 and gap < S.near_margin[LOOKED]:
        longest = min(longest, until_others(T, S, index, gap))
    return longest


@kernel
def until_others(T: Tables, S: Workspace, index: int, gap: float) -> float:
    """Time [s] in which no place of a sampled shape that is not followed yet can touch: by the gap
    at the nearest one and how fast the surfaces go past each other there, and by the sample that
    may touch first."""
    row, turn, offset = S.near[index], S.contact_work[0:3, 0:3], S.contact_work[3, 0:3]
    set_turn(S, row[SHAPE_A], row[SHAPE_B], turn, offset)
    unseen = unseen_of(T, row)
    noted = until_noted(T, S, index, turn, offset, roundings_of(T, row), unseen)
    if gap <= 0.0:
        return SHORT * noted
    best = row[FIRST_SLOT]
    for slot in range(row[FIRST_SLOT] + 1, row[FIRST_SLOT] + row[SLOTS]):
        if S.patch[slot, MASS] != 0.0 and S.patch[slot, DEPTH] > S.patch[best, DEPTH]:
            best = slot
    if S.patch[best, MASS] == 0.0:
        return SHORT * noted
    return SHORT * min(noted, until_touch(T, S, row, S.patch[best], max(gap, unseen)))


@kernel
def bars_cross(T: Tables, S: Workspace, a: int, b: int) -> bool:
    """Whether two capsules lie across each other: they then touch at one point."""
    if T.shape[a, KIND] != CAPSULE or T.shape[b, KIND] != CAPSULE:
        return False
    p, q, inline = S.shape_place[a], S.shape_place[b], 0.0
    for k in range(3):
        inline += p[3 + 3 * k + 2] * q[3 + 3 * k + 2]
    return abs(inline) < ACROSS


@kernel
def bear(patch: Floats, memory: Floats) -> float:
    """The longest next step [s] for a point that touches.

    It may have come in so fast that no step saw it, or have been found pressed in: nothing it took
    in then backs its force. From here on it bears what presses it in further, and the next step is
    short enough to see that. A little of the energy of the impact is granted to it: the stages of
    that step see its force grow from nothing as steeply as they can follow.

    memory : (≥ STATES,) bristle and work taken in; written
    """
    patch[REST] = min(patch[REST], patch[DEPTH])
    found = patch[REST] == patch[DEPTH] and patch[CLOSING] > 0.0 and memory[TAKEN] == 0.0
    if patch[MASS] == 0.0 or (patch[BACKED] >= HARDLY and not found):
        return np.inf
    patch[REST], patch[IMPACT] = patch[DEPTH], max(patch[CLOSING], LEAST_IMPACT)
    memory[TAKEN] = max(memory[TAKEN], GRANTED * patch[MASS] * patch[IMPACT] ** 2)
    return ONSET * np.sqrt(patch[MASS] / patch[SLOPE])


@kernel
def time_to_touch(T: Tables, S: Workspace, row: Ints, patch: Floats) -> float:
    """The least time [s] in which the gap at a point closes, with the present speed and
    accelerations: what flies apart now may fall back within a long step."""
    gap, closing, quick = -patch[DEPTH], patch[CLOSING], 0.0
    for side in range(2):
        body = T.shape[row[SHAPE_A if side == 0 else SHAPE_B], BODY]
        if body > 0:
            a, square = S.solution[unknown_at(body) : unknown_at(body + 1)], 0.0
            for k in range(3):
                square += (patch[PLACE + k] - S.x[body, k]) ** 2
            quick += np.sqrt(dot(a[0:3], a[0:3])) + np.sqrt(square * dot(a[3:6], a[3:6]))
    return time_to_go(gap, closing, quick)
