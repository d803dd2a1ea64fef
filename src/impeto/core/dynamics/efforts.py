"""Efforts along coordinates."""

from __future__ import annotations

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.state import SIDE
from impeto.core.geometry.arrays import Floats, Ints, Rows


@kernel
def push(wrench: Rows, bodies: Ints, unit: Floats, effort: float) -> None:
    """Add an effort along a coordinate with Jacobian unit (12,), world, to both bodies."""
    for side in range(2):
        body = bodies[side]
        for k in range(6):
            wrench[body, k] += effort * unit[SIDE * side + k]
