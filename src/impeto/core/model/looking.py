"""How a model and its runs are looked at, kept with the model: charts and views."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Aside
from impeto.core.model.fields import Vector

__all__ = ["Chart", "View"]

TIME, AGAINST, AMPLITUDES, DENSITY, SPECTROGRAM, PARTS = (
    "over time", "over the first", "spectrum", "power density", "spectrogram", "where from",
)  # fmt: skip
LOOKS = (TIME, AGAINST, AMPLITUDES, DENSITY, SPECTROGRAM, PARTS)
TIMED = (TIME, SPECTROGRAM, PARTS)  # with time along x
NOTHING, ITS_PLACE, ITS_TURNS = "nothing", "its place", "its place and turns"


@dataclass(frozen=True, slots=True, kw_only=True)
class Chart(Aside):
    """A chart of the Watch desk, kept when the model is saved. Channels that a run does not have
    are left out."""

    tag: ClassVar[str] = "chart"
    group: ClassVar[str] = "looking"
    shows: str = fields.choice(LOOKS, TIME)
    channels: str = fields.text(hint="such as pin.force.x; rate(pin.force): with semicolons")
    log: bool = fields.switch(False, title="Powers of ten")
    limit: str = fields.text(hint="not above x, y; x, y, such as 0 rpm, 90 N*m; 1500 rpm, 40 N*m")

    @property
    def listed(self) -> tuple[str, ...]:
        """Its channels one by one."""
        return tuple(filter(None, (part.strip() for part in self.channels.split(";"))))

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter."""
        return () if self.shows in (TIME, AGAINST) else ("limit",)


@dataclass(frozen=True, slots=True, kw_only=True)
class View(Aside):
    """A place from which the Stage is looked at, under a name. Where it goes along with a body, the
    places are those at which the body is as drawn."""

    tag: ClassVar[str] = "view"
    group: ClassVar[str] = "looking"
    position: Vector = fields.vector("length", ("3 m", "-6 m", "2 m"), hint="of the eye")
    looks_at: Vector = fields.vector("length", ("0 m", "0 m", "0 m"))
    up: Vector = fields.vector("number", ("0", "0", "1"))
    body: str | None = fields.reference("body", optional=True, title="Goes with body")
    follows: str = fields.choice((NOTHING, ITS_PLACE, ITS_TURNS), NOTHING)

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter."""
        return ("body",) if self.follows == NOTHING else ()
