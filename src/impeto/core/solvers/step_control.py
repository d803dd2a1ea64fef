"""Step control: how long the next step may be, which of two methods makes it, and when stability
rather than accuracy limits it."""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.integration import (
    ACCEPTED,
    EASY_STEPS,
    INSTANT,
    LONGEST_TOUCH,
    REPEATED,
    ROUGH,
    SHORT_STEP,
    STEP,
    STIFF_STEPS,
    TIME,
    WRITTEN,
    Integration,
)
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.state import extras_at
from impeto.core.dynamics.tables import Tables
from impeto.core.geometry.arrays import Floats, Ints
from impeto.core.solvers.output import Outputs
from impeto.core.solvers.runge_kutta import STAGES

LIMITED, EASY = 15, 6  # steps at the border until the method is called stiff; within, until not
WORTH = 0.55  # of the step of order 8: from where one of order 5 goes further for what it costs
SOON = 6.0  # steps within which a contact is to be made or has just been
FAILED, MOST_ROUGH = 5, 15  # accepted steps that weigh up one that failed; that are remembered
REGROWN = 1.05  # of the step of the method that is not in use


@inlined
def go_on(state: Integration, h: float, error: float, end: float, short: bool) -> None:
    """Time and step lengths after a step that was accepted."""
    clock, count = state.clock, state.counts
    goal = min(end, clock[INSTANT])
    cut = h == goal - clock[TIME]
    clock[TIME] = goal if cut else clock[TIME] + h
    planned = clock[STEP]
    lengthen_steps(clock, h, error, short)
    if cut and not short:  # by the clock, not by what it costs in accuracy
        clock[STEP] = max(clock[STEP], min(planned, 0.9 * h * max(error, 1e-12) ** -0.125))
    count[ROUGH] = max(count[ROUGH] - 1, 0)
    count[ACCEPTED] += 1


@inlined
def is_limited(count: Ints, stiff: bool) -> bool:
    """Whether stability has limited so many steps that another method should go on."""
    count[EASY_STEPS] = 0 if stiff else count[EASY_STEPS] + 1
    if stiff:
        count[STIFF_STEPS] += 1
    elif count[EASY_STEPS] >= EASY:
        count[STIFF_STEPS] = 0
    return stiff and count[STIFF_STEPS] >= LIMITED


@kernel
def is_worth(T: Tables, out: Outputs, clock: Floats, count: Ints, most: float, end: float) -> bool:
    """Whether a step of order 5 goes further for what it costs: only while contacts are made or
    steps often fail, and not where outputs lie in it."""
    smooth = clock[LONGEST_TOUCH] > SOON * clock[STEP] and count[ROUGH] < FAILED
    if T.shape.shape[0] == 0 or smooth or count[REPEATED] != 0:
        return False
    h, t, index = min(clock[SHORT_STEP], most), clock[TIME], count[WRITTEN]
    if index >= out.time.shape[0] or out.time[index] <= t + h or t + h >= end:
        return False
    return h > WORTH * min(clock[STEP], most)


@kernel
def shorten_steps(clock: Floats, h: float, error: float, short: bool) -> None:
    """Steps after one that was not accurate enough; where the other method asks for more it is
    likely to fail as well."""
    power = 0.2 if short else 0.125
    less = h * (max(0.1, 0.9 * error**-power) if np.isfinite(error) else 0.1)
    if short:
        clock[SHORT_STEP], clock[STEP] = less, min(clock[STEP], h)
    else:
        clock[STEP], clock[SHORT_STEP] = less, min(clock[SHORT_STEP], less)


@kernel
def lengthen_steps(clock: Floats, h: float, error: float, short: bool) -> None:
    """Steps after an accepted one; the other method is tried again after a while."""
    if short:
        more = h * min(1.2, 0.85 * max(error, 1e-12) ** -0.2)
        clock[SHORT_STEP], clock[STEP] = more, REGROWN * clock[STEP]
    else:
        more = h * min(6.0, 0.9 * max(error, 1e-12) ** -0.125)
        clock[STEP], clock[SHORT_STEP] = more, REGROWN * clock[SHORT_STEP]


@kernel
def stiffness(state: Integration, h: float, n: int) -> float:
    """h·|dominant eigenvalue| from the last two stages (Hairer and Wanner 1996, IV.2)."""
    top, bottom = 0.0, 0.0
    for i in range(extras_at(n)):
        a = state.k[STAGES, i] - state.k[STAGES - 1, i]
        b = state.y_new[i] - state.trial[i]
        top += a * a
        bottom += b * b
    return h * np.sqrt(top / bottom) if bottom > 0.0 else 0.0
