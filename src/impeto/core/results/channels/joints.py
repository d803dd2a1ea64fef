"""Channels of joints: coordinates and reactions."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from impeto.core.mechanics.tables import DOT, SLIDE, TURN_A
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.results.channels.base import Channel, Floats, vector
from impeto.core.results.recording import Recording


def channels(r: Recording) -> Iterator[Channel]:
    for joint, data in enumerate(r.system.mechanism.joints):
        yield from _reactions(r, data.name, joint)
        for (owner, freedom), row in r.system.coordinates.items():
            if owner == joint:
                yield from _coordinate(r, data.name, freedom, row)


def joint_frames(r: Recording, joint: int) -> tuple[Floats, Floats]:
    """Axes of frame A and of frame B over time, (N, 3, 3) each, columns in the world."""
    T = r.system.tables
    a, b = T.joint_body[joint]
    axes = T.joint_axes[joint]
    return r.rotations[:, a] @ axes[0], r.rotations[:, b] @ axes[1]


def row_axes(r: Recording, row: int) -> tuple[Floats, bool]:
    """Direction (N, 3), world, in which a unit multiplier of a row acts on B; whether a torque."""
    joint, kind, i, j = r.system.tables.row[row]
    A, B = joint_frames(r, joint)
    if kind == SLIDE:
        return A[:, :, i], False
    if kind == DOT:
        return -np.cross(A[:, :, i], B[:, :, j]), True
    return (A if kind == TURN_A else B)[:, :, i], True


def reaction(r: Recording, joint: int) -> tuple[Floats, Floats]:
    """Force and torque (N, 3), world, of A on B at frame B; prescribed motions are not in it."""
    force, torque = np.zeros((len(r.time), 3)), np.zeros((len(r.time), 3))
    T = r.system.tables
    for row in np.flatnonzero((T.row[:, 0] == joint) & (T.row_motion < 0)):
        axis, turning = row_axes(r, int(row))
        (torque if turning else force)[:] += axis * r.multiplier[:, row, None]
    return force, torque


def _reactions(r: Recording, name: str, joint: int) -> Iterator[Channel]:
    pair = lru_cache(maxsize=1)(lambda: reaction(r, joint))

    def local(which: int) -> Floats:
        return np.einsum("tij,ti->tj", joint_frames(r, joint)[0], pair()[which])

    yield from vector(f"{name}.force", "force", lambda: pair()[0])
    yield from vector(f"{name}.torque", "torque", lambda: pair()[1])
    yield from vector(f"{name}.force_local", "force", lambda: local(0), size=False)
    yield from vector(f"{name}.torque_local", "torque", lambda: local(1), size=False)


def _coordinate(r: Recording, joint: str, freedom: int, row: int) -> Iterator[Channel]:
    turning = freedom >= 3
    name = f"{joint}.{FREEDOMS[freedom].replace(' ', '_')}"
    kinds = ("length", "speed", "acceleration")
    if turning:
        kinds = ("angle", "angular speed", "angular acceleration")
    yield Channel(f"{name}.position", kinds[0], lambda: r.coordinate[:, row, 0])
    yield Channel(f"{name}.speed", kinds[1], lambda: r.coordinate[:, row, 1])
    yield Channel(f"{name}.acceleration", kinds[2], lambda: coordinate_acceleration(r, row))
    T = r.system.tables
    acting = np.flatnonzero(T.behaviour == row)

    def effort() -> Floats:
        total = np.zeros(len(r.time))
        for stiffness, free, damping in T.behaviour_value[acting]:
            total -= stiffness * (r.coordinate[:, row, 0] - free)
            total -= damping * r.coordinate[:, row, 1]
        return total

    if len(acting):
        yield Channel(f"{name}.effort", "torque" if turning else "force", effort)


def coordinate_acceleration(r: Recording, row: int) -> Floats:
    """(N,) second derivative of a joint coordinate."""
    T = r.system.tables
    joint, kind, axis = T.coordinate[row, :3]
    a, b = T.joint_body[joint]
    A, B = joint_frames(r, joint)
    wa, wb = r.spins[:, a], r.spins[:, b]
    if kind != SLIDE:
        n, carrier = (A[:, :, axis], wa) if kind == TURN_A else (B[:, :, axis], wb)
        relative = r.spin_rates[:, b] - r.spin_rates[:, a]
        return (n * relative + np.cross(carrier, n) * (wb - wa)).sum(axis=1)
    e = A[:, :, axis]
    pa = r.point(a, T.joint_point[joint, 0])
    pb = r.point(b, T.joint_point[joint, 1])
    d, dv, da = (second - first for first, second in zip(pa, pb, strict=True))
    de = np.cross(wa, e)
    dde = np.cross(r.spin_rates[:, a], e) + np.cross(wa, de)
    return (e * da + 2 * de * dv + dde * d).sum(axis=1)
