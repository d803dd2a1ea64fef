"""Axes of the frames of joints over time."""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.solution import Solution
from impeto.core.geometry.arrays import Floats
from impeto.core.joints.special import Axes


def joint_frames(r: Solution, joint: int) -> Axes:
    """Axes of frame A and of frame B over time, (N, 3, 3) each, columns in the world."""
    T = r.system.tables
    (a, b), axes = T.joint_body[joint], T.joint_axes[joint]
    return _turned(r, int(a), axes[0]), _turned(r, int(b), axes[1])


def _turned(r: Solution, body: int, own: Floats) -> Floats:
    """(N, 3, 3) axes that are fixed to a body, own (3, 3) in it, to the world."""
    if body == 0:
        return np.broadcast_to(own, (len(r.time), 3, 3))
    flat = np.ascontiguousarray(r.rotation(body)).reshape(-1, 3)  # one product, not N small ones
    return np.asarray(flat @ own).reshape(-1, 3, 3)
