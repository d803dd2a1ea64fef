"""Formulas as short programs for a stack machine, so that runs need no Python."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numba import njit

from impeto.core.model.formula import Apply, Name, Node, Number
from impeto.core.model.functions import FUNCTIONS

CONSTANT, TIME, SENSOR = 0, 1, 27


class ProgramBuilder:
    """Collects programs; `sensor` gives the row of a channel path, adding it where needed."""

    def __init__(self, sensor: Callable[[str], int]) -> None:
        self.sensor = sensor
        self.instructions: list[tuple[int, int]] = []
        self.constants: list[float] = []
        self.spans: list[tuple[int, int]] = []

    def add(self, node: Node) -> int:
        """Append the program of a formula without parameters; return its number."""
        first = len(self.instructions)
        self._emit(node)
        self.spans.append((first, len(self.instructions)))
        return len(self.spans) - 1

    def _emit(self, node: Node) -> None:
        if isinstance(node, Number):
            self.instructions.append((CONSTANT, len(self.constants)))
            self.constants.append(node.value)
        elif isinstance(node, Name):
            instruction = (TIME, 0) if node.path == "t" else (SENSOR, self.sensor(node.path))
            self.instructions.append(instruction)
        else:
            assert isinstance(node, Apply)
            for argument in node.arguments:
                self._emit(argument)
            self.instructions.append((FUNCTIONS[node.function].code, 0))


@njit(cache=True, error_model="numpy")
def run_program(first, last, instruction, constant, sensed, t, stack):
    """Value of one program; sensed holds the channels, stack is scratch."""
    top = -1
    for step in range(first, last):
        code = instruction[step, 0]
        if code == 0:
            top += 1
            stack[top] = constant[instruction[step, 1]]
        elif code == 1:
            top += 1
            stack[top] = t
        elif code == 27:
            top += 1
            stack[top] = sensed[instruction[step, 1]]
        elif code in (7, 8, 9, 10, 11, 12, 13, 15, 16, 17, 18, 19):
            stack[top] = _of_one(code, stack[top])
        elif code in (24, 25, 26):
            top -= 2
            stack[top] = _of_three(code, stack[top], stack[top + 1], stack[top + 2])
        else:
            top -= 1
            stack[top] = _of_two(code, stack[top], stack[top + 1])
    return stack[0]


@njit(cache=True, error_model="numpy")
def _of_one(code, x):
    if code == 7:
        return -x
    if code == 8:
        return np.sin(x)
    if code == 9:
        return np.cos(x)
    if code == 10:
        return np.tan(x)
    if code == 11:
        return np.arcsin(x)
    if code == 12:
        return np.arccos(x)
    if code == 13:
        return np.arctan(x)
    if code == 15:
        return np.sqrt(x)
    if code == 16:
        return np.exp(x)
    if code == 17:
        return np.log(x)
    if code == 18:
        return abs(x)
    return np.sign(x)


@njit(cache=True, error_model="numpy")
def _of_two(code, a, b):
    if code == 2:
        return a + b
    if code == 3:
        return a - b
    if code == 4:
        return a * b
    if code == 5:
        return a / b if b != 0.0 else np.nan
    if code == 6:
        return a**b
    if code == 14:
        return np.arctan2(a, b)
    if code == 20:
        return min(a, b)
    if code == 21:
        return max(a, b)
    if code == 22:
        return 1.0 if a < b else 0.0
    return 1.0 if a > b else 0.0


@njit(cache=True, error_model="numpy")
def _of_three(code, a, b, c):
    if code == 24:
        return b if a != 0.0 else c
    if c == b:
        return np.nan
    s = min(max((a - b) / (c - b), 0.0), 1.0)
    if code == 26:
        return s
    return s * s * s * (10.0 + s * (6.0 * s - 15.0))
