"""Formulas as short programs for a stack machine, so that runs need no Python.

Where a formula changes abruptly (comparisons, sign, abs, min, max, ramp) it asks a switch, whose
state stays fixed within a step; the run finds the instant when it changes.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.columns import (
    Curve,
    Instruction,
    Piece,
)
from impeto.core.dynamics.kernel import kernel
from impeto.core.geometry.arrays import Floats, IntRows, Ints, Rows
from impeto.core.model.enclosure import of_time_alone, values
from impeto.core.model.formula import Apply, Lookup, Name, Node, Number
from impeto.core.model.functions import FUNCTIONS, Op
from impeto.core.model.interpolation import Interpolation
from impeto.core.model.units import NUMBER

SOON = 1e-9  # s after zero: on which side of it a switch begins that changes right there
FREE = -1  # state of the switch of a curve that is not held to one of its pieces
SWITCHES = {"<": 1, ">": 1, "sign": 1, "abs": 1, "min": 1, "max": 1, "ramp": 2}


@dataclass(frozen=True, slots=True, eq=False)
class Timed:
    """What a formula does at instants that are known before the run.

    node : of time alone; a switch is up where it is positive, a curve is asked at its value
    switch : −1 where only the instants matter
    curve : whose pieces the switch tells, from row `first` of the pieces on; None for a plain one
    """

    node: Node
    switch: int = -1
    curve: Interpolation | None = None
    first: int = 0


@dataclass(frozen=True, slots=True)
class Timing:
    """What formulas do by the clock.

    timed : switches whose changes are known;  moving : formulas of time that are to be followed
    standing : whether time stands still at zero
    """

    timed: tuple[Timed, ...] = ()
    moving: tuple[Node, ...] = ()
    standing: bool = False

    def at_zero(self, switch: npt.NDArray[np.int64]) -> None:
        """Set the plain switches to how they are right after time zero."""
        for timed in self.timed:
            if timed.switch >= 0 and timed.curve is None:
                now, soon = values(timed.node, np.array([0.0, SOON]))
                switch[timed.switch] = (soon if now == 0.0 else now) > 0.0


class ProgramBuilder:
    """Collects programs; `sensor` gives the row of a channel path, `switch` the first of so many
    new switches (told whether their changes are known beforehand), `curve` the row of a curve with
    the switch of its pieces and the first of them.

    timed : switches whose changes are known;  moving : formulas of time that are to be followed
    """

    def __init__(
        self,
        sensor: Callable[[str], int],
        switch: Callable[[int, bool], int],
        curve: Callable[[Interpolation, int], tuple[int, int, int]],
    ) -> None:
        self.sensor, self.switch, self.curve = sensor, switch, curve
        self.timed: list[Timed] = []
        self.moving: list[Node] = []
        self.instructions: list[tuple[int, int]] = []
        self.constants: list[float] = []
        self.spans: list[tuple[int, int]] = []

    def add(self, node: Node) -> int:
        """Append the program of a formula without parameters; return its number."""
        first = len(self.instructions)
        self._emit(node)
        self._watch(node)
        self.spans.append((first, len(self.instructions)))
        return len(self.spans) - 1

    def _emit(self, node: Node) -> None:
        if isinstance(node, Number):
            self.instructions.append((Op.CONSTANT, len(self.constants)))
            self.constants.append(node.value)
        elif isinstance(node, Name):
            instruction = (Op.TIME, 0) if node.path == "t" else (Op.SENSOR, self.sensor(node.path))
            self.instructions.append(instruction)
        elif isinstance(node, Lookup):
            self._emit(node.argument)
            row, switch, piece = self.curve(node.curve, node.order)
            self.instructions.append((Op.CURVE, row))
            self.timed.append(Timed(node.argument, switch, node.curve, piece))
        else:
            assert isinstance(node, Apply)
            for argument in node.arguments:
                self._emit(argument)
            count = SWITCHES.get(node.function, 0)
            asked = switching_arguments(node)
            known = [of_time_alone(argument) for argument in asked]
            first = self.switch(count, all(known)) if count else 0
            self.instructions.append((FUNCTIONS[node.function].code, first))
            if asked and all(known):
                self.timed += [
                    Timed(argument, first + k if count else -1) for k, argument in enumerate(asked)
                ]

    def _watch(self, node: Node) -> None:
        """Note the largest parts of a formula that depend on time alone."""
        if isinstance(node, Apply):
            if of_time_alone(node):
                self.moving.append(node)
            else:
                for argument in node.arguments:
                    self._watch(argument)

    def as_instants(self, switch: int) -> None:
        """Let a switch be asked as those of the state are; only its instants are known."""
        self.timed = [replace(t, switch=-1) if t.switch == switch else t for t in self.timed]


def switching_arguments(node: Apply) -> list[Node]:
    """What must change its sign where an application goes over to another piece of itself."""
    name, u = node.function, node.arguments
    if name in ("<", "min"):
        return [Apply("-", (u[1], u[0]))]
    if name in (">", "max"):
        return [Apply("-", (u[0], u[1]))]
    if name in ("sign", "abs"):
        return [u[0]]
    if name in ("ramp", "rise"):
        share = Apply("/", (Apply("-", (u[0], u[1])), Apply("-", (u[2], u[1]))))
        return [share, Apply("-", (share, Number(1.0, NUMBER)))]
    return []


@kernel
def run_program(
    first: int, last: int, instruction: IntRows, constant: Floats, sensed: Floats, t: float,
    stack: Floats, switch: Ints, guard: Floats, memory: Floats, curve: IntRows, curve_piece: Rows,
) -> float:  # fmt: skip
    """Value of one program; sensed holds the channels, stack is scratch; guards are written."""
    top = -1
    for step in range(first, last):
        code, argument = (
            instruction[step, Instruction.CODE],
            instruction[step, Instruction.ARGUMENT],
        )
        if code == Op.CONSTANT:
            top += 1
            stack[top] = constant[argument]
        elif code == Op.TIME:
            top += 1
            stack[top] = t
        elif code == Op.SENSOR:
            top += 1
            stack[top] = sensed[argument]
        elif code == Op.CURVE:
            stack[top] = look_up(curve_piece, curve[argument], stack[top], switch, guard, memory)
        elif Op.NEGATIVE <= code <= Op.LOG and code != Op.ATAN2:
            stack[top] = _of_one(code, stack[top])
        elif code == Op.ABS or code == Op.SIGN:
            up = decide(switch, guard, argument, stack[top])
            size = stack[top] if code == Op.ABS else abs(np.sign(stack[top]))
            stack[top] = size if up else -size
        elif code == Op.RAMP:
            top -= 2
            stack[top] = _ramp(stack[top], stack[top + 1], stack[top + 2], switch, guard, argument)
        elif code == Op.WHERE or code == Op.RISE:
            top -= 2
            stack[top] = _of_three(code, stack[top], stack[top + 1], stack[top + 2])
        elif Op.MIN <= code <= Op.GREATER:
            top -= 1
            stack[top] = _compared(code, stack[top], stack[top + 1], switch, guard, argument)
        else:
            top -= 1
            stack[top] = _of_two(code, stack[top], stack[top + 1])
    return stack[0]


@kernel
def decide(switch: Ints, guard: Floats, index: int, value: float) -> bool:
    """Whether a switch is up; its guard tells how far the value agrees with that."""
    up = switch[index] != 0
    guard[index] = value if up else -value
    return up


@kernel
def look_up(
    piece: Rows, curve: Ints, x: float, switch: Ints, guard: Floats, memory: Floats
) -> float:
    """Value at x of a curve: cubic pieces first … last − 1 (rows x, c0 … c3, the first one for all
    that lies before).

    curve : first, last, switch that says which piece holds within the step (FREE: the one at x),
    whose memory keeps x
    """
    row = switch[curve[Curve.SWITCH]]
    memory[curve[Curve.SWITCH]] = x
    if row == FREE:
        row = piece_at(piece, curve[Curve.FIRST], curve[Curve.LAST], x)
        guard[curve[Curve.SWITCH]] = 1.0
    else:
        below = x - piece[row, Piece.X] if row > curve[Curve.FIRST] else np.inf
        above = piece[row + 1, Piece.X] - x if row + 1 < curve[Curve.LAST] else np.inf
        guard[curve[Curve.SWITCH]] = min(below, above)
    s = x - piece[row, Piece.X]
    return piece[row, Piece.C0] + s * (
        piece[row, Piece.C1] + s * (piece[row, Piece.C2] + s * piece[row, Piece.C3])
    )


@kernel
def piece_at(piece: Rows, first: int, last: int, x: float) -> int:
    """Row of the piece first … last − 1 that holds x."""
    low, high = first + 1, last
    while low < high:
        middle = (low + high) // 2
        if piece[middle, Piece.X] <= x:
            low = middle + 1
        else:
            high = middle
    return low - 1


@kernel
def _ramp(x: float, start: float, end: float, switch: Ints, guard: Floats, index: int) -> float:
    if end == start:
        return np.nan
    share = (x - start) / (end - start)
    begun = decide(switch, guard, index, share)
    finished = decide(switch, guard, index + 1, share - 1.0)
    if finished:
        return 1.0
    return share if begun else 0.0


@kernel
def _compared(code: int, a: float, b: float, switch: Ints, guard: Floats, index: int) -> float:
    """min, max, < and > of two values."""
    if code == Op.MIN:
        return a if decide(switch, guard, index, b - a) else b
    if code == Op.MAX:
        return a if decide(switch, guard, index, a - b) else b
    if code == Op.LESS:
        return 1.0 if decide(switch, guard, index, b - a) else 0.0
    return 1.0 if decide(switch, guard, index, a - b) else 0.0


@kernel
def _of_one(code: int, x: float) -> float:
    if code == Op.NEGATIVE:
        return -x
    if code == Op.SIN:
        return np.sin(x)
    if code == Op.COS:
        return np.cos(x)
    if code == Op.TAN:
        return np.tan(x)
    if code == Op.ASIN:
        return np.arcsin(x)
    if code == Op.ACOS:
        return np.arccos(x)
    if code == Op.ATAN:
        return np.arctan(x)
    if code == Op.SQRT:
        return np.sqrt(x)
    if code == Op.EXP:
        return np.exp(x)
    return np.log(x)


@kernel
def _of_two(code: int, a: float, b: float) -> float:
    if code == Op.ADD:
        return a + b
    if code == Op.SUBTRACT:
        return a - b
    if code == Op.MULTIPLY:
        return a * b
    if code == Op.DIVIDE:
        return a / b if b != 0.0 else np.nan
    if code == Op.POWER:
        return a**b
    return np.arctan2(a, b)


@kernel
def _of_three(code: int, a: float, b: float, c: float) -> float:
    if code == Op.WHERE:
        return b if a != 0.0 else c
    if c == b:
        return np.nan
    s = min(max((a - b) / (c - b), 0.0), 1.0)
    return s * s * s * (10.0 + s * (6.0 * s - 15.0))


@kernel
def area(piece: Rows, first: int, last: int, x: float) -> float:
    """Integral of a curve from 0 to x."""
    return _area_from_start(piece, first, last, x) - _area_from_start(piece, first, last, 0.0)


@kernel
def _area_from_start(piece: Rows, first: int, last: int, x: float) -> float:
    """Integral from the first point to x, negative before it."""
    if x <= piece[first, Piece.X]:
        return _piece_area(piece, first, x - piece[first, Piece.X])
    total = 0.0
    for row in range(first + 1, last):
        end = piece[row + 1, Piece.X] if row + 1 < last else np.inf
        if x <= end:
            return total + _piece_area(piece, row, x - piece[row, Piece.X])
        total += _piece_area(piece, row, end - piece[row, Piece.X])
    return total


@kernel
def _piece_area(piece: Rows, row: int, s: float) -> float:
    c0, c1, c2, c3 = (
        piece[row, Piece.C0],
        piece[row, Piece.C1],
        piece[row, Piece.C2],
        piece[row, Piece.C3],
    )
    return s * (c0 + s * (c1 / 2.0 + s * (c2 / 3.0 + s * c3 / 4.0)))
