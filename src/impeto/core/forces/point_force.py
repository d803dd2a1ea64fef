"""What the rest of the house asks of a kind of force between points.

A kind is one file: what the user writes, its numbers, its rows in the arrays, what it does in a
step, and what can be read afterwards, with one `PointForce` that names them. `kinds.py` lists all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np

from impeto.core.bodies.compilation import Compilation
from impeto.core.dynamics.channel import Channel
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.geometry.arrays import Floats
from impeto.core.model.formula import Node

Wrenches = Iterator[tuple[str, Floats]]


class ImplicitRows(Protocol):
    """Rows along which forces are taken at the end of a step, by `solvers/implicit_forces.py`.

    stiffness, damping : (K,) slopes over position and over speed;  damped : (K,) effort of dampers
    """

    stiffness: Floats
    damping: Floats
    damped: Floats

    def put(self, S: Workspace, index: int, body: int, force: Floats, torque: Floats) -> None:
        """What an effort of one along a row does to a body: about its centre, world."""


class Implicit(Protocol):
    """How a kind is taken in quick mode.

    width : rows of one element;  count : elements
    """

    width: int
    count: int

    def fill(self, rows: ImplicitRows, T: Tables, S: Workspace, index: int, element: int) -> None:
        """Fill the rows from `index` on for one element."""

    def book(self, T: Tables, power: Floats, given: Floats, lost: Floats) -> None:
        """Powers of the step into the extra states' rates (from the first extra state on).

        given : (rows,) efforts of dampers at the end of the step;  lost : (rows,) what they take
        """


@dataclass(frozen=True, slots=True, kw_only=True)
class PointForce:
    """
    numbers : class of its numbers, by which a mechanism has them
    compiled : numbers of all elements of the kind that take part
    arrays : its fields of `Tables`; programs : row of the program of each element's signal
    signal : the formula that gives its size, where it follows one
    lost, given : groups of extra states, one of each for an element: energy that it takes out, that
        it puts in;  works : groups that are either, by element
    measured : how many values of an element are recorded, by group
    acting : wrenches (6,) on a body about its centre of mass, world, at a recorded instant
    """

    numbers: type
    compiled: Callable[[Compilation], tuple[Any, ...]]
    arrays: Callable[[Layout, Mapping[str, int]], dict[str, Any]]
    channels: Callable[[Solution, int, Any], Iterator[Channel]]
    acting: Callable[[Solution, int, int], Wrenches]
    signal: Callable[[Any], Node] | None = None
    lost: tuple[int, ...] = ()
    given: tuple[int, ...] = ()
    works: tuple[int, ...] = ()
    measured: Mapping[int, int] = field(default_factory=dict)
    implicit: Callable[[Tables], Implicit] | None = None


def about(center: Floats, point: Floats, force: Floats) -> Floats:
    """(6,) a force at a point, and its torque about a centre."""
    return np.concatenate([force, np.cross(point - center, force)])
