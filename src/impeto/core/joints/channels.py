"""Channels of joints: coordinates, reactions, and what acts on the free motions."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from impeto.core.dynamics.channel import Channel, Floats, Once, vector
from impeto.core.dynamics.columns import Friction, Stop
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import (
    ALONG,
    CARDAN_1,
    DOT,
    M_FRICTION,
    M_SPRING,
    M_STOP,
    SLIDE,
    TURN_A,
    TURN_B,
    X_FRICTIONS,
    X_STOPS,
)
from impeto.core.joints.columns import Spring
from impeto.core.joints.frames import joint_frames
from impeto.core.joints.kinds import ACTING
from impeto.core.joints.special import Axes, Wrench
from impeto.core.model.freedoms import FREEDOMS


def channels(r: Solution) -> Iterator[Channel]:
    for joint, data in enumerate(r.system.mechanism.joints):
        yield from _reactions(r, data.name, joint)
        for (owner, freedom), row in r.system.coordinates.items():
            if owner == joint:
                yield from _coordinate(r, data.name, freedom, row)


def unit_wrench(r: Solution, row: int, frames: Axes) -> Wrench:
    """Force and torque (N, 3), world, of a unit multiplier of a row on B.

    frames : of its joint over time
    """
    T = r.system.tables
    joint, kind, i, j, coordinate = T.row[row, :5]
    A, B = frames
    if kind == ALONG:
        kind, i = T.coordinate[coordinate, 1:3]
    if int(kind) in ACTING:
        return ACTING[int(kind)](r, int(joint), int(i), int(j), frames)
    if kind == SLIDE:
        return A[:, :, i], None
    if kind == DOT:
        return None, -np.cross(A[:, :, i], B[:, :, j])
    if kind in (TURN_A, TURN_B):
        return None, (A if kind == TURN_A else B)[:, :, i]
    return None, _cardan_axis(A, B, int(kind) - CARDAN_1)


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
    totals = np.zeros((len(r.time), 3)), np.zeros((len(r.time), 3))
    owner, frames = r.system.mechanism.joints[joint].name, joint_frames(r, joint)
    for row, name in enumerate(r.system.rows):
        if name.joint == joint and name.owner == owner and name.role in ("", "lock"):
            for total, share in zip(totals, unit_wrench(r, row, frames), strict=True):
                if share is not None:
                    total += share * r.multiplier[:, row, None]
    return totals


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
