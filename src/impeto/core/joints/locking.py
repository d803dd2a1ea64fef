"""Rows of the freedoms that a joint locks, coordinates of those that it leaves."""

from __future__ import annotations

from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import JointData
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.tables import (
    CARDAN_1,
    CARDAN_2,
    CARDAN_3,
    DOT,
    SLIDE,
    TURN_A,
    TURN_B,
)
from impeto.core.joints.special import Special
from impeto.core.model.freedoms import FREEDOMS


def add_slides(layout: Layout, joint: int, data: JointData) -> None:
    """Of the slides along the axes of A."""
    element = layout.element(data.name)
    for axis in range(3):
        if data.free[axis]:
            layout.add_coordinate(joint, axis, (SLIDE, axis, 0, 0, 0))
        else:
            name = RowName(data.name, FREEDOMS[axis], joint)
            layout.add_row(name, (joint, SLIDE, axis, 0), 1.0, element=element)


def add_turns(layout: Layout, joint: int, data: JointData) -> None:
    """Of the turns, by how many are free."""
    element = layout.element(data.name)
    free = [axis for axis in range(3) if data.free[3 + axis]]
    locked = [axis for axis in range(3) if not data.free[3 + axis]]

    def lock(freedom: int, i: int, j: int) -> None:
        name = RowName(data.name, FREEDOMS[3 + freedom], joint)
        layout.add_row(name, (joint, DOT, i, j), layout.size, element=element)

    if len(free) == 3:
        for axis, kind in enumerate((CARDAN_1, CARDAN_2, CARDAN_3)):
            layout.add_coordinate(joint, 3 + axis, (kind, axis, 0, 0, 1))
    elif len(free) == 2:
        i, j, k = (*free, *locked)
        sign = 1 if (i, j, k) in ((0, 1, 2), (1, 2, 0)) else -1
        lock(k, i, j)
        layout.add_coordinate(joint, 3 + i, (TURN_A, i, j, k, sign))
        layout.add_coordinate(joint, 3 + j, (TURN_B, j, i, k, sign))
    elif len(free) == 1:
        k = free[0]
        i, j = (k + 1) % 3, (k + 2) % 3
        # x_A·z_B changes with a turn about y, so each row carries the name of the other axis.
        lock(j, i, k)
        lock(i, j, k)
        layout.add_coordinate(joint, 3 + k, (TURN_A, k, i, j, 1))
    else:
        for axis, (i, j) in enumerate(((1, 2), (0, 2), (0, 1))):
            lock(axis, i, j)


def add_freedoms(layout: Layout, joint: int, data: JointData) -> None:
    """Of all six."""
    add_slides(layout, joint, data)
    add_turns(layout, joint, data)


PLAIN = Special(motions=lambda free: free, add=add_freedoms)
