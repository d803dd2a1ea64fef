"""One run: the start, compiled steps in chunks, events in between, and how it ended."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.errors import (
    Conflict,
    NoProgress,
    NotFinite,
    SolverError,
    StepTooSmall,
)
from impeto.core.mechanics.contact.nearby import after_step
from impeto.core.mechanics.equations import derivative, place
from impeto.core.mechanics.flow import note_places
from impeto.core.mechanics.system import System
from impeto.core.mechanics.tables import (
    AVERAGE,
    EVENT,
    SLIPS_DOWN,
    SLIPS_UP,
    STICKS,
    TOUCH_WIDTH,
    X_BRISTLES,
    X_CONTACTS,
    X_STOPS,
    Workspace,
)
from impeto.core.model.model import QUICK
from impeto.core.solvers import method, smooth, suspects
from impeto.core.solvers import switching as sw
from impeto.core.solvers.contacting import renewed, trust_overlaps, with_memory
from impeto.core.solvers.crossing import first_crossing, smallest_step
from impeto.core.solvers.first_step import fitting_step, floors
from impeto.core.solvers.flow import Flow
from impeto.core.solvers.happenings import Happenings
from impeto.core.solvers.output import Outputs, store
from impeto.core.solvers.projection import project_fresh
from impeto.core.solvers.quick import Quick
from impeto.core.solvers.start import Start, consistent_start
from impeto.core.solvers.timetable import Timetable

Floats = npt.NDArray[np.float64]
# Gets the share done (0 to 1) and seconds solved; returns False to stop the run.
Progress = Callable[[float, float], bool]
Allocate = Callable[[tuple[int, ...]], Floats]

CHUNK_TIME = 0.03  # s of wall time between two looks at the clock
LOGGED = 20_000  # impacts and changes of friction that are marked


@dataclass(frozen=True, slots=True)
class Plan:
    """What is asked of a run.

    end : s;  tolerance : relative error per step;  times : (N,) s, outputs
    integrator : 'automatic', 'smooth', 'stiff' or 'quick'
    step : s, the longest of quick mode;  longest : s, of the others
    allocate : makes the arrays that the outputs go to
    """

    end: float
    tolerance: float
    times: Floats
    integrator: str
    step: float
    allocate: Allocate
    longest: float = np.inf


class Run:
    """One integration from start to end."""

    def __init__(
        self, system: System, plan: Plan, happenings: Happenings, start: Start | None = None
    ) -> None:
        self.system, self.plan, self.happenings = system, plan, happenings
        self.tables = system.tables
        self.began = time.perf_counter()
        self.quick = plan.integrator == QUICK
        self.used = QUICK if self.quick else "smooth"
        self.was_cancelled = False
        self.changed_at: float | None = None  # when it went over to the stiff integrator
        self.workspace: Workspace = system.workspace()
        if self.quick:
            self.workspace.quick[:] = AVERAGE, plan.step
        self.timetable = Timetable(system.timing, 0.0, plan.end)
        self.timetable.begin(self.workspace.switch)
        self.start = start or consistent_start(system, self.workspace)
        if self.start.turned is not None:
            self.workspace.turned[:] = self.start.turned
        self.outputs = self._outputs()
        self.tables, self.workspace, y = with_memory(self.tables, self.workspace, self.start)
        self.state = self._integration(y)
        self.flow = Flow(self)
        self.renew()
        self._begin()

    def _outputs(self) -> Outputs:
        s, count, make = self.system, len(self.plan.times), self.plan.allocate
        return Outputs(
            self.plan.times,
            make((count, len(s.start))),
            make((count, s.moving, 6)),
            make((count, len(s.rows))),
            make((count, len(s.tables.coordinate), 3)),
            make((count, int(s.tables.measured[-1]))),
            make((256 if len(s.tables.shape) else 0, TOUCH_WIDTH)),
            np.zeros(count, dtype=np.int64),
        )

    def renew(self) -> None:
        """Look which shapes are near each other now."""
        state = self.state
        state.clock[sw.LONGEST_TOUCH] = np.inf
        if not len(self.tables.shape):
            return
        now = float(state.clock[sw.TIME])
        self.tables, self.workspace, y = renewed(self.tables, self.workspace, now, state.y)
        if len(y) != len(state.y):
            self.state = state = self._integration(y, state)
        if self.quick:
            return  # its steps begin with an evaluation
        for _ in range(2):
            derivative(self.tables, self.workspace, now, state.y, state.k[0])
            if now == 0.0:
                trust_overlaps(self.tables, self.workspace, state.y)
        state.clock[sw.LONGEST_TOUCH] = after_step(self.tables, self.workspace, state.y)

    def more_room(self) -> None:
        """For the points of contact of the outputs to come."""
        old = self.outputs.touch
        size = 2 * len(old) + 4 * smooth.OUTPUTS_IN_STEP * len(self.workspace.patch)
        touch = self.plan.allocate((size, TOUCH_WIDTH))
        touch[: len(old)] = old
        self.outputs = self.outputs.replaced(touch=touch)

    def _integration(self, y: Floats, old: sw.Integration | None = None) -> sw.Integration:
        """Arrays of an integration from a state; what goes on from `old` is taken over."""
        size, coordinates = len(y), len(self.tables.coordinate)
        fresh = sw.Integration(
            clock=np.zeros(12),
            counts=np.zeros(11, dtype=np.int64),
            y=y.copy(),
            fresh=np.zeros(size),
            trial=np.zeros(size),
            scale=np.zeros(2),
            pace=np.zeros(self.system.moving),
            floor=floors(self.tables, self.system.size),
            k=np.zeros((16, size)),
            dense=np.zeros((7, size)),
            rate=np.zeros(size),
            turned=np.zeros(coordinates),
            followed=np.zeros(len(self.tables.path)),
            log=np.zeros((LOGGED, 2)) if old is None else old.log,
        )
        if old is None:
            return fresh
        return fresh.replaced(
            clock=old.clock, counts=old.counts, scale=old.scale, pace=old.pace,
            turned=old.turned,
            followed=old.followed,
            floor=np.concatenate([old.floor[: self.shared], fresh.floor[self.shared :]]),
        )  # fmt: skip

    @property
    def shared(self) -> int:
        """Extra states before the bristles, whose number changes."""
        return int(self.tables.extra[X_BRISTLES])

    @property
    def limit(self) -> float:
        """Residual [m] to which constraints are held."""
        return float(max(2e-14, min(1e-3 * self.plan.tolerance, 1e-10)) * self.system.size)

    def _begin(self) -> None:
        """Switches find their states; sizes for the error norm, a first step, the first output."""
        T, S, state, size = self.tables, self.workspace, self.state, self.system.size
        place(T, S, 0.0, state.y)
        note_places(T, S)
        S.turned[:] = S.coordinate
        S.along[:] = S.track[:, 0]
        state.clock[sw.INSTANT] = self.timetable.next
        derivative(T, S, 0.0, state.y, state.k[0])
        sw.hold_pieces(T, S)
        for row in T.friction:
            rate = S.rate[row[0]]
            S.switch[row[3]] = STICKS
            if abs(rate) > 1e-12 * size:
                S.switch[row[3]] = SLIPS_UP if rate > 0.0 else SLIPS_DOWN
            S.memory[row[3]] = S.coordinate[row[0]]
        sw.settle(T, S, state, self.limit, events=True)
        place(T, S, 0.0, state.y)
        store(T, S, state.y, self.outputs, 0, state.k[0], 0.0)
        if not np.isfinite(state.k[0]).all():
            raise NotFinite(time=0.0, suspect=self._bad_rate())
        state.counts[sw.WRITTEN] = 1
        fastest_turn = smooth.fastest_turn(T.coordinate, S.rate)
        state.clock[sw.LONGEST_TURN] = smooth.LARGEST_TURN / fastest_turn
        n = self.system.moving
        acceleration = np.abs(S.solution[: 6 * n]).reshape(-1, 6)
        fastest = max(
            float(acceleration[:, :3].max(initial=0.0)),
            size * float(acceleration[:, 3:].max(initial=0.0)),
        )
        floor = 1e-2 * size * max(1.0 / self.plan.end, float(np.sqrt(fastest / size)))
        state.scale[0], state.scale[1] = floor, floor / size
        smooth.update_scale(state, n, size)
        energy = float(T.mass[1:].sum()) * float(state.scale[0]) ** 2
        state.floor[T.extra[X_STOPS] : T.extra[X_STOPS + 1]] = energy
        state.floor[T.extra[X_CONTACTS] : T.extra[X_CONTACTS + 1]] = energy
        state.clock[sw.SHORT_STEP] = self.plan.end
        state.clock[sw.STEP] = self._fitting_step()

    def _fitting_step(self) -> float:
        """A step [s] for the equations as they now are. Also after every change of a switch: one
        that suited free flight would leap over an impact, and an error estimate can be small there
        by chance."""
        return fitting_step(
            self.tables, self.workspace, self.state, self.system.size, self.plan.end,
            self.plan.tolerance,
        )  # fmt: skip

    def go(self, progress: Progress | None) -> str:
        """Step to the end; return why it stopped early, or ''."""
        if self.quick:
            return Quick(self).go(progress)
        chunk, end = 20, self.plan.end
        coefficients = method.method()
        touching = len(self.tables.shape) > 0  # only the smooth integrator follows contacts
        watch = 1 if self.plan.integrator == "automatic" and not touching else 0
        stiff = self.plan.integrator == "stiff" and not touching
        while True:
            if stiff:
                return self._go_stiff(progress)
            began = time.perf_counter()
            status = self.proceed(coefficients, chunk, watch)
            spent = max(time.perf_counter() - began, 1e-6)
            chunk = int(min(max(chunk * CHUNK_TIME / spent, 1), 4 * chunk, 2000))
            solved = float(self.state.clock[sw.TIME])
            if status == smooth.DONE:
                if progress:
                    progress(1.0, solved)
                return ""
            if status == smooth.STIFF:
                stiff = True
            elif status != smooth.GOING_ON:
                return str(self.failure(status, solved))
            if progress and not progress(solved / end, solved):
                return cancelled(self, solved)

    def proceed(self, coefficients: method.Method, chunk: int, watch: int) -> int:
        """So many steps of the smooth integrator, or up to what comes up and is done; a status."""
        status = self._advance(coefficients, chunk, watch, 0)
        if status == smooth.CROSSING:
            status = self._land(coefficients)
        if status == smooth.EVENT_MET:
            ends = self.meet(int(self.state.clock[sw.CROSSED]))
            return smooth.DONE if ends else smooth.GOING_ON
        if status == smooth.ON_TIME:
            self.turn_page()
        elif status == smooth.RENEW:
            self.renew()
        elif status == smooth.FULL:
            self.more_room()
        else:
            return status
        return smooth.GOING_ON

    def _advance(self, coefficients: method.Method, chunk: int, watch: int, landing: int) -> int:
        plan = self.plan
        return int(
            smooth.advance(
                self.tables, self.workspace, coefficients, self.state, self.outputs, plan.end,
                plan.tolerance, self.system.size, min(plan.end / 10.0, plan.longest), chunk, watch,
                landing,
            )
        )  # fmt: skip

    def turn_page(self) -> None:
        """Set the switches of what changes by the clock, now."""
        T, S, state = self.tables, self.workspace, self.state
        now = float(state.clock[sw.TIME])
        self.timetable.turn(now, S.switch)
        state.clock[sw.INSTANT] = self.timetable.next
        derivative(T, S, now, state.y, state.k[0])
        state.counts[sw.EVALUATIONS] += 1
        if np.abs(S.speed).max(initial=0.0) > 1e-3 * self.limit:
            sw.jump(T, S, state, self.limit)
        S.before[:] = S.guard

    def _land(self, coefficients: method.Method) -> int:
        """Step exactly to where the first guard fails within the step just tried, and change."""
        T, S, state = self.tables, self.workspace, self.state
        whole = float(state.clock[sw.TRIED])
        index, share = first_crossing(T, S, coefficients, state, whole)
        state.clock[sw.CROSSED] = index
        if share * whole >= smallest_step(self.plan.end):
            state.clock[sw.STEP] = share * whole
            status = self._advance(coefficients, 1, 0, 1)
            if status not in (smooth.GOING_ON, smooth.DONE):
                return status
        state.clock[sw.STEP] = whole
        if not sw.moves_on(state, self.plan.end):
            return smooth.NO_PROGRESS
        event = sw.change(T, S, state, index, self.limit)
        state.clock[sw.STEP] = min(whole, self._fitting_step())
        if event >= 0:
            state.clock[sw.CROSSED] = event
            return smooth.EVENT_MET
        return smooth.GOING_ON

    def _go_stiff(self, progress: Progress | None) -> str:
        from impeto.core.solvers.stiff import go_stiff

        self.changed_at = float(self.state.clock[sw.TIME])
        self.used = "stiff" if self.changed_at == 0.0 else "smooth, then stiff"
        return go_stiff(self, progress)

    def meet(self, switch: int) -> bool:
        """Do what an event, a feeder or an outlet asks for; returns whether the run ends."""
        if self.tables.switch[switch, 0] != EVENT:
            self.flow.meet(switch)
            self.restart()
            return False
        event = int(self.tables.switch[switch, 1])
        changed, ends = self.happenings.meet(event, self.tables, self.workspace, self.state)
        if changed is not None:
            self._take_over(changed)
        self.flow.ask(self.system.mechanism.events[event])
        if not ends:
            self.restart()
        return ends

    def _take_over(self, changed: System) -> None:
        """Go on with the values of another system of the same layout."""
        self.tables = changed.tables.replaced(extra=self.tables.extra)
        now = float(self.state.clock[sw.TIME])
        self.timetable = Timetable(changed.timing, now, self.plan.end)
        self.timetable.begin(self.workspace.switch)
        self.state.clock[sw.INSTANT] = self.timetable.next

    def restart(self) -> None:
        """Velocities onto the constraints that now hold, switches to their states."""
        T, S, state = self.tables, self.workspace, self.state
        now = float(state.clock[sw.TIME])
        before = self.happenings.energy(T, S, state, now)
        project_fresh(T, S, now, state.y, self.limit, 6)
        sw.settle(T, S, state, self.limit)
        after = self.happenings.energy(T, S, state, now)
        self.happenings.book(T, state, before, after)
        state.clock[sw.STEP] = self._fitting_step()
        if not self.quick:
            state.clock[sw.LONGEST_TOUCH] = after_step(T, S, state.y)

    def failure(self, status: int, solved: float) -> SolverError:
        suspect = self._suspect()
        if status == smooth.TOO_SMALL:
            step = float(self.state.clock[sw.STEP])
            return StepTooSmall(time=solved, step=step, suspect=suspect)
        if status == smooth.NO_PROGRESS:
            switch = int(self.state.clock[sw.CROSSED])
            owner = suspects.owner_of_switch(self.system, switch) or suspect
            return NoProgress(time=solved, suspect=owner)
        if status == smooth.CONFLICT:
            what, who = suspects.conflict(self.system, self.workspace)
            return Conflict(time=solved, what=what, suspect=who or suspect)
        return NotFinite(time=solved, suspect=suspect)

    def _suspect(self) -> str:
        index, n = int(self.state.clock[sw.SUSPECT]), self.system.moving
        body = index // 7 if index < 7 * n else (index - 7 * n) // 6
        return suspects.near_body(self.system, self.workspace, min(body, n - 1) + 1)

    def _bad_rate(self) -> str:
        n = self.system.moving
        bad = np.flatnonzero(~np.isfinite(self.state.k[0][: 13 * n]))
        self.state.clock[sw.SUSPECT] = bad[0] if len(bad) else 0
        return self._suspect()

    @property
    def wall_seconds(self) -> float:
        return time.perf_counter() - self.began


def cancelled(run: Run, solved: float) -> str:
    """Note that the user stopped a run, and say so."""
    run.was_cancelled = True
    return f"Cancelled at {solved:.4g} s; what was solved until then is kept."
