"""Channels of drives, servos, motors and brakes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from impeto.core.drives.data import BrakeData, DriveData
from impeto.core.dynamics.channel import Channel, Floats, friction_channels, signal_values
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import (
    M_CURRENT,
    M_DRIVE,
    MOTOR_STATES,
    X_EFFORTS,
    X_MOTIONS,
    X_MOTORS,
)


def channels(r: Solution) -> Iterator[Channel]:
    m = r.system.mechanism
    for index, drive in enumerate(m.of(DriveData)):
        yield from _drive(r, index, drive)
    for brake in m.of(BrakeData):
        yield from _brake(r, brake)


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
    yield from friction_channels(r, name, kinds[0], kinds[0])


def _motor(r: Solution, drive: DriveData, row: int) -> Iterator[Channel]:
    motor, name = drive.motor, drive.name
    assert motor is not None
    index = [d.name for d in r.system.mechanism.of(DriveData) if d.motor is not None].index(name)

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
