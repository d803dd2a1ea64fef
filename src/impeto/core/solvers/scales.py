"""What steps are held against: speeds of the bodies so far, and how far something may turn."""

from __future__ import annotations

from impeto.core.dynamics.columns import Coordinate
from impeto.core.dynamics.integration import Integration
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.state import motion_at
from impeto.core.dynamics.tables import TURNING
from impeto.core.geometry.arrays import Floats, Ints

LARGEST_TURN = 2.5  # rad in a step, so that revolutions are counted right


@kernel
def fastest_turn(coordinate: Ints, rate: Floats) -> float:
    """Largest rate [rad/s] among the turning coordinates."""
    fastest = 1e-300
    for c in range(coordinate.shape[0]):
        if coordinate[c, Coordinate.KIND] in TURNING:
            fastest = max(fastest, abs(rate[c]))
    return fastest


@kernel
def update_scale(state: Integration, n: int, size: float) -> None:
    """Largest speed and spin so far: what velocity errors are relative to."""
    speed, spin = state.scale[0], state.scale[1]
    for body in range(n):
        u, own = motion_at(n, body + 1), state.pace[body]
        for k in range(3):
            own = max(own, abs(state.y[u + k]), size * abs(state.y[u + 3 + k]))
        state.pace[body] = own
        speed = max(speed, own)
    state.scale[0] = speed
    state.scale[1] = max(spin, speed / size)
