"""Channels of couplers."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from impeto.core.couplers.columns import GearPair
from impeto.core.couplers.data import GearPairData, RelationData
from impeto.core.dynamics.channel import Channel, Compute, Floats, friction_channels
from impeto.core.dynamics.columns import Coordinate, Row, Stop
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import (
    M_STOP,
    SUM,
)
from impeto.core.model.freedoms import FREEDOMS


def channels(r: Solution) -> Iterator[Channel]:
    m = r.system.mechanism
    for index, mesh in enumerate(m.of(GearPairData)):
        yield from _mesh(r, index, mesh)
    counts: dict[str, int] = {}
    for relation in m.of(RelationData):
        counts[relation.name] = counts.get(relation.name, 0) + 1
        yield from _relation(r, relation, counts[relation.name])


def _mesh(r: Solution, index: int, mesh: GearPairData) -> Iterator[Channel]:
    T = r.system.tables
    row = int(T.gear_pair[index, GearPair.ROW])
    c = int(np.flatnonzero(T.coordinate[:, Coordinate.GEAR_PAIR] == index)[0])

    def force() -> Floats:
        if row >= 0:
            return r.multiplier[:, row]
        acting = np.flatnonzero(T.stop[:, Stop.COORDINATE] == c)
        return sum((r.measure(M_STOP, int(i)) for i in acting), np.zeros(len(r.time)))

    share = np.sqrt(mesh.tangential**2 + mesh.along**2 + mesh.pressure**2)
    yield Channel(f"{mesh.name}.force", "force", lambda: -force() * mesh.tangential)
    yield Channel(f"{mesh.name}.tooth_force", "force", lambda: np.abs(force()) * share)
    yield Channel(f"{mesh.name}.play", "length", lambda: r.coordinate[:, c, 0])
    if mesh.thread is not None:
        yield from friction_channels(r, mesh.name, "friction", "torque")


def _relation(r: Solution, relation: RelationData, number: int) -> Iterator[Channel]:
    T = r.system.tables
    rows = [
        row
        for row in range(len(T.row))
        if T.row[row, Row.KIND] == SUM and r.system.rows[row].owner == relation.name
    ]
    row, joints = rows[number - 1], r.system.mechanism.joints
    behind = "" if number == 1 else f"_{number}"
    if relation.kind == "belt":
        yield Channel(f"{relation.name}.force{behind}", "force", lambda: r.multiplier[:, row])
    if relation.kind == "screw":
        yield Channel(f"{relation.name}.force", "force", lambda: r.multiplier[:, row])
        lead = relation.terms[1][2]
        yield Channel(f"{relation.name}.torque", "torque", lambda: r.multiplier[:, row] * lead)
    if relation.thread is not None:
        yield from friction_channels(r, relation.name, "friction", "torque")
    for joint, freedom, factor in relation.terms:
        path = f"{relation.name}.{joints[joint].name}.{FREEDOMS[freedom].replace(' ', '_')}{behind}"
        kind = "torque" if freedom >= 3 else "force"
        yield Channel(path, kind, _scaled(r, row, factor))


def _scaled(r: Solution, row: int, factor: float) -> Compute:
    return lambda: r.multiplier[:, row] * factor
