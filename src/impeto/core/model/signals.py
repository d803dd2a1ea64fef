"""Signals: functions of time or of the state that loads and drives follow."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Protocol

import numpy as np

from impeto.core.errors import FormulaError
from impeto.core.model import fields, units
from impeto.core.model.fields import Written
from impeto.core.model.formula import Apply, Lookup, Name, Node, Number
from impeto.core.model.interpolation import CUBIC, LINEAR, SHAPE_KEEPING, Interpolation
from impeto.core.model.quantity import Quantity
from impeto.core.model.units import NUMBER, Dimension

_PER_SECOND = (0, 0, -1, 0, 0)
_SECOND = (0, 0, 1, 0, 0)
_TIME = Name("t")
PER_SECOND = {"rate": "/s", "acceleration": "/s^2"}  # of a polynomial


class Evaluator(Protocol):
    """Gives values within a case."""

    def si(self, quantity: Quantity, kind: str) -> float: ...

    def column(self, dataset: str, column: str, way: str) -> tuple[Interpolation, Dimension]: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Constant:
    """The same value at all times."""

    title: ClassVar[str] = "constant"
    value: Written = fields.quantity("number")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        return _node(self.value)


@dataclass(frozen=True, slots=True, kw_only=True)
class Between:
    """From one value to another over a span of time, constant outside it; base of two signals."""

    function: ClassVar[str]
    start: Written = fields.quantity("number", title="From value")
    end: Written = fields.quantity("number", title="To value")
    begin: Written = fields.quantity("time", "0 s", title="Begins at")
    finish: Written = fields.quantity("time", "1 s", title="Ends at")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        begin, finish = (
            Number(evaluator.si(_quantity(m), "time"), _SECOND) for m in (self.begin, self.finish)
        )
        start, end = _node(self.start), _node(self.end)
        share = Apply(self.function, (_TIME, begin, finish))
        return _plus(start, _times(_minus(end, start), share))


@dataclass(frozen=True, slots=True, kw_only=True)
class Ramp(Between):
    """From one value to another in a straight line over a span of time, constant outside it."""

    title: ClassVar[str] = "ramp"
    function: ClassVar[str] = "ramp"


@dataclass(frozen=True, slots=True, kw_only=True)
class Step(Between):
    """From one value to another without a jump in speed or acceleration."""

    title: ClassVar[str] = "smooth step"
    function: ClassVar[str] = "rise"


@dataclass(frozen=True, slots=True, kw_only=True)
class Harmonic:
    """mean + amplitude · sin(2π · frequency · t + phase)."""

    title: ClassVar[str] = "harmonic"
    amplitude: Written = fields.quantity("number")
    frequency: Written = fields.quantity("frequency", "1 Hz")
    phase: Written = fields.quantity("angle", "0 deg")
    mean: Written | None = fields.quantity("number", optional=True)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        turns = math.tau * evaluator.si(_quantity(self.frequency), "frequency")
        phase = Number(evaluator.si(_quantity(self.phase), "angle"), NUMBER)
        angle = _plus(_times(Number(turns, _PER_SECOND), _TIME), phase)
        wave = _times(_node(self.amplitude), Apply("sin", (angle,)))
        return wave if self.mean is None else _plus(_node(self.mean), wave)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sweep:
    """A harmonic whose frequency goes evenly from one value to another, then stays."""

    title: ClassVar[str] = "swept harmonic"
    amplitude: Written = fields.quantity("number")
    first: Written = fields.quantity("frequency", "1 Hz", title="From frequency")
    last: Written = fields.quantity("frequency", "10 Hz", title="To frequency")
    begin: Written = fields.quantity("time", "0 s", title="Begins at")
    finish: Written = fields.quantity("time", "10 s", title="Ends at")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        first, last = (evaluator.si(_quantity(f), "frequency") for f in (self.first, self.last))
        begin, finish = (evaluator.si(_quantity(m), "time") for m in (self.begin, self.finish))
        _check_span(begin, finish)
        elapsed = Apply("max", (_minus(_TIME, Number(begin, _SECOND)), Number(0.0, _SECOND)))
        swept = Apply("min", (elapsed, Number(finish - begin, _SECOND)))
        growth = Number(math.pi * (last - first) / (finish - begin), (0, 0, -2, 0, 0))
        angle = _plus(
            _times(Number(math.tau * first, _PER_SECOND), swept),
            _times(growth, _times(swept, swept)),
        )
        angle = _plus(angle, _times(Number(math.tau * last, _PER_SECOND), _minus(elapsed, swept)))
        return _times(_node(self.amplitude), Apply("sin", (angle,)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulse:
    """A value within a window of time, another outside; with edges of some width it is smooth."""

    title: ClassVar[str] = "pulse"
    value: Written = fields.quantity("number", title="Value within")
    rest: Written | None = fields.quantity("number", optional=True, title="Value outside")
    begin: Written = fields.quantity("time", "0 s", title="Begins at")
    finish: Written = fields.quantity("time", "1 s", title="Ends at")
    edge: Written = fields.quantity("time", "0 s", title="Width of edges")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        begin, finish, edge = (
            evaluator.si(_quantity(m), "time") for m in (self.begin, self.finish, self.edge)
        )
        _check_span(begin, finish)
        if edge > 0.0:
            up = Apply("rise", (_TIME, Number(begin, _SECOND), Number(begin + edge, _SECOND)))
            down = Apply("rise", (_TIME, Number(finish, _SECOND), Number(finish + edge, _SECOND)))
            inside = _minus(up, down)
        else:
            after = Apply(">", (_TIME, Number(begin, _SECOND)))
            inside = _times(after, Apply("<", (_TIME, Number(finish, _SECOND))))
        if self.rest is None:
            return _times(_node(self.value), inside)
        rest = _node(self.rest)
        return _plus(rest, _times(_minus(_node(self.value), rest), inside))


@dataclass(frozen=True, slots=True, kw_only=True)
class Polynomial:
    """start + rate · t + ½ · acceleration · t²."""

    title: ClassVar[str] = "polynomial"
    start: Written = fields.quantity("number", title="At time 0")
    rate: Written | None = fields.quantity(fields.ANY, optional=True, hint="per second")
    acceleration: Written | None = fields.quantity(
        fields.ANY, optional=True, hint="per second squared"
    )

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        total = _node(self.start)
        if self.rate is not None:
            total = _plus(total, _times(_node(self.rate), _TIME))
        if self.acceleration is not None:
            half = _times(Number(0.5, NUMBER), _node(self.acceleration))
            total = _plus(total, _times(half, _times(_TIME, _TIME)))
        return total


@dataclass(frozen=True, slots=True, kw_only=True)
class Table:
    """A column of a data set over its time; constant before the first and after the last row.

    Between rows: straight lines; 'shape-keeping', smooth and never beyond the rows on either side;
    'cubic', smoother still, but beside steep rows it swings far beyond them.
    """

    title: ClassVar[str] = "table"
    dataset: str = fields.reference("dataset", title="Data set")
    column: str = fields.text(title="Column")
    between: str = fields.choice(
        (LINEAR, SHAPE_KEEPING, CUBIC), LINEAR, title="Between points",
        hint="shape-keeping: smooth, stays between the rows; cubic: may swing beyond them",
    )  # fmt: skip
    factor: Written = fields.quantity(fields.ANY, "1")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        curve, dimension = evaluator.column(self.dataset, self.column, self.between)
        return _times(_node(self.factor), Lookup(curve, _TIME, dimension))


@dataclass(frozen=True, slots=True, kw_only=True)
class Formula:
    """A formula of time `t`, of parameters, and of channels such as saw_frame.velocity.z."""

    title: ClassVar[str] = "formula"
    formula: Written = fields.quantity("number")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def node(self, evaluator: Evaluator) -> Node:
        return _node(self.formula)


Signal = Constant | Ramp | Step | Harmonic | Sweep | Pulse | Polynomial | Table | Formula
SIGNALS: dict[str, type[Signal]] = {
    cls.title: cls
    for cls in (Constant, Ramp, Step, Harmonic, Sweep, Pulse, Polynomial, Table, Formula)
}


def _check_span(begin: float, finish: float) -> None:
    if not finish > begin:
        raise FormulaError("it ends before it begins", remedy="Give a later end")


def _plus(a: Node, b: Node) -> Node:
    return Apply("+", (a, b))


def _minus(a: Node, b: Node) -> Node:
    return Apply("-", (a, b))


def _times(a: Node, b: Node) -> Node:
    return Apply("*", (a, b))


def _quantity(value: Written | None) -> Quantity:
    assert isinstance(value, Quantity)
    return value


def _node(value: Written | None) -> Node:
    return _quantity(value).node


def as_signal(value: Signal | Written, kind: str) -> Signal:
    """Plain numbers become constants in the SI unit of the kind; texts are formulas of t."""
    if isinstance(value, (int, float, np.generic)):
        return Constant(value=fields.as_quantity(value, kind))
    if isinstance(value, (str, Quantity)):
        plain = isinstance(fields.as_quantity(value, kind).node, Number)
        return Constant(value=value) if plain else Formula(formula=value)
    return _in_si(value, kind)


def _in_si(signal: Signal, kind: str) -> Signal:
    """The signal with the unit of its kind behind values that were given as numbers."""
    unit = units.KINDS[kind].si
    changes: dict[str, Any] = {}
    for name, spec in fields.specs(type(signal)).items():
        value, per = getattr(signal, name), PER_SECOND.get(name, "")
        valued = getattr(spec, "kind", None) == "number" or per
        if valued and unit != "1" and isinstance(value, Quantity) and value.bare:
            changes[name] = Quantity(f"{value} {unit}{per}")
    return replace(signal, **changes) if changes else signal
