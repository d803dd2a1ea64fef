"""Formulas of time alone: their values at many instants, and bounds over spans of time.

Bounds are by interval arithmetic (Moore 1966): what a formula does anywhere within a span lies
between them, however narrow it is. They may be wider than needed, never narrower but for rounding.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from impeto.core.model.formula import Lookup, Name, Node, Number, names
from impeto.core.model.functions import FUNCTIONS

Floats = npt.NDArray[np.float64]
Bounds = tuple[Floats, Floats]


def of_time_alone(node: Node) -> bool:
    """Whether a formula without parameters depends on time and nothing else."""
    return names(node) == {"t"}


def values(node: Node, t: Floats) -> Floats:
    """Value at each instant; dimensions are not looked at, what is undefined is nan."""
    if isinstance(node, Number):
        return np.full(np.shape(t), node.value)
    if isinstance(node, Name):
        return t
    if isinstance(node, Lookup):
        return node.curve.values(values(node.argument, t), node.order)
    with np.errstate(all="ignore"):
        arguments = (values(argument, t) for argument in node.arguments)
        return np.asarray(FUNCTIONS[node.function].compute(*arguments), dtype=float)


def enclose(node: Node, low: Floats, high: Floats) -> Bounds:
    """Least and largest value that a formula of time may have within each span low … high."""
    if isinstance(node, Number):
        return np.full(low.shape, node.value), np.full(low.shape, node.value)
    if isinstance(node, Name):
        return low, high
    if isinstance(node, Lookup):
        return _of_curve(node, *enclose(node.argument, low, high))
    parts = [enclose(argument, low, high) for argument in node.arguments]
    with np.errstate(all="ignore"):
        least, most = _RULES[node.function](*parts)
    # What is undefined somewhere in a span may be anything there.
    return np.where(np.isnan(least), -np.inf, least), np.where(np.isnan(most), np.inf, most)


def _of_curve(node: Lookup, low: Floats, high: Floats) -> Bounds:
    """Bounds within the piece of the curve that holds a span, else those of the whole curve."""
    table = node.curve.table()
    c = list(table[:, 1:].T)
    for _ in range(node.order):
        c = [(k + 1.0) * c[k + 1] for k in range(len(c) - 1)]
    row = np.searchsorted(node.curve.x, low, side="right")
    inside = (row == np.searchsorted(node.curve.x, high, side="left")) | (low == high)
    s = low - table[row, 0], high - table[row, 0]
    least, most = c[-1][row], c[-1][row]
    for k in range(len(c) - 2, -1, -1):
        least, most = _product((least, most), s)
        least, most = least + c[k][row], most + c[k][row]
    samples = np.linspace(node.curve.x[0], node.curve.x[-1], 4 * len(node.curve.x) + 1)
    every = node.curve.values(samples, node.order)
    spread = float(np.ptp(every))
    bottom, top = float(every.min()) - spread, float(every.max()) + spread
    return np.where(inside, least, bottom), np.where(inside, most, top)


def _product(a: Bounds, b: Bounds) -> Bounds:
    corners = [x * y for x in a for y in b]
    stacked = np.where(np.isnan(corners), 0.0, corners)  # 0 · ∞ comes from 0 times what is finite
    return stacked.min(axis=0), stacked.max(axis=0)


def _quotient(a: Bounds, b: Bounds) -> Bounds:
    through = (b[0] <= 0.0) & (b[1] >= 0.0)
    least, most = _product(a, (1.0 / b[1], 1.0 / b[0]))
    return np.where(through, -np.inf, least), np.where(through, np.inf, most)


def _power(a: Bounds, b: Bounds) -> Bounds:
    corners = np.array([x**y for x in a for y in b])
    least, most = corners.min(axis=0), corners.max(axis=0)  # nan where a root of less than zero
    fixed, whole = b[0] == b[1], (b[0] == b[1]) & (b[0] == np.round(b[0]))
    through = (a[0] <= 0.0) & (a[1] >= 0.0)
    even = whole & (b[0] % 2 == 0)
    least = np.where(even & through & (b[0] > 0), 0.0, least)
    pole = through & (b[0] < 0.0)
    unknown = pole | (~fixed & (a[0] < 0.0)) | (fixed & ~whole & (a[0] < 0.0))
    return np.where(unknown, -np.inf, least), np.where(unknown, np.inf, most)


def _sine(a: Bounds) -> Bounds:
    ends = np.sin(a[0]), np.sin(a[1])

    def reaches(peak: float) -> npt.NDArray[np.bool_]:
        first = np.ceil((a[0] - peak) / (2.0 * np.pi))
        return np.asarray(first <= np.floor((a[1] - peak) / (2.0 * np.pi)))

    finite = np.isfinite(a[0]) & np.isfinite(a[1])
    least = np.where(reaches(-0.5 * np.pi), -1.0, np.minimum(*ends))
    most = np.where(reaches(0.5 * np.pi), 1.0, np.maximum(*ends))
    return np.where(finite, least, -1.0), np.where(finite, most, 1.0)


def _cosine(a: Bounds) -> Bounds:
    return _sine((a[0] + 0.5 * np.pi, a[1] + 0.5 * np.pi))


def _tangent(a: Bounds) -> Bounds:
    same = np.floor(a[0] / np.pi + 0.5) == np.floor(a[1] / np.pi + 0.5)
    least, most = np.tan(a[0]), np.tan(a[1])
    return np.where(same, least, -np.inf), np.where(same, most, np.inf)


def _rising(compute: Callable[[Floats], Floats], lowest: float, highest: float) -> _Rule:
    """Of a function that rises over its range lowest … highest and is undefined outside."""

    def rule(a: Bounds) -> Bounds:
        ends = [compute(np.clip(x, lowest, highest)) for x in a]
        return ends[0], ends[1]

    return rule


def _magnitude(a: Bounds) -> Bounds:
    through = (a[0] <= 0.0) & (a[1] >= 0.0)
    sizes = np.abs(a[0]), np.abs(a[1])
    return np.where(through, 0.0, np.minimum(*sizes)), np.maximum(*sizes)


def _where(a: Bounds, b: Bounds, c: Bounds) -> Bounds:
    yes, no = (a[0] > 0.0) | (a[1] < 0.0), (a[0] == 0.0) & (a[1] == 0.0)
    least = np.where(yes, b[0], np.where(no, c[0], np.minimum(b[0], c[0])))
    most = np.where(yes, b[1], np.where(no, c[1], np.maximum(b[1], c[1])))
    return least, most


def _edge(function: str) -> _Rule:
    """rise() and ramp(): they rise with x between limits that do not change."""
    compute = FUNCTIONS[function].compute

    def rule(x: Bounds, start: Bounds, end: Bounds) -> Bounds:
        fixed = (start[0] == start[1]) & (end[0] == end[1])
        sides = compute(x[0], start[0], end[0]), compute(x[1], start[0], end[0])
        least = np.where(fixed, np.minimum(*sides), 0.0)
        return least, np.where(fixed, np.maximum(*sides), 1.0)

    return rule


def _angle(a: Bounds, b: Bounds) -> Bounds:
    """atan2: by its corners where the span stays in front, else the whole turn."""
    corners = np.array([np.arctan2(y, x) for y in a for x in b])
    front = b[0] > 0.0
    least = np.where(front, corners.min(axis=0), -np.pi)
    return least, np.where(front, corners.max(axis=0), np.pi)


_Rule = Callable[..., Bounds]
_RULES: dict[str, _Rule] = {
    "+": lambda a, b: (a[0] + b[0], a[1] + b[1]),
    "-": lambda a, b: (a[0] - b[1], a[1] - b[0]),
    "*": _product,
    "/": _quotient,
    "^": _power,
    "negative": lambda a: (-a[1], -a[0]),
    "sin": _sine,
    "cos": _cosine,
    "tan": _tangent,
    "asin": _rising(np.arcsin, -1.0, 1.0),
    "acos": lambda a: (np.arccos(np.clip(a[1], -1.0, 1.0)), np.arccos(np.clip(a[0], -1.0, 1.0))),
    "atan": _rising(np.arctan, -np.inf, np.inf),
    "atan2": _angle,
    "sqrt": _rising(np.sqrt, 0.0, np.inf),
    "exp": _rising(np.exp, -np.inf, np.inf),
    "log": _rising(np.log, 0.0, np.inf),
    "abs": _magnitude,
    "sign": _rising(np.sign, -np.inf, np.inf),
    "min": lambda a, b: (np.minimum(a[0], b[0]), np.minimum(a[1], b[1])),
    "max": lambda a, b: (np.maximum(a[0], b[0]), np.maximum(a[1], b[1])),
    "<": lambda a, b: (np.less(a[1], b[0]) * 1.0, np.less(a[0], b[1]) * 1.0),
    ">": lambda a, b: (np.greater(a[0], b[1]) * 1.0, np.greater(a[1], b[0]) * 1.0),
    "where": _where,
    "rise": _edge("rise"),
    "ramp": _edge("ramp"),
}
