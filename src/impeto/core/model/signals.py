"""Signals: functions of time or of the state that loads and drives follow."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Protocol

from impeto.core.model import fields
from impeto.core.model.fields import Quantity, Written
from impeto.core.model.formula import Apply, Name, Node, Number
from impeto.core.model.units import NUMBER

_PER_SECOND = (0, 0, -1, 0, 0)
_SECOND = (0, 0, 1, 0, 0)
_TIME = Name("t")


class Evaluator(Protocol):
    """Gives the SI value of a quantity within a case."""

    def si(self, quantity: Quantity, kind: str) -> float: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Constant:
    """The same value at all times."""

    title: ClassVar[str] = "constant"
    value: Written = fields.quantity("number")

    def __post_init__(self) -> None:
        fields.settle(self)

    def node(self, evaluator: Evaluator) -> Node:
        return _node(self.value)


@dataclass(frozen=True, slots=True, kw_only=True)
class Ramp:
    """From one value to another in a straight line over a span of time, constant outside it."""

    title: ClassVar[str] = "ramp"
    start: Written = fields.quantity("number", title="From value")
    end: Written = fields.quantity("number", title="To value")
    begin: Written = fields.quantity("time", "0 s", title="Begins at")
    finish: Written = fields.quantity("time", "1 s", title="Ends at")

    def __post_init__(self) -> None:
        fields.settle(self)

    def node(self, evaluator: Evaluator) -> Node:
        begin = Number(evaluator.si(_quantity(self.begin), "time"), _SECOND)
        finish = Number(evaluator.si(_quantity(self.finish), "time"), _SECOND)
        start, end = _node(self.start), _node(self.end)
        share = Apply("ramp", (_TIME, begin, finish))
        return Apply("+", (start, Apply("*", (Apply("-", (end, start)), share))))


@dataclass(frozen=True, slots=True, kw_only=True)
class Harmonic:
    """mean + amplitude · sin(2π · frequency · t + phase)."""

    title: ClassVar[str] = "harmonic"
    amplitude: Written = fields.quantity("number")
    frequency: Written = fields.quantity("frequency", "1 Hz")
    phase: Written = fields.quantity("angle", "0 deg")
    mean: Written | None = fields.quantity("number", optional=True)

    def __post_init__(self) -> None:
        fields.settle(self)

    def node(self, evaluator: Evaluator) -> Node:
        turns = math.tau * evaluator.si(_quantity(self.frequency), "frequency")
        phase = Number(evaluator.si(_quantity(self.phase), "angle"), NUMBER)
        angle = Apply("+", (Apply("*", (Number(turns, _PER_SECOND), _TIME)), phase))
        wave = Apply("*", (_node(self.amplitude), Apply("sin", (angle,))))
        return wave if self.mean is None else Apply("+", (_node(self.mean), wave))


@dataclass(frozen=True, slots=True, kw_only=True)
class Formula:
    """A formula of time `t`, of parameters, and of channels such as saw_frame.velocity.z."""

    title: ClassVar[str] = "formula"
    formula: Written = fields.quantity("number")

    def __post_init__(self) -> None:
        fields.settle(self)

    def node(self, evaluator: Evaluator) -> Node:
        return _node(self.formula)


Signal = Constant | Ramp | Harmonic | Formula
SIGNALS: dict[str, type[Signal]] = {cls.title: cls for cls in (Constant, Ramp, Harmonic, Formula)}


def _quantity(value: Written | None) -> Quantity:
    assert isinstance(value, Quantity)
    return value


def _node(value: Written | None) -> Node:
    return _quantity(value).node


def as_signal(value: Signal | Written) -> Signal:
    """Plain values become constants, formulas of t stay formulas."""
    if isinstance(value, (str, int, float, Quantity)):
        return Formula(formula=value) if isinstance(value, str) else Constant(value=value)
    return value
