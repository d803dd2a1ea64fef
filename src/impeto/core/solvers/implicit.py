"""The implicit method: Radau IIA of order 5 on the index-1 equations.

Hairer and Wanner, Solving Ordinary Differential Equations II (1996), IV.8, in SciPy's
implementation; the Jacobian comes from compiled differences, the state is projected after every
step, switches and events are found on the dense output as by the explicit method.
"""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np

from impeto.core.assembly.equations import derivative, largest
from impeto.core.dynamics.integration import (
    ACCEPTED,
    ERROR,
    EVALUATIONS,
    INSTANT,
    STEP,
    TIME,
    WORST_GAP,
    WRITTEN,
)
from impeto.core.dynamics.state import all_poses, all_speeds, extras_at
from impeto.core.geometry.arrays import Floats
from impeto.core.solvers.event_location import first_crossing
from impeto.core.solvers.output import TORN, store
from impeto.core.solvers.projection import project_fresh
from impeto.core.solvers.run import Run
from impeto.core.solvers.scales import update_scale
from impeto.core.solvers.status import Status

FIRST = 1e-9  # of a step: where a switch changes that fails at once
STABLE, LOOSE = 2.0, 20  # h·|eigenvalue| that explicit methods bear well, for so many steps
POWERS = 24  # of the Jacobian, for its dominant eigenvalue


class Implicit:
    """Steps of the implicit method; see stepper.Stepper."""

    title: ClassVar[str] = "stiff"

    def __init__(self, run: Run, watch: bool = False) -> None:
        """watch : whether to answer EASY where an explicit method would do as well"""
        self.run, self.watch = run, watch
        self._loose = 0
        self._known: Floats | None = None  # the Jacobian of which `_radius` is known
        self._radius = 0.0
        self.restart()

    def restart(self) -> None:
        """A stretch without events begins."""
        from scipy.integrate import Radau  # which most runs do without

        run = self.run
        self.scale = self._scales()
        state, plan = run.state, run.plan
        now, first = float(state.clock[TIME]), self._first_step()
        self.solver = Radau(
            self._rate, now, state.y.copy(), max(self._goal(), now + first),
            rtol=max(plan.tolerance, 1e-12), atol=max(plan.tolerance, 1e-12) * self.scale,
            jac=self._jacobian, first_step=first, max_step=plan.longest,
        )  # fmt: skip

    def _goal(self) -> float:
        return float(min(self.run.plan.end, self.run.state.clock[INSTANT]))

    def resume(self) -> None:
        """Towards the next instant of the timetable, with the switches set anew."""
        solver, state = self.solver, self.run.state
        solver.y = state.y.copy()
        solver.f = self._rate(solver.t, solver.y)
        solver.t_bound, solver.status = self._goal(), "running"

    def _first_step(self) -> float:
        """At most to the next instant; where that is now, `advance` answers before it steps."""
        clock, left = self.run.state.clock, self._goal() - self.run.state.clock[TIME]
        step = max(clock[STEP], 1e-12 * self.run.plan.end)
        return float(min(step, left) if left > 0.0 else step)

    def _scales(self) -> Floats:
        """Size of every state that its error is held against."""
        run, n = self.run, self.run.system.moving
        size, speed, spin = run.system.size, *run.state.scale
        scale = np.empty(len(run.state.y))
        scale[all_poses(n)] = np.tile([size] * 3 + [1.0] * 4, n)
        scale[all_speeds(n)] = np.tile([speed] * 3 + [spin] * 3, n)
        mass = float(run.tables.mass[1:].sum())
        scale[extras_at(n) :] = max(mass * speed * speed, 1e-300) + np.abs(
            run.state.y[extras_at(n) :]
        )
        return scale

    def _rate(self, t: float, y: Floats) -> Floats:
        rate = np.empty_like(y)
        derivative(self.run.tables, self.run.workspace, t, y, rate)
        self.run.state.counts[EVALUATIONS] += 1
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

    def advance(self) -> int:
        """One accepted step, up to the first switch that changes."""
        clock = self.run.state.clock
        if float(clock[TIME]) >= self.run.plan.end:
            return Status.DONE
        if clock[TIME] >= clock[INSTANT]:
            return Status.ON_TIME
        run, solver = self.run, self.solver
        T, S, state = run.tables, run.workspace, run.state
        before = self.guards(solver.t, solver.y)
        solver.step()
        if solver.status == "failed":
            state.clock[STEP] = solver.h_abs
            return Status.TOO_SMALL if np.isfinite(solver.y).all() else Status.NOT_FINITE
        dense, start, end = solver.dense_output(), solver.t_old, solver.t
        y_new = solver.y.copy()
        gap = project_fresh(T, S, end, y_new, run.limit, 6)
        if not (gap <= TORN * run.system.size
                and largest(S.residual_rate) <= TORN * state.scale[0]):  # fmt: skip
            return Status.CONFLICT
        after = self.guards(end, y_new)
        crossed = -1
        if (after < 0.0).any():
            whole = end - start
            crossed, share = first_crossing(
                lambda part: self.guards(start + part * whole, dense(start + part * whole)),
                before, after,
            )  # fmt: skip
            end = start + max(share, FIRST) * whole
            y_new = dense(end)
            gap = project_fresh(T, S, end, y_new, run.limit, 6)
            self._rate(end, y_new)
        state.turned[:] = S.coordinate
        state.followed[:] = S.track[:, 0]
        self._write(dense, end)
        S.turned[:] = state.turned
        S.along[:] = state.followed
        state.y[:] = y_new
        state.clock[TIME] = end
        state.clock[WORST_GAP] = max(state.clock[WORST_GAP], gap)
        state.clock[ERROR] += run.plan.tolerance
        state.counts[ACCEPTED] += 1
        update_scale(state, run.system.moving, run.system.size)
        state.clock[STEP] = solver.h_abs
        if crossed < 0:
            solver.y, solver.f = y_new.copy(), self._rate(end, y_new)
            if end >= state.clock[INSTANT]:
                return Status.ON_TIME
            return Status.EASY if self.watch and self._is_easy(end - start) else Status.GOING_ON
        status = run.change(crossed)
        if status == Status.GOING_ON:
            self.restart()
        return status

    def _is_easy(self, h: float) -> bool:
        """Whether steps have long been so short that stability asks nothing of them."""
        if self.solver.J is not self._known:
            self._known, self._radius = self.solver.J, spectral_radius(self.solver.J)
        self._loose = self._loose + 1 if h * self._radius < STABLE else 0
        return self._loose >= LOOSE

    def _write(self, dense: Any, until: float) -> None:
        """Store the outputs up to a time within the last step."""
        run, out, counts = self.run, self.run.outputs, self.run.state.counts
        index = int(counts[WRITTEN])
        last = until >= run.plan.end
        while index < len(out.time) and (out.time[index] <= until or last):
            moment = float(out.time[index])
            trial = dense(min(moment, until))
            project_fresh(run.tables, run.workspace, moment, trial, run.limit, 4)
            store(run.tables, run.workspace, trial, out, index, run.state.rate, moment)
            index += 1
        counts[WRITTEN] = index


def spectral_radius(a: Floats) -> float:
    """About the size of the dominant eigenvalue of (N, N), from the growth under its powers."""
    x = np.random.default_rng(1).normal(size=len(a))
    half = 0.0
    for k in range(POWERS):
        x = a @ x
        size = float(np.linalg.norm(x))
        if size == 0.0:
            return 0.0
        x /= size
        half += np.log(size) if k >= POWERS // 2 else 0.0
    return float(np.exp(half / (POWERS - POWERS // 2)))
