"""Channels of drives, servos and motors, and of couplers."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from impeto.core.mechanics.columns import Coordinate, Friction, Row, Stop, Teeth
from impeto.core.mechanics.drives import BrakeData, DriveData
from impeto.core.mechanics.mechanism import MeshData, RelationData
from impeto.core.mechanics.tables import (
    M_CURRENT,
    M_DRIVE,
    M_FRICTION,
    M_STOP,
    MOTOR_STATES,
    SUM,
    X_EFFORTS,
    X_FRICTIONS,
    X_MOTIONS,
    X_MOTORS,
)
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.results.channels.base import Channel, Compute, Floats
from impeto.core.results.channels.forces import signal_values
from impeto.core.results.solution import Solution


def channels(r: Solution) -> Iterator[Channel]:
    m = r.system.mechanism
    for index, drive in enumerate(m.drives):
        yield from _drive(r, index, drive)
    for brake in m.brakes:
        yield from _brake(r, brake)
    for index, mesh in enumerate(m.meshes):
        yield from _mesh(r, index, mesh)
    counts: dict[str, int] = {}
    for relation in m.relations:
        counts[relation.name] = counts.get(relation.name, 0) + 1
        yield from _relation(r, relation, counts[relation.name])


def _drive(r: Solution, index: int, drive: DriveData) -> Iterator[Channel]:
    system, name = r.system, drive.name
    row = system.coordinates[drive.joint, drive.freedom]
    turning = drive.freedom >= 3
    if index in system.motions:
        group, work = X_MOTIONS, system.motions.index(index)
    else:
        group, work = X_EFFORTS, system.efforts.index(index)

    def effort() -> Floats:
        return r.measure(M_DRIVE, index)

    kind, moved = ("torque", "angle") if turning else ("force", "length")
    pace = "angular speed" if turning else "speed"
    yield Channel(f"{name}.{kind}", kind, effort)
    yield Channel(f"{name}.position", moved, lambda: r.coordinate[:, row, 0])
    yield Channel(f"{name}.speed", pace, lambda: r.coordinate[:, row, 1])
    yield Channel(f"{name}.power", "power", lambda: effort() * r.coordinate[:, row, 1])
    yield Channel(f"{name}.work", "energy", lambda: r.extra(group, work))
    if drive.servo is not None:
        which = 1 if drive.servo.on_speed else 0
        aim = (moved, pace)[which]
        yield Channel(f"{name}.reference", aim, lambda: signal_values(r, name))
        yield Channel(
            f"{name}.error", aim, lambda: signal_values(r, name) - r.coordinate[:, row, which]
        )
    if drive.motor is not None:
        yield from _motor(r, drive, row)
    curve = drive.limit_curve
    if curve is not None:

        def margin() -> Floats:
            return curve.values(np.abs(r.coordinate[:, row, 1])) - np.abs(effort())

        yield Channel(f"{name}.margin", kind, margin)


def _brake(r: Solution, brake: BrakeData) -> Iterator[Channel]:
    name, row = brake.name, r.system.coordinates[brake.joint, brake.freedom]
    kinds = ("torque", "angle", "angular speed")
    if brake.freedom < 3:
        kinds = ("force", "length", "speed")

    def holding() -> Floats:
        return np.maximum(signal_values(r, name), 0.0) * r.on(name)

    yield Channel(f"{name}.holding", kinds[0], holding)
    yield Channel(f"{name}.position", kinds[1], lambda: r.coordinate[:, row, 0])
    yield Channel(f"{name}.speed", kinds[2], lambda: r.coordinate[:, row, 1])
    yield from _friction(r, name, kinds[0], kinds[0])


def _friction(r: Solution, name: str, effort: str, kind: str) -> Iterator[Channel]:
    """Effort of the friction of a brake or thread along its coordinate, and what is lost in it."""
    T = r.system.tables
    (index,) = np.flatnonzero(T.friction[:, Friction.ELEMENT] == r.system.elements[name])
    c = int(T.friction[index, Friction.COORDINATE])

    def acting() -> Floats:
        return r.measure(M_FRICTION, int(index))

    yield Channel(f"{name}.{effort}", kind, acting)
    yield Channel(f"{name}.loss_power", "power", lambda: -acting() * r.coordinate[:, c, 1])
    yield Channel(f"{name}.loss", "energy", lambda: r.extra(X_FRICTIONS, int(index)))


def _motor(r: Solution, drive: DriveData, row: int) -> Iterator[Channel]:
    motor, name = drive.motor, drive.name
    assert motor is not None
    index = [d.name for d in r.system.mechanism.drives if d.motor is not None].index(name)

    def current() -> Floats:
        return r.measure(M_CURRENT, index)

    def voltage() -> Floats:
        return signal_values(r, name) * motor.supply

    def state(number: int) -> Floats:
        return r.extra(X_MOTORS, MOTOR_STATES * index + number)

    yield Channel(f"{name}.current", "current", current)
    yield Channel(f"{name}.voltage", "voltage", voltage)
    yield Channel(f"{name}.electric_power", "power", lambda: voltage() * current())
    yield Channel(f"{name}.copper_loss_power", "power", lambda: motor.resistance * current() ** 2)
    yield Channel(
        f"{name}.rotor_speed", "angular speed", lambda: motor.transmission * r.coordinate[:, row, 1]
    )
    yield Channel(f"{name}.electric_energy", "energy", lambda: state(1))
    yield Channel(f"{name}.copper_loss", "energy", lambda: state(2))
    yield Channel(f"{name}.gear_loss", "energy", lambda: state(3))


def _mesh(r: Solution, index: int, mesh: MeshData) -> Iterator[Channel]:
    T = r.system.tables
    row = int(T.mesh[index, Teeth.ROW])
    c = int(np.flatnonzero(T.coordinate[:, Coordinate.MESH] == index)[0])

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
        yield from _friction(r, mesh.name, "friction", "torque")


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
        yield from _friction(r, relation.name, "friction", "torque")
    for joint, freedom, factor in relation.terms:
        path = f"{relation.name}.{joints[joint].name}.{FREEDOMS[freedom].replace(' ', '_')}{behind}"
        kind = "torque" if freedom >= 3 else "force"
        yield Channel(path, kind, _scaled(r, row, factor))


def _scaled(r: Solution, row: int, factor: float) -> Compute:
    return lambda: r.multiplier[:, row] * factor
