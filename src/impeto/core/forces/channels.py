"""Channels of straight force elements, bushings and loads."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from impeto.core.dynamics.channel import Channel, Floats, Once, signal_values, vector
from impeto.core.dynamics.layout import from_center
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.state import SIDE
from impeto.core.dynamics.tables import (
    M_BUSHING,
    M_BUSHING_ENERGY,
    M_LINK,
    M_LINK_ENERGY,
    X_BUSHINGS,
    X_DRAGS,
    X_LINKS,
    X_LOADS,
    X_WINDS,
)
from impeto.core.forces.data import BushingData, DragData, LinkData, LoadData


def channels(r: Solution) -> Iterator[Channel]:
    m = r.system.mechanism
    for index, link in enumerate(m.of(LinkData)):
        yield from _link(r, index, link)
    for index, bushing in enumerate(m.of(BushingData)):
        yield from _bushing(r, index, bushing)
    for index, drag in enumerate(m.of(DragData)):
        yield from _drag(r, index, drag)
    for index, load in enumerate(m.of(LoadData)):
        yield from _load(r, index, load)


def _link(r: Solution, index: int, link: LinkData) -> Iterator[Channel]:
    T, name = r.system.tables, link.name

    @Once
    def motion() -> tuple[Floats, Floats]:
        a, b = T.link[index, :2]
        pa, va, _ = r.point(a, T.link_point[index, 0])
        pb, vb, _ = r.point(b, T.link_point[index, 1])
        length = np.linalg.norm(pb - pa, axis=1)
        return length, ((pb - pa) * (vb - va)).sum(axis=1) / length

    yield Channel(f"{name}.length", "length", lambda: motion()[0])
    yield Channel(f"{name}.rate", "speed", lambda: motion()[1])
    yield Channel(f"{name}.force", "force", lambda: r.measure(M_LINK, index))
    yield Channel(f"{name}.power", "power", lambda: r.measure(M_LINK, index) * motion()[1])
    if link.kind in ("spring", "rope", "bumper"):
        yield Channel(f"{name}.energy", "energy", lambda: r.measure(M_LINK_ENERGY, index))
    if link.pull is not None:
        yield Channel(f"{name}.work", "energy", lambda: -r.extra(X_LINKS, index))
    elif link.kind != "spring" or link.damping != 0.0:
        yield Channel(f"{name}.dissipated", "energy", lambda: r.extra(X_LINKS, index))


def _bushing(r: Solution, index: int, bushing: BushingData) -> Iterator[Channel]:
    first = SIDE * index

    def part(start: int) -> Floats:
        return np.stack([r.measure(M_BUSHING, first + start + k) for k in range(3)], axis=1)

    name = bushing.name
    yield from vector(f"{name}.force", "force", lambda: part(0))
    yield from vector(f"{name}.torque", "torque", lambda: part(3))
    yield Channel(f"{name}.energy", "energy", lambda: r.measure(M_BUSHING_ENERGY, index))
    yield Channel(f"{name}.dissipated", "energy", lambda: r.extra(X_BUSHINGS, index))


def through_air(r: Solution, drag: DragData) -> Floats:
    """(N, 3) velocity of a drag's frame relative to the wind, world."""
    m = r.system.mechanism
    body = m.frames[drag.frame].body
    return r.point(body, from_center(m, drag.frame))[1] - drag.wind


def drag_force(r: Solution, drag: DragData) -> Floats:
    """(N, 3) what the air does to the body, world."""
    through = through_air(r, drag)
    size = drag.factor * np.linalg.norm(through, axis=1) * r.on(drag.name)
    return -size[:, None] * through


def _drag(r: Solution, index: int, drag: DragData) -> Iterator[Channel]:
    name = drag.name
    yield from vector(f"{name}.force", "force", lambda: drag_force(r, drag))
    yield Channel(f"{name}.speed", "speed", lambda: np.linalg.norm(through_air(r, drag), axis=1))
    yield Channel(f"{name}.dissipated", "energy", lambda: r.extra(X_DRAGS, index))
    yield Channel(f"{name}.work", "energy", lambda: r.extra(X_WINDS, index))


def _load(r: Solution, index: int, load: LoadData) -> Iterator[Channel]:
    quantity = "torque" if load.is_torque else "force"

    def size() -> Floats:
        on = r.on(load.name)
        return signal_values(r, load.name) * on

    def acting() -> Floats:
        return (r.rotation(load.axes) @ load.direction) * size()[:, None]

    yield from vector(f"{load.name}.{quantity}", quantity, acting)
    yield Channel(f"{load.name}.value", quantity, size)
    yield Channel(f"{load.name}.work", "energy", lambda: r.extra(X_LOADS, index))
