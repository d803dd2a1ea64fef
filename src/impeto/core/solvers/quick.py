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

from impeto.core.mechanics.contact.impulses import BOUNCES, contact_impulses
from impeto.core.mechanics.contact.nearby import after_step
from impeto.core.mechanics.contact.sweeps import Sweeps, new_sweeps
from impeto.core.mechanics.contact.travel import look_ahead
from impeto.core.mechanics.equations import derivative, largest, move, place, project
from impeto.core.mechanics.flow import note_places
from impeto.core.mechanics.kkt import factor_now, solve_once
from impeto.core.mechanics.tables import (
    AVERAGE,
    GEOMETRY,
    KNOWN_PLACES,
    X_BRISTLES,
    X_CONTACTS,
    X_EFFORTS,
    X_MOTIONS,
)
from impeto.core.solvers import smooth
from impeto.core.solvers import switching as sw
from impeto.core.solvers.implicit_forces import ImplicitForces
from impeto.core.solvers.output import store

if TYPE_CHECKING:
    from impeto.core.solvers.run import Progress, Run

Floats = npt.NDArray[np.float64]
LOOK = 0.05  # s of wall time between two reports of progress


class Quick:
    """The steps of a run in quick mode."""

    def __init__(self, run: Run) -> None:
        self.run = run
        self.h = run.plan.step
        self.gravity = float(np.linalg.norm(run.tables.gravity))
        self.new = np.zeros(6 * run.system.moving)
        self.known = False  # whether an output has evaluated contact at the present state
        self.implicit = ImplicitForces(run.tables)
        self.sweeps = self._new_sweeps()
        self._make_room()

    def _new_sweeps(self) -> Sweeps:
        run, forces = self.run, self.implicit
        points = len(run.workspace.patch)
        return new_sweeps(len(run.tables.mass), points, len(forces.row), forces.free)

    def _make_room(self) -> None:
        S = self.run.workspace
        S.quick[:] = AVERAGE, self.h
        if len(S.patch) > len(self.sweeps.joined):
            self.sweeps = self._new_sweeps()

    def go(self, progress: Progress | None) -> str:
        """Step to the end; return why it stopped early, or ''."""
        from impeto.core.solvers.run import cancelled

        run, end = self.run, self.run.plan.end
        looked = time.perf_counter()
        for index in range(1, len(run.plan.times)):
            begin, next_one = (float(time) for time in run.plan.times[index - 1 : index + 1])
            count = max(1, int(np.ceil((next_one - begin) / run.plan.step - 1e-9)))
            self.h = (next_one - begin) / count
            for part in range(1, count + 1):
                status = self.steps(next_one if part == count else begin + part * self.h)
                if status == smooth.DONE:
                    return ""
                if status != smooth.GOING_ON:
                    return str(run.failure(status, float(run.state.clock[sw.TIME])))
            self.write(index)
            if progress and time.perf_counter() - looked > LOOK:
                looked = time.perf_counter()
                solved = float(run.state.clock[sw.TIME])
                if not progress(solved / end, solved):
                    return cancelled(run, solved)
        if progress:
            progress(1.0, end)
        return ""

    def steps(self, until: float) -> int:
        """A step, or as many as signals ask for that change by the clock before that; a status."""
        run = self.run
        while float(run.state.clock[sw.TIME]) < until:
            instant = run.timetable.next
            if instant <= float(run.state.clock[sw.TIME]):
                run.turn_page()
                continue
            status = self.step(min(until, instant))
            if status == smooth.EVENT_MET:
                self.known = False
                if run.meet(int(run.state.clock[sw.CROSSED])):
                    return smooth.DONE
                self._make_room()
            elif status != smooth.GOING_ON:
                return status
        return smooth.GOING_ON

    def step(self, until: float) -> int:
        """The switches that have changed, then one step; a status of smooth.advance."""
        run = self.run
        status = self._begin()
        if status != smooth.GOING_ON:
            return status
        T, S, state, n = run.tables, run.workspace, run.state, run.system.moving
        y, now = state.y, float(state.clock[sw.TIME])
        S.quick[1] = h = until - now
        self._take_implicit(h)
        contact_impulses(T, S, state, self.sweeps, h, self.new)
        state.fresh[:] = y
        self.implicit.hold_stops(T, S, state, self.new)
        if len(T.row):
            self._book_powers(now)
        self.implicit.book(T, S, y, self.new, state.rate, h)
        efforts, before = self._driven(), S.rate.copy()
        shared = slice(13 * n, 13 * n + int(T.extra[X_BRISTLES]))
        state.fresh[shared] += h * state.rate[shared]
        state.fresh[7 * n : 13 * n] = self.new
        move(state.fresh, h * state.fresh[7 * n : 13 * n], n)
        finite = np.isfinite(state.fresh[: 13 * n])
        if not finite.all():
            state.clock[sw.SUSPECT] = np.flatnonzero(~finite)[0]
            return smooth.NOT_FINITE
        gap = self._hold_together(until)
        if not np.isfinite(gap):
            return smooth.CONFLICT
        self._book_change(efforts, before, h)
        S.turned[:] = S.coordinate
        S.along[:] = S.track[:, 0]
        y[:] = state.fresh
        state.clock[sw.TIME] = until
        state.clock[sw.WORST_GAP] = max(float(state.clock[sw.WORST_GAP]), gap)
        state.counts[sw.ACCEPTED] += 1
        smooth.update_scale(state, n, run.system.size)
        return smooth.GOING_ON

    def _take_implicit(self, h: float) -> None:
        """Efforts as they are at the end of the step, into the accelerations and the sweeps."""
        run, Q, forces = self.run, self.sweeps, self.implicit
        self._bend_half()
        forces.take(run.tables, run.workspace, run.state.y, run.state.rate, h)
        count = Q.efforts[0] = len(forces.active)
        Q.effort_row[:count] = forces.row[forces.active]
        Q.effort_answer[:count] = forces.answer
        Q.effort_gain[:count, :count] = forces.gain

    def _bend_half(self) -> None:
        """Let joints bend the paths by half before positions go on; projection at the end of the
        step does the rest, so that what turns about a pin keeps its energy (Andersen 1983)."""
        run, n = self.run, self.run.system.moving
        T, S = run.tables, run.workspace
        if not len(T.row):
            return
        S.right[:] = 0.0
        S.right[T.place] = S.gamma
        solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
        run.state.rate[7 * n : 13 * n] -= 0.5 * S.right[: 6 * n]

    def _hold_together(self, until: float) -> float:
        """Bring the new state onto the constraints; the largest gap left [m], infinite where they
        contradict. A long step may need the equations factored anew at its end."""
        run = self.run
        T, S, state = run.tables, run.workspace, run.state
        if len(T.row):  # reactions at the new pose: those before would change the energy
            place(T, S, until, state.fresh)
            factor_now(T, S)
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
        failing = np.flatnonzero(sw.fails(T, S, state))
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

    def _book_change(self, efforts: Floats, before: Floats, h: float) -> None:
        """Work counts the mean of the speeds (C,) before and after the step, as kinetic energy
        does: the step took those before it."""
        T, S, y = self.run.tables, self.run.workspace, self.run.state.fresh
        coordinates = np.concatenate([T.effort[:, 0], T.motion[:, 0]])
        change = 0.5 * h * efforts * (S.rate - before)[coordinates]
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
