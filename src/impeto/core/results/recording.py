"""What a run leaves: its solution, how it went, and the directory of its channels, which are
computed on demand, so that every quantity of every element can be had after any run."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from functools import cached_property
from typing import Self

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.channel import Channel
from impeto.core.dynamics.names import Mark
from impeto.core.dynamics.solution import Solution
from impeto.core.errors import ChannelError, ImpetoError
from impeto.core.model.model import Model
from impeto.core.model.renamed import present
from impeto.core.results.channels import all_channels, channel_on_demand
from impeto.core.results.gauges import (
    formula_channel,
    gauge_channels,
    is_formula,
    scope_of,
    why_not,
)

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
    apart : how far a coarser run beside it comes away from it, over the size or rad
    compared : s, until when it was held against that; 0 where it was not
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
    apart: float = 0.0
    compared: float = 0.0
    singular: float = np.inf
    pressed: float = 0.0
    pressed_pair: str = ""


@dataclass(frozen=True, kw_only=True)
class Recording(Solution):
    """A solved run.

    marks : events, impacts and what else happened;  notes : what the start had to change
    stopped : why the run ended early, or empty;  cancelled : whether the user ended it
    gauged : the model whose gauges are read, None for that of the run
    """

    statistics: Statistics
    marks: tuple[Mark, ...] = ()
    notes: tuple[str, ...] = ()
    stopped: str = ""
    cancelled: bool = False
    gauged: Model | None = None

    def __post_init__(self) -> None:
        for name in ARRAYS:
            getattr(self, name).flags.writeable = False

    @cached_property
    def _channels(self) -> dict[str, Channel]:
        found = all_channels(self)
        return found | gauge_channels(self, self.gauged or self.model, found)

    def gauging(self, model: Model) -> Self:
        """The same recording read by the gauges that a model has now, frames as they are in it."""
        made = replace(self, gauged=model)
        named = {field.name for field in fields(self)} | {"_channels"}
        made.__dict__.update({k: v for k, v in self.__dict__.items() if k not in named})
        return made

    def has(self, path: str) -> bool:
        """Whether there is a channel of that name, or one can be made."""
        return not self.complaint(path)

    def complaint(self, path: str) -> str:
        """Why there is no such channel, '' where there is one."""
        try:
            self.channel(path)
        except ImpetoError as error:
            return str(error)
        return ""

    def __getitem__(self, path: str) -> Floats:
        """(N,) read-only values of a channel in SI units, over `time`."""
        return self.channel(path).values

    def channel(self, path: str) -> Channel:
        """A channel with its kind of quantity; ChannelError names near ones if it is unknown.

        'A.clearance.B' of any two bodies is made when it is first asked for, and so is a formula
        over channels such as 'rate(pin.force)', for which ModelError says what is wrong with it.
        """
        known, model = self._channels, self.gauged or self.model
        if path not in known and is_formula(path):
            scope = scope_of(model, self.case)
            known[path] = formula_channel(self, path, self.channel, scope)
        path = path if path in known else present(path)
        made = known.get(path) or channel_on_demand(self, path, known)
        if made is not None:
            return known.setdefault(path, made)
        first = path.split(".")[0]
        if why := why_not(self, model, first, known):
            raise ChannelError(why)
        near = [name for name in known if name.startswith(first + ".")][:4]
        hint = f"; there are {', '.join(near)} …" if near else ""
        raise ChannelError(f"There is no channel '{path}'{hint}.")

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
