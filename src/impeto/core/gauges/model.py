"""Gauges: quantities that a user defines, which nothing in the run depends on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Aside
from impeto.core.model.fields import Written
from impeto.core.model.quantity import Quantity

__all__ = ["Gauge"]

DISTANCE, ANGLE, MOTION = "distance", "angle", "relative motion"
CLEARANCE, FORMULA = "clearance", "formula"
ZERO, START = "zero", "its value at the start"
AXES = ("x", "y", "z")
VALUE = "value"
FRAMES = ("frame_a", "frame_b")
# Fields that matter, by what is measured.
NEEDED = {
    DISTANCE: FRAMES, ANGLE: (*FRAMES, "axis_a", "axis_b"), MOTION: FRAMES,
    CLEARANCE: ("body_a", "body_b"), FORMULA: ("formula",),
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Gauge(Aside):
    """A quantity that is read from a run: defined before it or after, worked out without solving
    again, and used like any channel, as NAME.value.

    A distance is that of frame B's origin from frame A's, with its parts along the axes of A; an
    angle is between an axis of each, with roll, pitch and yaw of B in A. Relative motion is the
    velocity of B's origin over that of A's. A formula may use every channel, parameters, t, and
    functions over time such as rate(), integral() and average().
    """

    tag: ClassVar[str] = "gauge"
    group: ClassVar[str] = "gauges"
    quantity: str = fields.choice(tuple(NEEDED), DISTANCE, title="Measures")
    frame_a: str | None = fields.reference("frame", optional=True, title="Frame A")
    frame_b: str | None = fields.reference("frame", optional=True, title="Frame B")
    axis_a: str = fields.choice(AXES, "z", title="Axis of A")
    axis_b: str = fields.choice(AXES, "z", title="Axis of B")
    body_a: str | None = fields.reference("body", optional=True, title="Body A")
    body_b: str | None = fields.reference("body", optional=True, title="Body B")
    formula: Written = fields.quantity(
        fields.FORMULA, "0", hint="such as 2*pin.force.x; rate(pin.force); average(p.power, 1 s)"
    )
    counts_from: str = fields.choice((ZERO, START), ZERO)

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter for what is measured."""
        every = {name for names in NEEDED.values() for name in names}
        return tuple(sorted(every - set(NEEDED[self.quantity])))

    @property
    def missing(self) -> str:
        """The first field that is empty and needed, or ''."""
        return next((n for n in NEEDED[self.quantity] if getattr(self, n) is None), "")

    def stands_for(self, quantity: str) -> str:
        """The formula in place of which formulas and events may have the value."""
        if quantity != VALUE or self.missing or self.counts_from == START:
            return ""
        if self.quantity == FORMULA:
            assert isinstance(self.formula, Quantity)
            return self.formula.text
        read = {DISTANCE: "position", MOTION: "velocity"}.get(self.quantity)
        if read is None:
            return ""
        parts = (f"({self.frame_b}.{read}.{k} - {self.frame_a}.{read}.{k})^2" for k in AXES)
        return f"sqrt({' + '.join(parts)})"
