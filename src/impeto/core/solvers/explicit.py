"""The explicit method: index-1 equations with an explicit method of order 8 and projection after
every step.

Where contacts keep steps shorter than errors would, a method of order 5 does for half the
evaluations.
"""

from __future__ import annotations

import time
from typing import ClassVar

import numpy as np

from impeto.core.assembly.equations import derivative, largest, project
from impeto.core.contact.columns import NEAR_BEGAN, NEAR_RENEW
from impeto.core.contact.nearby import after_step
from impeto.core.contact.travel import passed_unseen, set_reach
from impeto.core.dynamics.integration import (
    CROSSED,
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
    TIME,
    TRIED,
    WORST_GAP,
    WRITTEN,
    Integration,
)
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.flow.kernels import note_places
from impeto.core.geometry.arrays import Floats
from impeto.core.solvers.event_location import first_crossing, smallest_step
from impeto.core.solvers.output import OUTPUTS_IN_STEP, TORN, Outputs, write_outputs
from impeto.core.solvers.run import Run
from impeto.core.solvers.runge_kutta import (
    SHORT_STAGES,
    STAGES,
    Method,
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
from impeto.core.solvers.step_control import (
    FAILED,
    MOST_ROUGH,
    go_on,
    is_limited,
    is_worth,
    shorten_steps,
    stiffness,
)

CHUNK_TIME = 0.06  # s of wall time between two looks at the clock
FIRST_CHUNK, MOST_CHUNK = 20, 8000  # steps in a chunk
STABLE = 4.5  # h·|eigenvalue| near the border (6.1) of the region of stability


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
    T: Tables, S: Workspace, M: Method, state: Integration, out: Outputs, end: float,
    tolerance: float, size: float, longest: float, budget: int, watch: int, landing: int,
) -> int:  # fmt: skip
    """Step towards `end` for at most `budget` steps; return DONE, GOING_ON or what came up.

    tolerance : relative error per step;  size : typical length [m];  longest : step limit [s]
    watch : 1 to return STIFF when steps are limited by stability
    landing : 1 for a step to where a switch is known to change: its guards are not asked

    Steps end at the instant that the timetable gives, and ON_TIME is returned there.
    Switches keep their state within a step. Where a guard has failed at its end, nothing is
    accepted and CROSSING is returned: the caller finds the instant, lands on it, and changes.
    """
    clock, count = state.clock, state.counts
    limit = max(2e-14, min(1e-3 * tolerance, 1e-10)) * size
    for _ in range(budget):
        due = due_now(T, S, state, out, end)
        if due != GOING_ON:
            return due
        t = clock[TIME]
        h, short = next_step(T, out, state, end, longest, landing)
        if is_too_small(h, t, end):
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
            if not np.isfinite(error) and h < 1e-10:
                return NOT_FINITE
            count[REJECTED] += 1
            shorten_steps(clock, h, error, short)
            count[ROUGH] = min(count[ROUGH] + FAILED, MOST_ROUGH)
            continue
        if landing == 0 and has_passed_unseen(T, S, h):
            count[REJECTED] += 1
            clock[STEP] = clock[SHORT_STEP] = 0.5 * h
            continue
        if landing == 0 and failed(S.guard):
            if short:  # the instant is found on the dense output of the other method
                clock[STEP], count[REPEATED] = h, 1
                continue
            clock[TRIED] = h
            return CROSSING
        stiff = watch != 0 and is_stiff(T, state, h, short)
        accept(T, S, M, state, out, t, h, limit, end, size, short)
        clock[WORST_GAP] = max(clock[WORST_GAP], gap)
        clock[ERROR] += error * tolerance
        go_on(state, h, error, end, short)
        update_scale(state, T.mass.shape[0] - 1, size)
        if S.near_count[NEAR_RENEW] != 0:
            return RENEW
        if is_limited(count, stiff):
            return STIFF
    return GOING_ON


@inlined
def due_now(T: Tables, S: Workspace, state: Integration, out: Outputs, end: float) -> int:
    """What is to be done before the next step: DONE, ON_TIME, FULL, or GOING_ON."""
    t = state.clock[TIME]
    if t >= end:
        return DONE
    if t >= state.clock[INSTANT]:
        return ON_TIME
    return GOING_ON if has_room(T, S, out, state.counts[WRITTEN]) else FULL


