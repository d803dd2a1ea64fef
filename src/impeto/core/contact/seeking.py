"""Between steps: which places of contact of a sampled shape go on, and where new ones begin."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.bearing import is_on_a_face, leave_out_borne_faces
from impeto.core.contact.candidates import (
    SLACK,
    best_candidate,
    far_from,
    far_from_places,
    is_least,
    is_strictly_least,
    room_for,
)
from impeto.core.contact.columns import (
    ANCHOR,
    BOUND,
    DEPTH,
    FEATURE_ROUNDING,
    FIRST_FEATURE,
    FIRST_SAMPLE,
    FIRST_SLOT,
    FOUND,
    GX,
    GY,
    GZ,
    HALVED,
    IMPACT,
    LAST_SAMPLE,
    LOOKED,
    MASS,
    NEAR_BEGAN,
    NEIGHBOUR,
    NOW,
    PLANE,
    POINT_AT,
    PULLED,
    REACH,
    REST,
    ROAM,
    ROUNDING,
    SAMPLE_KIND,
    SAMPLE_WIDTH,
    SHAPE_A,
    SHAPE_B,
    SLOTS,
    SOUGHT_AT,
    SOUGHT_TURN,
    START,
    STATES,
    UNTIL,
)
from impeto.core.contact.forces import set_turn
from impeto.core.contact.law import LEAST_IMPACT
from impeto.core.contact.others import moves_otherwise, note_others
from impeto.core.contact.places import (
    AT_BORDER,
    CORNER,
    CREASE,
    faces,
    find_place,
    is_on_its_side,
    other_field,
    put_at,
    set_yielding,
)
from impeto.core.contact.touch import set_apart
from impeto.core.contact.travel import size_of
from impeto.core.dynamics.columns import Quick
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.geometry.arrays import Floats, Ints, Matrix3, Vector3

BETWEEN = 0.25  # of the extent: places on a straight crease are so far from others
MET = 0.25  # of the reach: places nearer to each other become one
APART = 0.5  # of the reach: new ones begin so far from others
STEEP = 0.05  # metres of depth by which a place is to be ahead of another, for a metre between them
MOVED = 0.03  # of the smaller extent: after so much motion places are sought anew
SETTLING, HOPS = 3, 4  # rounds of a new place; samples that a place passes between steps
CANDIDATES = 24  # that are looked at for a pair


@kernel
def roundings_of(T: Tables, row: Ints) -> float:
    return (
        T.feature_value[T.shape[row[SHAPE_A], FIRST_FEATURE], FEATURE_ROUNDING]
        + T.shape_value[row[SHAPE_B], ROUNDING]
    )


@kernel
def follow_on(T: Tables, S: Workspace, index: int, memory: Floats) -> None:
    """Take over the places of a pair as an accepted step has left them; seek new ones where the
    two have moved.

    memory : (slots · STATES,) bristles and work of the points of contact
    """
    row = S.near[index]
    a, b = row[SHAPE_A], row[SHAPE_B]
    turn, offset, out = S.contact_work[0:3, 0:3], S.contact_work[3, 0:3], S.contact_work[FOUND]
    set_turn(S, a, b, turn, offset)
    first, last = row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]
    for slot in range(first, last):
        patch = S.patch[slot]
        if patch[ANCHOR] < 0.0:
            continue
        go_on(T, S, a, b, turn, offset, patch, out)
        flat = T.sample_value[int(patch[ANCHOR]), PLANE] > 0.0
        if (flat or patch[DEPTH] <= 0.0) and not is_on_its_side(T, a, patch):
            patch[ANCHOR] = -1.0
            set_apart(S.patch, slot, 1)
            continue
    merge(T, S, first, last, memory)
    hand_over(S, first, last, memory)
    if has_moved(T, S, index, turn, offset) or (
        S.quick[Quick.MODE] == 0.0 and moves_otherwise(T, S, index, may_move(T, row))
    ):
        seek(T, S, index, turn, offset, out)


@kernel
def go_on(
    T: Tables, S: Workspace, a: int, b: int, turn: Matrix3, offset: Vector3, patch: Floats,
    out: Floats,
) -> None:  # fmt: skip
    """Let a place change to the sample it has come nearest to, and curvatures be those there; one
    that was held back at the border of where it may be goes on downhill."""
    for _ in range(HOPS):
        held, before = is_at_border(T, patch), int(patch[ANCHOR])
        p = (patch[NOW], patch[NOW + 1], patch[NOW + 2])
        flat = is_on_a_face(T, before) and patch[PULLED] > 0.0  # on what is flat too: it stays
        put_at(T, before if flat else nearest_sample(T, before, p), patch, p)
        set_yielding(T, a, b, turn, offset, patch)
        if not held or int(patch[ANCHOR]) == before:
            return
        find_place(T, a, b, turn, offset, patch, out)
        S.near_count[NEAR_BEGAN] = 1  # to be looked at there


@kernel
def is_at_border(T: Tables, patch: Floats) -> bool:
    """Whether a place has gone as far from its sample as it may."""
    sample = int(patch[ANCHOR])
    most = AT_BORDER * T.sample_value[sample, ROAM]
    far = far_from(T, sample, (patch[NOW], patch[NOW + 1], patch[NOW + 2]))
    return T.sample[sample, SAMPLE_KIND] != CORNER and far > most


@kernel
def nearest_sample(T: Tables, sample: int, p: Vector3) -> int:
    """The sample or the neighbour of its kind that is nearest to a point."""
    best, least, kind = sample, far_from(T, sample, p), T.sample[sample, SAMPLE_KIND]
    for k in range(NEIGHBOUR, SAMPLE_WIDTH):
        other = T.sample[sample, k]
        if other >= 0 and T.sample[other, SAMPLE_KIND] == kind:
            away = far_from(T, other, p)
            if away < least - 1e-9:
                best, least = other, away
    return best


@kernel
def too_near(T: Tables, patch: Floats, other: Floats, share: float) -> bool:
    """Whether two places are nearer than this share of how far they may move."""
    if patch[ANCHOR] == other[ANCHOR]:
        return True
    square = 0.0
    for k in range(3):
        square += (patch[NOW + k] - other[NOW + k]) ** 2
    reach = share * max(
        T.sample_value[int(patch[ANCHOR]), REACH], T.sample_value[int(other[ANCHOR]), REACH]
    )
    return square < reach * reach


@kernel
def merge(T: Tables, S: Workspace, first: int, last: int, memory: Floats) -> None:
    """Of places that have met the deeper one stays, and has what both took in."""
    for slot in range(first, last):
        for other in range(slot + 1, last):
            one, two = S.patch[slot], S.patch[other]
            if one[ANCHOR] < 0.0 or two[ANCHOR] < 0.0 or not too_near(T, one, two, MET):
                continue
            lost = slot if two[DEPTH] > one[DEPTH] else other
            memory[STATES * (slot + other - lost) + 3] += memory[STATES * lost + 3]
            memory[STATES * lost + 3] = 0.0
            S.patch[lost, ANCHOR] = -1.0
            set_apart(S.patch, lost, 1)


@kernel
def hand_over(S: Workspace, first: int, last: int, memory: Floats) -> None:
    """What places took in that now are apart goes to one that still touches: it backs their
    common load."""
    left, touching = 0.0, -1
    for slot in range(first, last):
        if S.patch[slot, DEPTH] > 0.0:
            touching = slot
        else:
            left += memory[STATES * slot + 3]
            memory[STATES * slot + 3] = 0.0
    if touching >= 0:
        memory[STATES * touching + 3] += left


@kernel
def has_moved(T: Tables, S: Workspace, index: int, turn: Matrix3, offset: Vector3) -> bool:
    """Whether the two shapes have moved against each other since places were sought."""
    pose = S.near_pose[index]
    size = T.shape_value[S.near[index, SHAPE_A], BOUND]
    away, turned = 0.0, 0.0
    for i in range(3):
        away += (offset[i] - pose[SOUGHT_AT + i]) ** 2
        for k in range(3):
            turned += (turn[i, k] - pose[SOUGHT_TURN + 3 * i + k]) ** 2
    return np.sqrt(away) + size * np.sqrt(0.5 * turned) > may_move(T, S.near[index])


@kernel
def may_move(T: Tables, row: Ints) -> float:
    """How far [m] two shapes may move against each other until places are sought anew."""
    return MOVED * min(T.shape_value[row[SHAPE_A], BOUND], T.shape_value[row[SHAPE_B], BOUND])


@kernel
def seek(T: Tables, S: Workspace, index: int, turn: Matrix3, offset: Vector3, out: Floats) -> None:
    """Find the places where A is near B, among all samples."""
    row, pose = S.near[index], S.near_pose[index]
    a, b, rounding = row[SHAPE_A], row[SHAPE_B], roundings_of(T, row)
    moved = may_move(T, row)
    reach = max(S.near_margin[LOOKED], 2.0 * moved)
    if S.quick[Quick.MODE] > 0.0:  # there evaluations look no further than steps go
        reach = S.near_margin[LOOKED] + moved
    for i in range(3):
        pose[SOUGHT_AT + i] = offset[i]
        for k in range(3):
            pose[SOUGHT_TURN + 3 * i + k] = turn[i, k]
    for sample in range(T.shape[a, FIRST_SAMPLE], T.shape[a, LAST_SAMPLE]):
        at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
        found = other_field(T, b, turn, offset, (at[0], at[1], at[2]))
        S.sample_gap[sample] = found[0] - rounding
        most = reach + T.sample_value[sample, ROAM]
        if S.sample_gap[sample] < most and not faces(
            T, sample, turn, (found[GX], found[GY], found[GZ]), row[HALVED]
        ):
            S.sample_gap[sample] = most
    leave_out_borne_faces(T, S, row, turn, offset, reach)
    first, last = row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]
    for slot in range(first, last):
        patch = S.patch[slot]
        sample, gap = int(patch[ANCHOR]), -patch[DEPTH]
        if sample >= 0 and gap >= 0.0 and (gap > reach or not is_least(T, S, sample, gap)):
            patch[ANCHOR] = -1.0
            set_apart(S.patch, slot, 1)
    seek_new(T, S, row, turn, offset, reach, out)
    if S.quick[Quick.MODE] == 0.0:
        note_others(T, S, index, turn, offset)


@kernel
def seek_new(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, reach: float, out: Floats
) -> None:
    """New places at the samples that are nearest to B and far from the places there are."""
    for _ in range(CANDIDATES):
        sample, score = best_candidate(T, S, row, turn, offset, reach)
        if sample < 0:
            return
        slot = room_for(T, S, row, score)
        if slot < 0:
            return
        begin(T, S, row, slot, sample, turn, offset, reach, out)
        most = reach + T.sample_value[sample, ROAM]
        S.sample_gap[sample] += most + abs(S.sample_gap[sample])  # looked at


@kernel
def begin(
    T: Tables, S: Workspace, row: Ints, slot: int, sample: int, turn: Matrix3, offset: Vector3,
    reach: float, out: Floats,
) -> None:  # fmt: skip
    """A new place at a sample, where it belongs there, is within reach and no other is near that is
    about as deep."""
    patch = S.patch[slot]
    at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
    put_at(T, sample, patch, (at[0], at[1], at[2]))
    for _ in range(SETTLING):
        set_yielding(T, row[SHAPE_A], row[SHAPE_B], turn, offset, patch)
        find_place(T, row[SHAPE_A], row[SHAPE_B], turn, offset, patch, out)
        for k in range(3):
            patch[START + k] = patch[NOW + k]
    kind = T.sample[sample, SAMPLE_KIND]
    stays = out[0] - roundings_of(T, row) < reach
    if kind == CREASE:
        p = (patch[NOW], patch[NOW + 1], patch[NOW + 2])
        apart = far_from_places(T, S, row, p, slot) / T.shape_value[row[SHAPE_A], BOUND]
        stays = stays and (apart > BETWEEN or is_strictly_least(T, S, sample))
    stays = stays and not is_at_border(T, patch) and is_on_its_side(T, row[SHAPE_A], patch)
    depth = roundings_of(T, row) - out[0]
    for index in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
        other = S.patch[index]
        if index == slot or other[ANCHOR] < 0.0 or not too_near(T, patch, other, APART):
            continue
        if kind == CORNER and T.sample[int(other[ANCHOR]), SAMPLE_KIND] > CORNER:
            continue  # faces and edges that come to rest do so on their corners
        p = (other[NOW], other[NOW + 1], other[NOW + 2])
        ahead = STEEP * size_of((p[0] - patch[NOW], p[1] - patch[NOW + 1], p[2] - patch[NOW + 2]))
        stays = stays and depth - other[DEPTH] > ahead + SLACK * T.shape_value[row[SHAPE_A], BOUND]
    set_apart(S.patch, slot, 1)
    patch[IMPACT] = LEAST_IMPACT
    patch[MASS] = patch[UNTIL] = 0.0  # nothing is known of its force yet
    if stays:
        S.near_count[NEAR_BEGAN] = 1
        patch[DEPTH] = depth
        patch[REST] = max(patch[DEPTH], 0.0)  # found late: it bears what presses it in further
    else:
        patch[ANCHOR] = -1.0
