"""The discrete state during an integration: switches that change, and what goes with that."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.mechanics.equations import derivative
from impeto.core.mechanics.pack import Pack
from impeto.core.mechanics.tables import (
    EVENT,
    FEED,
    FRICTION,
    MET,
    OUTLET,
    SAMPLE,
    SLIPS_DOWN,
    SLIPS_UP,
    STICKS,
    STOP,
    X_EVENTS,
    Tables,
    Workspace,
)
from impeto.core.solvers.projection import project_fresh

Floats = npt.NDArray[np.float64]
# Clock entries.
(
    TIME, STEP, WORST_GAP, ERROR, SUSPECT, CROSSED, PROGRESS_AT, TRIED, LONGEST_TURN, LONGEST_TOUCH,
    SHORT_STEP,
) = range(11)  # fmt: skip
# Count entries.
(
    ACCEPTED, REJECTED, EVALUATIONS, WRITTEN, CHANGES, CROWDED, STIFF_STEPS, EASY_STEPS, LOGGED,
    REPEATED, ROUGH,
) = range(11)  # fmt: skip
MOST_CHANGES = 400  # switches that change without time going on


class Integration(Pack):
    """State of an integration, changed in place."""

    clock: (
        Floats  # (11,) time, step, gap, sum of errors, suspect, crossed switch, marks of progress
    )
    counts: npt.NDArray[np.int64]  # (11,) steps, evaluations, outputs, changes, signs of stiffness
    y: Floats
    fresh: Floats  # candidate state
    trial: Floats
    scale: Floats  # sizes that errors are held against
    floor: Floats  # (extras,) the same for extra states; infinite where errors do not matter
    k: Floats  # (16, size) stages
    dense: Floats  # (7, size)
    rate: Floats  # scratch
    turned: Floats  # (C,) angles at the end of the step
    followed: Floats  # (P,) parameters of paths at the end of the step
    log: Floats  # (M, 2) time and switch of impacts, sticking and slipping


def moves_on(state: Integration, end: float) -> bool:
    """Count a change of a switch; whether time goes on between changes."""
    clock, count = state.clock, state.counts
    count[CHANGES] += 1
    count[CROWDED] += 1
    if clock[TIME] - clock[PROGRESS_AT] > 1e-7 * end:
        clock[PROGRESS_AT] = clock[TIME]
        count[CROWDED] = 0
    return bool(count[CROWDED] < MOST_CHANGES)


def change(T: Tables, S: Workspace, state: Integration, first: int, limit: float) -> int:
    """Change a switch and whatever does not hold then; returns the event that was met, or −1.

    Leaves the rate of the state in k[0] and the guards as they are now.
    """
    t, event, index = float(state.clock[TIME]), -1, first
    flipped = np.zeros(len(S.switch), dtype=np.int64)
    derivative(T, S, t, state.y, state.k[0])
    for _ in range(3 * len(S.switch) + 3):
        change_switch(T, S, index)
        flipped[index] += 1
        kind = T.switch[index, 0]
        _note(state, kind, t, index)
        if kind in (FEED, OUTLET) and event < 0:
            event = index
        if kind == EVENT and event < 0:
            up = S.switch[index] == 1
            if up == (T.switch[index, 2] > 0) and S.on[T.switch[index, 3]] != 0.0:
                event = index
        derivative(T, S, t, state.y, state.k[0])
        state.counts[EVALUATIONS] += 1
        if np.abs(S.speed).max(initial=0.0) > 1e-3 * limit:
            _jump(T, S, state, limit)
        again = np.where((T.switch[:, 0] == FRICTION) & (S.switch == STICKS), 2, 1)
        # Other events at this instant are left to be met on their own.
        met = np.isin(T.switch[:, 0], MET)
        failing = np.flatnonzero((S.guard < 0.0) & (flipped < again) & ~met)
        if not len(failing):
            break
        index = int(failing[0])
    return event


def _jump(T: Tables, S: Workspace, state: Integration, limit: float) -> None:
    """Speeds jump to what the constraints now ask for: what sticks stops, what is driven follows.

    The kinetic energy that this takes or gives goes to the account of events.
    """
    t, n = float(state.clock[TIME]), len(T.mass) - 1
    before = kinetic_energy(T, state.y)
    project_fresh(T, S, t, state.y, limit, 0)
    state.y[13 * n + T.extra[X_EVENTS]] += kinetic_energy(T, state.y) - before
    derivative(T, S, t, state.y, state.k[0])


def present(T: Tables, S: Workspace) -> npt.NDArray[np.bool_]:
    """(n+1,) which bodies are there now."""
    there = np.ones(len(T.mass), dtype=bool)
    going = T.body_on >= 0
    there[going] = S.on[T.body_on[going]] != 0.0
    return there


def kinetic_energy(T: Tables, y: Floats) -> float:
    """J, of all bodies."""
    n = len(T.mass) - 1
    speeds = y[7 * n : 13 * n].reshape(n, 6)
    linear = (T.mass[1:] * (speeds[:, :3] ** 2).sum(axis=1)).sum()
    turning = np.einsum("bi,bij,bj->", speeds[:, 3:], T.inertia[1:], speeds[:, 3:])
    return float(0.5 * (linear + turning))


def _note(state: Integration, kind: int, t: float, index: int) -> None:
    if kind in (STOP, FRICTION) and state.counts[LOGGED] < len(state.log):
        state.log[state.counts[LOGGED]] = t, index
        state.counts[LOGGED] += 1


def change_switch(T: Tables, S: Workspace, index: int) -> None:
    """The next state of a switch whose guard has failed, and what goes with the change."""
    kind, row = int(T.switch[index, 0]), int(T.switch[index, 1])
    if kind == FRICTION:
        if S.switch[index] != STICKS:
            S.switch[index] = STICKS
            S.memory[index] = S.coordinate[T.friction[row, 0]]
        else:
            S.switch[index] = SLIPS_DOWN if S.friction_effort[row, 0] > 0.0 else SLIPS_UP
    elif kind == SAMPLE:
        sample_servo(T, S, row)
        S.memory[index] += T.servo_value[row, 5]
    elif kind not in (FEED, OUTLET):
        S.switch[index] = 1 - S.switch[index]
        if kind == STOP:
            c, side = T.stop[row, 0], T.stop[row, 2]
            S.memory[index] = max(side * S.rate[c], T.stop_value[row, 3])


def sample_servo(T: Tables, S: Workspace, row: int) -> None:
    """Take a sample of a digital servo: new effort, integral and last error into `held`."""
    value, effort = T.servo_value[row], int(T.servo[row, 0])
    c, held = T.effort[effort, 0], S.held[row]
    gain_p, gain_i, gain_d, limit, rate, sample = value[:6]
    reference, forward = S.signal[T.effort[effort, 1]], T.servo[row, 2]
    if value[6] != 0.0:
        error = reference - S.rate[c]
        slope = (error - held[2]) / sample
    else:
        error = reference - S.coordinate[c]
        slope = S.signal[T.servo[row, 1]] - S.rate[c]
    integral = held[1] + sample * error
    asked = gain_p * error + gain_i * integral + gain_d * slope
    asked += S.signal[forward] if forward >= 0 else 0.0
    given = min(max(asked, -limit), limit)
    given = min(max(given, held[0] - rate * sample), held[0] + rate * sample)
    if (asked - given) * error <= 0.0:  # not driven further into its limit
        held[1] = integral
    held[0], held[2] = given, error


def settle(T: Tables, S: Workspace, state: Integration, limit: float, events: bool = False) -> None:
    """Let every switch find its state at the present instant; nothing counts as an event.

    events : whether those of events do so too, or stay for the run to meet
    """
    t, logged = float(state.clock[TIME]), int(state.counts[LOGGED])
    derivative(T, S, t, state.y, state.k[0])
    for _ in range(50):
        waits = np.isin(T.switch[:, 0], (FEED, OUTLET) if events else MET)
        failing = np.flatnonzero((S.guard < 0.0) & ~waits)
        if not len(failing):
            break
        change(T, S, state, int(failing[0]), limit)
    state.counts[LOGGED] = logged
