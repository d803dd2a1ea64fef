"""Channels of springs, dampers, loads and drives."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache

import numpy as np

from impeto.core.mechanics.mechanism import DriveData, LinkData, LoadData
from impeto.core.model.formula import Apply, Name, Node, Number
from impeto.core.model.functions import FUNCTIONS
from impeto.core.results.channels.base import Channel, Compute, Floats, strain, vector
from impeto.core.results.recording import Recording


def channels(r: Recording) -> Iterator[Channel]:
    m = r.system.mechanism
    for index, link in enumerate(m.links):
        yield from _link(r, index, link)
    for index, load in enumerate(m.loads):
        yield from _load(r, index, load)
    for index, drive in enumerate(m.drives):
        yield from _drive(r, index, drive)


def signal_values(r: Recording, node: Node) -> Floats:
    """(N,) values of a signal over time, from the channels that it refers to."""
    values = _values(node, lambda path: r.time if path == "t" else r[path])
    return np.broadcast_to(values, r.time.shape)


def _values(node: Node, scope: Callable[[str], Floats]) -> Floats:
    """A formula without dimensions: they were held against each other on resolving."""
    if isinstance(node, Number):
        return np.array(node.value)
    if isinstance(node, Name):
        return scope(node.path)
    assert isinstance(node, Apply)
    arguments = [_values(argument, scope) for argument in node.arguments]
    with np.errstate(all="ignore"):
        return np.asarray(FUNCTIONS[node.function].compute(*arguments), dtype=float)


def _link(r: Recording, index: int, link: LinkData) -> Iterator[Channel]:
    T, name = r.system.tables, link.name

    @lru_cache(maxsize=1)
    def motion() -> tuple[Floats, Floats]:
        a, b = T.link[index]
        pa, va, _ = r.point(a, T.link_point[index, 0])
        pb, vb, _ = r.point(b, T.link_point[index, 1])
        length = np.linalg.norm(pb - pa, axis=1)
        return length, ((pb - pa) * (vb - va)).sum(axis=1) / length

    def stretch() -> Floats:
        return motion()[0] - link.free_length

    yield Channel(f"{name}.length", "length", lambda: motion()[0])
    yield Channel(f"{name}.rate", "speed", lambda: motion()[1])
    if link.is_spring:
        k, pull = link.stiffness, link.preload
        yield Channel(f"{name}.force", "force", lambda: pull + k * stretch())
        yield Channel(f"{name}.energy", "energy", lambda: strain(k, pull, stretch()))
    else:
        c = link.damping
        yield Channel(f"{name}.force", "force", lambda: c * motion()[1])
        yield Channel(f"{name}.power", "power", lambda: c * motion()[1] ** 2)
        yield Channel(f"{name}.dissipated", "energy", lambda: r.extra(int(T.extra[3]) + index))


def _load(r: Recording, index: int, load: LoadData) -> Iterator[Channel]:
    quantity = "torque" if load.is_torque else "force"
    body = r.system.mechanism.frames[load.frame].body

    def size() -> Floats:
        return signal_values(r, load.value)

    def acting() -> Floats:
        if load.follows:
            return (r.rotations[:, body] @ load.direction) * size()[:, None]
        return load.direction * size()[:, None]

    yield from vector(f"{load.name}.{quantity}", quantity, acting)
    yield Channel(f"{load.name}.value", quantity, size)
    first = int(r.system.tables.extra[0])
    yield Channel(f"{load.name}.work", "energy", lambda: r.extra(first + index))


def _drive(r: Recording, index: int, drive: DriveData) -> Iterator[Channel]:
    T, system, name = r.system.tables, r.system, drive.name
    row = system.coordinates[drive.joint, drive.freedom]
    turning = drive.freedom >= 3
    effort: Compute
    if index in system.motions:
        motion = system.motions.index(index)
        constraint = int(np.flatnonzero(T.row_motion == motion)[0])
        work = int(T.extra[2]) + motion

        def effort() -> Floats:
            return r.multiplier[:, constraint]
    else:
        work = int(T.extra[1]) + system.efforts.index(index)

        def effort() -> Floats:
            return signal_values(r, drive.value)

    kind = "torque" if turning else "force"
    yield Channel(f"{name}.{kind}", kind, effort)
    yield Channel(
        f"{name}.position", "angle" if turning else "length", lambda: r.coordinate[:, row, 0]
    )
    yield Channel(
        f"{name}.speed", "angular speed" if turning else "speed", lambda: r.coordinate[:, row, 1]
    )
    yield Channel(f"{name}.power", "power", lambda: effort() * r.coordinate[:, row, 1])
    yield Channel(f"{name}.work", "energy", lambda: r.extra(work))
