"""Columns of the arrays of this family in Tables and Workspace, one declaration for each."""

from __future__ import annotations

from enum import IntEnum


class Feeder(IntEnum):
    SWITCH = 0
    ELEMENT = 1


class Outlet(IntEnum):
    BODY = 0  # that carries the region
    SWITCH = 1
    ELEMENT = 2
    TAKES = 3


# Outlet values: centre and axes of the region on its body, half sizes, margin.
REGION_AXES, REGION_HALF, REGION_MARGIN = 3, 12, 15
