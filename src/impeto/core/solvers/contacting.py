"""Keeping the list of near shapes, and with it the size of the state, up to date during a run."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import place
from impeto.core.contact.blocks import CORNERS
from impeto.core.contact.columns import (
    ANCHOR,
    BODY,
    BOUND,
    DEPTH,
    ELASTIC,
    FIRST_SLOT,
    HALVED,
    IMPACT,
    KIND,
    NEAR_WIDTH,
    PATCH_WIDTH,
    POSE_WIDTH,
    REST,
    SHAPE_A,
    SHAPE_B,
    SLOTS,
    STATES,
    TAKEN,
)
from impeto.core.contact.features import CLOSE
from impeto.core.contact.fields import BLOCK
from impeto.core.contact.forces import place_shapes
from impeto.core.contact.law import LEAST_IMPACT
from impeto.core.contact.layout import slots_of_shapes
from impeto.core.contact.nearby import find_near, pair_rows, seek_places, set_gaps
from impeto.core.contact.touch import set_apart
from impeto.core.contact.travel import ENDLESS, set_allowances
from impeto.core.dynamics.columns import Quick
from impeto.core.dynamics.state import extras_at
from impeto.core.dynamics.tables import X_BRISTLES, X_END, Tables, Workspace
from impeto.core.solvers.initial_conditions import Start
from impeto.core.solvers.switching import present

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
SHARE = 0.1  # of the mean extent of the shapes: least margin
AHEAD, TURNING = 0.01, 0.02  # s of travel at the highest speed: least margin; of turning
# In quick mode, where far pairs cost little beside a fresh list: times the least margin, the time
# [s] and the steps for which every shape has a margin of its own, steps of fall that all share.
QUICK_SHARE, QUICK_AHEAD, QUICK_STEPS, QUICK_FALLS = 4.0, 0.03, 8.0, 30.0


def renewed(T: Tables, S: Workspace, t: float, y: Floats) -> tuple[Tables, Workspace, Floats]:
    """Tables, workspace and state with a fresh list of near shapes.

    Bristles and impact speeds of pairs that stay near are kept. Larger arrays are made where the
    present ones have no room.
    """
    place(T, S, t, y)
    place_shapes(T, S)
    margin = _margin(T, S)
    ahead = (
        max(QUICK_AHEAD, QUICK_STEPS * float(S.quick[Quick.STEP]))
        if S.quick[Quick.MODE] > 0.0
        else 0.0
    )
    set_allowances(T, S, margin, ahead, max(ahead, TURNING))
    rows = _really_near(T, S, _near_rows(T, S, margin), margin)
    kept = _memory(T, S, y, rows)
    slots = int(rows[-1, FIRST_SLOT] + rows[-1, SLOTS]) if len(rows) else 0
    if slots > len(S.patch) or len(rows) > len(S.near):
        T, S, y = _larger(T, S, y, max(slots, len(S.patch)), len(rows))
    first = extras_at(len(T.mass) - 1) + int(T.extra[X_BRISTLES])
    states = y[first : first + STATES * len(S.patch)].reshape(-1, STATES)
    states[:] = 0.0
    set_apart(S.patch, 0, len(S.patch))
    S.patch[:, IMPACT] = LEAST_IMPACT
    S.patch[:, ANCHOR] = -1.0
    goes_to, patches, memories = kept
    S.patch[goes_to], states[goes_to] = patches, memories
    S.near[: len(rows)] = rows
    S.near_from[:] = S.shape_place
    S.near_margin[:] = margin, margin, CLOSE, 0.0, np.inf, 0.0
    S.near_count[:3] = len(rows), 0, slots
    seek_places(T, S)
    return T, S, y


def finite_bounds(T: Tables) -> Floats:
    """Radii [m] of the balls around the shapes that end somewhere."""
    bounds = T.shape_value[:, BOUND]
    return np.asarray(bounds[bounds < ENDLESS])


def _margin(T: Tables, S: Workspace) -> float:
    """m, that all shapes share"""
    finite = finite_bounds(T)
    least = SHARE * float(finite.mean()) if len(finite) else 0.1
    if S.quick[Quick.MODE] > 0.0:
        fall = float(S.quick[Quick.STEP]) ** 2 * float(np.linalg.norm(T.gravity))
        return max(QUICK_SHARE * least, QUICK_FALLS * fall)
    return max(least, AHEAD * float(np.linalg.norm(S.v, axis=1).max(initial=0.0)))


def _near_rows(T: Tables, S: Workspace, margin: float) -> Ints:
    order = np.flatnonzero(present(T, S)[T.shape[:, BODY]])
    found = np.zeros((4 * len(T.shape) + 16, 3), dtype=np.int64)
    about = (T.shape, T.shape_value, S.shape_place, T.pairing, margin, S.near_further, order)
    count = find_near(*about, found)
    if count > len(found):
        found = np.zeros((count, 3), dtype=np.int64)
        find_near(*about, found)
    pairs = found[:count]
    pairs = pairs[np.lexsort(pairs.T[::-1])]  # the same order whatever the sweep met first
    rows = np.zeros((2 * count, NEAR_WIDTH), dtype=np.int64)
    made = pair_rows(T.shape, pairs, slots_of_shapes(T), rows)
    return _one_way(T, rows[:made]) if S.quick[Quick.MODE] > 0.0 else rows[:made]


def _one_way(T: Tables, rows: Ints) -> Ints:
    """In quick mode two blocks need one row, which holds their faces against each other."""
    a, b = rows[:, SHAPE_A], rows[:, SHAPE_B]
    blocks = (T.shape[a, KIND] == BLOCK) & (T.shape[b, KIND] == BLOCK)
    rows[blocks, SLOTS], rows[blocks, HALVED] = CORNERS, 0
    return rows[~blocks | (a < b)]


def _really_near(T: Tables, S: Workspace, rows: Ints, margin: float) -> Ints:
    """The rows whose shapes, and not just the balls around them, are within the margin; slots
    numbered anew."""
    gaps = np.zeros(len(rows))
    may = S.near_further + S.near_turning
    reaches = margin + may[rows[:, SHAPE_A]] + may[rows[:, SHAPE_B]]
    set_gaps(T, S, rows, reaches, gaps)
    rows = rows[gaps < reaches]
    rows[:, FIRST_SLOT] = np.concatenate([[0], np.cumsum(rows[:, SLOTS])])[: len(rows)]
    return rows


def _memory(T: Tables, S: Workspace, y: Floats, rows: Ints) -> tuple[Ints, Floats, Floats]:
    """Points of pairs that stay near: where they go to, their patches and states."""
    first = extras_at(len(T.mass) - 1) + int(T.extra[X_BRISTLES])
    old = S.near[: S.near_count[0]]
    count = len(T.shape)
    _, before, after = np.intersect1d(
        old[:, SHAPE_A] * count + old[:, SHAPE_B], rows[:, SHAPE_A] * count + rows[:, SHAPE_B],
        assume_unique=True, return_indices=True,
    )  # fmt: skip
    size = rows[after, SLOTS]
    within = np.arange(size.sum()) - np.repeat(np.cumsum(size) - size, size)
    come_from = np.repeat(old[before, FIRST_SLOT], size) + within
    states = y[first : first + STATES * len(S.patch)].reshape(-1, STATES)
    goes_to = np.repeat(rows[after, FIRST_SLOT], size) + within
    return goes_to, S.patch[come_from], states[come_from]


def _larger(
    T: Tables, S: Workspace, y: Floats, slots: int, pairs: int
) -> tuple[Tables, Workspace, Floats]:
    """Room for half as many points of contact again."""
    room, pairs = slots + slots // 2 + 8, pairs + pairs // 2 + 8
    extra = T.extra.copy()
    extra[X_BRISTLES + 1 :] = extra[X_BRISTLES] + STATES * room
    n = len(T.mass) - 1
    state = np.zeros(extras_at(n) + int(extra[X_END]))
    kept = extras_at(n) + int(extra[X_BRISTLES])
    state[:kept] = y[:kept]
    S = S.replaced(
        patch=np.zeros((room, PATCH_WIDTH)),
        near=np.zeros((pairs, NEAR_WIDTH), dtype=np.int64),
        near_gap=np.zeros(pairs),
        near_start=np.zeros(pairs),
        near_pose=np.zeros((pairs, POSE_WIDTH)),
        power=np.zeros(int(extra[X_END])),
    )
    return T.replaced(extra=extra), S, state


def with_memory(T: Tables, S: Workspace, start: Start) -> tuple[Tables, Workspace, Floats]:
    """Tables, workspace and state of a run from a start: points of contact have pressed and stuck
    as in the run that came to rest there. In quick mode, whose points keep impulses, they press
    anew."""
    y, touching = start.state, start.touching
    if touching is None or S.quick[Quick.MODE] > 0.0:
        return T, S, y
    kept, n = touching.workspace, len(T.mass) - 1
    T, S, y = _larger(T, S, y, len(kept.patch), len(kept.near))
    for name in ("near", "near_gap", "near_start", "near_pose", "patch"):
        source = getattr(kept, name)
        getattr(S, name)[: len(source)] = source
    S.near_count[:] = kept.near_count
    states = touching.state[extras_at(n) + int(touching.tables.extra[X_BRISTLES]) :]
    first, size = extras_at(n) + int(T.extra[X_BRISTLES]), STATES * len(kept.patch)
    y[first : first + size] = states[:size]
    return T, S, y


def trust_overlaps(T: Tables, S: Workspace, y: Floats) -> None:
    """Points that are pressed in may push from here on: they count as having taken in the energy of
    that, at least. S holds the evaluation at y."""
    S.patch[:, REST] = 0.0
    first = extras_at(len(T.mass) - 1) + int(T.extra[X_BRISTLES])
    states = y[first : first + STATES * len(S.patch)].reshape(-1, STATES)
    touching = S.patch[:, DEPTH] > 0.0
    states[touching, TAKEN] = np.maximum(states[touching, TAKEN], S.patch[touching, ELASTIC])
