"""Rotations at the edge of the core; inside the kernels they are unit quaternions (w, x, y, z)."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.spatial.transform import Rotation

Floats = npt.NDArray[np.float64]


def from_roll_pitch_yaw(angles: Floats) -> Floats:
    """Matrix (3, 3) of roll about x, then pitch about y, then yaw about z, fixed axes [rad]."""
    return np.asarray(Rotation.from_euler("xyz", angles).as_matrix(), dtype=float)


def roll_pitch_yaw(matrices: Floats) -> Floats:
    """Angles [rad] of (..., 3, 3) matrices; pitch within ±90°, roll and yaw within ±180°."""
    pitch = np.arcsin(np.clip(-matrices[..., 2, 0], -1.0, 1.0))
    roll = np.arctan2(matrices[..., 2, 1], matrices[..., 2, 2])
    yaw = np.arctan2(matrices[..., 1, 0], matrices[..., 0, 0])
    return np.stack([roll, pitch, yaw], axis=-1)


def to_quaternion(matrix: Floats) -> Floats:
    """(w, x, y, z) of a rotation matrix, w ≥ 0."""
    return np.asarray(Rotation.from_matrix(matrix).as_quat(canonical=True, scalar_first=True))


def from_quaternion(q: Floats) -> Floats:
    """(..., 3, 3) matrices of (..., 4) quaternions (w, x, y, z) of any length."""
    q = q / np.linalg.norm(q, axis=-1, keepdims=True)
    w, x, y, z = np.moveaxis(q, -1, 0)
    rows = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
        [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
        [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
    ]
    return np.stack([np.stack(row, axis=-1) for row in rows], axis=-2)


def from_rotation_vector(vector: Floats) -> Floats:
    """Matrix of a turn by |vector| [rad] about its direction."""
    return np.asarray(Rotation.from_rotvec(vector).as_matrix())
