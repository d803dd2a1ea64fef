"""Bodies that come and go: when a feeder is due, and what passes the border of an outlet's region.

A body counts as in the region of an outlet while its centre of mass is there. Entering and leaving
have a margin between them, so that a body that stands on the border is not counted again and again.
"""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.kernel import copy, kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.dynamics.vectors import is_away
from impeto.core.flow.columns import REGION_AXES, REGION_HALF, REGION_MARGIN, Feeder, Outlet
from impeto.core.geometry.arrays import Vector3

ROW_2, ROW_3 = 3, 6  # where the rows of a rotation begin that is kept flat
NO_BODY = 1.0  # m, guard of an outlet that waits for nothing
NARROWINGS = 60  # of the search along a step


@kernel
def note_places(T: Tables, S: Workspace) -> None:
    """Where the bodies are at the start of a step, for outlets that they may leap over."""
    if T.outlet.shape[0] > 0:
        for body in range(T.mass.shape[0]):
            copy(S.x[body], S.came_from[body])


@kernel
def set_flow_guards(T: Tables, S: Workspace, t: float) -> None:
    """Feeders hold until a copy is due [s], outlets until a body comes in or goes out [m]."""
    for row in range(T.feeder.shape[0]):
        switch, element = T.feeder[row, Feeder.SWITCH], T.feeder[row, Feeder.ELEMENT]
        S.guard[switch] = S.memory[switch] - t if S.on[element] != 0.0 else NO_BODY
    for row in range(T.outlet.shape[0]):
        S.guard[T.outlet[row, Outlet.SWITCH]] = next_through(T, S, row)[0]


@kernel
def next_through(T: Tables, S: Workspace, row: int) -> tuple[float, int]:
    """Guard [m] of an outlet, negative when a body passes its border, and the body (−1: none)."""
    least, which = NO_BODY, -1
    if S.on[T.outlet[row, Outlet.ELEMENT]] == 0.0:
        return least, which
    value, margin = T.outlet_value[row], T.outlet_value[row, REGION_MARGIN]
    half = (value[REGION_HALF], value[REGION_HALF + 1], value[REGION_HALF + 2])
    for body in range(1, T.mass.shape[0]):
        if T.outlet_takes[row, body] == 0 or is_away(T, S, body):
            continue
        here = in_region(T, S, row, S.x[body])
        if S.inside[row, body] != 0:
            guard = margin - outside(here, half)
        else:
            before = in_region(T, S, row, S.came_from[body])
            guard = margin + nearest_outside(before, here, half)
        if guard < least:
            least, which = guard, body
    return least, which


@kernel
def in_region(T: Tables, S: Workspace, row: int, point: Vector3) -> tuple[float, float, float]:
    """A point of the world [m] in the axes of the region of an outlet, from its centre."""
    base, value = T.outlet[row, Outlet.BODY], T.outlet_value[row]
    R, x = S.rotation[base], S.x[base]
    d = (point[0] - x[0], point[1] - x[1], point[2] - x[2])
    b0 = R[0, 0] * d[0] + R[1, 0] * d[1] + R[2, 0] * d[2] - value[0]
    b1 = R[0, 1] * d[0] + R[1, 1] * d[1] + R[2, 1] * d[2] - value[1]
    b2 = R[0, 2] * d[0] + R[1, 2] * d[1] + R[2, 2] * d[2] - value[2]
    axes = value[REGION_AXES:REGION_HALF]
    return (
        axes[0] * b0 + axes[ROW_2] * b1 + axes[ROW_3] * b2,
        axes[1] * b0 + axes[ROW_2 + 1] * b1 + axes[ROW_3 + 1] * b2,
        axes[2] * b0 + axes[ROW_2 + 2] * b1 + axes[ROW_3 + 2] * b2,
    )


@kernel
def outside(p: Vector3, half: Vector3) -> float:
    """How far [m] a point is beyond the faces of a box, in the largest of its three directions;
    negative within."""
    return max(abs(p[0]) - half[0], abs(p[1]) - half[1], abs(p[2]) - half[2])


@kernel
def nearest_outside(a: Vector3, b: Vector3, half: Vector3) -> float:
    """The least of that from point a to point b: a convex function along the way."""
    d = (b[0] - a[0], b[1] - a[1], b[2] - a[2])
    length = np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    first, last = outside(a, half), outside(b, half)
    bound = 0.5 * (first + last - length)
    if bound > 0.0 or length == 0.0:
        return min(first, last) if length == 0.0 else bound
    low, high = 0.0, 1.0
    for _ in range(NARROWINGS):
        s, u = low + (high - low) / 3.0, high - (high - low) / 3.0
        at_s = outside((a[0] + s * d[0], a[1] + s * d[1], a[2] + s * d[2]), half)
        at_u = outside((a[0] + u * d[0], a[1] + u * d[1], a[2] + u * d[2]), half)
        if at_s < at_u:
            high = u
        else:
            low = s
    s = 0.5 * (low + high)
    within = outside((a[0] + s * d[0], a[1] + s * d[1], a[2] + s * d[2]), half)
    return min(first, last, within)
