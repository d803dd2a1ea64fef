"""The smooth integrator: index-1 equations with an explicit method of order 8 and projection after
every step.

Where contacts keep steps shorter than errors would, a method of order 5 does for half the
evaluations.
"""

from __future__ import annotations

import numpy as np

from impeto.core.mechanics.contact.nearby import after_step
from impeto.core.mechanics.contact.travel import set_reach
from impeto.core.mechanics.equations import derivative, largest, normalise, project
from impeto.core.mechanics.flow import note_places
from impeto.core.mechanics.kernel import copy, inlined, kernel
from impeto.core.mechanics.tables import MESH, RACK, SLIDE, TRAVEL
from impeto.core.solvers.method import (
    SHORT_STAGES,
    STAGES,
    combine,
    error_norm,
    interpolate,
    set_dense,
    stages,
)
from impeto.core.solvers.output import store
from impeto.core.solvers.switching import (
    ACCEPTED,
    EASY_STEPS,
    ERROR,
    EVALUATIONS,
    INSTANT,
    LONGEST_TOUCH,
    LONGEST_TURN,
    REJECTED,
    REPEATED,
    ROUGH,
    SHORT_STEP,
    STEP,
    STIFF_STEPS,
    TIME,
    TRIED,
    WORST_GAP,
    WRITTEN,
)

OUTPUTS_IN_STEP = 50  # at most, with contacts
(
    DONE, GOING_ON, TOO_SMALL, NOT_FINITE, EVENT_MET, STIFF, NO_PROGRESS, CONFLICT, CROSSING, RENEW,
    FULL, ON_TIME,
) = range(12)  # fmt: skip
TORN = 1e-5  # of the size or the largest speed: residual of constraints that contradict
STABLE = 4.5  # h·|eigenvalue| near the border (6.1) of the region of stability
WORTH = 0.55  # of the step of order 8: from where one of order 5 goes further for what it costs
SOON = 6.0  # steps within which a contact is to be made or has just been
FAILED, MOST_ROUGH = 5, 15  # accepted steps that weigh up one that failed; that are remembered
REGROWN = 1.05  # of the step of the method that is not in use
MOVED = 1e-3  # of the size or the speeds: by how much projection may change an output
LARGEST_TURN = 2.5  # rad in a step, so that revolutions are counted right


@kernel
def advance(
    T, S, M, state, out, end, tolerance, size, longest, budget, watch, landing
):  # fmt: skip
    """Step towards `end` for at most `budget` steps; return DONE, GOING_ON or what came up.

    tolerance : relative error per step;  size : typical length [m];  longest : step limit [s]
    watch : 1 to return STIFF when steps are limited by stability
    landing : 1 for a step to where a switch is known to change: its guards are not asked

    Steps end at the instant that the timetable gives, and ON_TIME is returned there.
    Switches keep their state within a step. Where a guard has failed at its end, nothing is
    accepted and CROSSING is returned: the caller finds the instant, lands on it, and changes.
    """
    clock, count = state.clock, state.counts
    n = T.mass.shape[0] - 1
    limit = max(2e-14, min(1e-3 * tolerance, 1e-10)) * size
    for _ in range(budget):
        t = clock[TIME]
        if t >= end:
            return DONE
        if t >= clock[INSTANT]:
            return ON_TIME
        goal = min(end, clock[INSTANT])
        left = goal - t
        if not has_room(T, S, out, count[WRITTEN]):
            return FULL
        most = min(longest, left, clock[LONGEST_TURN], clock[LONGEST_TOUCH])
        if T.shape.shape[0] > 0:
            h = min(clock[STEP], most)
            most = min(most, max(out.time[last_in_step(out, count[WRITTEN])] - t, 1e-3 * h))
        short = landing == 0 and is_worth(T, out, clock, count, most, end)
        h = min(clock[SHORT_STEP] if short else clock[STEP], most)
        if left - h < 1e-3 * h:
            h = left
        if h < max(1e-14, 1e-15 * end) or t + 0.1 * h == t:
            return TOO_SMALL
        count[EVALUATIONS] += SHORT_STAGES if short else STAGES
        count[REPEATED] = 0
        if short:
            error, gap = try_short(T, S, M, state, t, h, tolerance, size, limit)
        else:
            error, gap = try_long(T, S, M, state, t, h, tolerance, size, limit, landing)
        if gap == np.inf and not short:
            return CONFLICT
        if not error <= 1.0 and landing == 0:
            count[REJECTED] += 1
            if not np.isfinite(error) and h < 1e-10:
                return NOT_FINITE
            shrink(clock, h, error, short)
            count[ROUGH] = min(count[ROUGH] + FAILED, MOST_ROUGH)
            continue
        if landing == 0 and failed(S.guard):
            if short:  # the instant is found on the dense output of the other method
                clock[STEP], count[REPEATED] = h, 1
                continue
            clock[TRIED] = h
            return CROSSING
        stiff = watch != 0 and not short and stiffness(state, h, n) > STABLE
        take_over(T, S, M, state, out, t, h, limit, end, size, short)
        clock[TIME] = goal if h == left else t + h
        clock[WORST_GAP] = max(clock[WORST_GAP], gap)
        clock[ERROR] += error * tolerance
        planned = clock[STEP]
        grow(clock, h, error, short)
        if h == left and not short:  # cut by the clock, not by what it costs in accuracy
            clock[STEP] = max(clock[STEP], min(planned, 0.9 * h * max(error, 1e-12) ** -0.125))
        count[ROUGH] = max(count[ROUGH] - 1, 0)
        count[ACCEPTED] += 1
        update_scale(state, n, size)
        if S.near_count[1] != 0:
            return RENEW
        count[EASY_STEPS] = 0 if stiff else count[EASY_STEPS] + 1
        if stiff:
            count[STIFF_STEPS] += 1
            if count[STIFF_STEPS] >= 15:
                return STIFF
        elif count[EASY_STEPS] >= 6:
            count[STIFF_STEPS] = 0
    return GOING_ON


