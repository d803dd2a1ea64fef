"""Signals and formulas of elements within a case: parameters put in, quantities checked."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from typing import Protocol

import numpy as np

from impeto.core.errors import FormulaError, ModelError
from impeto.core.model import formula, renamed, units
from impeto.core.model.element import SYSTEM, Element
from impeto.core.model.fields import QuantitySpec, Written
from impeto.core.model.formula import Apply, Lookup, Name, Node, Number, Value
from impeto.core.model.scope import Scope
from impeto.core.model.units import Dimension


class Watching(Protocol):
    """What is asked of an event that watches a channel."""

    @property
    def name(self) -> str: ...
    @property
    def channel(self) -> str: ...
    @property
    def level(self) -> Written: ...


def signal_node(scope: Scope, element: Element, *, forces: bool = True) -> Node:
    """Formula of an element's signal with parameters put in, checked for its kind of quantity.

    forces : whether it may use channels of forces
    """
    field, signal = signal_of(element)
    kind = element.signal_kind  # type: ignore[attr-defined]
    try:
        for written in _values(signal):
            _reject_hertz(written, kind)
        node = signal.node(scope)  # type: ignore[attr-defined]
        return _checked(scope, node, kind, {}, forces)
    except ModelError as error:
        raise _placed(error, element.name, field) from None


def signal_of(element: Element) -> tuple[str, object]:
    """Name of the field that holds an element's signal, and the signal."""
    for field in ("value", "reference", "duty"):
        if hasattr(element, field):
            return field, getattr(element, field)
    raise AssertionError("this element has no signal")


def formula_node(
    scope: Scope, written: object, kind: str | None, element: str, field: str,
    local: Mapping[str, str], *, forces: bool = True, events: bool = False,
) -> Node:  # fmt: skip
    """Node of a formula field; local names stand for channels; kind None takes any quantity.

    events : whether it may use what only events watch: contact rules, energies
    """
    try:
        return _checked(scope, formula.parse(str(written)), kind, local, forces, events)
    except ModelError as error:
        raise _placed(error, element, field) from None


def watched_node(scope: Scope, event: Watching) -> Node:
    """How far what an event watches is above its level; a level without a unit is SI.

    Ropes and bumpers are watched by their tension, which goes on below zero where they let go.
    """
    model = scope.model
    slack = [e.name for e in model.elements.values() if e.watched("tension")]
    tension = {f"{name}.force": f"{name}.tension" for name in slack}
    channel = formula_node(scope, event.channel, None, event.name, "channel", tension, events=True)
    level = formula_node(scope, event.level, None, event.name, "level", {}, events=True)
    wanted, given = (_dimension(node, scope, events=True) for node in (channel, level))
    if isinstance(level, Number) and given == units.NUMBER:
        if level.value == 0.0:
            return channel
        return Apply("-", (channel, Number(level.value, wanted)))
    try:
        formula.result_dimension(Apply("-", ()), [Value(0.0, wanted), Value(0.0, given)])
    except ModelError as error:
        raise _placed(error, event.name, "level") from None
    return Apply("-", (channel, level))


def _placed(error: ModelError, element: str, field: str) -> ModelError:
    remedy = error.remedy.replace(", for example", "")
    return type(error)(error.problem, element=element, field=error.field or field, remedy=remedy)


def _checked(
    scope: Scope, node: Node, kind: str | None, local: Mapping[str, str], forces: bool,
    events: bool = False,
) -> Node:  # fmt: skip
    node = _written_out(_localised(_present(node), local), scope)
    if function := formula.over_time(node):
        raise formula.needs_a_run(function)
    node = _spelled(substituted(node, scope), scope)
    dimension = _dimension(node, scope, forces, events)
    if kind is not None:
        expected = units.unit(units.KINDS[kind].si)[1]
        zero = isinstance(node, Number) and node.value == 0.0
        if not zero and not units.same_dimension(dimension, expected):
            units.to_kind(0.0, dimension, kind)
    return node


def _dimension(node: Node, scope: Scope, forces: bool = True, events: bool = False) -> Dimension:
    """Dimension of a formula; complains of channels that it may not use."""
    return formula.evaluate(
        node, lambda name: Value(np.array([1.0]), sensed(name, scope, forces, events))
    ).dimension


def _present(node: Node) -> Node:
    """With the present names of channels."""
    if isinstance(node, Name):
        return Name(renamed.present(node.path))
    if isinstance(node, Apply):
        return Apply(node.function, tuple(_present(a) for a in node.arguments))
    if isinstance(node, Lookup):
        return Lookup(node.curve, _present(node.argument), node.dimension, node.order)
    return node


def _localised(node: Node, local: Mapping[str, str]) -> Node:
    if isinstance(node, Name) and node.path in local:
        return Name(local[node.path])
    if isinstance(node, Apply):
        return Apply(node.function, tuple(_localised(a, local) for a in node.arguments))
    return node