@inlined
def is_too_small(h: float, t: float, end: float) -> bool:
    """Whether a step no longer moves the clock."""
    return h < max(1e-14, 1e-15 * end) or t + 0.1 * h == t


@inlined
def has_passed_unseen(T: Tables, S: Workspace, h: float) -> bool:
    return h > 1e-10 and T.shape.shape[0] > 0 and passed_unseen(T, S)


@inlined
def is_stiff(T: Tables, state: Integration, h: float, short: bool) -> bool:
    """Whether stability, not accuracy, limits the step that was tried."""
    return not short and stiffness(state, h, T.mass.shape[0] - 1) > STABLE


@inlined
def next_step(
    T: Tables, out: Outputs, state: Integration, end: float, longest: float, landing: int
) -> tuple[float, bool]:
    """Length [s] of the next step, and whether the method of order 5 makes it."""
    clock, count = state.clock, state.counts
    t = clock[TIME]
    left = min(end, clock[INSTANT]) - t
    most = min(longest, left, clock[LONGEST_TURN], clock[LONGEST_TOUCH])
    if T.shape.shape[0] > 0:
        h = min(clock[STEP], most)
        most = min(most, max(out.time[last_in_step(out, count[WRITTEN])] - t, 1e-3 * h))
    short = landing == 0 and is_worth(T, out, clock, count, most, end)
    h = min(clock[SHORT_STEP] if short else clock[STEP], most)
    return left if left - h < 1e-3 * h else h, short


@inlined
def try_long(
    T: Tables, S: Workspace, M: Method, state: Integration, t: float, h: float, tolerance: float,
    size: float, limit: float, landing: int,
) -> tuple[float, float]:  # fmt: skip
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
def try_short(
    T: Tables, S: Workspace, M: Method, state: Integration, t: float, h: float, tolerance: float,
    size: float, limit: float,
) -> tuple[float, float]:  # fmt: skip
    """The same of order 5, whose error is known only with the rate at its end."""
    stages(T, S, M.short_a, M.short_c, state, t, h, 1, SHORT_STAGES)
    combine(state.y_new, state.y, state.k, M.short_b, h, SHORT_STAGES)
    gap = hold(T, S, state, t + h, size, limit)
    if gap == np.inf:
        return np.inf, gap
    derivative(T, S, t + h, state.y_new, state.k[SHORT_STAGES])
    return error_norm(T, S, M.short_e, M.none, state, h, tolerance, size), gap


@kernel
def hold(T: Tables, S: Workspace, state: Integration, t: float, size: float, limit: float) -> float:
    """Bring state.y_new onto the constraints; the gap [m] left, infinite where they contradict."""
    gap = project(T, S, t, state.y_new, limit, state.scale[1])
    holds = gap <= TORN * size and largest(S.residual_rate) <= TORN * state.scale[0]
    return gap if holds else np.inf


@inlined
def accept(
    T: Tables, S: Workspace, M: Method, state: Integration, out: Outputs, t: float, h: float,
    limit: float, end: float, size: float, short: bool,
) -> None:  # fmt: skip
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
        S.near_count[NEAR_BEGAN] = 0
        clock[LONGEST_TOUCH] = after_step(T, S, state.y_new)
        if S.near_count[NEAR_BEGAN] != 0:  # places of contact of which nothing is known yet
            derivative(T, S, t + h, state.y_new, state.k[last])
            clock[LONGEST_TOUCH] = after_step(T, S, state.y_new)
        set_reach(T, S, h)
    copy(state.turned, S.turned)  # only now: outputs count revolutions from the start
    for p in range(S.along.shape[0]):
        S.along[p] = state.followed[p]
    copy(state.y_new, state.y)
    copy(state.k[last], state.k[0])


@kernel
def last_in_step(out: Outputs, written: int) -> int:
    """The last output that a step may hold, for which there is room in the list of contacts."""
    return min(written + OUTPUTS_IN_STEP, out.time.shape[0] - 1)


@kernel
def has_room(T: Tables, S: Workspace, out: Outputs, written: int) -> bool:
    """Whether the points of contact of the outputs of a step can be kept."""
    if T.shape.shape[0] == 0 or written == 0:
        return True
    most = S.near_count[2] * (OUTPUTS_IN_STEP + 2)
    return out.touch_end[written - 1] + most <= out.touch.shape[0]


@kernel
def failed(guard: Floats) -> bool:
    """Whether any switch does not hold any more."""
    for value in guard:
        if value < 0.0:
            return True
    return False
