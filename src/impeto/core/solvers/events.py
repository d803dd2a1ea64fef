"""Events during a run: what they do, what they cost in energy, and the marks they leave."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import derivative
from impeto.core.drives.columns import Effort
from impeto.core.dynamics.columns import Row, Switch
from impeto.core.dynamics.integration import TIME, Integration
from impeto.core.dynamics.names import LOCK, Mark
from impeto.core.dynamics.state import extras_at
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import HOLD, MOTOR_STATES, X_EVENTS, X_MOTORS, Tables, Workspace
from impeto.core.errors import ModelError
from impeto.core.events.data import EventData
from impeto.core.events.model import END_RUN, FEED_ONE, MARK, SET_PARAMETER, SWITCH_OFF
from impeto.core.events.model import LOCK as LOCKS
from impeto.core.forces.bushings import ENERGY as BUSHING_ENERGY
from impeto.core.forces.line_law import Pull
from impeto.core.joints.columns import Acting
from impeto.core.solvers.switching import kinetic_energy, present

Floats = npt.NDArray[np.float64]
# What shapes bodies and joints: it cannot change during a run.
FIXED = (
    "mass", "inertia", "origin", "joint_body", "joint_point", "joint_axes", "row", "coordinate",
    "instruction", "link_point", "switch", "extra", "measured",
)  # fmt: skip


class Events:
    """The events of a mechanism while it runs.

    changed : gives the system with parameters set, by name
    """

    def __init__(
        self, system: System, changed: Callable[[dict[str, str]], System], settings: dict[str, str]
    ) -> None:
        self.system, self.changed = system, changed
        self.settings = settings  # event -> value that it sets
        self.values: dict[str, str] = {}
        self.marks: list[Mark] = []

    def check(self) -> None:
        """Refuse, before the run, parameters that cannot change during one."""
        for event in self.system.mechanism.of(EventData):
            if event.action == SET_PARAMETER:
                tables = self.changed({event.target: self.settings[event.name]}).tables
                for name in FIXED:
                    old, new = getattr(self.system.tables, name), getattr(tables, name)
                    if old.shape != new.shape or not np.array_equal(old, new):
                        raise ModelError(
                            f"'{event.target}' shapes bodies or places frames, which cannot change "
                            "during a run",
                            element=event.name,
                            field="target",
                            remedy="Make two cases instead",
                        )

    def meet(
        self, number: int, T: Tables, S: Workspace, state: Integration
    ) -> tuple[System | None, bool]:
        """Do what an event asks; returns the system from now on where values have changed, and
        whether the run ends."""
        event, now = self.system.mechanism.of(EventData)[number], float(state.clock[TIME])
        text = (
            event.action
            if event.action in (MARK, END_RUN)
            else (f"{event.action}: {event.target.removesuffix(LOCK)}")
        )
        self.marks.append(Mark(now, event.name, text))
        if not event.again:
            S.on[self.system.elements[event.name]] = 0.0
        if event.action == END_RUN:
            return None, True
        if event.action in (MARK, FEED_ONE):
            return None, False
        before, changed = self.energy(T, S, state, now), None
        if event.action == SET_PARAMETER:
            self.values[event.target] = self.settings[event.name]
            changed = self.changed(self.values)
            T = changed.tables.replaced(extra=T.extra)
            S.kkt[:] = T.kkt_value
        elif event.action == LOCKS:
            self._lock(T, S, event.target)
        else:
            S.on[self.system.elements[event.target]] = float(event.action != SWITCH_OFF)
            held = self.system.elements.get(event.target + LOCK)
            if held is not None:
                S.on[held] = 0.0
            self._open_circuit(T, state, event.target)
        self.book(T, state, before, self.energy(T, S, state, now))
        return changed, False

    def _lock(self, T: Tables, S: Workspace, target: str) -> None:
        """Hold the coordinates of a joint where they are."""
        element = self.system.elements[target]
        S.on[element] = 1.0
        for row in T.row:
            if row[Row.ELEMENT] == element and T.switch[row[Row.SWITCH], Switch.KIND] == HOLD:
                S.memory[row[Row.SWITCH]] = S.coordinate[row[Row.COORDINATE]]

    def _open_circuit(self, T: Tables, state: Integration, target: str) -> None:
        """A motor that is switched starts without current."""
        for motor, row in enumerate(T.motor):
            if T.effort[row[0], Effort.ELEMENT] == self.system.elements[target]:
                first = extras_at(self.system.moving) + T.extra[X_MOTORS]
                state.y[first + MOTOR_STATES * motor] = 0.0

    def energy(self, T: Tables, S: Workspace, state: Integration, now: float) -> float:
        """Kinetic, potential and stored energy [J] at the present state."""
        derivative(T, S, now, state.y, state.rate)
        total = float(S.pull[:, Pull.ENERGY].sum() + S.spring_effort[:, Acting.ENERGY].sum())
        total += float(
            S.stop_effort[:, Acting.ENERGY].sum() + S.bushing_effort[:, BUSHING_ENERGY].sum()
        )
        there = present(T, S)
        there[0] = False
        potential = float(T.mass[there] @ (S.x[there] @ T.gravity))
        return total + kinetic_energy(T, state.y) - potential

    def book(self, T: Tables, state: Integration, before: float, after: float) -> None:
        """Put a change of energy that an event made into its account."""
        state.y[extras_at(self.system.moving) + T.extra[X_EVENTS]] += after - before
