"""Formulas: text to a tree, the tree to a value. Arithmetic only; nothing is ever executed.

Grammar, loosest first: comparison, sum, product, sign, power, then a number with an optional unit
('15 N/mm'), a name ('k_front', 'saw_frame.velocity.z', 't'), a call, or brackets.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from impeto.core.errors import FormulaError, ModelError
from impeto.core.model import units
from impeto.core.model.functions import FUNCTIONS, OPERATORS
from impeto.core.model.interpolation import Interpolation
from impeto.core.model.units import Dimension

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+(?:[eE][+-]?\d+)?)"
    r"|(?P<name>[^\W\d²³][^\W²³]*(?:\.[^\W\d²³][^\W²³]*)*|°)"
    r"|(?P<symbol>\*\*|[-+*/^<>(),·−²³]))"
)
_SAME = {"**": "^", "·": "*", "−": "-"}
_MAX_LENGTH, _MAX_DEPTH = 2000, 60
_MAX_CHAIN = 150  # operations that follow each other
_MAX_EXPONENT = 100.0  # of a quantity with a unit


DECIMAL_COMMA = re.compile(r"^[^(]*\d,\d")


@dataclass(frozen=True, slots=True)
class Number:
    value: float
    dimension: Dimension


@dataclass(frozen=True, slots=True)
class Name:
    path: str


@dataclass(frozen=True, slots=True)
class Apply:
    function: str
    arguments: tuple[Node, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Lookup:
    """Value of a curve (or of its first or second derivative) at an argument in SI units."""

    curve: Interpolation
    argument: Node
    dimension: Dimension
    order: int = 0


Node = Number | Name | Apply | Lookup


@dataclass(frozen=True, slots=True)
class Value:
    """A number or an array in SI units with its dimension."""

    si: Any
    dimension: Dimension = units.NUMBER


Scope = Callable[[str], Value]


@lru_cache(maxsize=4096)
def parse(text: str) -> Node:
    """Read a formula; FormulaError says where it cannot be understood."""
    if len(text) > _MAX_LENGTH:
        raise FormulaError("the formula is too long", remedy=f"Keep it under {_MAX_LENGTH} letters")
    parser = _Parser(text, _tokens(text))
    node = parser.comparison()
    if parser.peek()[1]:
        raise parser.unexpected()
    return node


def names(node: Node) -> frozenset[str]:
    """Every name that the formula refers to."""
    if isinstance(node, Name):
        return frozenset((node.path,))
    if isinstance(node, Apply):
        return frozenset().union(*(names(argument) for argument in node.arguments))
    if isinstance(node, Lookup):
        return names(node.argument)
    return frozenset()


def over_time(node: Node) -> str:
    """The first function in it that needs a whole run, or ''."""
    if isinstance(node, Lookup):
        return over_time(node.argument)
    if not isinstance(node, Apply):
        return ""
    if FUNCTIONS[node.function].over_time:
        return node.function
    return next(filter(None, map(over_time, node.arguments)), "")


def evaluate(node: Node, scope: Scope) -> Value:
    """Value of a formula; scope gives the value of each name (numbers or equal-length arrays)."""
    if isinstance(node, Number):
        return Value(node.value, node.dimension)
    if isinstance(node, Name):
        return Value(np.pi) if node.path == "pi" else scope(node.path)
    if isinstance(node, Lookup):
        at = evaluate(node.argument, scope).si
        return Value(node.curve.values(at, node.order), node.dimension)
    function = FUNCTIONS[node.function]
    arguments = [evaluate(argument, scope) for argument in node.arguments]
    dimension = result_dimension(node, arguments)
    if node.function == "/" and np.ndim(arguments[1].si) == 0 and arguments[1].si == 0:
        raise FormulaError("this divides by zero", remedy="Change the value below the line")
    given = [argument.si for argument in arguments]
    with np.errstate(all="ignore"):
        if function.over_time:
            time = _times(node.function, scope)
            if any(np.ndim(value) for value in given[1:]):
                raise FormulaError(f"the window of '{node.function}' must stay the same")
            result = function.compute(time, np.broadcast_to(given[0], time.shape), *given[1:])
        else:
            result = function.compute(*given)
    if np.ndim(result) == 0:
        result = float(result)
        if not np.isfinite(result):
            raise FormulaError(
                f"'{node.function}' has no finite value here", remedy="Check its arguments"
            )
    return Value(result, dimension)


def _times(function: str, scope: Scope) -> Any:
    """(N,) the instants of a run [s]."""
    try:
        time = np.asarray(scope("t").si)
    except ModelError:
        time = np.zeros(())
    if time.ndim == 0:
        raise needs_a_run(function)
    return time


def needs_a_run(function: str) -> FormulaError:
    return FormulaError(
        f"'{function}' needs a whole run", remedy="Use it in a gauge or a chart only"
    )


def result_dimension(node: Apply, arguments: list[Value]) -> Dimension:
    """Dimension of an application, or FormulaError where the arguments do not fit together."""
    rule = FUNCTIONS[node.function].dimension
    first = arguments[0].dimension
    if rule in ("same", "ratio", "ratio angle", "choice"):
        alike = arguments[1:] if rule == "choice" else arguments
        for argument in alike[1:]:
            if not units.same_dimension(argument.dimension, alike[0].dimension):
                raise FormulaError(
                    f"'{node.function}' mixes {units.describe(alike[0].dimension)} and "
                    f"{units.describe(argument.dimension)}",
                    remedy="Both sides need the same kind of unit",
                )
        results = {"same": first, "ratio": units.NUMBER, "ratio angle": (0, 0, 0, 0, 1)}
        return results.get(rule, alike[0].dimension)
    if rule in ("number", "angle"):
        if not units.same_dimension(first, units.NUMBER):
            raise FormulaError(
                f"'{node.function}' needs an angle or a plain number, not {units.describe(first)}"
            )
        return (0, 0, 0, 0, 1) if rule == "angle" else units.NUMBER
    if rule == "root":
        return _scaled(first, 0.5)
    if rule in ("rate", "integral"):
        m, kg, s, ampere, angle = first
        return m, kg, s + (1 if rule == "integral" else -1), ampere, angle
    second = arguments[1].dimension
    if rule == "window":
        if second != units.unit("s")[1]:
            raise FormulaError(f"the window of '{node.function}' is a time, such as 0.1 s")
        return first
    if rule == "power":
        exponent = arguments[1].si
        if not units.same_dimension(second, units.NUMBER):
            raise FormulaError("an exponent must be a plain number")
        if units.same_dimension(first, units.NUMBER):
            return units.NUMBER
        if np.ndim(exponent):
            raise FormulaError("a quantity with a unit needs a fixed exponent")
        return _scaled(first, float(exponent))
    sign = 1 if rule == "product" else -1
    a, b = first, second
    m, kg, s, ampere, kelvin = (p + sign * q for p, q in zip(a, b, strict=True))
    return m, kg, s, ampere, kelvin


def _scaled(dimension: Dimension, exponent: float) -> Dimension:
    if not abs(exponent) <= _MAX_EXPONENT:
        raise FormulaError(f"the exponent {exponent:g} is too large for a quantity with a unit")
    scaled = tuple(round(n * exponent) for n in dimension[:4])
    if any(abs(n * exponent - s) > 1e-9 for n, s in zip(dimension[:4], scaled, strict=True)):
        raise FormulaError(
            f"{units.describe(dimension)} to the power {exponent:g} has no whole unit"
        )
    m, kg, s, ampere = scaled
    return m, kg, s, ampere, 0


def _tokens(text: str) -> list[tuple[str, str]]:
    tokens: list[tuple[str, str]] = []
    position = 0
    end = len(text.rstrip())
    while position < end:
        match = _TOKEN.match(text, position)
        if not match:
            raise FormulaError(
                f"'{text[position:end].strip()[:12]}' cannot be read",
                remedy="Use numbers with units, names and + − * / ^ ( )",
            )
        kind = match.lastgroup or ""
        word = match.group(kind)
        if word in "²³":
            tokens += [("symbol", "^"), ("number", "2" if word == "²" else "3")]
        else:
            tokens.append((kind, _SAME.get(word, word)))
        position = match.end()
    if not tokens:
        raise FormulaError("the value is empty", remedy="Type a value with a unit")
    return [*tokens, ("end", "")]


class _Parser:
    """Recursive descent over the tokens."""

    def __init__(self, text: str, tokens: list[tuple[str, str]]) -> None:
        self.text, self.tokens = text, tokens
        self.position = self.depth = 0

    def peek(self, ahead: int = 0) -> tuple[str, str]:
        return self.tokens[min(self.position + ahead, len(self.tokens) - 1)]

    def take(self) -> str:
        self.position += 1
        return self.tokens[self.position - 1][1]

    def unexpected(self) -> FormulaError:
        word = self.peek()[1]
        what = f"'{word}' is not expected there" if word else "the formula ends too early"
        point = "Write decimals with a point, as 0.5" if DECIMAL_COMMA.search(self.text) else ""
        return FormulaError(f"{what}, in '{self.text.strip()}'", remedy=point)

    def comparison(self) -> Node:
        self.depth += 1
        if self.depth > _MAX_DEPTH:
            raise FormulaError("the formula has too many brackets inside each other")
        node = self.chain("+-", lambda: self.chain("*/", self.signed))
        if self.peek()[1] in ("<", ">"):
            node = Apply(
                self.take(), (node, self.chain("+-", lambda: self.chain("*/", self.signed)))
            )
        self.depth -= 1
        return node

    def chain(self, symbols: str, operand: Callable[[], Node]) -> Node:
        node, links = operand(), 0
        while self.peek()[0] == "symbol" and self.peek()[1] in symbols:
            node, links = Apply(self.take(), (node, operand())), links + 1
            if links > _MAX_CHAIN:
                raise FormulaError(
                    f"the formula has more than {_MAX_CHAIN} operations after each other",
                    remedy="Put parts of it into parameters",
                )
        return node

    def signed(self) -> Node:
        if self.peek()[1] in ("-", "+"):
            minus = False
            while self.peek()[1] in ("-", "+"):
                minus ^= self.take() == "-"
            operand = self.power()
            if isinstance(operand, Number):
                return Number(-operand.value if minus else operand.value, operand.dimension)
            return Apply("negative", (operand,)) if minus else operand
        return self.power()

    def power(self) -> Node:
        node = self.atom()
        if self.peek()[1] == "^":
            self.take()
            node = Apply("^", (node, self.signed()))
        return node

    def atom(self) -> Node:
        kind, word = self.peek()
        if kind == "number":
            value = float(self.take())
            return (
                self.with_unit(value) if self.peek()[0] == "name" else Number(value, units.NUMBER)
            )
        if kind == "name":
            self.take()
            return self.call(word) if self.peek()[1] == "(" else Name(word)
        if word == "(":
            self.take()
            node = self.comparison()
            self.expect(")")
            return node
        raise self.unexpected()

    def call(self, function: str) -> Node:
        if function not in FUNCTIONS or function in OPERATORS:
            known = ", ".join(sorted(set(FUNCTIONS) - OPERATORS))
            raise FormulaError(
                f"there is no function '{function}'", remedy=f"The functions are {known}"
            )
        self.expect("(")
        arguments = [self.comparison()]
        while self.peek()[1] == ",":
            self.take()
            arguments.append(self.comparison())
        self.expect(")")
        arity = FUNCTIONS[function].arity
        if len(arguments) != arity:
            raise FormulaError(f"'{function}' takes {arity} values, not {len(arguments)}")
        return Apply(function, tuple(arguments))

    def with_unit(self, value: float) -> Node:
        """The unit right behind a number: words joined by * and / as long as they are units."""
        text = self.take() + self.exponent()
        while self.peek()[1] in ("*", "/") and self.peek(1)[0] == "name":
            word = self.peek(1)[1]
            if not units.is_unit(word) or word == "t":  # t is the time, a tonne only after a number
                break
            text += self.take() + self.take() + self.exponent()
        factor, dimension = units.unit(text)
        return Number(value * factor, dimension)

    def exponent(self) -> str:
        if self.peek()[1] == "^" and self.peek(1)[0] == "number":
            self.take()
            return "**" + self.take()
        return ""

    def expect(self, symbol: str) -> None:
        if self.peek()[1] != symbol:
            raise self.unexpected()
        self.take()
