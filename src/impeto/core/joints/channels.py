"""Channels of joints: coordinates, reactions, and what acts on the free motions."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from impeto.core.dynamics.channel import Channel, Floats, Once, vector
from impeto.core.dynamics.columns import Friction, Row, Stop
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import (
    ACROSS_PATH,
    ALONG,
    CARDAN_1,
    DISTANCE,
    DOT,
    M_FRICTION,
    M_SPRING,
    M_STOP,
    SLIDE,
    TRAVEL,
    TURN_A,
    TURN_B,
    WITH_PATH,
    X_FRICTIONS,
    X_STOPS,
)
from impeto.core.joints.columns import Spring
from impeto.core.joints.paths import axes_along, spline
from impeto.core.model.freedoms import FREEDOMS


def channels(r: Solution) -> Iterator[Channel]:
    for joint, data in enumerate(r.system.mechanism.joints):
        yield from _reactions(r, data.name, joint)
        for (owner, freedom), row in r.system.coordinates.items():
            if owner == joint:
                yield from _coordinate(r, data.name, freedom, row)


def joint_frames(r: Solution, joint: int) -> tuple[Floats, Floats]:
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


def row_axes(
    r: Solution, row: int, frames: tuple[Floats, Floats] | None = None
) -> tuple[Floats, bool]:
    """Direction (N, 3), world, in which a unit multiplier of a row acts on B; whether a torque.

    frames : of its joint over time, where they are known already
    """
    T = r.system.tables
    joint, kind, i, j, coordinate = T.row[row, :5]
    A, B = frames or joint_frames(r, joint)
    if kind == ALONG:
        kind, i = T.coordinate[coordinate, 1:3]
    if kind == SLIDE:
        return A[:, :, i], False
    if kind in (ACROSS_PATH, TRAVEL):
        along = path_axes(r, joint)
        which = {TRAVEL: 0}.get(int(kind), 1 + int(i))
        return np.einsum("tij,tj->ti", A, along[:, which]), False
    if kind == DOT:
        return -np.cross(A[:, :, i], B[:, :, j]), True
    if kind in (TURN_A, TURN_B):
        return (A if kind == TURN_A else B)[:, :, i], True
    if kind == DISTANCE:
        bodies, points = T.joint_body[joint], T.joint_point[joint]
        gap = r.point(bodies[1], points[1])[0] - r.point(bodies[0], points[0])[0]
        return gap / np.linalg.norm(gap, axis=1, keepdims=True), False
    if CARDAN_1 <= kind < CARDAN_1 + 3:
        return _cardan_axis(A, B, int(kind) - CARDAN_1), True
    twist = np.cross(A[:, :, 0], B[:, :, 1]) - np.cross(A[:, :, 1], B[:, :, 0])
    return -twist, True


def path_axes(r: Solution, joint: int) -> Floats:
    """(N, 3, 3) tangent, sideways and up of a path where it is followed, in the axes of A."""
    path = r.system.mechanism.joints[joint].path
    assert path is not None
    curve = spline(path.points, path.closed)
    s = r.coordinate[:, r.system.coordinates[joint, 0], 0]
    if path.closed:
        s = curve.x[0] + (s - curve.x[0]) % (curve.x[-1] - curve.x[0])
    return axes_along(curve, s)


def _with_path(r: Solution, row: int) -> tuple[Floats, Floats]:
    """Force and torque (N, 3), world, of a unit multiplier of a row that turns a body with a path:
    a torque, and the force along the path that the turning of its axes asks for."""
    T = r.system.tables
    joint, _, which, j = T.row[row, :4]
    A, B = joint_frames(r, joint)
    along = path_axes(r, joint)
    u, w = np.einsum("tij,tj->ti", A, along[:, which]), B[:, :, j]
    path = r.system.mechanism.joints[joint].path
    assert path is not None
    curve = spline(path.points, path.closed)
    s = r.coordinate[:, r.system.coordinates[joint, 0], 0]
    h = 1e-6 * float(curve.x[-1] - curve.x[0])
    span = float(curve.x[-1] - curve.x[0])
    ends = [curve.x[0] + (s + k * h - curve.x[0]) % span if path.closed else s + k * h
            for k in (1, -1)]  # fmt: skip
    slope = (axes_along(curve, ends[0]) - axes_along(curve, ends[1]))[:, which] / (2 * h)
    pace = np.linalg.norm(curve(ends[0], 1), axis=1)
    share = (np.einsum("tij,tj->ti", A, slope) * w).sum(axis=1) / pace
    tangent = np.einsum("tij,tj->ti", A, along[:, 0])
    return tangent * share[:, None], -np.cross(u, w)


def _cardan_axis(A: Floats, B: Floats, which: int) -> Floats:
    """Torque of a unit effort on one of three free turns: the dual of the turning axes."""
    x, z = A[:, :, 0], B[:, :, 2]
    n = np.cross(z, x)
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    axes = (x, n, z)
    first, second = axes[(which + 1) % 3], axes[(which + 2) % 3]
    dual = np.cross(first, second)
    return np.asarray(dual / (axes[which] * dual).sum(axis=1, keepdims=True))


def reaction(r: Solution, joint: int) -> tuple[Floats, Floats]:
    """Force and torque (N, 3), world, of A on B at frame B; drives and friction are not in it."""
    force, torque = np.zeros((len(r.time), 3)), np.zeros((len(r.time), 3))
    owner, frames = r.system.mechanism.joints[joint].name, joint_frames(r, joint)
    for row, name in enumerate(r.system.rows):
        if name.joint == joint and name.owner == owner and name.role in ("", "lock"):
            if r.system.tables.row[row, Row.KIND] == WITH_PATH:
                for total, share in zip((force, torque), _with_path(r, row), strict=True):
                    total += share * r.multiplier[:, row, None]
                continue
            axis, turning = row_axes(r, row, frames)
            (torque if turning else force)[:] += axis * r.multiplier[:, row, None]
    return force, torque


def _reactions(r: Solution, name: str, joint: int) -> Iterator[Channel]:
    pair = Once(lambda: reaction(r, joint))

    def local(which: int) -> Floats:
        return np.einsum("tij,ti->tj", joint_frames(r, joint)[0], pair()[which])

    yield from vector(f"{name}.force", "force", lambda: pair()[0])
    yield from vector(f"{name}.torque", "torque", lambda: pair()[1])
    yield from vector(f"{name}.force_local", "force", lambda: local(0), size=False)
    yield from vector(f"{name}.torque_local", "torque", lambda: local(1), size=False)


def _coordinate(r: Solution, joint: str, freedom: int, row: int) -> Iterator[Channel]:
    turning = freedom >= 3
    name = f"{joint}.{FREEDOMS[freedom].replace(' ', '_')}"
    kinds = ("length", "speed", "acceleration")
    if turning:
        kinds = ("angle", "angular speed", "angular acceleration")
    yield Channel(f"{name}.position", kinds[0], lambda: r.coordinate[:, row, 0])
    yield Channel(f"{name}.speed", kinds[1], lambda: r.coordinate[:, row, 1])
    yield Channel(f"{name}.acceleration", kinds[2], lambda: r.coordinate[:, row, 2])
    T, kind = r.system.tables, "torque" if turning else "force"
    springs, stops = (
        np.flatnonzero(T.spring[:, Spring.COORDINATE] == row),
        np.flatnonzero(T.stop[:, Stop.COORDINATE] == row),
    )
    own = (
        T.friction[:, Friction.ELEMENT] == r.system.elements[joint]
    )  # not those of brakes, motors and threads
    dry = np.flatnonzero((T.friction[:, Friction.COORDINATE] == row) & own)

    def total(group: int, indices: Any, read: Any = r.measure) -> Floats:
        return sum((read(group, int(i)) for i in indices), np.zeros(len(r.time)))

    if len(springs):
        yield Channel(f"{name}.effort", kind, lambda: total(M_SPRING, springs))
    if len(stops):
        yield Channel(f"{name}.stop", kind, lambda: total(M_STOP, stops))
        yield Channel(f"{name}.stop_loss", "energy", lambda: total(X_STOPS, stops, r.extra))
    if len(dry):
        yield Channel(f"{name}.friction", kind, lambda: total(M_FRICTION, dry))
        yield Channel(
            f"{name}.friction_loss",
            "energy",
            lambda: total(X_FRICTIONS, dry, r.extra),
        )
