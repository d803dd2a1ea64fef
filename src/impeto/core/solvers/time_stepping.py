"""Quick mode: fixed steps with impulses between touching bodies, for heaps and real time.

Half-implicit Euler steps (velocities first, positions with the new ones), of order 1. Joints and
prescribed motions hold exactly at the end of every step. Switches and events come at the end of
the step in which they happen.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import derivative, largest, move, place, project
from impeto.core.contact.columns import NEAR_BEGAN
from impeto.core.contact.impulse_law import trust_depths
from impeto.core.contact.impulses import BOUNCES, contact_impulses
from impeto.core.contact.nearby import after_step
from impeto.core.contact.sweeps import Sweeps, new_sweeps
from impeto.core.contact.travel import look_ahead
from impeto.core.drives.columns import Effort, Motion, MotionDrive
from impeto.core.dynamics.columns import Quick
from impeto.core.dynamics.integration import (
    ACCEPTED,
    EVALUATIONS,
    SUSPECT,
    TIME,
    WORST_GAP,
    WRITTEN,
)
from impeto.core.dynamics.kkt import factor_now, solve_once
from impeto.core.dynamics.state import all_bodies, all_speeds, extras_at, unknowns
from impeto.core.dynamics.tables import (
    AVERAGE,
    GEOMETRY,
    KNOWN_PLACES,
    X_BRISTLES,
    X_CONTACTS,
    X_EFFORTS,
    X_MOTIONS,
)
from impeto.core.flow.kernels import note_places
from impeto.core.model.run_settings import QUICK
from impeto.core.solvers import switching as sw
from impeto.core.solvers.implicit_forces import ImplicitForces
from impeto.core.solvers.output import TORN, store
from impeto.core.solvers.run import Run
from impeto.core.solvers.scales import update_scale
from impeto.core.solvers.status import CONFLICT, DONE, GOING_ON, NOT_FINITE, ON_TIME

Floats = npt.NDArray[np.float64]


class TimeStepping:
    """Steps of quick mode; see stepper.Stepper."""

    title: ClassVar[str] = QUICK

    def __init__(self, run: Run) -> None:
        self.run = run
        self.gravity = float(np.linalg.norm(run.tables.gravity))
        self.new = np.zeros(unknowns(run.system.moving))
        self.known = False  # whether an output has evaluated contact at the present state
        self.implicit = ImplicitForces(run.tables)
        self.output = self.part = 0  # the output that was reached last, steps since
        self._plan_steps()
        self.sweeps = self._new_sweeps()
        self._make_room()

    def restart(self) -> None:
        """Evaluate contact anew."""
        self.known = False
        self._make_room()

    def resume(self) -> None:
        """Nothing else is kept from step to step."""

    def _plan_steps(self) -> None:
        """Equal steps to the next output, none longer than planned."""
        times = self.run.plan.times
        if self.output + 1 < len(times):
            self.begin, self.goal = (float(t) for t in times[self.output : self.output + 2])
            way = self.goal - self.begin
            self.parts = max(1, int(np.ceil(way / self.run.plan.step - 1e-9)))
            self.part, self.h = 0, way / self.parts

    def _new_sweeps(self) -> Sweeps:
        run, forces = self.run, self.implicit
        points = len(run.workspace.patch)
        return new_sweeps(len(run.tables.mass), points, len(forces.row), forces.free)

    def _make_room(self) -> None:
        S = self.run.workspace
        S.quick[:] = AVERAGE, self.h
        if len(S.patch) > len(self.sweeps.joined):
            self.sweeps = self._new_sweeps()

    def advance(self) -> int:
        """A step, shorter where the clock changes something before its end."""
        run = self.run
        now, instant = float(run.state.clock[TIME]), run.timetable.next
        if self.output + 1 == len(run.plan.times):
            return DONE
        if instant <= now:
            return ON_TIME
        last = self.part + 1 == self.parts
        until = self.goal if last else self.begin + (self.part + 1) * self.h
        if now < until:
            status = self.step(min(until, instant))
            if status != GOING_ON or instant < until:
                return status
        self.part += 1
        if last:
            self.output += 1
            self.write(self.output)
            self._plan_steps()
        return GOING_ON

    def step(self, until: float) -> int:
        """The switches that have changed, then one step."""
        run = self.run
        status = self._begin()
        if status != GOING_ON:
            return status
        T, S, state, n = run.tables, run.workspace, run.state, run.system.moving
        y, now = state.y, float(state.clock[TIME])
        S.quick[Quick.STEP] = h = until - now
        self._take_implicit(h)
        contact_impulses(T, S, state, self.sweeps, h, self.new)
        state.y_new[:] = y
        self.implicit.hold_stops(T, S, state, self.new)
        if len(T.row):
            self._book_powers(now)
        self.implicit.book(T, S, y, self.new, state.rate, h)
        efforts, before = self._driven(), S.rate.copy()
        shared = slice(extras_at(n), extras_at(n) + int(T.extra[X_BRISTLES]))
        state.y_new[shared] += h * state.rate[shared]
        state.y_new[all_speeds(n)] = self.new
        move(state.y_new, h * state.y_new[all_speeds(n)], n)
        finite = np.isfinite(state.y_new[all_bodies(n)])
        if not finite.all():
            state.clock[SUSPECT] = np.flatnonzero(~finite)[0]
            return NOT_FINITE
        gap = self._hold_together(until)
        if not np.isfinite(gap):
            return CONFLICT
        self._book_change(efforts, before, h)
        S.turned[:] = S.coordinate
        S.along[:] = S.track[:, 0]
        y[:] = state.y_new
        state.clock[TIME] = until
        state.clock[WORST_GAP] = max(float(state.clock[WORST_GAP]), gap)
        state.counts[ACCEPTED] += 1
        update_scale(state, n, run.system.size)
        return GOING_ON

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
        run.state.rate[all_speeds(n)] -= 0.5 * S.right[: unknowns(n)]

    def _hold_together(self, until: float) -> float:
        """Bring the new state onto the constraints; the largest gap left [m], infinite where they
        contradict. A long step may need the equations factored anew at its end."""
        run = self.run
        T, S, state = run.tables, run.workspace, run.state
        if len(T.row):  # reactions at the new pose: those before would change the energy
            place(T, S, until, state.y_new)
            factor_now(T, S)
        for _ in range(4):
            gap = project(T, S, until, state.y_new, run.limit, float(state.scale[1]))
            off = largest(S.residual_rate)
            if gap <= TORN * run.system.size and off <= TORN * state.scale[0]:
                return gap
            derivative(T, S, until, state.y_new, state.rate)
        return np.inf

    def _begin(self) -> int:
        """Evaluate at the start of a step: near shapes as they are now, switches that hold."""
        run = self.run
        for _ in range(2):
            T, S, state = run.tables, run.workspace, run.state
            now = float(state.clock[TIME])
            S.quick[Quick.MODE] = KNOWN_PLACES if self.known else GEOMETRY
            self.known = False
            self._look_ahead()
            derivative(T, S, now, state.y, state.rate)
            S.quick[Quick.MODE] = AVERAGE
            state.counts[EVALUATIONS] += 1
            if len(T.shape):
                S.near_count[NEAR_BEGAN] = 0
                after_step(T, S, state.y)
                if state.counts[ACCEPTED] == 0:
                    trust_depths(S, self.h)
                if S.near_count[NEAR_BEGAN]:  # places that were not looked at yet
                    S.quick[Quick.MODE] = GEOMETRY
                    derivative(T, S, now, state.y, state.rate)
                    S.quick[Quick.MODE] = AVERAGE
            if not len(T.shape) or not S.near_count[1]:
                break
            run.renew()
            self._make_room()
        failing = np.flatnonzero(sw.fails(T, S, state))
        if not len(failing):
            S.before[:] = S.guard
            note_places(T, S)
            return GOING_ON
        first = int(failing[np.argmin(S.guard[failing])])
        status = run.change(first)
        return self._begin() if status == GOING_ON else status

    def _look_ahead(self) -> None:
        run = self.run
        look_ahead(run.tables, run.workspace, run.state.y, self.h, BOUNCES * self.h * self.gravity)

    def _book_powers(self, now: float) -> None:
        """Powers of drives count what contacts load them with."""
        run = self.run
        T, n = run.tables, run.system.moving
        contact = run.state.rate[extras_at(n) :].copy()
        derivative(T, run.workspace, now, run.state.y, run.state.rate)
        first = int(T.extra[X_CONTACTS])
        run.state.rate[extras_at(n) + first :] = contact[first:]

    def _driven(self) -> Floats:
        """Efforts of drives, then those of prescribed motions."""
        T, S = self.run.tables, self.run.workspace
        drives = np.concatenate([T.effort[:, Effort.DRIVE], T.motion_drive[:, MotionDrive.DRIVE]])
        return np.asarray(S.drive_effort[drives])

    def _book_change(self, efforts: Floats, before: Floats, h: float) -> None:
        """Work counts the mean of the speeds (C,) before and after the step, as kinetic energy
        does: the step took those before it."""
        T, S, y = self.run.tables, self.run.workspace, self.run.state.y_new
        coordinates = np.concatenate(
            [T.effort[:, Effort.COORDINATE], T.motion[:, Motion.COORDINATE]]
        )
        change = 0.5 * h * efforts * (S.rate - before)[coordinates]
        first = extras_at(self.run.system.moving)
        count = len(T.effort)
        y[first + T.extra[X_EFFORTS] : first + T.extra[X_EFFORTS + 1]] += change[:count]
        y[first + T.extra[X_MOTIONS] : first + T.extra[X_MOTIONS + 1]] += change[count:]

    def write(self, index: int) -> None:
        """Keep the state as the output of that index."""
        run = self.run
        touch, most = run.outputs.touch, int(run.workspace.near_count[2])
        if int(run.outputs.touch_end[index - 1]) + most > len(touch):
            run.more_room()
        run.workspace.quick[Quick.MODE] = AVERAGE
        self._look_ahead()
        self.known = True
        store(
            run.tables, run.workspace, run.state.y, run.outputs, index, run.state.rate,
            float(run.plan.times[index]),
        )  # fmt: skip
        run.state.counts[WRITTEN] = index + 1
