"""Small vectors and rotations in kernels."""

from __future__ import annotations

from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.tables import (
    Tables,
    Workspace,
)
from impeto.core.geometry.arrays import Floats, Matrix3, Vector3


@kernel
def cross(a: Vector3, b: Vector3) -> tuple[float, float, float]:
    """a × b as a tuple."""
    return (
        a[1] * b[2] - a[2] * b[1],
        a[2] * b[0] - a[0] * b[2],
        a[0] * b[1] - a[1] * b[0],
    )


@kernel
def dot(a: Vector3, b: Vector3) -> float:
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@kernel
def turn(matrix: Matrix3, a: Vector3, out: Floats) -> None:
    """out = matrix · a"""
    for i in range(3):
        out[i] = matrix[i, 0] * a[0] + matrix[i, 1] * a[1] + matrix[i, 2] * a[2]


@kernel
def set_rotation(q: Floats, out: Matrix3) -> None:
    """Rotation matrix of a quaternion w x y z of any length, divided by its square."""
    w, x, y, z = q[0], q[1], q[2], q[Z]
    s = 2.0 / (w * w + x * x + y * y + z * z)
    out[0, 0] = 1.0 - s * (y * y + z * z)
    out[0, 1] = s * (x * y - w * z)
    out[0, 2] = s * (x * z + w * y)
    out[1, 0] = s * (x * y + w * z)
    out[1, 1] = 1.0 - s * (x * x + z * z)
    out[1, 2] = s * (y * z - w * x)
    out[2, 0] = s * (x * z - w * y)
    out[2, 1] = s * (y * z + w * x)
    out[2, 2] = 1.0 - s * (x * x + y * y)


@inlined
def is_away(T: Tables, S: Workspace, body: int) -> bool:
    """Whether a body has not come yet or has been taken away."""
    return T.body_on[body] >= 0 and S.on[T.body_on[body]] == 0.0


Z = 3  # of a quaternion w x y z
