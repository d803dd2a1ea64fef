"""The stiff integrator: Radau IIA of order 5 on the index-1 equations, steps driven from here.

Hairer and Wanner, Solving Ordinary Differential Equations II (1996), IV.8, in SciPy's
implementation; the Jacobian comes from compiled differences, the state is projected after every
step, switches and events are found on the dense output as in the smooth integrator.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt
from scipy.integrate import Radau
from scipy.optimize import brentq

from impeto.core.mechanics.equations import derivative, largest
from impeto.core.solvers import smooth
from impeto.core.solvers import switching as sw
from impeto.core.solvers.output import store
from impeto.core.solvers.projection import project_fresh

if TYPE_CHECKING:
    from impeto.core.solvers.run import Progress, Run

Floats = npt.NDArray[np.float64]


class Stiff:
    """One stretch of stiff integration between two events."""

    def __init__(self, run: Run) -> None:
        self.run = run
        self.scale = self._scales()
        state, plan = run.state, run.plan
        self.solver = Radau(
            self._rate, float(state.clock[sw.TIME]), state.y.copy(), self._goal(),
            rtol=max(plan.tolerance, 1e-12), atol=max(plan.tolerance, 1e-12) * self.scale,
            jac=self._jacobian, first_step=self._first_step(), max_step=plan.longest,
        )  # fmt: skip

    def _goal(self) -> float:
        return float(min(self.run.plan.end, self.run.state.clock[sw.INSTANT]))

    def go_on(self) -> None:
        """Towards the next instant of the timetable, with the switches set anew."""
        solver, state = self.solver, self.run.state
        solver.y = state.y.copy()
        solver.f = self._rate(solver.t, solver.y)
        solver.t_bound, solver.status = self._goal(), "running"

    def _first_step(self) -> float:
        clock, left = self.run.state.clock, self._goal() - self.run.state.clock[sw.TIME]
        return float(min(max(clock[sw.STEP], 1e-12 * self.run.plan.end), left))

    def _scales(self) -> Floats:
        """Size of every state that its error is held against."""
        run, n = self.run, self.run.system.moving
        size, speed, spin = run.system.size, *run.state.scale
        scale = np.empty(len(run.state.y))
        scale[: 7 * n] = np.tile([size] * 3 + [1.0] * 4, n)
        scale[7 * n : 13 * n] = np.tile([speed] * 3 + [spin] * 3, n)
        mass = float(run.tables.mass[1:].sum())
        scale[13 * n :] = max(mass * speed * speed, 1e-300) + np.abs(run.state.y[13 * n :])
        return scale

    def _rate(self, t: float, y: Floats) -> Floats:
        rate = np.empty_like(y)
        derivative(self.run.tables, self.run.workspace, t, y, rate)
        self.run.state.counts[sw.EVALUATIONS] += 1
        return rate

    def _jacobian(self, t: float, y: Floats) -> Floats:
        """∂(rate)/∂(state) by one-sided differences."""
        base, out, moved = self._rate(t, y), np.empty((len(y), len(y))), y.copy()
        for j, step in enumerate(1.5e-8 * np.maximum(np.abs(y), self.scale)):
            moved[j] = y[j] + step
            out[:, j] = (self._rate(t, moved) - base) / (moved[j] - y[j])
            moved[j] = y[j]
        return out

    def guards(self, t: float, y: Floats) -> Floats:
        """Guards of all switches at a state."""
        self._rate(t, y)
        return self.run.workspace.guard.copy()

    def step(self) -> int:
        """One accepted step, up to the first switch that changes; a status of smooth.advance."""
        run, solver = self.run, self.solver
        T, S, state = run.tables, run.workspace, run.state
        before = self.guards(solver.t, solver.y)
        solver.step()
        if solver.status == "failed":
            state.clock[sw.STEP] = solver.h_abs
            return smooth.TOO_SMALL if np.isfinite(solver.y).all() else smooth.NOT_FINITE
        dense, start, end = solver.dense_output(), solver.t_old, solver.t
        fresh = solver.y.copy()
        gap = project_fresh(T, S, end, fresh, run.limit, 6)
        if not (gap <= smooth.TORN * run.system.size
                and largest(S.speed) <= smooth.TORN * state.scale[0]):  # fmt: skip
            return smooth.CONFLICT
        after = self.guards(end, fresh)
        failing = np.flatnonzero(after < 0.0)
        crossed = -1
        if len(failing):
            crossed, end = self._first_crossing(dense, start, end, before, failing)
            fresh = dense(end)
            gap = project_fresh(T, S, end, fresh, run.limit, 6)
            self._rate(end, fresh)
        state.turned[:] = S.coordinate
        state.followed[:] = S.track[:, 0]
        self._write(dense, end)
        S.turned[:] = state.turned
        S.along[:] = state.followed
        state.y[:] = fresh
        state.clock[sw.TIME] = end
        state.clock[sw.WORST_GAP] = max(state.clock[sw.WORST_GAP], gap)
        state.clock[sw.ERROR] += run.plan.tolerance
        state.counts[sw.ACCEPTED] += 1
        smooth.update_scale(state, run.system.moving, run.system.size)
        state.clock[sw.STEP] = solver.h_abs
        if crossed < 0:
            solver.y, solver.f = fresh.copy(), self._rate(end, fresh)
            return smooth.ON_TIME if end >= state.clock[sw.INSTANT] else smooth.GOING_ON
        if not sw.moves_on(state, run.plan.end):
            state.clock[sw.CROSSED] = crossed
            return smooth.NO_PROGRESS
        event = sw.change(T, S, state, crossed, run.limit)
        state.clock[sw.CROSSED] = max(event, crossed) if event < 0 else event
        return smooth.EVENT_MET if event >= 0 else smooth.STIFF

    def _first_crossing(
        self, dense: Any, start: float, end: float, before: Floats, failing: Any
    ) -> tuple[int, float]:
        """The switch that changes first, and when it has just done so."""
        best, when = int(failing[0]), end
        for index in map(int, failing):
            if before[index] <= 0.0:
                return index, start + 1e-9 * (end - start)

            def value(t: float, i: int = index) -> float:
                return float(self.guards(t, dense(t))[i])

            if value(when) >= 0.0:
                continue
            root = float(brentq(value, start, when, xtol=1e-14 * max(end, 1e-300), rtol=1e-13))
            if root <= when:
                best, when = index, root
        return best, when

    def _write(self, dense: Any, until: float) -> None:
        """Store the outputs up to a time within the last step."""
        run, out, counts = self.run, self.run.outputs, self.run.state.counts
        index = int(counts[sw.WRITTEN])
        last = until >= run.plan.end
        while index < len(out.time) and (out.time[index] <= until or last):
            moment = float(out.time[index])
            trial = dense(min(moment, until))
            project_fresh(run.tables, run.workspace, moment, trial, run.limit, 4)
            store(run.tables, run.workspace, trial, out, index, run.state.rate, moment)
            index += 1
        counts[sw.WRITTEN] = index


def go_stiff(run: Run, progress: Progress | None) -> str:
    """Integrate to the end; return why it stopped early, or ''."""
    from impeto.core.solvers.run import cancelled

    stretch, end = Stiff(run), run.plan.end
    while float(run.state.clock[sw.TIME]) < end:
        status = stretch.step()
        solved = float(run.state.clock[sw.TIME])
        if status == smooth.EVENT_MET:
            if run.meet(int(run.state.clock[sw.CROSSED])):
                return ""
            stretch = Stiff(run)
        elif status == smooth.STIFF:
            stretch = Stiff(run)
        elif status == smooth.ON_TIME:
            run.turn_page()
            stretch.go_on()
        elif status != smooth.GOING_ON:
            return str(run.failure(status, solved))
        if progress and not progress(solved / end, solved):
            return cancelled(run, solved)
    return ""
