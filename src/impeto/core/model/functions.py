"""The functions and operators that formulas may use: one row each, and nothing else is allowed.

A row says how many arguments, what happens to dimensions, how NumPy computes it, and which number
the compiled interpreter (dynamics/programs.py) knows it by.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import IntEnum
from typing import Any

import numpy as np

from impeto.core.model import over_time


def rise(x: Any, start: Any, end: Any) -> Any:
    """0 before start, 1 after end, between them 6s⁵ − 15s⁴ + 10s³: twice differentiable."""
    s = ramp(x, start, end)
    return s * s * s * (10.0 + s * (6.0 * s - 15.0))


def ramp(x: Any, start: Any, end: Any) -> Any:
    """0 before start, 1 after end, straight between them."""
    return np.clip((x - start) / (end - start), 0.0, 1.0)


class Op(IntEnum):
    """Instructions of the compiled interpreter; those between NEGATIVE and LOG, but ATAN2, take one
    value, those from MIN to GREATER ask a switch."""

    CONSTANT = 0
    TIME = 1
    ADD = 2
    SUBTRACT = 3
    MULTIPLY = 4
    DIVIDE = 5
    POWER = 6
    NEGATIVE = 7
    SIN = 8
    COS = 9
    TAN = 10
    ASIN = 11
    ACOS = 12
    ATAN = 13
    ATAN2 = 14
    SQRT = 15
    EXP = 16
    LOG = 17
    ABS = 18
    SIGN = 19
    MIN = 20
    MAX = 21
    LESS = 22
    GREATER = 23
    WHERE = 24
    RISE = 25
    RAMP = 26
    SENSOR = 27
    CURVE = 28
    NONE = 29  # not for the interpreter


@dataclass(frozen=True, slots=True)
class Function:
    """dimension: 'same' as the arguments, 'number', 'angle', or a rule of formula.py

    over_time : whether it needs a whole run, whose times [s] compute takes first
    """

    code: Op
    arity: int
    dimension: str
    compute: Callable[..., Any]
    over_time: bool = False


FUNCTIONS: dict[str, Function] = {
    "+": Function(Op.ADD, 2, "same", np.add),
    "-": Function(Op.SUBTRACT, 2, "same", np.subtract),
    "*": Function(Op.MULTIPLY, 2, "product", np.multiply),
    "/": Function(Op.DIVIDE, 2, "quotient", np.divide),
    "^": Function(Op.POWER, 2, "power", np.power),
    "negative": Function(Op.NEGATIVE, 1, "same", np.negative),
    "sin": Function(Op.SIN, 1, "number", np.sin),
    "cos": Function(Op.COS, 1, "number", np.cos),
    "tan": Function(Op.TAN, 1, "number", np.tan),
    "asin": Function(Op.ASIN, 1, "angle", np.arcsin),
    "acos": Function(Op.ACOS, 1, "angle", np.arccos),
    "atan": Function(Op.ATAN, 1, "angle", np.arctan),
    "atan2": Function(Op.ATAN2, 2, "ratio angle", np.arctan2),
    "sqrt": Function(Op.SQRT, 1, "root", np.sqrt),
    "exp": Function(Op.EXP, 1, "number", np.exp),
    "log": Function(Op.LOG, 1, "number", np.log),
    "abs": Function(Op.ABS, 1, "same", np.abs),
    "sign": Function(Op.SIGN, 1, "ratio", np.sign),
    "min": Function(Op.MIN, 2, "same", np.minimum),
    "max": Function(Op.MAX, 2, "same", np.maximum),
    "<": Function(Op.LESS, 2, "ratio", np.less),
    ">": Function(Op.GREATER, 2, "ratio", np.greater),
    "where": Function(Op.WHERE, 3, "choice", np.where),
    "rise": Function(Op.RISE, 3, "ratio", rise),
    "ramp": Function(Op.RAMP, 3, "ratio", ramp),
    "rate": Function(Op.NONE, 1, "rate", over_time.rate, True),
    "integral": Function(Op.NONE, 1, "integral", over_time.integral, True),
    "average": Function(Op.NONE, 2, "window", over_time.average, True),
    "envelope": Function(Op.NONE, 2, "window", over_time.envelope, True),
    "highest": Function(Op.NONE, 1, "same", over_time.highest, True),
    "lowest": Function(Op.NONE, 1, "same", over_time.lowest, True),
    "first": Function(Op.NONE, 1, "same", over_time.first, True),
    "count": Function(Op.NONE, 1, "number", over_time.count, True),
}
OPERATORS = frozenset("+-*/^<>") | {"negative"}
