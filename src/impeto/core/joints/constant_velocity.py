"""Joints of two shafts that bend and turn equally fast about their z axes.

Row: x_A·y_B − y_A·x_B, the sum of two products of axes.
"""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import JointData
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import TWIST
from impeto.core.dynamics.vectors import dot
from impeto.core.geometry.arrays import Floats, Vector3
from impeto.core.joints.locking import add_slides
from impeto.core.joints.rows import dot_row
from impeto.core.joints.special import Axes, Special, Wrench
from impeto.core.model.freedoms import SLIDES, TURNS

TITLE = "constant velocity"


def add_twist(layout: Layout, joint: int, data: JointData) -> None:
    """The slides, and the row that keeps the speeds equal."""
    add_slides(layout, joint, data)
    name, element = RowName(data.name, "turn z", joint), layout.element(data.name)
    layout.add_row(name, (joint, TWIST, 0, 0), layout.size, element=element)


@kernel
def twist_row(axes: Floats, wa: Vector3, wb: Vector3, out: Floats) -> tuple[float, float]:
    """Factors (world) into out (12,); bias and value of the row.  axes : (2, 3, 3) of A and B"""
    A, B = axes[0], axes[1]
    out[:] = 0.0
    bias = dot_row(A[:, 0], B[:, 1], wa, wb, 1.0, out)
    bias += dot_row(A[:, 1], B[:, 0], wa, wb, -1.0, out)
    return bias, dot(A[:, 0], B[:, 1]) - dot(A[:, 1], B[:, 0])


def _acting(_r: Solution, _joint: int, _i: int, _j: int, frames: Axes) -> Wrench:
    A, B = frames
    twist = np.cross(A[:, :, 0], B[:, :, 1]) - np.cross(A[:, :, 1], B[:, :, 0])
    return None, -twist


CONSTANT_VELOCITY = Special(
    motions=lambda free: (*(f for f in free if f in SLIDES), "turn x", "turn y"),
    add=add_twist,
    uncounted=TURNS,
    acting={TWIST: _acting},
)
