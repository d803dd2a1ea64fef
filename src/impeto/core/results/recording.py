"""What a run leaves: its solution, how it went, and the directory of its channels, which are
computed on demand, so that every quantity of every element can be had after any run."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Self

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.channel import Channel
from impeto.core.dynamics.names import Mark
from impeto.core.dynamics.solution import Solution
from impeto.core.errors import ChannelError
from impeto.core.model.renamed import present
from impeto.core.results.channels import all_channels, channel_on_demand

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
    pressed : largest depth of a contact over the thickness of the thinner shape, at the ends of all
        steps;  pressed_pair : the bodies of that
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
    pressed: float = 0.0
    pressed_pair: str = ""


@dataclass(frozen=True, kw_only=True)
class Recording(Solution):
    """A solved run.

    marks : events, impacts and what else happened;  notes : what the start had to change
    stopped : why the run ended early, or empty;  cancelled : whether the user ended it
    """

    statistics: Statistics
    marks: tuple[Mark, ...] = ()
    notes: tuple[str, ...] = ()
    stopped: str = ""
    cancelled: bool = False

    def __post_init__(self) -> None:
        for name in ARRAYS:
            getattr(self, name).flags.writeable = False

    @cached_property
    def _channels(self) -> dict[str, Channel]:
        return all_channels(self)

    def __getitem__(self, path: str) -> Floats:
        """(N,) read-only values of a channel in SI units, over `time`."""
        return self.channel(path).values

    def channel(self, path: str) -> Channel:
        """A channel with its kind of quantity; ChannelError names near ones if it is unknown.

        'A.clearance.B' of any two bodies is made when it is first asked for.
        """
        path = present(path)
        try:
            return self._channels[path]
        except KeyError:
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
