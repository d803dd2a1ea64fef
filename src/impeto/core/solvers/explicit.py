"""The explicit method: index-1 equations with an explicit method of order 8 and projection after
every step.

Where contacts keep steps shorter than errors would, a method of order 5 does for half the
evaluations.
"""

from __future__ import annotations

import time
from typing import ClassVar

import numpy as np
import numpy.typing as npt

from impeto.core.mechanics.contact.nearby import after_step
from impeto.core.mechanics.contact.travel import set_reach
from impeto.core.mechanics.equations import derivative, largest, project
from impeto.core.mechanics.flow import note_places
from impeto.core.mechanics.kernel import copy, inlined, kernel
from impeto.core.solvers.event_location import first_crossing, smallest_step
from impeto.core.solvers.integration import (
    ACCEPTED,
    CROSSED,
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
from impeto.core.solvers.output import OUTPUTS_IN_STEP, TORN, write_outputs
from impeto.core.solvers.run import Run
from impeto.core.solvers.runge_kutta import (
    SHORT_STAGES,
    STAGES,
    combine,
    error_norm,
    extra_stages,
    interpolate,
    method,
    set_dense,
    stages,
)
from impeto.core.solvers.scales import LARGEST_TURN, fastest_turn, update_scale
from impeto.core.solvers.status import (
    CONFLICT,
    CROSSING,
    DONE,
    FULL,
    GOING_ON,
    NO_PROGRESS,
    NOT_FINITE,
    ON_TIME,
    RENEW,
    STIFF,
    TOO_SMALL,
)

Floats = npt.NDArray[np.float64]
CHUNK_TIME = 0.03  # s of wall time between two looks at the clock
FIRST_CHUNK, MOST_CHUNK = 20, 2000  # steps in a chunk
STABLE = 4.5  # h·|eigenvalue| near the border (6.1) of the region of stability
WORTH = 0.55  # of the step of order 8: from where one of order 5 goes further for what it costs
SOON = 6.0  # steps within which a contact is to be made or has just been
FAILED, MOST_ROUGH = 5, 15  # accepted steps that weigh up one that failed; that are remembered
REGROWN = 1.05  # of the step of the method that is not in use


class Explicit:
    """Steps of the explicit method; see stepper.Stepper."""

    title: ClassVar[str] = "smooth"

    def __init__(self, run: Run, watch: bool = False) -> None:
        """watch : whether to answer STIFF where stability limits the steps"""
        self.run, self.watch = run, int(watch)
        self.method = method()
        self.chunk = FIRST_CHUNK

    def advance(self) -> int:
        """So many steps as take about CHUNK_TIME of wall time."""
        began = time.perf_counter()
        status = self.steps(self.chunk)
        spent = max(time.perf_counter() - began, 1e-6)
        most = min(4 * self.chunk, MOST_CHUNK)
        self.chunk = int(min(max(self.chunk * CHUNK_TIME / spent, 1), most))
        return status

    def restart(self) -> None:
        """Nothing is kept from step to step but the state."""

    resume = restart

    def steps(self, count: int) -> int:
        """So many steps, or up to what comes up; switches that change are changed."""
        status = self._step(count, self.watch, 0)
        return self._land() if status == CROSSING else status

    def _step(self, count: int, watch: int, landing: int) -> int:
        run, plan = self.run, self.run.plan
        return int(
            advance(
                run.tables, run.workspace, self.method, run.state, run.outputs, plan.end,
                plan.tolerance, run.system.size, min(plan.end / 10.0, plan.longest), count, watch,
                landing,
            )
        )  # fmt: skip

    def _land(self) -> int:
        """Step exactly to where the first guard fails within the step just tried, and change."""
        run = self.run
        T, S, state = run.tables, run.workspace, run.state
        whole, t = float(state.clock[TRIED]), float(state.clock[TIME])
        extra_stages(T, S, self.method, state, t, whole)
        set_dense(state.dense, state, self.method, whole)
        derivative(T, S, t + whole, state.y_new, state.rate)

        def guards(share: float) -> Floats:
            interpolate(state.trial, state.y, state.dense, share)
            derivative(T, S, t + share * whole, state.trial, state.rate)
            state.counts[EVALUATIONS] += 1
            return np.asarray(S.guard)

        index, share = first_crossing(guards, S.before, S.guard.copy())
        state.clock[CROSSED] = index
        if share * whole >= smallest_step(run.plan.end):
            state.clock[STEP] = share * whole
            status = self._step(1, 0, 1)
            if status not in (GOING_ON, DONE):
                return status
        state.clock[STEP] = whole
        status = run.change(index)
        if status != NO_PROGRESS:
            state.clock[STEP] = min(whole, run.fitting_step())
        return status


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
            shorten_steps(clock, h, error, short)
            count[ROUGH] = min(count[ROUGH] + FAILED, MOST_ROUGH)
            continue
        if landing == 0 and failed(S.guard):
            if short:  # the instant is found on the dense output of the other method
                clock[STEP], count[REPEATED] = h, 1
                continue
            clock[TRIED] = h
            return CROSSING
        stiff = watch != 0 and not short and stiffness(state, h, n) > STABLE
        accept(T, S, M, state, out, t, h, limit, end, size, short)
        clock[TIME] = goal if h == left else t + h
        clock[WORST_GAP] = max(clock[WORST_GAP], gap)
        clock[ERROR] += error * tolerance
        planned = clock[STEP]
        lengthen_steps(clock, h, error, short)
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
    """A step of order 8 into state.y_new; its error over the tolerance, and the gap [m] that is
    left of the constraints, infinite where they contradict."""
    stages(T, S, M.a, M.c, state, t, h, 1, STAGES)
    combine(state.y_new, state.y, state.k, M.b, h, STAGES)
    error, gap = error_norm(T, S, M.e5, M.e3, state, h, tolerance, size), 0.0
    if error <= 1.0 or landing != 0:
        gap = hold(T, S, state, t + h, size, limit)
        if gap < np.inf:
            derivative(T, S, t + h, state.y_new, state.k[STAGES])
    return error, gap


@inlined
def try_short(T, S, M, state, t, h, tolerance, size, limit):
    """The same of order 5, whose error is known only with the rate at its end."""
    stages(T, S, M.short_a, M.short_c, state, t, h, 1, SHORT_STAGES)
    combine(state.y_new, state.y, state.k, M.short_b, h, SHORT_STAGES)
    gap = hold(T, S, state, t + h, size, limit)
    if gap == np.inf:
        return np.inf, gap
    derivative(T, S, t + h, state.y_new, state.k[SHORT_STAGES])
    return error_norm(T, S, M.short_e, M.none, state, h, tolerance, size), gap


@kernel
def hold(T, S, state, t, size, limit):
    """Bring state.y_new onto the constraints; the gap [m] left, infinite where they contradict."""
    gap = project(T, S, t, state.y_new, limit, state.scale[1])
    holds = gap <= TORN * size and largest(S.speed) <= TORN * state.scale[0]
    return gap if holds else np.inf


@inlined
def accept(T, S, M, state, out, t, h, limit, end, size, short):
    """Let state.y_new be where the run goes on from; outputs within the step are written."""
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
            derivative(T, S, t + h, state.y_new, state.rate)
        S.near_count[3] = 0
        clock[LONGEST_TOUCH] = after_step(T, S, state.y_new)
        if S.near_count[3] != 0:  # places of contact of which nothing is known yet
            derivative(T, S, t + h, state.y_new, state.k[last])
            clock[LONGEST_TOUCH] = after_step(T, S, state.y_new)
        set_reach(T, S, h)
    copy(state.turned, S.turned)  # only now: outputs count revolutions from the start
    for p in range(S.along.shape[0]):
        S.along[p] = state.followed[p]
    copy(state.y_new, state.y)
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
def shorten_steps(clock, h, error, short):
    """Steps after one that was not accurate enough; where the other method asks for more it is
    likely to fail as well."""
    power = 0.2 if short else 0.125
    less = h * (max(0.1, 0.9 * error**-power) if np.isfinite(error) else 0.1)
    if short:
        clock[SHORT_STEP], clock[STEP] = less, min(clock[STEP], h)
    else:
        clock[STEP], clock[SHORT_STEP] = less, min(clock[SHORT_STEP], less)


@kernel
def lengthen_steps(clock, h, error, short):
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
def stiffness(state, h, n):
    """h·|dominant eigenvalue| from the last two stages (Hairer and Wanner 1996, IV.2)."""
    top, bottom = 0.0, 0.0
    for i in range(13 * n):
        a = state.k[STAGES, i] - state.k[STAGES - 1, i]
        b = state.y_new[i] - state.trial[i]
        top += a * a
        bottom += b * b
    return h * np.sqrt(top / bottom) if bottom > 0.0 else 0.0
