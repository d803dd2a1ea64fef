"""What of a sampled shape is not followed as a place of contact, and when it may touch.

A ring that tips over comes down where it was farthest away. When places are sought, the sample is
noted that may touch first, as the two shapes move then; steps end before it does.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    AHEAD,
    ANCHOR,
    BOUND,
    DEPTH,
    FIRST_SAMPLE,
    FIRST_SLOT,
    GX,
    GY,
    GZ,
    IDLE,
    LAST_SAMPLE,
    NOW,
    OTHER,
    PLANE,
    POINT_AT,
    ROAM,
    SAMPLE_KIND,
    SHAPE_A,
    SHAPE_B,
    SLOTS,
    SOUGHT_MOTION,
    START,
    UNTIL,
)
from impeto.core.contact.places import CORNER, CREASE, SMOOTH, other_field, turned_back
from impeto.core.contact.touch import in_axes
from impeto.core.contact.travel import motion_against, size_of, unseen_of, until_touch
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.state import SPIN
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Ints, Matrix3, Vector3

ASIDE = 0.2  # of the speed past B: how fast a sample nears it at least, as surfaces are not flat
KEEPS_UP = 0.3  # of how far a place may move from its sample: in a step
OTHERWISE = 0.3  # of how far shapes may move: by so much a change of speed leads elsewhere


@kernel
def own_motion(
    T: Tables, S: Workspace, a: int, b: int
) -> tuple[float, float, float, float, float, float]:
    """Velocity of the centre of A [m/s] and spin [rad/s] against B: (6,), in the axes of A."""
    u, w = motion_against(T, S, a, b)
    return in_axes(S.shape_place[a], u) + in_axes(S.shape_place[a], w)


@kernel
def note_others(T: Tables, S: Workspace, index: int, turn: Matrix3, offset: Vector3) -> None:
    """Note which sample may touch first among those that no place is near; S.sample_gap holds how
    far each is from B."""
    row, pose = S.near[index], S.near_pose[index]
    a, b = row[SHAPE_A], row[SHAPE_B]
    motion = own_motion(T, S, a, b)
    for k in range(6):
        pose[SOUGHT_MOTION + k] = motion[k]
    pose[OTHER], least = -1.0, np.inf
    for sample in range(T.shape[a, FIRST_SAMPLE], T.shape[a, LAST_SAMPLE]):
        gap = max(S.sample_gap[sample], 0.0)
        if gap >= least * speed_past(T, sample, motion) or is_covered(T, S, row, sample):
            continue
        at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
        found = other_field(T, b, turn, offset, (at[0], at[1], at[2]))
        until = gap / max(speed_towards(T, sample, motion, turn, found), 1e-300)
        if until < least:
            pose[OTHER], least = sample, until


@kernel
def speed_of(
    T: Tables, sample: int, motion: tuple[float, float, float, float, float, float]
) -> tuple[float, float, float]:
    """Velocity (3,) [m/s] of a sample against B, axes of A."""
    at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
    turning = cross((motion[SPIN], motion[SPIN + 1], motion[SPIN + 2]), (at[0], at[1], at[2]))
    return motion[0] + turning[0], motion[1] + turning[1], motion[2] + turning[2]


@kernel
def speed_past(
    T: Tables, sample: int, motion: tuple[float, float, float, float, float, float]
) -> float:
    return size_of(speed_of(T, sample, motion))


@kernel
def speed_towards(
    T: Tables, sample: int, motion: tuple[float, float, float, float, float, float], turn: Matrix3,
    found: tuple[float, float, float, float, float, float, float],
) -> float:  # fmt: skip
    """How fast [m/s] a sample nears B, or what is beside it."""
    u = speed_of(T, sample, motion)
    return max(-dot(turned_back(turn, (found[GX], found[GY], found[GZ])), u), ASIDE * size_of(u))


@kernel
def is_covered(T: Tables, S: Workspace, row: Ints, sample: int) -> bool:
    """Whether a place is near that would come to a sample; flat faces and straight edges come down
    on their ends."""
    kind = T.sample[sample, SAMPLE_KIND]
    if kind == CREASE or (kind == SMOOTH and T.sample_value[sample, PLANE] > 0.0):
        return True
    at, most = T.sample_value[sample, POINT_AT : POINT_AT + 3], T.sample_value[sample, ROAM]
    for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
        patch = S.patch[slot]
        if patch[ANCHOR] == sample:
            return True
        if patch[ANCHOR] < 0.0 or kind == CORNER:
            continue
        way = (patch[NOW] - at[0], patch[NOW + 1] - at[1], patch[NOW + 2] - at[2])
        if dot(way, way) < most * most:
            return True
    return False


@kernel
def until_noted(
    T: Tables, S: Workspace, index: int, turn: Matrix3, offset: Vector3, rounding: float,
    unseen: float,
) -> float:  # fmt: skip
    """Time [s] in which the sample that was noted comes to touch, as A and B now move, or in which
    it goes as far as `unseen` [m]."""
    row, sample = S.near[index], int(S.near_pose[index, OTHER])
    if sample < 0 or is_covered(T, S, row, sample):
        return np.inf
    at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
    found = other_field(T, row[SHAPE_B], turn, offset, (at[0], at[1], at[2]))
    speed = speed_towards(T, sample, own_motion(T, S, row[SHAPE_A], row[SHAPE_B]), turn, found)
    return max(found[0] - rounding, unseen) / max(speed, 1e-300)


@kernel
def moves_otherwise(T: Tables, S: Workspace, index: int, may: float) -> bool:
    """Whether A and B move against each other so differently from when places were sought that a
    step leads elsewhere. may : m, they may move until places are sought anew"""
    a, b, pose = S.near[index, SHAPE_A], S.near[index, SHAPE_B], S.near_pose[index]
    now, bound = own_motion(T, S, a, b), T.shape_value[a, BOUND]
    change = turning = 0.0
    for k in range(3):
        change += (now[k] - pose[SOUGHT_MOTION + k]) ** 2
        turning += (now[3 + k] - pose[SOUGHT_MOTION + 3 + k]) ** 2
    return (np.sqrt(change) + bound * np.sqrt(turning)) * S.near_margin[AHEAD] > OTHERWISE * may


@kernel
def time_to_keep_up(T: Tables, S: Workspace, row: Ints) -> float:
    """Time [s] in which places that touch, or soon may, move by a share of how far they may from
    their samples, as in the last step, so that none is left behind; or in which the surfaces go
    past each other by next to nothing, as on flat faces places may leap."""
    longest, ahead = np.inf, S.near_margin[AHEAD]
    if ahead == 0.0 or row[IDLE] != 0:  # no step has led here
        return np.inf
    for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
        patch = S.patch[slot]
        if patch[ANCHOR] < 0.0 or (patch[DEPTH] <= 0.0 and patch[UNTIL] > ahead):
            continue
        u = (
            patch[NOW] - patch[START], patch[NOW + 1] - patch[START + 1],
            patch[NOW + 2] - patch[START + 2],
        )  # fmt: skip
        most = KEEPS_UP * T.sample_value[int(patch[ANCHOR]), ROAM]
        until = ahead * most / max(size_of(u), 1e-300)
        longest = min(longest, max(until, until_touch(T, S, row, patch, unseen_of(T, row))))
    return longest
