"""States of a solved run over time, and what follows from them for every body."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.state import (
    QUATERNION,
    all_poses,
    all_speeds,
    extras_at,
    poses_of,
    quaternion_of,
    spin_of,
)
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import M_ON
from impeto.core.dynamics.touching import Touching
from impeto.core.geometry.rotation import from_quaternion
from impeto.core.model import over_time
from impeto.core.model.model import Model

Floats = npt.NDArray[np.float64]
FAR = 0.05  # of the size or rad: what is further apart is different motion


def present(system: System, measured: Floats) -> npt.NDArray[np.bool_]:
    """(N, n+1) whether each body is there, by the measured values (N, Q)."""
    there = np.ones((len(measured), system.moving + 1), dtype=bool)
    first = int(system.tables.measured[M_ON])
    for body, element in enumerate(system.tables.body_on):
        if element >= 0:
            there[:, body] = measured[:, first + element] != 0.0
    return there


@dataclass(frozen=True)
class Solution:
    """What was solved.

    time : (N,) s;  state : (N, size), laid out as in dynamics.tables;
    acceleration : (N, n, 6) linear and angular, world;  multiplier : (N, m) reactions of rows;
    coordinate : (N, C, 3) joint coordinates, rates and accelerations
    measured : (N, Q) forces, energies, signals: see tables.M_…
    touch : (M, 17) points of contact of all outputs;  touch_end : (N,) end of each output in them
    """

    model: Model
    case: str
    time: Floats
    state: Floats
    acceleration: Floats
    multiplier: Floats
    coordinate: Floats
    measured: Floats
    touch: Floats
    touch_end: npt.NDArray[np.int64]
    system: System = field(repr=False)

    @cached_property
    def touching(self) -> Touching:
        """What touched what, when and where."""
        return Touching(self.touch, self.touch_end, self.time, self.system.shape_body)

    @property
    def bodies(self) -> dict[str, int]:
        """Row of every body, the ground being 0."""
        return {body.name: row for row, body in enumerate(self.system.mechanism.bodies)}

    @cached_property
    def rotations(self) -> Floats:
        """(N, n+1, 3, 3) body to world; the ground's is the unit matrix."""
        count, n = len(self.time), self.system.moving
        turned = np.tile(np.eye(3), (count, n + 1, 1, 1))
        if n:
            turned[:, 1:] = from_quaternion(poses_of(self.state, n)[..., QUATERNION:])
        return turned

    def rotation(self, body: int) -> Floats:
        """(N, 3, 3) of one body to the world."""
        if body not in self._turned:
            if "rotations" in vars(self):
                self._turned[body] = self.rotations[:, body]
            elif body == 0:
                self._turned[body] = np.broadcast_to(np.eye(3), (len(self.time), 3, 3))
            else:
                self._turned[body] = from_quaternion(self.state[:, quaternion_of(body)])
        return self._turned[body]

    @cached_property
    def _turned(self) -> dict[int, Floats]:
        return {}

    @cached_property
    def centers(self) -> Floats:
        """(N, n+1, 3) centres of mass, world [m]."""
        return self._per_body(self.state[:, all_poses(self.system.moving)], 7, slice(0, 3))

    @cached_property
    def velocities(self) -> Floats:
        """(N, n+1, 3) of the centres of mass, world [m/s]."""
        n = self.system.moving
        return self._per_body(self.state[:, all_speeds(n)], 6, slice(0, 3))

    @cached_property
    def spins(self) -> Floats:
        """(N, n+1, 3) angular velocities, world [rad/s]."""
        n = self.system.moving
        local = self._per_body(self.state[:, all_speeds(n)], 6, slice(3, 6))
        return np.einsum("tbij,tbj->tbi", self.rotations, local)

    def spin(self, body: int) -> Floats:
        """(N, 3) angular velocity of one body, world [rad/s]."""
        if body == 0:
            return np.zeros((len(self.time), 3))
        # Laid out alike whatever file the state is from: sums then have one order.
        local = np.ascontiguousarray(self.state[:, spin_of(self.system.moving, body)])
        return np.asarray(np.einsum("tij,tj->ti", self.rotation(body), local))

    @cached_property
    def accelerations(self) -> Floats:
        """(N, n+1, 3) of the centres of mass, world [m/s²]."""
        flat = self.acceleration.reshape(len(self.time), -1)
        return self._per_body(flat, 6, slice(0, 3))

    @cached_property
    def spin_rates(self) -> Floats:
        """(N, n+1, 3) angular accelerations, world [rad/s²]."""
        flat = self.acceleration.reshape(len(self.time), -1)
        return self._per_body(flat, 6, slice(3, 6))

    def _per_body(self, flat: Floats, width: int, part: slice) -> Floats:
        count, n = len(self.time), self.system.moving
        values = np.zeros((count, n + 1, part.stop - part.start))
        values[:, 1:] = flat.reshape(count, n, width)[:, :, part]
        return values

    @cached_property
    def present(self) -> npt.NDArray[np.bool_]:
        """(N, n+1) whether each body is there: copies come, outlets take away."""
        return present(self.system, self.measured)

    def while_present(self, body: int, values: Floats) -> Floats:
        """Values (N, …) that are not numbers while a body is not there."""
        there = self.present[:, body]
        return values if there.all() else np.where(there, values.T, np.nan).T

    def extra(self, group: int, index: int = 0) -> Floats:
        """(N,) one extra state of a group (tables.X_…): accumulated work, currents."""
        first = extras_at(self.system.moving) + int(self.system.tables.extra[group])
        return self.state[:, first + index]

    def accumulated(self, group: int) -> Floats:
        """(N,) sum over a group of extra states."""
        ends = extras_at(self.system.moving) + self.system.tables.extra[group : group + 2]
        return self.state[:, ends[0] : ends[1]].sum(axis=1)

    def measure(self, group: int, index: int = 0) -> Floats:
        """(N,) one measured value of a group (tables.M_…)."""
        return self.measured[:, int(self.system.tables.measured[group]) + index]

    def on(self, element: str) -> Floats:
        """(N,) 1 while an element is on, else 0."""
        return self.measure(M_ON, self.system.elements[element])

    def point(self, body: int, offset: Floats) -> tuple[Floats, Floats, Floats]:
        """Position, velocity and acceleration (N, 3), world, of a point fixed to a body.

        offset : (3,) m from the centre of mass, body axes
        """
        arm = self.rotation(body) @ offset
        spin = self.spin(body)
        swing = np.cross(spin, arm)
        position = self.centers[:, body] + arm
        velocity = self.velocities[:, body] + swing
        acceleration = (
            self.accelerations[:, body]
            + np.cross(self.spin_rates[:, body], arm)
            + np.cross(spin, swing)
        )
        return position, velocity, acceleration

    def rate(self, values: Floats) -> Floats:
        """Derivative over time of recorded values (N, …)."""
        return over_time.rate(self.time, values)
