"""Feeders and outlets during a run: copies come in, bodies are counted and taken away."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from impeto.core.assembly.equations import place
from impeto.core.contact.columns import BODY, SHAPE_A, SHAPE_B
from impeto.core.contact.features import CLOSE
from impeto.core.contact.nearby import set_gaps
from impeto.core.dynamics.integration import TIME, Integration
from impeto.core.dynamics.names import COPIES, Mark
from impeto.core.dynamics.state import motion_at, pose_at
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import FEED, TALLY_COUNT, TALLY_MASS, TALLY_NOW, Tables, Workspace
from impeto.core.events.data import EventData
from impeto.core.events.model import FEED_ONE
from impeto.core.flow.columns import Feeder
from impeto.core.flow.data import FeederData, OutletData
from impeto.core.flow.kernels import next_through
from impeto.core.geometry.rotation import to_quaternion
from impeto.core.solvers.events import Events

RETRY = 0.05  # s, until a copy that waits looks again, at most
SHARE = 0.05  # of the interval, the same
OVERDUE = 2.0  # intervals after which a feeder, just switched on, begins anew
TOUCHING = 1e-6  # m, overlap that leaves a place free


class Host(Protocol):
    """The run that bodies come into and go from."""

    system: System
    tables: Tables
    workspace: Workspace
    state: Integration
    events: Events

    def renew(self) -> None:
        """Look which shapes are near each other now."""
        ...


class Flow:
    """Bodies that come and go in one run."""

    def __init__(self, run: Host) -> None:
        self.run = run
        self.marks: list[Mark] = []
        self.waiting: set[int] = set()  # feeders whose next copy has found its place taken

    @property
    def now(self) -> float:
        return float(self.run.state.clock[TIME])

    def meet(self, switch: int) -> None:
        """A feeder is due, or a body passes the border of an outlet."""
        kind, row = (int(value) for value in self.run.tables.switch[switch, :2])
        if kind == FEED:
            data = self.run.system.mechanism.of(FeederData)[row]
            if np.isfinite(data.interval) and not self.run.workspace.tally[row, TALLY_NOW]:
                self.run.workspace.tally[row, TALLY_NOW] = 1.0
            self._feed(row)
        else:
            self._pass(row)

    def ask(self, event: EventData) -> None:
        """One more copy, where an event asks for it."""
        if event.action != FEED_ONE:
            return
        names = [feeder.name for feeder in self.run.system.mechanism.of(FeederData)]
        row = names.index(event.target)
        self.run.workspace.tally[row, TALLY_NOW] += 1.0
        self._feed(row)

    def _feed(self, row: int) -> None:
        """Bring in the next copy of a feeder, or let it wait while its place is taken."""
        run, data = self.run, self.run.system.mechanism.of(FeederData)[row]
        switch = int(run.tables.feeder[row, Feeder.SWITCH])
        made = int(run.workspace.tally[row, TALLY_COUNT])
        if made >= len(data.copies):
            run.workspace.tally[row, TALLY_NOW] = 0.0
            run.workspace.memory[switch] = np.inf
            return
        body = data.copies[made]
        before = self._energy()
        self._place(body, data)
        self._show(body, True)
        came = not self._overlaps(body)
        if not came:
            self._show(body, False)
        S, due = run.workspace, float(run.workspace.memory[switch])
        name = run.system.mechanism.bodies[body].name
        if came:
            run.events.book(run.tables, run.state, before, self._energy())
            S.tally[row, TALLY_COUNT] += 1.0
            S.tally[row, TALLY_NOW] -= 1.0
            S.tally[row, TALLY_MASS] += run.tables.mass[body]
            self.marks.append(Mark(self.now, data.name, f"{name} comes in", COPIES))
        S.memory[switch] = self._next_look(row, data, came, due)

    def _next_look(self, row: int, data: FeederData, came: bool, due: float) -> float:
        """When a feeder tries again: at its pace, or soon where a copy waits."""
        S, bodies = self.run.workspace, self.run.system.mechanism.bodies
        made, waiting = (int(S.tally[row, column]) for column in (TALLY_COUNT, TALLY_NOW))
        if made == len(data.copies):
            return np.inf
        if waiting:
            if not came and row not in self.waiting:
                text = f"{bodies[data.copies[made]].name} waits, its place is taken"
                self.marks.append(Mark(self.now, data.name, text, COPIES))
                self.waiting.add(row)
            return self.now + min(RETRY, SHARE * data.interval)
        late = row in self.waiting or self.now - due > OVERDUE * data.interval
        self.waiting.discard(row)
        return (self.now if late else due) + data.interval

    def _place(self, body: int, data: FeederData) -> None:
        """Put a copy where it starts, with its velocities; the kinematics are up to date."""
        run, m = self.run, self.run.system.mechanism
        T, S, y, n = run.tables, run.workspace, run.state.y, run.system.moving
        position, rotation = m.bodies[body].position, m.bodies[body].rotation
        velocity, spin = data.velocity, data.spin
        center = m.bodies[body].center
        if data.frame >= 0:
            place(T, S, self.now, y)
            frame = m.frames[data.frame]
            base = frame.body
            turned = S.rotation[base]
            rotation = turned @ frame.rotation
            arm = turned @ (frame.position - m.bodies[base].center)
            position = S.x[base] + arm
            spin = rotation @ spin
            velocity = rotation @ velocity + S.v[base]
            velocity = velocity + np.cross(S.spin[base], arm + rotation @ center)
            spin = spin + S.spin[base]
        p, u = pose_at(body), motion_at(n, body)
        y[p : p + 3] = position + rotation @ center
        y[p + 3 : p + 7] = to_quaternion(rotation)
        y[u : u + 3] = velocity
        y[u + 3 : u + 6] = rotation.T @ spin
        S.came_from[body] = y[p : p + 3]

    def _show(self, body: int, there: bool) -> None:
        """Let a body take part from now on, or no more."""
        run, n = self.run, self.run.system.moving
        run.workspace.on[run.tables.body_on[body]] = float(there)
        if not there:
            u = motion_at(n, body)
            run.state.y[u : u + 6] = 0.0
            run.workspace.v[body] = 0.0
            run.workspace.spin[body] = 0.0
        run.renew()

    def _overlaps(self, body: int) -> bool:
        """Whether a body that has just come reaches into what it may touch."""
        T, S = self.run.tables, self.run.workspace
        if not len(T.shape):
            return False
        near = S.near[: S.near_count[0]]
        own = (T.shape[near[:, SHAPE_A], BODY] == body) | (T.shape[near[:, SHAPE_B], BODY] == body)
        gaps = np.zeros(int(own.sum()))
        set_gaps(T, S, np.ascontiguousarray(near[own]), np.full(len(gaps), CLOSE), gaps)
        return bool((gaps < -TOUCHING).any())

    def _pass(self, row: int) -> None:
        """Count a body that comes into the region of an outlet, take it away, or let it go."""
        run, data = self.run, self.run.system.mechanism.of(OutletData)[row]
        T, S = run.tables, run.workspace
        tally = S.tally[len(T.feeder) + row]
        place(T, S, self.now, run.state.y)
        body = int(next_through(T, S, row)[1])
        if body < 0:
            return
        S.came_from[body] = S.x[body]  # what it has passed is behind it
        name = run.system.mechanism.bodies[body].name
        if S.inside[row, body]:
            S.inside[row, body] = 0
            tally[TALLY_NOW] -= 1.0
            return
        tally[TALLY_COUNT] += 1.0
        tally[TALLY_MASS] += T.mass[body]
        if not data.removes:
            S.inside[row, body] = 1
            tally[TALLY_NOW] += 1.0
            self.marks.append(Mark(self.now, data.name, f"counts {name}", COPIES))
            return
        self.marks.append(Mark(self.now, data.name, f"takes {name} away", COPIES))
        S.tally[len(T.feeder) :, TALLY_NOW] -= S.inside[:, body]
        S.inside[:, body] = 0
        before = self._energy()
        self._show(body, False)
        run.events.book(run.tables, run.state, before, self._energy())

    def _energy(self) -> float:
        """J, of what is there now."""
        run = self.run
        return run.events.energy(run.tables, run.workspace, run.state, self.now)
