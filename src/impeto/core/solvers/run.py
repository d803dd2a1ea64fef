"""One run: the start, compiled steps in chunks, events in between, and how it ended."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from impeto.core.assembly.equations import derivative, place
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact.nearby import after_step
from impeto.core.dynamics.columns import Friction, Switch
from impeto.core.dynamics.integration import (
    CROSSED,
    EVALUATIONS,
    INSTANT,
    LONGEST_TOUCH,
    LONGEST_TURN,
    SHORT_STEP,
    STEP,
    TIME,
    WRITTEN,
    Integration,
)
from impeto.core.dynamics.state import unknowns
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import (
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
from impeto.core.errors import (
    NotFinite,
)
from impeto.core.events.data import EventData
from impeto.core.flow.kernels import note_places
from impeto.core.geometry.arrays import Floats
from impeto.core.model.run_settings import QUICK
from impeto.core.solvers import diagnostics as suspects
from impeto.core.solvers import switching as sw
from impeto.core.solvers.contacting import renewed, trust_overlaps, with_memory
from impeto.core.solvers.events import Events
from impeto.core.solvers.first_step import fitting_step, floors
from impeto.core.solvers.flow import Flow
from impeto.core.solvers.initial_conditions import Start, consistent_start
from impeto.core.solvers.output import OUTPUTS_IN_STEP, Outputs, store
from impeto.core.solvers.projection import project_fresh
from impeto.core.solvers.scales import LARGEST_TURN, fastest_turn, update_scale
from impeto.core.solvers.status import Status
from impeto.core.solvers.timetable import Timetable

# Gets the share done (0 to 1) and seconds solved; returns False to stop the run.
Progress = Callable[[float, float], bool]
Allocate = Callable[[tuple[int, ...]], Floats]

LOGGED = 20_000  # impacts and changes of friction that are marked
MOST_NAMED = 3  # methods one after the other that are named


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
        self, system: System, plan: Plan, events: Events, start: Start | None = None
    ) -> None:
        self.system, self.plan, self.events = system, plan, events
        self.tables = system.tables
        self.began = time.perf_counter()
        self.quick = plan.integrator == QUICK
        self.methods: list[str] = []  # that went on one after the other
        self.was_cancelled = False
        self.workspace: Workspace = workspace_of(system)
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
        state.clock[LONGEST_TOUCH] = np.inf
        if not len(self.tables.shape):
            return
        now = float(state.clock[TIME])
        self.tables, self.workspace, y = renewed(self.tables, self.workspace, now, state.y)
        if len(y) != len(state.y):
            self.state = state = self._integration(y, state)
        if self.quick:
            return  # its steps begin with an evaluation
        for _ in range(2):
            derivative(self.tables, self.workspace, now, state.y, state.k[0])
            if now == 0.0:
                trust_overlaps(self.tables, self.workspace, state.y)
        state.clock[LONGEST_TOUCH] = after_step(self.tables, self.workspace, state.y)

    def more_room(self) -> None:
        """For the points of contact of the outputs to come."""
        old = self.outputs.touch
        size = 2 * len(old) + 4 * OUTPUTS_IN_STEP * len(self.workspace.patch)
        touch = self.plan.allocate((size, TOUCH_WIDTH))
        touch[: len(old)] = old
        self.outputs = self.outputs.replaced(touch=touch)

    def _integration(self, y: Floats, old: Integration | None = None) -> Integration:
        """Arrays of an integration from a state; what goes on from `old` is taken over."""
        size, coordinates = len(y), len(self.tables.coordinate)
        made = Integration(
            clock=np.zeros(12),
            counts=np.zeros(11, dtype=np.int64),
            y=y.copy(),
            y_new=np.zeros(size),
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
            return made
        return made.replaced(
            clock=old.clock, counts=old.counts, scale=old.scale, pace=old.pace,
            turned=old.turned,
            followed=old.followed,
            floor=np.concatenate([old.floor[: self.shared], made.floor[self.shared :]]),
        )  # fmt: skip

    @property
    def methods_said(self) -> str:
        """The methods that went on one after the other."""
        if len(self.methods) <= MOST_NAMED:
            return ", then ".join(self.methods)
        return f"{self.methods[0]} and {self.methods[1]} in turn, {len(self.methods)} stretches"

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
        state.clock[INSTANT] = self.timetable.next
        derivative(T, S, 0.0, state.y, state.k[0])
        sw.hold_pieces(T, S)
        for row in T.friction:
            rate = S.rate[row[Friction.COORDINATE]]
            S.switch[row[Friction.SWITCH]] = STICKS
            if abs(rate) > 1e-12 * size:
                S.switch[row[Friction.SWITCH]] = SLIPS_UP if rate > 0.0 else SLIPS_DOWN
            S.memory[row[Friction.SWITCH]] = S.coordinate[row[Friction.COORDINATE]]
        sw.settle(T, S, state, self.limit, events=True)
        place(T, S, 0.0, state.y)
        store(T, S, state.y, self.outputs, 0, state.k[0], 0.0)
        if not np.isfinite(state.k[0]).all():
            bad = int(np.flatnonzero(~np.isfinite(state.k[0]))[0])
            raise NotFinite(time=0.0, suspect=suspects.of_state(self.system, S, bad))
        state.counts[WRITTEN] = 1
        state.clock[LONGEST_TURN] = LARGEST_TURN / fastest_turn(T.coordinate, S.rate)
        n = self.system.moving
        acceleration = np.abs(S.solution[: unknowns(n)]).reshape(-1, 6)
        fastest = max(
            float(acceleration[:, :3].max(initial=0.0)),
            size * float(acceleration[:, 3:].max(initial=0.0)),
        )
        floor = 1e-2 * size * max(1.0 / self.plan.end, float(np.sqrt(fastest / size)))
        state.scale[0], state.scale[1] = floor, floor / size
        update_scale(state, n, size)
        energy = float(T.mass[1:].sum()) * float(state.scale[0]) ** 2
        state.floor[T.extra[X_STOPS] : T.extra[X_STOPS + 1]] = energy
        state.floor[T.extra[X_CONTACTS] : T.extra[X_CONTACTS + 1]] = energy
        state.clock[SHORT_STEP] = self.plan.end
        state.clock[STEP] = self.fitting_step()

    def fitting_step(self) -> float:
        """A step [s] for the equations as they now are. Also after every change of a switch: one
        that suited free flight would leap over an impact, and an error estimate can be small there
        by chance."""
        return fitting_step(
            self.tables, self.workspace, self.state, self.system.size, self.plan.end,
            self.plan.tolerance,
        )  # fmt: skip

    def turn_page(self) -> None:
        """Set the switches of what changes by the clock, now."""
        T, S, state = self.tables, self.workspace, self.state
        now = float(state.clock[TIME])
        self.timetable.turn(now, S.switch)
        state.clock[INSTANT] = self.timetable.next
        derivative(T, S, now, state.y, state.k[0])
        state.counts[EVALUATIONS] += 1
        if np.abs(S.residual_rate).max(initial=0.0) > 1e-3 * self.limit:
            sw.jump(T, S, state, self.limit)
        S.before[:] = S.guard

    def change(self, index: int) -> int:
        """Change a switch whose guard has failed, and what hangs on it; a status."""
        T, S, clock = self.tables, self.workspace, self.state.clock
        clock[CROSSED] = index
        if not sw.moves_on(self.state, self.plan.end):
            return Status.NO_PROGRESS
        event = sw.change(T, S, self.state, index, self.limit)
        if event < 0:
            return Status.GOING_ON
        clock[CROSSED] = event
        return Status.EVENT_MET

    def meet(self, switch: int) -> bool:
        """Do what an event, a feeder or an outlet asks for; returns whether the run ends."""
        if self.tables.switch[switch, Switch.KIND] != EVENT:
            self.flow.meet(switch)
            self.restart()
            return False
        event = int(self.tables.switch[switch, Switch.ROW])
        changed, ends = self.events.meet(event, self.tables, self.workspace, self.state)
        if changed is not None:
            self._take_over(changed)
        self.flow.ask(self.system.mechanism.of(EventData)[event])
        if not ends:
            self.restart()
        return ends

    def _take_over(self, changed: System) -> None:
        """Go on with the values of another system of the same layout."""
        self.tables = changed.tables.replaced(extra=self.tables.extra)
        now = float(self.state.clock[TIME])
        self.timetable = Timetable(changed.timing, now, self.plan.end)
        self.timetable.begin(self.workspace.switch)
        self.state.clock[INSTANT] = self.timetable.next

    def restart(self) -> None:
        """Velocities onto the constraints that now hold, switches to their states."""
        T, S, state = self.tables, self.workspace, self.state
        now = float(state.clock[TIME])
        before = self.events.energy(T, S, state, now)
        project_fresh(T, S, now, state.y, self.limit, 6)
        sw.settle(T, S, state, self.limit)
        after = self.events.energy(T, S, state, now)
        self.events.book(T, state, before, after)
        state.clock[STEP] = self.fitting_step()
        if not self.quick:
            state.clock[LONGEST_TOUCH] = after_step(T, S, state.y)

    @property
    def wall_seconds(self) -> float:
        return time.perf_counter() - self.began
