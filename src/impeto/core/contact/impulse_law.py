"""How a point of contact answers in quick mode: by its own law where that is soft against the
step, else by its restitution; and what backs it."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    BACKED,
    CLOSING,
    DEPTH,
    ELASTIC,
    FIRST_SLOT,
    IDLE,
    IMPACT,
    MASS,
    NEAR_PAIRS,
    RULE,
    SHAPE_A,
    SHAPE_B,
    SLOPE,
    SLOTS,
    WORK,
)
from impeto.core.contact.law import DAMPING_LIMIT, IMPACT_DAMPING, RESTITUTION
from impeto.core.contact.sweeps import BIAS, COMPLIANCE, PAIR, SLOT, SPRING, Sweeps
from impeto.core.contact.touch import SPARE
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.geometry.arrays import Floats, IntRows

FOLLOWED = 0.3  # of m/h²: stiffness up to which a contact keeps its own law
STIFFEST = 5.0  # of m/h²: stiffness of a contact that rests, at most
ROUNDED = 1e-6  # of a step's way: what comes as near as that meets, with all its points at once


@kernel
def stored_at(patch: Floats, h: float) -> float:
    """J in the spring of a point (PATCH_WIDTH,) in a step of h seconds, at most."""
    if patch[DEPTH] <= 0.0 or patch[MASS] == 0.0:
        return 0.0
    stiffest = patch[MASS] / (h * h)
    if patch[SLOPE] < FOLLOWED * stiffest:
        return patch[ELASTIC]
    return 0.5 * min(patch[SLOPE], STIFFEST * stiffest) * patch[DEPTH] ** 2


@kernel
def trust_depths(S: Workspace, h: float) -> None:
    """At the start of a run: what is pressed in may push, as if it had been pressed in."""
    for pair in range(S.near_count[NEAR_PAIRS]):
        row = S.near[pair]
        for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
            if S.patch[slot, DEPTH] > 0.0:
                S.patch[slot, WORK] = stored_at(S.patch[slot], h)


@kernel
def is_way_back(near: IntRows, pair: int) -> bool:
    """Whether a row has the shapes of the row before the other way round."""
    if pair == 0:
        return False
    row, before = near[pair], near[pair - 1]
    return row[SHAPE_A] == before[SHAPE_B] and row[SHAPE_B] == before[SHAPE_A]


@kernel
def back_pairs(S: Workspace, h: float) -> None:
    """Set which share of its force backs each point: two shapes give back no more than has gone
    into the springs between them. Their points change in number while they go into each other, and
    each comes with a depth that it never went through; an impact leaves a depth that cost nothing.
    """
    pair = 0
    while pair < S.near_count[NEAR_PAIRS]:
        after = pair + 1
        if after < S.near_count[NEAR_PAIRS] and is_way_back(S.near, after):
            after += 1
        taken, stored, spare = 0.0, 0.0, 0.0
        for index in range(pair, after):
            row = S.near[index]
            for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
                patch = S.patch[slot]
                taken += patch[WORK]
                if row[IDLE] == 0 and patch[DEPTH] > 0.0:
                    stored += stored_at(patch, h)
                    spare = max(spare, SPARE * patch[MASS] * patch[IMPACT] ** 2)
        share = min((max(taken, 0.0) + spare) / (stored + spare), 1.0) if stored > 0.0 else 1.0
        kept = min(stored / taken, 1.0) if taken > 0.0 else 1.0  # the rest is lost
        for index in range(pair, after):
            row = S.near[index]
            for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
                S.patch[slot, BACKED] = share
                S.patch[slot, WORK] *= kept if stored > 0.0 else 0.0
        pair = after


@kernel
def set_law(T: Tables, S: Workspace, Q: Sweeps, index: int, h: float, fallen: float) -> None:
    """Softness and aim along the normal: separation speed = aim − softness · impulse, or more.

    fallen : m/s; slower impacts do not bounce
    """
    out, rule = Q.number[index], T.rule_value[S.near[Q.joined[index, PAIR], RULE]]
    patch = S.patch[Q.joined[index, SLOT]]
    mass, depth, closing = patch[MASS], patch[DEPTH], patch[CLOSING]
    stiffness, out[COMPLIANCE] = out[SPRING], 0.0
    if stiffness < FOLLOWED * mass / (h * h):
        stiffness *= patch[BACKED]
        rate = stiffness * max(depth, 0.0) * rule[IMPACT_DAMPING] / max(patch[IMPACT], 1e-3)
        rate = min(rate, 1.5 * rule[DAMPING_LIMIT] * np.sqrt(stiffness * mass))
    elif depth <= 0.0 or closing > fallen:
        out[BIAS] = min(depth, 0.0) / h
        meets = depth + h * closing > -ROUNDED * h * closing
        if closing > fallen and meets and rule[RESTITUTION] > 0.0:
            out[BIAS] = max(out[BIAS], rule[RESTITUTION] * closing)
        return
    else:
        stiffness = min(stiffness, STIFFEST * mass / (h * h))
        rate = 2.0 * stiffness * h  # pushes a third of the depth out in a step
    out[COMPLIANCE] = 1.0 / (h * (stiffness * h + rate))
    backed = fallen + np.sqrt(2.0 * patch[BACKED] * stored_at(patch, h) / mass)
    out[BIAS] = min(depth * stiffness / (stiffness * h + rate), backed)
