"""Quick mode: fixed steps with impulses between touching bodies, for heaps and real time.

Half-implicit Euler steps (velocities first, positions with the new ones), of order 1. Joints and
prescribed motions hold exactly at the end of every step. Switches and events come at the end of
the step in which they happen.
"""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from impeto.core.mechanics.contact.impulses import (
    AVERAGE,
    BOUNCES,
    GEOMETRY,
    KNOWN_PLACES,
    contact_impulses,
)
from impeto.core.mechanics.contact.nearby import after_step
from impeto.core.mechanics.contact.sweeps import new_sweeps
from impeto.core.mechanics.contact.travel import look_ahead
from impeto.core.mechanics.equations import derivative, largest, move, project
from impeto.core.mechanics.flow import note_places
from impeto.core.mechanics.tables import X_BRISTLES, X_CONTACTS, X_EFFORTS, X_MOTIONS
from impeto.core.solvers import smooth
from impeto.core.solvers import switching as sw
from impeto.core.solvers.output import store

if TYPE_CHECKING:
    from impeto.core.solvers.run import Progress, Run

Floats = npt.NDArray[np.float64]
LOOK = 0.05  # s of wall time between two reports of progress


class Quick:
    """The steps of a run in quick mode."""

    def __init__(self, run: Run) -> None:
        self.run = run
        plan = run.plan
        apart = float(plan.times[1] - plan.times[0])
        self.steps_between = max(1, int(np.ceil(apart / plan.step - 1e-9)))
        self.h = apart / self.steps_between
        self.gravity = float(np.linalg.norm(run.tables.gravity))
        self.new = np.zeros(6 * run.system.moving)
        self.known = False  # whether an output has evaluated contact at the present state
        self.sweeps = new_sweeps(len(run.tables.mass), len(run.workspace.patch))
        self._make_room()

    def _make_room(self) -> None:
        S = self.run.workspace
        S.quick[:] = AVERAGE, self.h
        if len(S.patch) > len(self.sweeps.joined):
            self.sweeps = new_sweeps(len(self.run.tables.mass), len(S.patch))

    def go(self, progress: Progress | None) -> str:
        """Step to the end; return why it stopped early, or ''."""
        from impeto.core.solvers.run import cancelled

        run, end = self.run, self.run.plan.end
        looked = time.perf_counter()
        for index in range(1, len(run.plan.times)):
            begin = float(run.plan.times[index - 1])
            for part in range(1, self.steps_between + 1):
                status = self.step(begin + part * self.h)
                while status == smooth.EVENT_MET:
                    self.known = False
                    if run.meet(int(run.state.clock[sw.CROSSED])):
                        return ""
                    self._make_room()
                    status = self.step(begin + part * self.h)
                if status != smooth.GOING_ON:
                    return str(run.failure(status, float(run.state.clock[sw.TIME])))
            self.write(index)
            if progress and time.perf_counter() - looked > LOOK:
                looked = time.perf_counter()
                solved = float(run.state.clock[sw.TIME])
                if not progress(solved / end, solved):
                    return cancelled(solved)
        if progress:
            progress(1.0, end)
        return ""

    def step(self, until: float) -> int:
        """The switches that have changed, then one step; a status of smooth.advance."""
        run, h = self.run, self.h
        status = self._begin()
        if status != smooth.GOING_ON:
            return status
        T, S, state, n = run.tables, run.workspace, run.state, run.system.moving
        y, now = state.y, float(state.clock[sw.TIME])
        contact_impulses(T, S, state, self.sweeps, h, self.new)
        state.fresh[:] = y
        if len(T.row):
            self._book_powers(now)
        efforts, before = self._driven(), S.rate.copy()
        shared = slice(13 * n, 13 * n + int(T.extra[X_BRISTLES]))
        state.fresh[shared] += h * state.rate[shared]
        state.fresh[7 * n : 13 * n] = self.new
        move(state.fresh, h * state.fresh[7 * n : 13 * n], n)
        if not np.isfinite(state.fresh[: 13 * n]).all():
            return smooth.NOT_FINITE
        gap = self._hold_together(until)
        if not np.isfinite(gap):
            return smooth.CONFLICT
        self._book_change(efforts, before)
        S.turned[:] = S.coordinate
        S.along[:] = S.track[:, 0]
        y[:] = state.fresh
        state.clock[sw.TIME] = until
        state.clock[sw.WORST_GAP] = max(float(state.clock[sw.WORST_GAP]), gap)
        state.counts[sw.ACCEPTED] += 1
        smooth.update_scale(state, n, run.system.size)
        return smooth.GOING_ON

    def _hold_together(self, until: float) -> float:
        """Bring the new state onto the constraints; the largest gap left [m], infinite where they
        contradict. A long step may need the equations factored anew at its end."""
        run = self.run
        T, S, state = run.tables, run.workspace, run.state
        for _ in range(4):
            gap = project(T, S, until, state.fresh, run.limit, float(state.scale[1]))
            off = largest(S.speed)
            if gap <= smooth.TORN * run.system.size and off <= smooth.TORN * state.scale[0]:
                return gap
            derivative(T, S, until, state.fresh, state.rate)
        return np.inf

    def _begin(self) -> int:
        """Evaluate at the start of a step: near shapes as they are now, switches that hold."""
        run = self.run
        for _ in range(2):
            T, S, state = run.tables, run.workspace, run.state
            now = float(state.clock[sw.TIME])
            S.quick[0] = KNOWN_PLACES if self.known else GEOMETRY
            self.known = False
            self._look_ahead()
            derivative(T, S, now, state.y, state.rate)
            S.quick[0] = AVERAGE
            state.counts[sw.EVALUATIONS] += 1
            if len(T.shape):
                S.near_count[3] = 0
                after_step(T, S, state.y)
                if S.near_count[3]:  # places that were not looked at yet
                    S.quick[0] = GEOMETRY
                    derivative(T, S, now, state.y, state.rate)
                    S.quick[0] = AVERAGE
            if not len(T.shape) or not S.near_count[1]:
                break
            run.renew()
            self._make_room()
        failing = np.flatnonzero(S.guard < 0.0)
        if not len(failing):
            S.before[:] = S.guard
            note_places(T, S)
            return smooth.GOING_ON
        first = int(failing[np.argmin(S.guard[failing])])
        state.clock[sw.CROSSED] = first
        if not sw.moves_on(state, run.plan.end):
            return smooth.NO_PROGRESS
        event = sw.change(T, S, state, first, run.limit)
        if event >= 0:
            state.clock[sw.CROSSED] = event
            return smooth.EVENT_MET
        return self._begin()

    def _look_ahead(self) -> None:
        run = self.run
        look_ahead(run.tables, run.workspace, run.state.y, self.h, BOUNCES * self.h * self.gravity)

    def _book_powers(self, now: float) -> None:
        """Powers of drives count what contacts load them with."""
        run = self.run
        T, n = run.tables, run.system.moving
        contact = run.state.rate[13 * n :].copy()
        derivative(T, run.workspace, now, run.state.y, run.state.rate)
        first = int(T.extra[X_CONTACTS])
        run.state.rate[13 * n + first :] = contact[first:]

    def _driven(self) -> Floats:
        """Efforts of drives, then those of prescribed motions."""
        T, S = self.run.tables, self.run.workspace
        drives = np.concatenate([T.effort[:, 3], T.motion_drive[:, 0]])
        return np.asarray(S.drive_effort[drives])

    def _book_change(self, efforts: Floats, before: Floats) -> None:
        """Work counts the mean of the speeds (C,) before and after the step, as kinetic energy
        does: the step took those before it."""
        T, S, y = self.run.tables, self.run.workspace, self.run.state.fresh
        coordinates = np.concatenate([T.effort[:, 0], T.motion[:, 0]])
        change = 0.5 * self.h * efforts * (S.rate - before)[coordinates]
        first = 13 * self.run.system.moving
        count = len(T.effort)
        y[first + T.extra[X_EFFORTS] : first + T.extra[X_EFFORTS + 1]] += change[:count]
        y[first + T.extra[X_MOTIONS] : first + T.extra[X_MOTIONS + 1]] += change[count:]

    def write(self, index: int) -> None:
        """Keep the state as the output of that index."""
        run = self.run
        touch, most = run.outputs.touch, int(run.workspace.near_count[2])
        if int(run.outputs.touch_end[index - 1]) + most > len(touch):
            run.more_room()
        run.workspace.quick[0] = AVERAGE
        self._look_ahead()
        self.known = True
        store(
            run.tables, run.workspace, run.state.y, run.outputs, index, run.state.rate,
            float(run.plan.times[index]),
        )  # fmt: skip
        run.state.counts[sw.WRITTEN] = index + 1
