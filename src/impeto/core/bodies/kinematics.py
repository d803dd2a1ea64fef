"""Where bodies are and how they move, from the state."""

from __future__ import annotations

from impeto.core.dynamics.kernel import copy, inlined
from impeto.core.dynamics.state import motion_at, pose_at
from impeto.core.dynamics.tables import (
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import is_away, set_rotation, turn
from impeto.core.geometry.arrays import Floats


@inlined
def set_bodies(T: Tables, S: Workspace, y: Floats) -> None:
    """World position, rotation, velocity and spin of every moving body that is there."""
    n = T.mass.shape[0] - 1
    for body in range(1, n + 1):
        if is_away(T, S, body):
            continue
        p, u = pose_at(body), motion_at(n, body)
        copy(y[p : p + 3], S.x[body])
        set_rotation(y[p + 3 : p + 7], S.rotation[body])
        copy(y[u : u + 3], S.v[body])
        turn(S.rotation[body], y[u + 3 : u + 6], S.spin[body])
