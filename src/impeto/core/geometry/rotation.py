"""Rotations at the edge of the core; inside the kernels they are unit quaternions (w, x, y, z).

SciPy's come when they are asked for: they take half a second to load, which the first picture of a
window would wait for.
"""

from __future__ import annotations

import numpy as np

from impeto.core.geometry.arrays import Floats

Quaternion = tuple[float, float, float, float]
UPRIGHT = 1e-12  # cosine of the pitch from where yaw is not told from roll any more


def from_roll_pitch_yaw(angles: Floats) -> Floats:
    """Matrix (3, 3) of roll about x, then pitch about y, then yaw about z, fixed axes [rad]."""
    roll, pitch, yaw = (0.5 * float(angle) for angle in angles)
    q = np.sin(roll), 0.0, 0.0, np.cos(roll)
    q = _after((0.0, np.sin(pitch), 0.0, np.cos(pitch)), q)
    x, y, z, w = _after((0.0, 0.0, np.sin(yaw), np.cos(yaw)), q)
    return np.array(
        [
            [x * x - y * y - z * z + w * w, 2.0 * (x * y - z * w), 2.0 * (x * z + y * w)],
            [2.0 * (x * y + z * w), -x * x + y * y - z * z + w * w, 2.0 * (y * z - x * w)],
            [2.0 * (x * z - y * w), 2.0 * (y * z + x * w), -x * x - y * y + z * z + w * w],
        ]
    )


def _after(p: Quaternion, q: Quaternion) -> Quaternion:
    """Product p q of quaternions (x, y, z, w): the turn q, then p (Shuster 1993)."""
    (a, b, c, d), (x, y, z, w) = p, q
    return (
        d * x + w * a + (b * z - c * y),
        d * y + w * b + (c * x - a * z),
        d * z + w * c + (a * y - b * x),
        d * w - a * x - b * y - c * z,
    )


def roll_pitch_yaw(matrices: Floats) -> Floats:
    """Angles [rad] of (..., 3, 3) matrices; pitch within ±90°, roll and yaw within ±180°.

    At ±90° of pitch only a sum of roll and yaw is determined: yaw is 0 there. Near it yaw may be
    rounding; roll then follows from it, so that the three always give the matrix back.
    """
    m = matrices
    level = np.hypot(m[..., 0, 0], m[..., 1, 0])
    pitch = np.arctan2(-m[..., 2, 0], level)
    yaw = np.where(level < UPRIGHT, 0.0, np.arctan2(m[..., 1, 0], m[..., 0, 0]))
    s, c = np.sin(yaw), np.cos(yaw)
    sine = s * m[..., 0, 2] - c * m[..., 1, 2]
    roll = np.arctan2(sine, c * m[..., 1, 1] - s * m[..., 0, 1])
    return np.stack([roll, pitch, yaw], axis=-1)


def to_quaternion(matrix: Floats) -> Floats:
    """(w, x, y, z) of a rotation matrix, w ≥ 0."""
    from scipy.spatial.transform import Rotation

    return np.asarray(Rotation.from_matrix(matrix).as_quat(canonical=True, scalar_first=True))


def from_quaternion(q: Floats) -> Floats:
    """(..., 3, 3) matrices of (..., 4) quaternions (w, x, y, z) of any length."""
    w, x, y, z = np.ascontiguousarray(np.moveaxis(q, -1, 0))
    twice = 2.0 / (w * w + x * x + y * y + z * z)
    turned = np.empty((*w.shape, 3, 3))
    for i, j, (a, b, c) in ((0, 1, (x, y, z)), (1, 2, (y, z, x)), (2, 0, (z, x, y))):
        turned[..., i, i] = 1.0 - twice * (b * b + c * c)
        turned[..., i, j] = twice * (a * b - w * c)
        turned[..., j, i] = twice * (a * b + w * c)
    return turned


def from_rotation_vector(vector: Floats) -> Floats:
    """Matrix of a turn by |vector| [rad] about its direction."""
    from scipy.spatial.transform import Rotation

    return np.asarray(Rotation.from_rotvec(vector).as_matrix())


def least_turn(a: Floats, b: Floats) -> Floats:
    """(3, 3) the least rotation that takes a unit vector to another."""
    axis, cosine = np.cross(a, b), float(a @ b)
    sine = float(np.linalg.norm(axis))
    if sine < 1e-15:
        if cosine > 0.0:
            return np.eye(3)
        axis = np.cross(a, np.eye(3)[int(np.argmin(np.abs(a)))])
        return from_rotation_vector(np.pi * axis / np.linalg.norm(axis))
    return from_rotation_vector(np.arctan2(sine, cosine) * axis / sine)


def cross_matrix(w: Floats) -> Floats:
    """(3, 3) matrix of w × ."""
    return np.array([[0.0, -w[2], w[1]], [w[2], 0.0, -w[0]], [-w[1], w[0], 0.0]])
