"""What a run leaves: states over time and the model they came from. Channels are computed on
demand from these, so every quantity of every element can be had after any run."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Self

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ChannelError
from impeto.core.geometry.rotation import from_quaternion
from impeto.core.mechanics.names import Mark
from impeto.core.mechanics.system import System
from impeto.core.mechanics.tables import M_ON
from impeto.core.model.model import Model

if TYPE_CHECKING:
    from impeto.core.results.channels.base import Channel
    from impeto.core.results.touching import Touching

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
ARRAYS = (
    "time", "state", "acceleration", "multiplier", "coordinate", "measured", "touch", "touch_end",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Statistics:
    """How a run went.

    integrator : 'smooth', 'stiff', or both one after the other
    changes : how often something switched: stops, friction, ropes, events
    worst_gap : m, largest constraint residual after projection
    error : estimate of the accumulated integration error, relative
    growth : by which factor a small change of the start grows; 0 where that is not known
    singular : s, when the motion first passes a singular pose; infinite where it does not
    """

    integrator: str
    tolerance: float
    accepted: int
    rejected: int
    evaluations: int
    changes: int
    wall_seconds: float
    worst_gap: float
    error: float
    growth: float = 0.0
    singular: float = np.inf


@dataclass(frozen=True)
class Recording:
    """A solved run.

    time : (N,) s;  state : (N, size), laid out as in mechanics.tables;
    acceleration : (N, n, 6) linear and angular, world;  multiplier : (N, m) reactions of rows;
    coordinate : (N, C, 3) joint coordinates, rates and accelerations
    measured : (N, Q) forces, energies, signals: see tables.M_…
    touch : (M, 17) points of contact of all outputs;  touch_end : (N,) end of each output in them
    marks : events, impacts and what else happened;  notes : what the start had to change
    stopped : why the run ended early, or empty;  cancelled : whether the user ended it
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
    touch_end: Ints
    statistics: Statistics
    system: System = field(repr=False)
    marks: tuple[Mark, ...] = ()
    notes: tuple[str, ...] = ()
    stopped: str = ""
    cancelled: bool = False

    def __post_init__(self) -> None:
        for name in ARRAYS:
            getattr(self, name).flags.writeable = False

    @cached_property
    def _channels(self) -> dict[str, Channel]:
        from impeto.core.results.channels import all_channels

        return all_channels(self)

    def __getitem__(self, path: str) -> Floats:
        """(N,) read-only values of a channel in SI units, over `time`."""
        return self.channel(path).values

    def channel(self, path: str) -> Channel:
        """A channel with its kind of quantity; ChannelError names near ones if it is unknown.

        'A.clearance.B' of any two bodies is made when it is first asked for.
        """
        try:
            return self._channels[path]
        except KeyError:
            from impeto.core.results.channels import channel_on_demand

            made = channel_on_demand(self, path, self._channels)
            if made is not None:
                return self._channels.setdefault(path, made)
            first = path.split(".")[0]
            near = [name for name in self._channels if name.startswith(first + ".")][:4]
            hint = f"; there are {', '.join(near)} …" if near else ""
            raise ChannelError(f"There is no channel '{path}'{hint}.") from None

    def channels(self, words: str = "") -> list[str]:
        """Names of the channels that contain every word."""
        wanted = words.lower().split()
        return [name for name in self._channels if all(word in name.lower() for word in wanted)]

    @cached_property
    def touching(self) -> Touching:
        """What touched what, when and where."""
        from impeto.core.results.touching import Touching

        return Touching(self)

    def only(self, rows: Ints) -> Self:
        """The recording at some of its instants, (R,) rising rows."""
        counts = np.diff(self.touch_end, prepend=0)
        kept = np.repeat(np.isin(np.arange(len(self.time)), rows), counts)
        return replace(
            self,
            time=self.time[rows],
            state=np.array(self.state[rows]),
            acceleration=np.array(self.acceleration[rows]),
            multiplier=np.array(self.multiplier[rows]),
            coordinate=np.array(self.coordinate[rows]),
            measured=np.array(self.measured[rows]),
            touch=self.touch[kept],
            touch_end=np.cumsum(counts[rows]),
        )

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
            quaternions = self.state[:, : 7 * n].reshape(count, n, 7)[:, :, 3:]
            turned[:, 1:] = from_quaternion(quaternions)
        return turned

    @cached_property
    def centers(self) -> Floats:
        """(N, n+1, 3) centres of mass, world [m]."""
        return self._per_body(self.state[:, : 7 * self.system.moving], 7, slice(0, 3))

    @cached_property
    def velocities(self) -> Floats:
        """(N, n+1, 3) of the centres of mass, world [m/s]."""
        n = self.system.moving
        return self._per_body(self.state[:, 7 * n : 13 * n], 6, slice(0, 3))

    @cached_property
    def spins(self) -> Floats:
        """(N, n+1, 3) angular velocities, world [rad/s]."""
        n = self.system.moving
        local = self._per_body(self.state[:, 7 * n : 13 * n], 6, slice(3, 6))
        return np.einsum("tbij,tbj->tbi", self.rotations, local)

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
        there = np.ones((len(self.time), self.system.moving + 1), dtype=bool)
        first = int(self.system.tables.measured[M_ON])
        for body, element in enumerate(self.system.tables.body_on):
            if element >= 0:
                there[:, body] = self.measured[:, first + element] != 0.0
        return there

    def while_present(self, body: int, values: Floats) -> Floats:
        """Values (N, …) that are not numbers while a body is not there."""
        there = self.present[:, body]
        return values if there.all() else np.where(there, values.T, np.nan).T

    def extra(self, group: int, index: int = 0) -> Floats:
        """(N,) one extra state of a group (tables.X_…): accumulated work, currents."""
        first = 13 * self.system.moving + int(self.system.tables.extra[group])
        return self.state[:, first + index]

    def accumulated(self, group: int) -> Floats:
        """(N,) sum over a group of extra states."""
        ends = 13 * self.system.moving + self.system.tables.extra[group : group + 2]
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
        arm = self.rotations[:, body] @ offset
        spin = self.spins[:, body]
        swing = np.cross(spin, arm)
        position = self.centers[:, body] + arm
        velocity = self.velocities[:, body] + swing
        acceleration = (
            self.accelerations[:, body]
            + np.cross(self.spin_rates[:, body], arm)
            + np.cross(spin, swing)
        )
        return position, velocity, acceleration
