"""What the rest of the house asks of a special joint, which locks something beside the freedoms.

A special joint is one file: which motions it leaves, its numbers, its rows, and what a multiplier
of such a row does, with one `Special` that names them. `kinds.py` lists all.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import JointData
from impeto.core.dynamics.solution import Solution
from impeto.core.geometry.arrays import Floats
from impeto.core.model.scope import Scope

# Force and torque (N, 3), world, on B at its frame; None for none of it.
Wrench = tuple[Floats | None, Floats | None]
Axes = tuple[Floats, Floats]  # of frame A and of frame B over time, (N, 3, 3) each


def _nothing(scope: Scope, joint: Any, apart: Floats) -> None:
    """No numbers."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Special:
    """
    motions : freedoms that are free in effect, from those that are written as free
    add : its rows and coordinates, for a joint of a number
    fields : those of a Joint that only it uses
    uncounted : freedoms that may be free and have no coordinate
    numbers : what JointData keeps as its own;  apart (3,) : from frame A to B as drawn, world [m]
    acting : by kind of row or coordinate, what a unit multiplier does;  (joint, I, J) of the row
    """

    motions: Callable[[tuple[str, ...]], tuple[str, ...]]
    add: Callable[[Layout, int, JointData], None]
    fields: tuple[str, ...] = ()
    uncounted: tuple[str, ...] = ()
    numbers: Callable[[Scope, Any, Floats], Any] = _nothing
    acting: Mapping[int, Callable[[Solution, int, int, int, Axes], Wrench]] = field(
        default_factory=dict
    )
