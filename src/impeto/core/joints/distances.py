"""Joints that keep the origins of their frames at a fixed distance, as a rod with two balls does.

Row: |d|, with d from A to B, and its rate d/|d| · (velocity of B − velocity of A).
"""

from __future__ import annotations

from typing import Any

import numpy as np

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import JointData
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import DISTANCE
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.errors import ModelError
from impeto.core.geometry.arrays import Floats, Rows, Vector3
from impeto.core.joints.locking import add_freedoms
from impeto.core.joints.special import Axes, Special, Wrench
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.scope import Scope

TITLE = "fixed distance"


def distance(scope: Scope, joint: Any, apart: Floats) -> float:
    """The distance [m]: as written, else as drawn; ModelError for none."""
    found = float(np.linalg.norm(apart))
    if joint.distance is not None:
        found = scope.field(joint, "distance", "length")
    if found < 1e-9:
        raise ModelError(
            "the distance must be greater than zero",
            element=joint.name,
            field="distance",
            remedy="Choose frames that are apart, or a spherical joint",
        )
    return found


def add_distance(layout: Layout, joint: int, data: JointData) -> None:
    """Coordinates of all freedoms, and the row of the distance."""
    add_freedoms(layout, joint, data)
    name, element = RowName(data.name, TITLE, joint), layout.element(data.name)
    target = (data.own, 0.0)
    layout.add_row(name, (joint, DISTANCE, 0, 0), 1.0, element=element, target=target)


@kernel
def distance_row(
    d: Vector3, rate: Vector3, arm: Rows, wa: Vector3, wb: Vector3, out: Floats
) -> tuple[float, float]:
    """Factors (world) into out (12,); bias and value of the row."""
    length = np.sqrt(dot(d, d))
    u = (d[0] / length, d[1] / length, d[2] / length)
    turn_a, turn_b = cross(arm[0], u), cross(arm[1], u)
    for k in range(3):
        out[k], out[3 + k], out[6 + k], out[9 + k] = -u[k], -turn_a[k], u[k], turn_b[k]
    along = dot(u, rate)
    bias = (dot(rate, rate) - along * along) / length
    bias += dot(u, cross(wb, cross(wb, arm[1])))
    return bias - dot(u, cross(wa, cross(wa, arm[0]))), length


def _acting(r: Solution, joint: int, _i: int, _j: int, _frames: Axes) -> Wrench:
    """A force from A to B."""
    bodies, points = r.system.tables.joint_body[joint], r.system.tables.joint_point[joint]
    gap = r.point(bodies[1], points[1])[0] - r.point(bodies[0], points[0])[0]
    return gap / np.linalg.norm(gap, axis=1, keepdims=True), None


FIXED_DISTANCE = Special(
    motions=lambda _free: FREEDOMS,
    add=add_distance,
    fields=("distance",),
    numbers=distance,
    acting={DISTANCE: _acting},
)
