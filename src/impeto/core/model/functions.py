"""The functions and operators that formulas may use: one row each, and nothing else is allowed.

A row says how many arguments, what happens to dimensions, how NumPy computes it, and which number
the compiled interpreter (mechanics/programs.py) knows it by.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np


def rise(x: Any, start: Any, end: Any) -> Any:
    """0 before start, 1 after end, between them 6s⁵ − 15s⁴ + 10s³: twice differentiable."""
    s = ramp(x, start, end)
    return s * s * s * (10.0 + s * (6.0 * s - 15.0))


def ramp(x: Any, start: Any, end: Any) -> Any:
    """0 before start, 1 after end, straight between them."""
    return np.clip((x - start) / (end - start), 0.0, 1.0)


@dataclass(frozen=True, slots=True)
class Function:
    """dimension: 'same' as the arguments, 'number', 'angle', or a rule of formula.py."""

    code: int
    arity: int
    dimension: str
    compute: Callable[..., Any]


FUNCTIONS: dict[str, Function] = {
    "+": Function(2, 2, "same", np.add),
    "-": Function(3, 2, "same", np.subtract),
    "*": Function(4, 2, "product", np.multiply),
    "/": Function(5, 2, "quotient", np.divide),
    "^": Function(6, 2, "power", np.power),
    "negative": Function(7, 1, "same", np.negative),
    "sin": Function(8, 1, "number", np.sin),
    "cos": Function(9, 1, "number", np.cos),
    "tan": Function(10, 1, "number", np.tan),
    "asin": Function(11, 1, "angle", np.arcsin),
    "acos": Function(12, 1, "angle", np.arccos),
    "atan": Function(13, 1, "angle", np.arctan),
    "atan2": Function(14, 2, "ratio angle", np.arctan2),
    "sqrt": Function(15, 1, "root", np.sqrt),
    "exp": Function(16, 1, "number", np.exp),
    "log": Function(17, 1, "number", np.log),
    "abs": Function(18, 1, "same", np.abs),
    "sign": Function(19, 1, "ratio", np.sign),
    "min": Function(20, 2, "same", np.minimum),
    "max": Function(21, 2, "same", np.maximum),
    "<": Function(22, 2, "ratio", np.less),
    ">": Function(23, 2, "ratio", np.greater),
    "where": Function(24, 3, "choice", np.where),
    "rise": Function(25, 3, "ratio", rise),
    "ramp": Function(26, 3, "ratio", ramp),
}
OPERATORS = frozenset("+-*/^<>") | {"negative"}
