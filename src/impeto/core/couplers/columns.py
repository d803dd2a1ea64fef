"""Columns of the arrays of this family in Tables and Workspace, one declaration for each."""

from __future__ import annotations

from enum import IntEnum


class GearPair(IntEnum):
    """Pairs of gears: their coordinates, the switch of the flank and the row, −1 for none."""

    FIRST = 0
    SECOND = 1
    FLANK = 2
    ROW = 3


class GearPairValue(IntEnum):
    ARM = 0  # m
    TANGENTIAL = 1
    ALONG = 2
    FIRST = 3  # pitch travel per unit of the coordinates
    SECOND = 4
    PRESSURE = 5  # tangent of the pressure angle