@inlined
def try_long(T, S, M, state, t, h, tolerance, size, limit, landing):
    """A step of order 8 into state.fresh; its error over the tolerance, and the gap [m] that is
    left of the constraints, infinite where they contradict."""
    stages(T, S, M.a, M.c, state, t, h, 1, STAGES)
    combine(state.fresh, state.y, state.k, M.b, h, STAGES)
    error, gap = error_norm(T, S, M.e5, M.e3, state, h, tolerance, size), 0.0
    if error <= 1.0 or landing != 0:
        gap = hold(T, S, state, t + h, size, limit)
        if gap < np.inf:
            derivative(T, S, t + h, state.fresh, state.k[STAGES])
    return error, gap


@inlined
def try_short(T, S, M, state, t, h, tolerance, size, limit):
    """The same of order 5, whose error is known only with the rate at its end."""
    stages(T, S, M.short_a, M.short_c, state, t, h, 1, SHORT_STAGES)
    combine(state.fresh, state.y, state.k, M.short_b, h, SHORT_STAGES)
    gap = hold(T, S, state, t + h, size, limit)
    if gap == np.inf:
        return np.inf, gap
    derivative(T, S, t + h, state.fresh, state.k[SHORT_STAGES])
    return error_norm(T, S, M.short_e, M.none, state, h, tolerance, size), gap


@kernel
def hold(T, S, state, t, size, limit):
    """Bring state.fresh onto the constraints; the gap [m] left, infinite where they contradict."""
    gap = project(T, S, t, state.fresh, limit, state.scale[1])
    holds = gap <= TORN * size and largest(S.speed) <= TORN * state.scale[0]
    return gap if holds else np.inf


@inlined
def take_over(T, S, M, state, out, t, h, limit, end, size, short):
    """Let state.fresh be where the run goes on from; outputs within the step are written."""
    clock, last = state.clock, SHORT_STAGES if short else STAGES
    copy(S.guard, S.before)
    note_places(T, S)
    copy(S.coordinate, state.turned)
    for p in range(S.along.shape[0]):
        state.followed[p] = S.track[p, 0]
    clock[LONGEST_TURN] = LARGEST_TURN / fastest_turn(T.coordinate, S.rate)
    written = state.counts[WRITTEN]
    if not short:
        write_outputs(T, S, M, state, out, t, h, limit, end, size)
    if T.shape.shape[0] > 0:
        if state.counts[WRITTEN] > written:
            derivative(T, S, t + h, state.fresh, state.rate)
        S.near_count[3] = 0
        clock[LONGEST_TOUCH] = after_step(T, S, state.fresh)
        if S.near_count[3] != 0:  # places of contact of which nothing is known yet
            derivative(T, S, t + h, state.fresh, state.k[last])
            clock[LONGEST_TOUCH] = after_step(T, S, state.fresh)
        set_reach(T, S, h)
    copy(state.turned, S.turned)  # only now: outputs count revolutions from the start
    for p in range(S.along.shape[0]):
        S.along[p] = state.followed[p]
    copy(state.fresh, state.y)
    copy(state.k[last], state.k[0])


@kernel
def is_worth(T, out, clock, count, most, end):
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
def shrink(clock, h, error, short):
    """Steps after one that was not accurate enough; where the other method asks for more it is
    likely to fail as well."""
    power = 0.2 if short else 0.125
    less = h * (max(0.1, 0.9 * error**-power) if np.isfinite(error) else 0.1)
    if short:
        clock[SHORT_STEP], clock[STEP] = less, min(clock[STEP], h)
    else:
        clock[STEP], clock[SHORT_STEP] = less, min(clock[SHORT_STEP], less)


