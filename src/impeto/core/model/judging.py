"""What a design is judged by, kept with the model: figures of runs, targets, checks by hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Aside
from impeto.core.model.fields import Written

__all__ = ["FigureOf", "HandCheck", "Target"]

# As results/figures.py works them out.
TITLES = (
    "peak", "min", "max", "mean", "RMS", "peak to peak", "last", "time of min", "time of max",
    "period", "frequency", "settling time", "overshoot", "rise time", "damping ratio",
    "crossings of the mean", "load cycles", "equivalent load, 1 Hz, m = 5",
)  # fmt: skip
AT_EVENT = "value at an event"
BELOW, ABOVE, BETWEEN, NEAR = "below", "above", "between", "near"
UPPER = {BETWEEN: "upper", NEAR: "within"}  # the second value that a limit takes


@dataclass(frozen=True, slots=True, kw_only=True)
class FigureOf(Aside):
    """One number of a channel or formula, over a span of a run or at an event."""

    tag: ClassVar[str] = "figure"
    group: ClassVar[str] = "judging"
    channel: str = fields.text(hint="such as pin.force or rate(pin.force)")
    figure: str = fields.choice(
        (*TITLES, AT_EVENT), TITLES[0], hint="peak: the largest size, whichever its sign"
    )
    begin: Written | None = fields.quantity("time", None, optional=True, title="From")
    end: Written | None = fields.quantity("time", None, optional=True, title="To")
    event: str | None = fields.reference("event", optional=True)

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter."""
        return ("begin", "end") if self.figure == AT_EVENT else ("event",)


@dataclass(frozen=True, slots=True, kw_only=True)
class Target(Aside):
    """A limit on a figure, which each run meets or misses. Values may be formulas of parameters."""

    tag: ClassVar[str] = "target"
    group: ClassVar[str] = "judging"
    figure: str = fields.reference("figure")
    limit: str = fields.choice((BELOW, ABOVE, BETWEEN, NEAR), BELOW)
    value: Written = fields.quantity(fields.ANY, "0")
    upper: Written | None = fields.quantity(fields.ANY, None, optional=True)
    within: Written | None = fields.quantity(fields.ANY, None, optional=True)
    weight: Written = fields.quantity("number", "1", hint="of this target where not all can be met")

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter."""
        return tuple(name for limit, name in UPPER.items() if limit != self.limit)

    @property
    def asked(self) -> str:
        """In words."""
        more = {BETWEEN: f" and {self.upper}", NEAR: f" by {self.within}"}
        heavy = "" if str(self.weight) in ("1", "1.0") else f", weight {self.weight}"
        return f"{self.figure} {self.limit} {self.value}{more.get(self.limit, '')}{heavy}"


@dataclass(frozen=True, slots=True, kw_only=True)
class HandCheck(Aside):
    """A value worked out by hand, of numbers, parameters, masses (rod.mass) and places as drawn
    (eye.position.x, of bodies and frames), against which a
    figure is held. The note says where it comes from."""

    tag: ClassVar[str] = "hand_check"
    group: ClassVar[str] = "judging"
    figure: str = fields.reference("figure")
    value: Written = fields.quantity(fields.FORMULA, "0", hint="such as rod.mass*9.81 m/s^2")
    within: Written = fields.quantity(
        "number", "0.01", title="May be off by", hint="0.01: one in a hundred"
    )

    @property
    def asked(self) -> str:
        """In words."""
        return f"{self.figure} = {self.value}"
