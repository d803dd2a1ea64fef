"""Efforts along coordinates: springs and stops on freedoms, drives, servos, motors, dry friction.

An effort is a force or torque along a joint coordinate, on B forwards and on A backwards.
"""

from __future__ import annotations

import numpy as np

from impeto.core.drives.columns import Effort, Motor, MotorValue, Servo, ServoValue
from impeto.core.dynamics.columns import Coordinate, Friction
from impeto.core.dynamics.efforts import push
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.programs import decide
from impeto.core.dynamics.state import extras_at
from impeto.core.dynamics.tables import (
    MOTOR_STATES,
    SERVO_STATES,
    X_EFFORTS,
    X_MOTORS,
    X_SERVOS,
    Tables,
    Workspace,
)
from impeto.core.geometry.arrays import Floats, Ints, Vector3


@inlined
def set_efforts(T: Tables, S: Workspace, y: Floats) -> None:
    """Add the efforts of drives along coordinates to S.wrench, with their powers."""
    states = extras_at(T.mass.shape[0] - 1)
    for index in range(T.effort.shape[0]):
        c, drive = T.effort[index, Effort.COORDINATE], T.effort[index, Effort.DRIVE]
        effort = S.signal[T.effort[index, Effort.PROGRAM]]
        servo, motor = T.effort[index, Effort.SERVO], T.effort[index, Effort.MOTOR]
        if servo >= 0:
            first = T.extra[X_SERVOS] + SERVO_STATES * servo
            effort = servo_effort(
                T.servo[servo], T.servo_value[servo], S.coordinate[c], S.rate[c], effort,
                S.signal, y, states + first, S.power, first, S.held[servo], S.switch, S.guard,
            )  # fmt: skip
        if motor >= 0:
            first = T.extra[X_MOTORS] + MOTOR_STATES * motor
            current = motor_current(
                T.motor_value[motor], effort, S.rate[c], y, states + first, S.power, first
            )
            if S.on[T.effort[index, Effort.ELEMENT]] == 0.0:  # the circuit is open
                current = 0.0
                for k in range(3):
                    S.power[first + k] = 0.0
            S.current[motor] = current
            effort = (
                T.motor_value[motor, MotorValue.TORQUE]
                * T.motor_value[motor, MotorValue.TRANSMISSION]
                * current
            )
        if S.on[T.effort[index, Effort.ELEMENT]] == 0.0:
            effort = 0.0
        S.drive_effort[drive] = effort
        S.power[T.extra[X_EFFORTS] + index] = effort * S.rate[c]
        joint = T.coordinate[c, Coordinate.JOINT]
        push(S.wrench, T.joint_body[joint], S.gradient[c], effort)


@kernel
def servo_effort(
    servo: Ints, value: Floats, q: float, rate: float, reference: float, signal: Floats, y: Floats,
    at: int, power: Floats, first: int, held: Floats, switch: Ints, guard: Floats,
) -> float:  # fmt: skip
    """Effort of a servo; writes the rates of its integral and of the effort behind a rate limit.

    value : gains P I D, limit, rate limit, sample time, on speed, lag of the rate limit
    """
    power[first], power[first + 1] = 0.0, 0.0
    if value[ServoValue.SAMPLE] > 0.0:
        return held[0]
    wanted_rate = signal[servo[Servo.RATE]]
    if value[ServoValue.ON_SPEED] != 0.0:
        error, slope = reference - rate, 0.0
    else:
        error, slope = reference - q, wanted_rate - rate
    asked = (
        value[ServoValue.PROPORTIONAL] * error
        + value[ServoValue.INTEGRAL] * y[at]
        + value[ServoValue.DERIVATIVE] * slope
    )
    if servo[Servo.FORWARD] >= 0:
        asked += signal[servo[Servo.FORWARD]]
    limit = value[ServoValue.LIMIT]
    over = decide(switch, guard, servo[Servo.SWITCH], asked - limit)
    under = decide(switch, guard, servo[Servo.SWITCH] + 1, -limit - asked)
    # Whether the error winds the integral further up is asked only where that matters.
    held_back = (over or under) and value[ServoValue.INTEGRAL] != 0.0
    winding = held_back and decide(switch, guard, servo[Servo.SWITCH] + 2, error)
    if not held_back:
        guard[servo[Servo.SWITCH] + 2] = 1.0
    given = limit if over else (-limit if under else asked)
    if not held_back or over != winding:
        power[first] = error
    if not np.isfinite(value[ServoValue.RATE]):
        return given
    power[first + 1] = min(
        max((given - y[at + 1]) / value[ServoValue.LAG], -value[ServoValue.RATE]),
        value[ServoValue.RATE],
    )
    return y[at + 1]


@kernel
def motor_current(
    value: Floats, duty: float, rate: float, y: Floats, at: int, power: Floats, first: int
) -> float:
    """Current of a motor; writes the rates of its electric states.

    value : supply, R, L, Kt, Ke, transmission, efficiency, efficiency back, friction
    """
    voltage = duty * value[MotorValue.SUPPLY]
    back = value[MotorValue.BACK] * value[MotorValue.TRANSMISSION] * rate
    if value[MotorValue.INDUCTANCE] > 0.0:
        current = y[at]
        power[first] = (voltage - value[MotorValue.RESISTANCE] * current - back) / value[
            MotorValue.INDUCTANCE
        ]
    else:
        current = (voltage - back) / value[MotorValue.RESISTANCE]
        power[first] = 0.0
    power[first + 1] = voltage * current
    power[first + 2] = value[MotorValue.RESISTANCE] * current * current
    return current


@inlined
def gear_of(T: Tables, S: Workspace, index: int) -> tuple[Vector3, float]:
    """(is a gear, efficiency, efficiency back) and motor torque of a friction row."""
    motor = T.friction[index, Friction.MOTOR]
    if motor < 0:
        return (-1.0, 1.0, 1.0), 0.0
    value = T.motor_value[motor]
    return (1.0, value[MotorValue.EFFICIENCY], value[MotorValue.EFFICIENCY_BACK]), S.drive_effort[
        T.effort[T.motor[motor, Motor.EFFORT], Effort.DRIVE]
    ]
