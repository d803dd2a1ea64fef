"""Signals of loads and drives within a case: parameters put in, quantities checked."""

from __future__ import annotations

import dataclasses

import numpy as np

from impeto.core.errors import ModelError
from impeto.core.model import formula, units
from impeto.core.model.elements import Body, Drive, Joint, Load
from impeto.core.model.formula import Apply, Name, Node, Number, Value
from impeto.core.model.scope import Scope


def signal_node(scope: Scope, element: Load | Drive) -> Node:
    """Formula of an element's signal with parameters put in, checked for its kind of quantity."""
    kind = element.signal_kind
    try:
        for name in _value_fields(element.value):
            _reject_hertz(element.value, name, kind)
        node = substituted(element.value.node(scope), scope)
        value = formula.evaluate(node, lambda name: Value(np.array([1.0]), sensed(name, scope)))
        expected = units.unit(units.KINDS[kind].si)[1]
        zero = isinstance(node, Number) and node.value == 0.0
        if not zero and not units.same_dimension(value.dimension, expected):
            units.to_kind(0.0, value.dimension, kind)
    except ModelError as error:
        raise type(error)(
            error.problem,
            element=element.name,
            field=error.field or "value",
            remedy=error.remedy.replace(", for example", ""),
        ) from None
    return node


def _value_fields(signal: object) -> list[str]:
    assert dataclasses.is_dataclass(signal)
    return [f.name for f in dataclasses.fields(signal) if f.metadata["spec"].kind == "number"]


def _reject_hertz(signal: object, name: str, kind: str) -> None:
    written = getattr(signal, name)
    if kind == "angular speed" and written is not None and written.text.rstrip().endswith("Hz"):
        raise ModelError("Hz counts turns, not angle", remedy="Write it in rpm or rad/s")


def substituted(node: Node, scope: Scope) -> Node:
    """The formula with every parameter replaced by its value; time and channels stay names."""
    if isinstance(node, Name):
        if node.path in ("t", "pi") or "." in node.path:
            return Number(np.pi, units.NUMBER) if node.path == "pi" else node
        value = scope.parameter(node.path)
        return Number(float(value.si), value.dimension)
    if isinstance(node, Apply):
        arguments = tuple(substituted(argument, scope) for argument in node.arguments)
        changed = Apply(node.function, arguments)
        if not all(isinstance(argument, Number) for argument in arguments):
            return changed
        value = formula.evaluate(changed, scope.parameter)
        return Number(float(value.si), value.dimension)
    return node


_SENSED_BODY = {"position": "length", "velocity": "speed", "spin": "angular speed"}


def sensed(path: str, scope: Scope) -> units.Dimension:
    """Dimension of a channel that formulas may use; ModelError for those they may not."""
    if path == "t":
        return units.unit("s")[1]
    name, _, rest = path.partition(".")
    quantity, _, component = rest.partition(".")
    element = scope.model.elements.get(name)
    if isinstance(element, Body) and quantity in _SENSED_BODY and component in ("x", "y", "z"):
        return units.unit(units.KINDS[_SENSED_BODY[quantity]].si)[1]
    freedom = quantity.replace("_", " ")
    if (
        isinstance(element, Joint)
        and freedom in element.free
        and component in ("position", "speed")
    ):
        turning = freedom.startswith("turn")
        unit = {"position": "rad" if turning else "m", "speed": "rad/s" if turning else "m/s"}
        return units.unit(unit[component])[1]
    raise ModelError(
        f"'{path}' is not a channel that a formula can use",
        remedy="Use body.position.x, body.velocity.x, body.spin.x, joint.turn_z.position or "
        "joint.turn_z.speed",
    )
