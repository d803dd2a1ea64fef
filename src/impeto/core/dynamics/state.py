"""How a state vector is laid out. This module alone knows.

First the poses of the moving bodies, each the position of the centre of mass [m] and a unit
quaternion (w x y z), then their speeds, each a velocity [m/s], world, and an angular velocity
[rad/s], body axes, then the extra states by the groups of `Tables.extra`. Accelerations, forces and
what else there is per body among the unknowns are laid out as speeds are.

n : number of moving bodies;  body : row of a body, the ground being 0
"""

from __future__ import annotations

from impeto.core.dynamics.kernel import kernel
from impeto.core.geometry.arrays import Floats

POSE, SPEED = 7, 6  # widths of a pose and of a speed
QUATERNION, SPIN = 3, 3  # where these begin within a pose and a speed
SIDE = SPEED  # width of one body's part of a Jacobian row, which has that of A, then that of B


@kernel
def pose_at(body: int) -> int:
    """Where the pose of a body begins."""
    return POSE * (body - 1)


@kernel
def motion_at(n: int, body: int) -> int:
    """Where the speed of a body begins."""
    return POSE * n + SPEED * (body - 1)


@kernel
def unknown_at(body: int) -> int:
    """Where a body begins among the unknowns: accelerations, impulses, right-hand sides."""
    return SPEED * (body - 1)


@kernel
def unknowns(n: int) -> int:
    """How many unknowns the bodies have; those of the constraints come behind."""
    return SPEED * n


@kernel
def speeds_at(n: int) -> int:
    """Where the speeds begin, behind all poses."""
    return POSE * n


@kernel
def extras_at(n: int) -> int:
    """Where the extra states begin, behind poses and speeds."""
    return (POSE + SPEED) * n


def all_poses(n: int) -> slice:
    """The poses of all bodies."""
    return slice(0, POSE * n)


def all_speeds(n: int) -> slice:
    """The speeds of all bodies."""
    return slice(POSE * n, (POSE + SPEED) * n)


def poses_of(states: Floats, n: int) -> Floats:
    """(..., n, 7) poses of the moving bodies out of states (..., S)."""
    return states[..., all_poses(n)].reshape(*states.shape[:-1], n, POSE)


def quaternion_of(body: int) -> slice:
    """The quaternion of a body in a state."""
    first = POSE * (body - 1) + QUATERNION
    return slice(first, first + POSE - QUATERNION)


def spin_of(n: int, body: int) -> slice:
    """The angular velocity of a body in a state, body axes."""
    first = POSE * n + SPEED * (body - 1) + SPIN
    return slice(first, first + SPEED - SPIN)


def all_bodies(n: int) -> slice:
    """Poses and speeds of all bodies."""
    return slice(0, (POSE + SPEED) * n)
