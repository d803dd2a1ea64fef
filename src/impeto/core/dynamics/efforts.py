"""Efforts along coordinates, and forces at points, added to what acts on bodies."""

from __future__ import annotations

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.state import SIDE
from impeto.core.dynamics.vectors import cross
from impeto.core.geometry.arrays import Floats, Ints, Rows, Vector3


@kernel
def push(wrench: Rows, bodies: Ints, unit: Floats, effort: float) -> None:
    """Add an effort along a coordinate with Jacobian unit (12,), world, to both bodies."""
    for side in range(2):
        body = bodies[side]
        for k in range(6):
            wrench[body, k] += effort * unit[SIDE * side + k]


@kernel
def add_force(wrench: Floats, arm: Vector3, force: Vector3, sign: float) -> None:
    """A force at a lever arm from the centre of mass, added to that body's wrench (6,)."""
    moment = cross(arm, force)
    for k in range(3):
        wrench[k] += sign * force[k]
        wrench[3 + k] += sign * moment[k]