def _written_out(node: Node, scope: Scope, within: tuple[str, ...] = ()) -> Node:
    """With formulas in place of what stands for them: gauges."""
    if isinstance(node, Name):
        name, _, quantity = node.path.partition(".")
        element = scope.model.elements.get(name)
        text = element.stands_for(quantity) if element is not None else ""
        if not text:
            return node
        if name in within:
            raise FormulaError(f"gauges measure each other in a circle: {' → '.join(within)}")
        return _written_out(_present(formula.parse(text)), scope, (*within, name))
    if isinstance(node, Apply):
        return Apply(node.function, tuple(_written_out(a, scope, within) for a in node.arguments))
    return node


def _spelled(node: Node, scope: Scope) -> Node:
    """The size of a velocity, as channels have it under the plain name, by its parts."""
    if isinstance(node, Name):
        name, _, quantity = node.path.partition(".")
        element = scope.model.elements.get(name)
        if element is not None and element.sized(quantity):
            x, y, z = (Apply("*", (part,) * 2) for part in
                       (Name(f"{node.path}.{axis}") for axis in "xyz"))  # fmt: skip
            return Apply("sqrt", (Apply("+", (Apply("+", (x, y)), z)),))
    if isinstance(node, Apply):
        return Apply(node.function, tuple(_spelled(a, scope) for a in node.arguments))
    return node


def _values(signal: object) -> list[object]:
    assert dataclasses.is_dataclass(signal)
    return [
        getattr(signal, f.name)
        for f in dataclasses.fields(signal)
        if isinstance(f.metadata["spec"], QuantitySpec) and f.metadata["spec"].kind == "number"
    ]


def _reject_hertz(written: object, kind: str) -> None:
    if kind == "angular speed" and written is not None and str(written).rstrip().endswith("Hz"):
        raise ModelError("Hz counts turns, not angle", remedy="Write it in rpm or rad/s")


def substituted(node: Node, scope: Scope) -> Node:
    """The formula with every parameter replaced by its value; time and channels stay names."""
    if isinstance(node, Name):
        if node.path in ("t", "pi") or "." in node.path:
            return Number(np.pi, units.NUMBER) if node.path == "pi" else node
        value = scope.parameter(node.path)
        return Number(float(value.si), value.dimension)
    if isinstance(node, Lookup):
        argument = substituted(node.argument, scope)
        return Lookup(node.curve, argument, node.dimension, node.order)
    if isinstance(node, Apply):
        arguments = tuple(substituted(argument, scope) for argument in node.arguments)
        changed = Apply(node.function, arguments)
        if not all(isinstance(argument, Number) for argument in arguments):
            return changed
        value = formula.evaluate(changed, scope.parameter)
        return Number(float(value.si), value.dimension)
    return node


WATCHED_ENERGIES = tuple(
    f"{SYSTEM}.energy.{part}" for part in ("kinetic", "potential", "strain", "total")
)


def sensed(path: str, scope: Scope, forces: bool = True, events: bool = False) -> Dimension:
    """Dimension of a channel that formulas may use; ModelError for those they may not."""
    if path == "t":
        return units.unit("s")[1]
    name, _, rest = path.partition(".")
    quantity, _, component = rest.partition(".")
    element = scope.model.elements.get(name)
    kind = None if element is None else element.sensed(quantity, component, forces)
    if events:
        kind = kind or _watched_kind(element, path)
    if name == SYSTEM and kind is not None:
        return units.unit(units.KINDS[kind].si)[1]
    if kind is not None and element is not None and (element.carrier or name) in scope.fed:
        raise ModelError(
            f"'{path}' belongs to a body that is fed, whose copies come and go",
            remedy="Watch an outlet, say gate.count or gate.inside",
        )
    if kind is not None and element is not None and scope.on(element):
        return units.unit(units.KINDS[kind].si)[1]
    if kind is not None:
        raise ModelError(f"'{path}' belongs to an element that is switched off")
    raise ModelError(
        f"'{path}' is not a channel that a formula can use",
        remedy="Use body.position.x, body.velocity.x, body.velocity, body.angular_velocity, the "
        "same of a frame, motor.current, joint.turn_z.position or .speed, spring.length, .rate, "
        ".force, outlet.count or .inside; in events also rule.gap, rule.normal, rule.slip "
        "and system.energy.kinetic, .potential, .strain or .total",
    )


def _watched_kind(element: Element | None, path: str) -> str | None:
    """Kind of a channel that only events may watch."""
    if path in WATCHED_ENERGIES:
        return "energy"
    return None if element is None else element.watched(path.partition(".")[2])


def is_counted(path: str, scope: Scope) -> bool:
    """Whether a channel is a count of a feeder or outlet, which changes by jumps only."""
    element = scope.model.elements.get(path.partition(".")[0])
    return element is not None and element.counts
