"""How one frame moves against another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from impeto.core.geometry.arrays import Floats
from impeto.core.geometry.rotation import roll_pitch_yaw


@dataclass(frozen=True, eq=False, slots=True)
class Moving:
    """A frame over time, world: origin, its velocity and acceleration (N, 3), axes (N, 3, 3) in
    columns, angular velocity (N, 3)."""

    position: Floats
    velocity: Floats
    acceleration: Floats
    axes: Floats
    spin: Floats


def along(a: Moving, vectors: Floats) -> Floats:
    """(N, 3) vectors of the world along the axes of A."""
    return np.einsum("tij,ti->tj", a.axes, vectors)


def distance(a: Moving, b: Moving) -> Floats:
    """(N,) m between the origins."""
    return np.linalg.norm(b.position - a.position, axis=1)


def closing(a: Moving, b: Moving) -> Floats:
    """(N,) m/s at which the distance grows; that of the speed where it is zero."""
    gap, speed = b.position - a.position, b.velocity - a.velocity
    size = np.linalg.norm(gap, axis=1)
    grows = np.einsum("ti,ti->t", gap, speed)
    with np.errstate(all="ignore"):
        return np.where(size > 0.0, grows / size, np.linalg.norm(speed, axis=1))


def closing_rate(a: Moving, b: Moving) -> Floats:
    """(N,) m/s² by which that changes: d̈ = (|v|² + r·a − ḋ²) / d, not a number at zero."""
    gap, speed, change = (
        b.position - a.position, b.velocity - a.velocity, b.acceleration - a.acceleration,
    )  # fmt: skip
    size = np.linalg.norm(gap, axis=1)
    grows = closing(a, b)
    above = (speed**2).sum(axis=1) + np.einsum("ti,ti->t", gap, change) - grows**2
    with np.errstate(all="ignore"):
        return np.where(size > 0.0, above / size, np.nan)


def angle(a: Moving, b: Moving, axis_a: int, axis_b: int) -> Floats:
    """(N,) rad between two axes, 0 to π."""
    u, v = a.axes[:, :, axis_a], b.axes[:, :, axis_b]
    sine = np.linalg.norm(np.cross(u, v), axis=1)
    return np.arctan2(sine, np.einsum("ti,ti->t", u, v))


def turned(a: Moving, b: Moving) -> Floats:
    """(N, 3) roll, pitch and yaw [rad] of B in A, without jumps."""
    return np.unwrap(roll_pitch_yaw(np.einsum("tij,tik->tjk", a.axes, b.axes)), axis=0)


def wheel(a: Moving, b: Moving) -> Floats:
    """(N, 3) camber, toe and caster [rad] of B against A, x being forwards and z up in A.

    Camber and toe are of the y axis of B, as that of a wheel: camber above 0 where its left end is
    low, so that the wheel leans to the left; toe above 0 where the wheel points to the left. Caster
    is of the z axis of B, as that about which it is steered: above 0 where that leans backwards.
    """
    axle, pivot = along(a, b.axes[:, :, 1]), along(a, b.axes[:, :, 2])
    camber = np.arcsin(np.clip(-axle[:, 2], -1.0, 1.0))
    toe = np.arctan2(-axle[:, 0], axle[:, 1])
    caster = np.arctan2(-pivot[:, 0], pivot[:, 2])
    return np.column_stack([camber, toe, caster])
