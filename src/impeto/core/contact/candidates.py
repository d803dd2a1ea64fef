"""Which samples of a shape become places of contact: those near the other, far from each other."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.bearing import goes_on, is_on_a_face
from impeto.core.contact.columns import (
    ANCHOR,
    BOUND,
    DEPTH,
    FIRST_SAMPLE,
    FIRST_SLOT,
    HALVED,
    LAST_SAMPLE,
    NEIGHBOUR,
    NOW,
    POINT_AT,
    REACH,
    ROAM,
    SAMPLE_KIND,
    SAMPLE_WIDTH,
    SHAPE_A,
    SLOTS,
)
from impeto.core.contact.places import CORNER
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.geometry.arrays import Ints, Matrix3, Vector3

SLACK = 1e-3  # of the reach: neighbours that are nearer by less do not make a place pointless
SPREAD = 0.05  # metres of depth that a metre of distance from other places is worth
HELD = 0.01  # of the extent: what a place that touches, or that a face needs, is favoured by
FIRST = 1e-3  # of the extent: what a corner is favoured by beside what is level with it


@kernel
def far_from(T: Tables, sample: int, p: Vector3) -> float:
    at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
    return np.sqrt((at[0] - p[0]) ** 2 + (at[1] - p[1]) ** 2 + (at[2] - p[2]) ** 2)


@kernel
def room_for(T: Tables, S: Workspace, row: Ints, score: float) -> int:
    """A slot without a place, or that of the one which matters least, if less than this: what
    bears beside others gives way to a corner that comes down."""
    worst, most = -1, score
    for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
        patch = S.patch[slot]
        if patch[ANCHOR] < 0.0:
            return slot
        p = (patch[NOW], patch[NOW + 1], patch[NOW + 2])
        value = -patch[DEPTH] - SPREAD * far_from_places(T, S, row, p, slot)
        for favoured in (patch[DEPTH] >= 0.0, is_needed(T, row, int(patch[ANCHOR]))):
            value -= HELD * T.shape_value[row[SHAPE_A], BOUND] if favoured else 0.0
        if value > most:
            worst, most = slot, value
    return worst


@kernel
def is_needed(T: Tables, row: Ints, sample: int) -> bool:
    """Whether a sample is on a flat face that nothing else bears: others have been left out."""
    return row[HALVED] == 1 and is_on_a_face(T, sample)


@kernel
def is_least(T: Tables, S: Workspace, sample: int, gap: float) -> bool:
    """Whether no neighbour of a sample is nearer to B; corners count always, as a flat face that
    rocks comes down on them. What is smooth does not give way to its edges: B may come down between
    samples that are far apart."""
    kind = T.sample[sample, SAMPLE_KIND]
    if kind == CORNER:
        return True
    slack = SLACK * T.sample_value[sample, REACH]
    for k in range(NEIGHBOUR, SAMPLE_WIDTH):
        other = T.sample[sample, k]
        if other < 0 or T.sample[other, SAMPLE_KIND] < kind:
            continue
        if S.sample_gap[other] < gap - slack - SLACK * far_from_sample(T, sample, other):
            return False
    return True


@kernel
def is_strictly_least(T: Tables, S: Workspace, sample: int) -> bool:
    """Whether every neighbour of a sample is farther from B: not so along a flat edge."""
    for k in range(NEIGHBOUR, SAMPLE_WIDTH):
        other = T.sample[sample, k]
        slack = SLACK * far_from_sample(T, sample, other) if other >= 0 else 0.0
        if other >= 0 and S.sample_gap[other] < S.sample_gap[sample] + slack:
            return False
    return True


@kernel
def far_from_sample(T: Tables, sample: int, other: int) -> float:
    at = T.sample_value[other, POINT_AT : POINT_AT + 3]
    return far_from(T, sample, (at[0], at[1], at[2]))


@kernel
def best_candidate(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, reach: float
) -> tuple[int, float]:
    """The sample that is nearest to B and far from the places there are, and its score; −1 when
    there is none."""
    best, score = -1, np.inf
    for sample in range(T.shape[row[SHAPE_A], FIRST_SAMPLE], T.shape[row[SHAPE_A], LAST_SAMPLE]):
        gap = S.sample_gap[sample]
        if gap >= reach + T.sample_value[sample, ROAM] or not is_least(T, S, sample, gap):
            continue
        at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
        gap -= SPREAD * far_from_places(T, S, row, (at[0], at[1], at[2]), -1)
        first = FIRST * T.shape_value[row[SHAPE_A], BOUND]
        if is_needed(T, row, sample):
            gap -= HELD * T.shape_value[row[SHAPE_A], BOUND]
        elif gap - first < score and T.sample[sample, SAMPLE_KIND] == CORNER:
            gap -= first if goes_on(T, S, row, turn, offset, sample) else 0.0
        if gap < score:
            best, score = sample, gap
    return best, score


@kernel
def far_from_places(T: Tables, S: Workspace, row: Ints, p: Vector3, but: int) -> float:
    """The way [m] from a point to the nearest place of a pair but one; at most the extent."""
    away = T.shape_value[row[SHAPE_A], BOUND]
    for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
        patch = S.patch[slot]
        if patch[ANCHOR] >= 0.0 and slot != but:
            square = 0.0
            for k in range(3):
                square += (patch[NOW + k] - p[k]) ** 2
            away = min(away, np.sqrt(square))
    return away
