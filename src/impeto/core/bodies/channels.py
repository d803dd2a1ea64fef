"""Channels of bodies and of frames on them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

import numpy as np

from impeto.core.dynamics.channel import Channel, Floats, Once, component, vector
from impeto.core.dynamics.mechanism import FrameData
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.state import pose_at
from impeto.core.geometry.rotation import roll_pitch_yaw


def channels(r: Solution) -> Iterator[Channel]:
    m = r.system.mechanism
    for row, body in enumerate(m.bodies):
        if row:
            always = r.system.tables.body_on[row] < 0 or r.present[:, row].all()
            for channel in _body(r, body.name, row):
                yield channel if always else _shown(r, row, channel)
    for frame in m.frames:
        offset = frame.position - m.bodies[frame.body].center
        if not frame.body:  # the ground is not among the bodies of the state
            offset = m.bodies[0].position + m.bodies[0].rotation @ frame.position
        yield from _point(r, frame.name, frame.body, offset)
        yield from _turned(frame.name, partial(_axes, r, frame))


def _body(r: Solution, name: str, row: int) -> Iterator[Channel]:
    yield from _point(r, name, row, r.system.tables.origin[row])
    yield from _point(r, f"{name}.center", row, np.zeros(3))
    yield from vector(f"{name}.angular_velocity", "angular speed", lambda: r.spin(row))
    yield from vector(
        f"{name}.angular_acceleration", "angular acceleration", lambda: r.spin_rates[:, row]
    )
    yield from _local(r, f"{name}.velocity_local", "speed", row, lambda: r.velocities[:, row])
    yield from _local(
        r, f"{name}.acceleration_local", "acceleration", row, lambda: r.accelerations[:, row]
    )
    yield from _local(
        r, f"{name}.angular_velocity_local", "angular speed", row, lambda: r.spin(row)
    )
    yield from _orientation(r, name, row)
    yield Channel(f"{name}.energy.kinetic", "energy", lambda: kinetic(r, row))
    yield Channel(f"{name}.energy.potential", "energy", lambda: potential(r, row))


def _shown(r: Solution, row: int, channel: Channel) -> Channel:
    """A channel of a body that comes or goes: not a number while it is not there."""
    return Channel(channel.name, channel.kind, lambda: r.while_present(row, channel.values))


def _local(
    r: Solution, name: str, kind: str, row: int, world: Callable[[], Floats]
) -> Iterator[Channel]:
    """A quantity of the centre of mass in the body's axes."""

    def turned() -> Floats:
        return np.einsum("tij,ti->tj", r.rotation(row), world())

    return vector(name, kind, turned, size=False)


def _orientation(r: Solution, name: str, row: int) -> Iterator[Channel]:
    def quaternions() -> Floats:
        start = pose_at(row) + 3
        return r.state[:, start : start + 4]

    for k, letter in enumerate("wxyz"):
        yield component(f"{name}.quaternion.{letter}", "number", quaternions, k)

    yield from _turned(name, lambda: r.rotation(row))


def _axes(r: Solution, frame: FrameData) -> Floats:
    """(N, 3, 3) axes of a frame, world."""
    rotation = frame.rotation
    if not frame.body:
        rotation = r.system.mechanism.bodies[0].rotation @ rotation
    return np.asarray(r.rotation(frame.body) @ rotation)


def _turned(name: str, rotations: Callable[[], Floats]) -> Iterator[Channel]:
    """Angles and matrix of axes (N, 3, 3) over the world."""
    shared = Once(rotations)
    angles = Once(lambda: np.unwrap(roll_pitch_yaw(shared()), axis=0))
    for k, angle in enumerate(("roll", "pitch", "yaw")):
        yield component(f"{name}.{angle}", "angle", angles, k)
    for k in range(9):
        pair = "xyz"[k // 3] + "xyz"[k % 3]
        yield component(f"{name}.rotation.{pair}", "number", lambda: shared().reshape(-1, 9), k)


def _point(r: Solution, name: str, body: int, offset: Floats) -> Iterator[Channel]:
    yield from vector(f"{name}.position", "length", lambda: r.point(body, offset)[0], size=False)
    yield from vector(f"{name}.velocity", "speed", lambda: r.point(body, offset)[1])
    yield from vector(f"{name}.acceleration", "acceleration", lambda: r.point(body, offset)[2])
    yield from vector(f"{name}.jerk", "jerk", lambda: r.rate(r.point(body, offset)[2]))


def kinetic(r: Solution, body: int) -> Floats:
    """(N,) J"""
    T = r.system.tables
    local = np.einsum("tij,ti->tj", r.rotation(body), r.spin(body))
    spin = np.einsum("ti,ij,tj->t", local, T.inertia[body], local)
    return 0.5 * (T.mass[body] * (r.velocities[:, body] ** 2).sum(axis=1) + spin)


def potential(r: Solution, body: int) -> Floats:
    """(N,) J, zero with the centre of mass at the world's origin, and while it is not there."""
    T = r.system.tables
    return -T.mass[body] * (r.centers[:, body] @ T.gravity) * r.present[:, body]
