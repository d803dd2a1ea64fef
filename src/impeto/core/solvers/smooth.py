"""The smooth integrator: index-1 equations with DOP853 and projection after every step.

Hairer, Nørsett, Wanner, Solving Ordinary Differential Equations I (1993): the method of order 8
with error estimates of order 5 and 3 and a dense output of order 7. The coefficients are SciPy's.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.integrate import DOP853

from impeto.core.mechanics.contact.nearby import after_step, set_reach
from impeto.core.mechanics.equations import derivative, largest, project
from impeto.core.mechanics.flow import note_places
from impeto.core.mechanics.kernel import copy, inlined, kernel
from impeto.core.mechanics.kinematics import is_away
from impeto.core.mechanics.pack import Pack
from impeto.core.mechanics.tables import MESH, RACK, SLIDE, TRAVEL
from impeto.core.solvers.output import store
from impeto.core.solvers.switching import (
    ACCEPTED,
    EASY_STEPS,
    ERROR,
    EVALUATIONS,
    LONGEST_TOUCH,
    LONGEST_TURN,
    REJECTED,
    STEP,
    STIFF_STEPS,
    SUSPECT,
    TIME,
    TRIED,
    WORST_GAP,
    WRITTEN,
)

Floats = npt.NDArray[np.float64]
STAGES = 12
OUTPUTS_IN_STEP = 50  # at most, with contacts
(
    DONE, GOING_ON, TOO_SMALL, NOT_FINITE, EVENT_MET, STIFF, NO_PROGRESS, CONFLICT, CROSSING, RENEW,
    FULL,
) = range(11)  # fmt: skip
TORN = 1e-5  # of the size or the largest speed: residual of constraints that contradict
STABLE = 4.5  # h·|eigenvalue| near the border (6.1) of the region of stability
LARGEST_TURN = 2.5  # rad in a step, so that revolutions are counted right


class Method(Pack):
    """Coefficients of DOP853, the three extra stages of the dense output included."""

    a: Floats  # (16, 15)
    b: Floats  # (12,)
    c: Floats  # (16,)
    e3: Floats  # (12,)
    e5: Floats  # (12,)
    d: Floats  # (4, 16)


def method() -> Method:
    """The coefficients as arrays for the kernels."""
    a = np.zeros((16, 16))
    a[:STAGES, :STAGES] = DOP853.A
    a[STAGES, :STAGES] = DOP853.B
    a[13:, :16] = DOP853.A_EXTRA[:, :16]
    c = np.concatenate([DOP853.C, [1.0], DOP853.C_EXTRA])
    return Method(
        a,
        np.ascontiguousarray(DOP853.B),
        c,
        np.ascontiguousarray(DOP853.E3[:STAGES]),
        np.ascontiguousarray(DOP853.E5[:STAGES]),
        np.ascontiguousarray(DOP853.D),
    )


@kernel
def advance(
    T, S, M, state, out, end, tolerance, size, longest, budget, watch, landing
):  # fmt: skip
    """Step towards `end` for at most `budget` steps; return DONE, GOING_ON or what came up.

    tolerance : relative error per step;  size : typical length [m];  longest : step limit [s]
    watch : 1 to return STIFF when steps are limited by stability
    landing : 1 for a step to where a switch is known to change: its guards are not asked

    Switches keep their state within a step. Where a guard has failed at its end, nothing is
    accepted and CROSSING is returned: the caller finds the instant, lands on it, and changes.
    """
    clock, count, y = state.clock, state.counts, state.y
    n = T.mass.shape[0] - 1
    limit = max(2e-14, min(1e-3 * tolerance, 1e-10)) * size
    for _ in range(budget):
        t = clock[TIME]
        if t >= end:
            return DONE
        left = end - t
        if not has_room(T, S, out, count[WRITTEN]):
            return FULL
        h = min(clock[STEP], longest, left, clock[LONGEST_TURN], clock[LONGEST_TOUCH])
        if T.shape.shape[0] > 0:
            h = min(h, max(out.time[last_in_step(out, count[WRITTEN])] - t, 1e-3 * h))
        if left - h < 1e-3 * h:
            h = left
        if h < max(1e-14, 1e-15 * end) or t + 0.1 * h == t:
            return TOO_SMALL
        stages(T, S, M, state, t, h, 1, STAGES)
        count[EVALUATIONS] += STAGES - 1
        combine(state.fresh, y, state.k, M.b, h, STAGES)
        error = error_norm(T, S, M, state, h, tolerance, size)
        if not error <= 1.0 and landing == 0:
            count[REJECTED] += 1
            finite = np.isfinite(error)
            clock[STEP] = h * (max(0.1, 0.9 * error**-0.125) if finite else 0.1)
            if not finite and clock[STEP] < 1e-10:
                return NOT_FINITE
            continue
        gap = project(T, S, t + h, state.fresh, limit, state.scale[1])
        if not (gap <= TORN * size and largest(S.speed) <= TORN * state.scale[0]):
            return CONFLICT
        derivative(T, S, t + h, state.fresh, state.k[STAGES])
        count[EVALUATIONS] += 1
        if landing == 0 and failed(S.guard):
            clock[TRIED] = h
            return CROSSING
        stiff = watch != 0 and stiffness(state, h, n) > STABLE
        copy(S.guard, S.before)
        note_places(T, S)
        copy(S.coordinate, state.turned)
        for p in range(S.along.shape[0]):
            state.followed[p] = S.track[p, 0]
        clock[LONGEST_TURN] = LARGEST_TURN / fastest_turn(T.coordinate, S.rate)
        written = count[WRITTEN]
        write_outputs(T, S, M, state, out, t, h, limit, end)
        if T.shape.shape[0] > 0:
            if count[WRITTEN] > written:
                derivative(T, S, t + h, state.fresh, state.rate)
            clock[LONGEST_TOUCH] = after_step(T, S, state.fresh)
            set_reach(T, S, h)
        copy(state.turned, S.turned)  # only now: outputs count revolutions from the start
        for p in range(S.along.shape[0]):
            S.along[p] = state.followed[p]
        copy(state.fresh, y)
        copy(state.k[STAGES], state.k[0])
        clock[TIME] = end if h == left else t + h
        clock[WORST_GAP] = max(clock[WORST_GAP], gap)
        clock[ERROR] += error * tolerance
        clock[STEP] = h * min(6.0, 0.9 * max(error, 1e-12) ** -0.125)
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


@inlined
def stages(T, S, M, state, t, h, first, last):
    """Evaluate the stages first … last − 1 of a step."""
    S.near_margin[3] = 1.0
    for s in range(first, last):
        combine(state.trial, state.y, state.k, M.a[s], h, s)
        derivative(T, S, t + M.c[s] * h, state.trial, state.k[s])
    S.near_margin[3] = 0.0


@kernel
def combine(out, y, k, weights, h, count):
    """out = y + h Σ weights·k"""
    copy(y, out)
    for s in range(count):
        w = h * weights[s]
        if w != 0.0:
            for i in range(y.shape[0]):
                out[i] += w * k[s, i]


@kernel
def update_scale(state, n, size):
    """Largest speed and spin so far: what velocity errors are relative to."""
    speed, spin = state.scale[0], state.scale[1]
    for body in range(n):
        u = 7 * n + 6 * body
        for k in range(3):
            speed = max(speed, abs(state.y[u + k]), size * abs(state.y[u + 3 + k]))
    state.scale[0] = speed
    state.scale[1] = max(spin, speed / size)


@kernel
def error_norm(T, S, M, state, h, tolerance, size):
    """Estimated error of the step over the tolerance (Hairer's mix of orders 5 and 3).

    Of the extra states only those steer the step that act back: currents and states of servos.
    """
    n = T.mass.shape[0] - 1
    total5, total3, worst, count = 0.0, 0.0, -1.0, 0
    for i in range(13 * n):
        if is_away(T, S, 1 + (i // 7 if i < 7 * n else (i - 7 * n) // 6)):
            continue
        count += 1
        if i < 7 * n:
            scale = size if i % 7 < 3 else 1.0
        else:
            scale = state.scale[0] if (i - 7 * n) % 6 < 3 else state.scale[1]
        e5, e3 = 0.0, 0.0
        for s in range(STAGES):
            e5 += M.e5[s] * state.k[s, i]
            e3 += M.e3[s] * state.k[s, i]
        e5 /= scale * tolerance
        e3 /= scale * tolerance
        total5 += e5 * e5
        total3 += e3 * e3
        if e5 * e5 > worst or not np.isfinite(e5):
            worst = e5 * e5
            state.clock[SUSPECT] = i
    for i in range(state.floor.shape[0]):
        if np.isfinite(state.floor[i]):
            e5, e3 = 0.0, 0.0
            for s in range(STAGES):
                e5 += M.e5[s] * state.k[s, 13 * n + i]
                e3 += M.e3[s] * state.k[s, 13 * n + i]
            scale = max(state.floor[i], abs(state.y[13 * n + i])) * tolerance
            total5 += (e5 / scale) ** 2
            total3 += (e3 / scale) ** 2
            count += 1
    if not np.isfinite(total5 + total3):
        return np.inf
    if total5 == 0.0 and total3 == 0.0:
        return 0.0
    return abs(h) * total5 / np.sqrt((total5 + 0.01 * total3) * count)


@inlined
def write_outputs(T, S, M, state, out, t, h, limit, end):
    """Interpolate, project and store every output time within the step."""
    index = state.counts[WRITTEN]
    if index >= out.time.shape[0] or (out.time[index] > t + h and t + h < end):
        return
    stages(T, S, M, state, t, h, 13, 16)
    state.counts[EVALUATIONS] += 3
    set_dense(state.dense, state, M, h)
    while index < out.time.shape[0] and (out.time[index] <= t + h or t + h >= end):
        moment = out.time[index]
        interpolate(state.trial, state.y, state.dense, (moment - t) / h)
        project(T, S, moment, state.trial, limit, state.scale[1])
        store(T, S, state.trial, out, index, state.rate, moment)
        state.counts[EVALUATIONS] += 1
        index += 1
    state.counts[WRITTEN] = index


@kernel
def set_dense(dense, state, M, h):
    """Polynomial of order 7 over the step, in the nested form of Hairer's code."""
    k = state.k
    for i in range(state.y.shape[0]):
        change = state.fresh[i] - state.y[i]
        dense[0, i] = change
        dense[1, i] = h * k[0, i] - change
        dense[2, i] = 2.0 * change - h * (k[STAGES, i] + k[0, i])
        for row in range(4):
            total = 0.0
            for s in range(16):
                total += M.d[row, s] * k[s, i]
            dense[3 + row, i] = h * total


@kernel
def interpolate(out, y, dense, x):
    """State at the share x of the step."""
    for i in range(y.shape[0]):
        value = 0.0
        for row in range(6, -1, -1):
            value = (value + dense[row, i]) * (x if row % 2 == 0 else 1.0 - x)
        out[i] = y[i] + value
