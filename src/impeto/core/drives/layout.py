"""Rows and numbers of drives, servos, motors and events."""

from __future__ import annotations

import numpy as np

from impeto.core.drives.columns import Effort
from impeto.core.drives.data import BrakeData, DriveData
from impeto.core.dynamics import tables
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.tables import SAMPLE
from impeto.core.model.calculus import ZERO, derivative
from impeto.core.model.freedoms import FREEDOMS

MOTION_KINDS = {
    "position": tables.BY_POSITION,
    "speed": tables.BY_SPEED,
    "acceleration": tables.BY_ACCELERATION,
}
LAG = 0.005  # of the time to the limit: how fast a rate-limited servo follows below its rate limit


def offer_motors(layout: Layout) -> None:
    """Currents of motors, for formulas."""
    motors = [drive for drive in layout.mechanism.of(DriveData) if drive.motor]
    for row, motor in enumerate(motors):
        layout.offer(motor.name, row, {"current": tables.SENSE_CURRENT})


def add_drive(layout: Layout, drive: int, data: DriveData) -> None:
    coordinate = layout.used(data.joint, data.freedom)
    element = layout.element(data.name)
    program = layout.programs.add(data.value)
    if data.prescribes in ("effort", "servo", "motor"):
        layout.effort.append([coordinate, program, element, drive, -1, -1])
        layout.efforts.append(drive)
        if data.servo is not None:
            _add_servo(layout, data)
        if data.motor is not None:
            _add_motor(layout, data, coordinate, element)
        return
    first = derivative(data.value)
    second = derivative(first) if data.prescribes == "position" else ZERO
    kind = MOTION_KINDS[data.prescribes]
    rates = layout.programs.add(first), layout.programs.add(second)
    name = RowName(data.name, FREEDOMS[data.freedom], data.joint)
    row = layout.add_along(name, coordinate, element=element, motion=len(layout.motion))
    layout.motion.append((coordinate, kind, program, *rates, layout.references))
    layout.motion_drive.append((drive, row))
    layout.references += kind


def add_brake(layout: Layout, data: BrakeData) -> None:
    """Friction that follows a program."""
    coordinate = layout.used(data.joint, data.freedom)
    name = RowName(data.name, FREEDOMS[data.freedom], data.joint, "friction")
    program = layout.programs.add(data.value)
    nothing = (0.0, 0.0, 0.0, 0.0)
    element = layout.element(data.name)
    layout.add_friction(coordinate, element, name, nothing, [], program=program)


def _add_servo(layout: Layout, data: DriveData) -> None:
    servo = data.servo
    assert servo is not None
    rate = layout.programs.add(derivative(data.value))
    forward = -1 if servo.feed_forward is None else layout.programs.add(servo.feed_forward)
    row = len(layout.servo)
    switch = layout.plain_switches(3)
    layout.new_switch(SAMPLE, row)
    layout.effort[-1][Effort.SERVO] = row
    layout.servo.append((len(layout.effort) - 1, rate, forward, switch))
    lag = LAG * servo.limit / servo.rate if np.isfinite(servo.limit / servo.rate) else LAG
    layout.servo_value.append(
        (servo.proportional, servo.integral, servo.derivative, servo.limit, servo.rate,
         servo.sample, float(servo.on_speed), max(lag, 1e-5))
    )  # fmt: skip


def _add_motor(layout: Layout, data: DriveData, coordinate: int, element: int) -> None:
    motor, row = data.motor, len(layout.motor)
    assert motor is not None
    layout.effort[-1][Effort.MOTOR] = row
    reflected = motor.rotor_inertia * motor.transmission**2
    inertia = friction = -1
    if reflected > 0.0:
        name = RowName(data.name, FREEDOMS[data.freedom], data.joint, "rotor")
        inertia = layout.add_along(name, coordinate, element=element, compliance=1.0 / reflected)
    if motor.friction > 0.0 or motor.efficiency < 1.0 or motor.efficiency_back < 1.0:
        name = RowName(data.name, FREEDOMS[data.freedom], data.joint, "friction")
        constant = motor.friction * abs(motor.transmission)
        friction = layout.add_friction(
            coordinate, element, name, (0.0, 0.0, constant, 0.0), [], row
        )
    layout.motor.append([len(layout.effort) - 1, inertia, friction, 0])
    layout.motor_value.append(
        (motor.supply, motor.resistance, motor.inductance, motor.torque_constant,
         motor.speed_constant, motor.transmission, motor.efficiency, motor.efficiency_back,
         motor.friction)
    )  # fmt: skip
