"""Quick mode: free bodies that turn, by the implicit midpoint rule, which keeps their energy."""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Vector3

ROUNDS = 12  # of Newton's method
CLOSE = 1e-10  # of the angular momentum
RIGHT, UNKNOWN = 3, 4  # rows of the scratch behind the matrix


@kernel
def turned_on(J: Floats, w: Floats, rate: Floats, h: float, work: Floats) -> Vector3:
    """Angular velocity [rad/s] after h seconds of a body with inertia J (3, 3), body axes.

    w : (3,) now;  rate : (3,) its rate with the gyroscopic torque as it is now;  work : (14, 3)
    J (w⁺ − w) + h m × J m = h τ with m in the middle (Hairer, Lubich, Wanner 2006, VII.5). Where
    the step turns so far that no solution is found, the torque τ alone counts.
    """
    momentum = (dot(J[0], w), dot(J[1], w), dot(J[2], w))
    gyroscopic = cross(w, momentum)
    given = (
        h * (dot(J[0], rate) + gyroscopic[0]), h * (dot(J[1], rate) + gyroscopic[1]),
        h * (dot(J[2], rate) + gyroscopic[2]),
    )  # fmt: skip
    A, b, x = work[0:RIGHT], work[RIGHT], work[UNKNOWN]
    size = np.sqrt(dot(momentum, momentum)) + np.sqrt(dot(given, given))
    if size == 0.0:
        return 0.0, 0.0, 0.0
    for k in range(3):
        x[k] = w[k]
    for _ in range(ROUNDS):
        m = (0.5 * (x[0] + w[0]), 0.5 * (x[1] + w[1]), 0.5 * (x[2] + w[2]))
        p = (dot(J[0], m), dot(J[1], m), dot(J[2], m))
        twist = cross(m, p)
        off = 0.0
        for k in range(3):
            b[k] = dot(J[k], x) - momentum[k] + h * twist[k] - given[k]
            off = max(off, abs(b[k]))
        if off <= CLOSE * size:
            return x[0], x[1], x[2]
        for k in range(3):
            # Column k of [m]× J − [J m]×, half of it times h.
            column = cross(m, (J[0, k], J[1, k], J[2, k]))
            unit = (1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0, 1.0 if k == 2 else 0.0)
            other = cross(p, unit)
            for i in range(3):
                A[i, k] = J[i, k] + 0.5 * h * (column[i] - other[i])
        step = solved(A, b)
        for k in range(3):
            x[k] -= step[k]
    inverse = (given[0], given[1], given[2])
    for i in range(3):
        for k in range(3):
            A[i, k] = J[i, k]
    step = solved(A, inverse)
    return w[0] + step[0], w[1] + step[1], w[2] + step[2]


@kernel
def solved(A: Floats, b: Floats | Vector3) -> Vector3:
    """x of A x = b, three unknowns (Cramer)."""
    first, second, third = cross(A[1], A[2]), cross(A[2], A[0]), cross(A[0], A[1])
    size = dot(A[0], first)
    return (
        (first[0] * b[0] + second[0] * b[1] + third[0] * b[2]) / size,
        (first[1] * b[0] + second[1] * b[1] + third[1] * b[2]) / size,
        (first[2] * b[0] + second[2] * b[1] + third[2] * b[2]) / size,
    )
