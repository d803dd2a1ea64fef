"""Columns of the arrays of this family in Tables and Workspace, one declaration for each."""

from __future__ import annotations

from enum import IntEnum


class Effort(IntEnum):
    COORDINATE = 0
    PROGRAM = 1
    ELEMENT = 2
    DRIVE = 3
    SERVO = 4  # −1 for none
    MOTOR = 5


class Servo(IntEnum):
    EFFORT = 0
    RATE = 1  # program of the rate of the reference
    FORWARD = 2
    SWITCH = 3  # the first of four: over the limit, under it, winding, next sample


class ServoValue(IntEnum):
    PROPORTIONAL = 0
    INTEGRAL = 1
    DERIVATIVE = 2
    LIMIT = 3
    RATE = 4  # limit of the rate
    SAMPLE = 5  # s, 0 for continuous
    ON_SPEED = 6
    LAG = 7  # s, of the rate limit


class Motor(IntEnum):
    EFFORT = 0
    INERTIA = 1  # row of the rotor, −1 for none
    FRICTION = 2


class MotorValue(IntEnum):
    SUPPLY = 0
    RESISTANCE = 1
    INDUCTANCE = 2
    TORQUE = 3  # constant
    BACK = 4  # constant of the back-EMF
    TRANSMISSION = 5
    EFFICIENCY = 6
    EFFICIENCY_BACK = 7
    FRICTION = 8


class Motion(IntEnum):
    """Prescribed motions."""

    COORDINATE = 0
    KIND = 1
    VALUE = 2  # programs
    RATE = 3
    SECOND = 4
    STATE = 5  # first extra state


class MotionDrive(IntEnum):
    DRIVE = 0
    ROW = 1


OVER, UNDER, WINDING, NEXT_SAMPLE = range(4)  # switches of a servo, from its first on
