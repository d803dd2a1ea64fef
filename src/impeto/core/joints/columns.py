"""Columns of the arrays of this family in Tables and Workspace, one declaration for each."""

from __future__ import annotations

from enum import IntEnum


class Spring(IntEnum):
    COORDINATE = 0
    ELEMENT = 1
    OVER_POSITION = 2  # curves, −1 for none
    OVER_SPEED = 3


class StopValue(IntEnum):
    LIMIT = 0
    STIFFNESS = 1
    FACTOR = 2  # of the damper, see restitution
    SLOW = 3  # least speed of an impact
    RESTITUTION = 4


class FrictionValue(IntEnum):
    STATIC = 0  # coefficients, times the lever
    KINETIC = 1
    CONSTANT = 2
    SLOPE = 3  # of a thread, else 0


class Acting(IntEnum):
    """Of springs and stops, in the workspace."""

    EFFORT = 0
    ENERGY = 1


class Rubbing(IntEnum):
    """Of friction, in the workspace."""

    EFFORT = 0
    LOAD = 1
