"""Load cycles by rainflow counting, and the load of one amplitude that does as much damage."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
HALF, WHOLE = 0.5, 1.0


@dataclass(frozen=True, slots=True)
class Cycles:
    """ranges, means, counts : (N,) of each cycle or half cycle, in the order of their counting"""

    ranges: Floats
    means: Floats
    counts: Floats

    @property
    def total(self) -> float:
        return float(self.counts.sum())


def reversals(values: Floats) -> Floats:
    """The first value, all turning points, the last value; what repeats a value is left out."""
    kept = values[np.concatenate([[True], np.diff(values) != 0.0])]
    if len(kept) < 3:
        return np.asarray(kept)
    slope = np.sign(np.diff(kept))
    turns = np.flatnonzero(slope[1:] != slope[:-1]) + 1
    return np.asarray(kept[np.concatenate([[0], turns, [len(kept) - 1]])])


def rainflow(values: Floats) -> Cycles:
    """Cycles of a load history (N,) by rainflow counting (ASTM E1049-85, 5.4.4)."""
    found: list[tuple[float, float, float]] = []
    stack: list[float] = []
    for value in reversals(values).tolist():
        stack.append(value)
        while len(stack) >= 3:
            last, before = abs(stack[-1] - stack[-2]), abs(stack[-2] - stack[-3])
            if last < before:
                break
            middle = 0.5 * (stack[-2] + stack[-3])
            if len(stack) == 3:  # it begins at the start of the history: half a cycle
                found.append((before, middle, HALF))
                stack.pop(0)
            else:
                found.append((before, middle, WHOLE))
                del stack[-3:-1]
    for a, b in pairwise(stack):
        found.append((abs(b - a), 0.5 * (a + b), HALF))
    ranges, means, counts = np.array(found).reshape(-1, 3).T
    return Cycles(ranges, means, counts)


def equivalent_load(values: Floats, cycles: float, exponent: float) -> float:
    """The range of a load that does the damage of a history in so many cycles, where lives go with
    the power −exponent of the range (Basquin 1910) and damage adds up (Miner 1945)."""
    counted = rainflow(values)
    damage = float((counted.counts * counted.ranges**exponent).sum())
    return float((damage / cycles) ** (1.0 / exponent))
