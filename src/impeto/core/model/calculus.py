"""Derivative of a formula with respect to time, for prescribed motions."""

from __future__ import annotations

from collections.abc import Callable

from impeto.core.errors import FormulaError
from impeto.core.model import units
from impeto.core.model.formula import Apply, Lookup, Name, Node, Number, names

ZERO = Number(0.0, units.NUMBER)
ONE = Number(1.0, units.NUMBER)


def derivative(node: Node) -> Node:
    """d/dt of a formula of time; every other name counts as constant.

    Dimensions are not kept: the result is meant for compiled programs, whose tree was checked
    before. Jumps (`<`, `sign`, `where`) are differentiated piece by piece.
    """
    if "t" not in names(node):
        return ZERO
    if isinstance(node, Name):
        return ONE
    if isinstance(node, Lookup):
        slope = Lookup(node.curve, node.argument, node.dimension, node.order + 1)
        return _times(slope, derivative(node.argument))
    assert isinstance(node, Apply)
    arguments = node.arguments
    rates = tuple(derivative(argument) for argument in arguments)
    return _rule(node, arguments, rates)


def _rule(node: Apply, u: tuple[Node, ...], du: tuple[Node, ...]) -> Node:
    name = node.function
    if name in ("+", "-"):
        return Apply(name, du)
    if name == "negative":
        return Apply(name, du)
    if name == "*":
        return _plus(_times(du[0], u[1]), _times(u[0], du[1]))
    if name == "/":
        return _minus(_over(du[0], u[1]), _over(_times(u[0], du[1]), _times(u[1], u[1])))
    if name == "^":
        if du[1] != ZERO:
            raise FormulaError("a motion cannot have time in an exponent", remedy="Use exp()")
        return _times(_times(u[1], Apply("^", (u[0], _minus(u[1], ONE)))), du[0])
    if name in _OUTER:
        return _times(_OUTER[name](u[0]), du[0])
    if name in ("min", "max"):
        symbol = "<" if name == "min" else ">"
        return Apply("where", (Apply(symbol, u), du[0], du[1]))
    if name == "where":
        return Apply("where", (u[0], du[1], du[2]))
    if name in ("<", ">", "sign"):
        return ZERO
    if name == "atan2":
        top = _minus(_times(du[0], u[1]), _times(u[0], du[1]))
        return _over(top, _plus(_times(u[0], u[0]), _times(u[1], u[1])))
    return _edge(name, u, du)


def _edge(name: str, u: tuple[Node, ...], du: tuple[Node, ...]) -> Node:
    """rise() and ramp() between fixed limits."""
    if du[1] != ZERO or du[2] != ZERO:
        raise FormulaError(f"the limits of {name}() must not depend on time in a motion")
    slope = _over(du[0], _minus(u[2], u[1]))
    if name == "ramp":
        inside = _times(Apply(">", (u[0], u[1])), Apply("<", (u[0], u[2])))
        return _times(inside, slope)
    s = Apply("ramp", u)
    square = _times(s, _minus(ONE, s))
    return _times(_times(Number(30.0, units.NUMBER), _times(square, square)), slope)


def _plus(a: Node, b: Node) -> Node:
    if a == ZERO:
        return b
    return a if b == ZERO else Apply("+", (a, b))


def _minus(a: Node, b: Node) -> Node:
    return a if b == ZERO else Apply("-", (a, b))


def _times(a: Node, b: Node) -> Node:
    if ZERO in (a, b):
        return ZERO
    if a == ONE:
        return b
    return a if b == ONE else Apply("*", (a, b))


def _over(a: Node, b: Node) -> Node:
    return ZERO if a == ZERO else Apply("/", (a, b))


def _root_of_one_minus_square(x: Node) -> Node:
    return Apply("sqrt", (_minus(ONE, _times(x, x)),))


_OUTER: dict[str, Callable[[Node], Node]] = {
    "sin": lambda x: Apply("cos", (x,)),
    "cos": lambda x: Apply("negative", (Apply("sin", (x,)),)),
    "tan": lambda x: _over(ONE, _times(Apply("cos", (x,)), Apply("cos", (x,)))),
    "asin": lambda x: _over(ONE, _root_of_one_minus_square(x)),
    "acos": lambda x: Apply("negative", (_over(ONE, _root_of_one_minus_square(x)),)),
    "atan": lambda x: _over(ONE, _plus(ONE, _times(x, x))),
    "sqrt": lambda x: _over(Number(0.5, units.NUMBER), Apply("sqrt", (x,))),
    "exp": lambda x: Apply("exp", (x,)),
    "log": lambda x: _over(ONE, x),
    "abs": lambda x: Apply("sign", (x,)),
}
