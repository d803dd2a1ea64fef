"""Columns of the arrays of this family in Tables and Workspace, one declaration for each."""

from __future__ import annotations

from enum import IntEnum


class Line(IntEnum):
    """Forces along the line between two points."""

    A = 0  # bodies
    B = 1
    LAW = 2
    ELEMENT = 3
    OVER_LENGTH = 4  # curves, −1 for none
    OVER_SPEED = 5
    PROGRAM = 6
    SWITCH = 7  # the first of two


class Drag(IntEnum):
    BODY = 0
    ELEMENT = 1


class DragValue(IntEnum):
    FACTOR = 0  # force per square of speed
    WIND = 1  # three components, world


class Bushing(IntEnum):
    A = 0
    B = 1
    ELEMENT = 2


class Load(IntEnum):
    BODY = 0
    IS_TORQUE = 1
    AXES = 2  # body whose axes the direction is in, 0 for the world
    PROGRAM = 3
    COUNTER = 4  # body that takes the opposite, −1 for none
    ELEMENT = 5


class Pull(IntEnum):
    """Of lines of force, in the workspace."""

    FORCE = 0
    ENERGY = 1
    TENSION = 2  # see tables.SENSE_TENSION


BUSHING_ENERGY = 6  # behind force and torque of bushing_effort


# Rows of bushing_value, each (3,).
(
    STIFFNESS, DAMPING, TURNING_STIFFNESS, TURNING_DAMPING, PRELOAD, TURNING_PRELOAD, OFFSET,
) = range(7)  # fmt: skip