@kernel
def grow(clock, h, error, short):
    """Steps after an accepted one; the other method is tried again after a while."""
    if short:
        more = h * min(1.2, 0.85 * max(error, 1e-12) ** -0.2)
        clock[SHORT_STEP], clock[STEP] = more, REGROWN * clock[STEP]
    else:
        more = h * min(6.0, 0.9 * max(error, 1e-12) ** -0.125)
        clock[STEP], clock[SHORT_STEP] = more, REGROWN * clock[SHORT_STEP]


@kernel
def last_in_step(out, written):
    """The last output that a step may hold, for which there is room in the list of contacts."""
    return min(written + OUTPUTS_IN_STEP, out.time.shape[0] - 1)


@kernel
def has_room(T, S, out, written):
    """Whether the points of contact of the outputs of a step can be kept."""
    if T.shape.shape[0] == 0 or written == 0:
        return True
    most = S.near_count[2] * (OUTPUTS_IN_STEP + 2)
    return out.touch_end[written - 1] + most <= out.touch.shape[0]


@kernel
def failed(guard):
    """Whether any switch does not hold any more."""
    for value in guard:
        if value < 0.0:
            return True
    return False


@kernel
def fastest_turn(coordinate, rate):
    """Largest rate [rad/s] among the turning coordinates."""
    fastest = 1e-300
    for c in range(coordinate.shape[0]):
        kind = coordinate[c, 1]
        if kind != SLIDE and kind != MESH and kind != RACK and kind != TRAVEL:
            fastest = max(fastest, abs(rate[c]))
    return fastest


@kernel
def stiffness(state, h, n):
    """h·|dominant eigenvalue| from the last two stages (Hairer and Wanner 1996, IV.2)."""
    top, bottom = 0.0, 0.0
    for i in range(13 * n):
        a = state.k[STAGES, i] - state.k[STAGES - 1, i]
        b = state.fresh[i] - state.trial[i]
        top += a * a
        bottom += b * b
    return h * np.sqrt(top / bottom) if bottom > 0.0 else 0.0


@kernel
def update_scale(state, n, size):
    """Largest speed and spin so far: what velocity errors are relative to."""
    speed, spin = state.scale[0], state.scale[1]
    for body in range(n):
        u, own = 7 * n + 6 * body, state.pace[body]
        for k in range(3):
            own = max(own, abs(state.y[u + k]), size * abs(state.y[u + 3 + k]))
        state.pace[body] = own
        speed = max(speed, own)
    state.scale[0] = speed
    state.scale[1] = max(spin, speed / size)


@inlined
def write_outputs(T, S, M, state, out, t, h, limit, end, size):
    """Interpolate, project and store every output time within the step."""
    index = state.counts[WRITTEN]
    if index >= out.time.shape[0] or (out.time[index] > t + h and t + h < end):
        return
    stages(T, S, M.a, M.c, state, t, h, 13, 16)
    state.counts[EVALUATIONS] += 3
    set_dense(state.dense, state, M, h)
    while index < out.time.shape[0] and (out.time[index] <= t + h or t + h >= end):
        moment = out.time[index]
        hold_output(T, S, state, moment, (moment - t) / h, limit, size)
        store(T, S, state.trial, out, index, state.rate, moment)
        state.counts[EVALUATIONS] += 1
        index += 1
    state.counts[WRITTEN] = index


@inlined
def hold_output(T, S, state, moment, share, limit, size):
    """The state at an instant within the step into state.trial, on the constraints.

    Near a singular pose the last factor may point anywhere: then a fresh one is tried, and where
    that moves the state by more than a step's errors do, it stays as interpolated.
    """
    for attempt in range(3):
        interpolate(state.trial, state.y, state.dense, share)
        if attempt == 2:
            normalise(state.trial, T.mass.shape[0] - 1)
            return
        if attempt == 1:
            derivative(T, S, moment, state.trial, state.rate)
        gap = project(T, S, moment, state.trial, limit, state.scale[1])
        interpolate(state.rate, state.y, state.dense, share)
        if gap <= TORN * size and stays(state, T.mass.shape[0] - 1, size):
            return


@kernel
def stays(state, n, size):
    """Whether state.trial is where state.rate is, but for small errors."""
    for i in range(13 * n):
        scale = 1.0
        if i < 7 * n:
            scale = size if i % 7 < 3 else 1.0
        else:
            scale = state.scale[0] if (i - 7 * n) % 6 < 3 else state.scale[1]
        if not abs(state.trial[i] - state.rate[i]) <= MOVED * scale:
            return False
    return True
