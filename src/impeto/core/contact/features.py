"""Where a shape touches another: features of the one (points, lines, round bars) held against the
distance field of the other.

A line or a round bar touches at two points: the ends of the stretch along which it is nearly as
deep as at its deepest point. So a log that lies on a beam rests on both ends of what overlaps, and
one that crosses a pole on two points close together, and all of them move continuously.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    CORE_X,
    CORE_Y,
    CORE_Z,
    DISTANCE,
    END_X,
    END_Y,
    END_Z,
    GX,
    GY,
    GZ,
    KIND,
    RADIUS_A,
    RADIUS_B,
    SIZE,
)
from impeto.core.contact.fields import BLOCK, CAPSULE, CONE, DRAWN, PIPE, PROFILE, SOLID, field
from impeto.core.contact.line_nearest import end_in_bore, nearest_to_bar, nearest_to_block, turned
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables
from impeto.core.geometry.arrays import Floats, Matrix3, Vector3

POINT, LINE, BARREL, RIM, SURFACE = 0, 1, 2, 3, 4
PLACES = 8  # that are followed over a sampled surface, for each other shape
STRETCH = 0.25  # of the depth: what still counts as nearly as deep
SAMPLES = 7  # along features against fields that are not convex
LEAST_STRETCH = 1e-6  # of the bounding ball, however light the touch
ROUNDS = 40
TURNS, HALVINGS = 8, 50  # rounds in which the deepest place on a circle is found
# How well deepest places are known, as shares of a feature's length (slopes there likewise).
CLOSE, ROUGHLY = 1e-12, 1e-5
SHARPLY = 0.1  # times that: angles on a circle
LEVEL = 100.0  # times that, of the depth: how well the ends of a stretch are


@kernel
def probe(
    T: Tables, feature: int, share: float, close: float, shape: int, turn: Matrix3, offset: Vector3,
    out: Floats,
) -> float:  # fmt: skip
    """Least distance of the cross-section at `share` (0 to 1) of a feature to another shape.

    close : see CLOSE;  turn, offset : (3, 3), (3,) from own axes to those of the other shape
    out : (7,) distance, gradient (3), point (3), in the axes of the other; written
    Returns the slope of the distance along the share.
    """
    value = T.feature_value[feature]
    along = (value[END_X] - value[0], value[END_Y] - value[1], value[END_Z] - value[2])
    p = (
        value[0] + share * along[0], value[1] + share * along[1], value[2] + share * along[2],
    )  # fmt: skip
    x, y, z = turned(turn, p[0], p[1], p[2])
    x, y, z = x + offset[0], y + offset[1], z + offset[2]
    d, gx, gy, gz = field(T, shape, x, y, z)
    tx, ty, tz = turned(turn, along[0], along[1], along[2])
    widening = 0.0
    if T.feature[feature] == BARREL:
        length = np.sqrt(tx * tx + ty * ty + tz * tz)
        ax, ay, az = tx / length, ty / length, tz / length
        radius = value[RADIUS_A] + share * (value[RADIUS_B] - value[RADIUS_A])
        d, gx, gy, gz, ux, uy, uz = _around(
            T, shape, close, x, y, z, ax, ay, az, radius, d, gx, gy, gz
        )
        x, y, z = x - radius * ux, y - radius * uy, z - radius * uz
        widening = -(value[RADIUS_B] - value[RADIUS_A]) * (gx * ux + gy * uy + gz * uz)
    out[0], out[GX], out[GY], out[GZ] = d, gx, gy, gz
    out[CORE_X], out[CORE_Y], out[CORE_Z] = x, y, z
    return gx * tx + gy * ty + gz * tz + widening


@kernel
def _around(
    T: Tables, shape: int, close: float, cx: float, cy: float, cz: float, ax: float, ay: float,
    az: float, radius: float, d: float, gx: float, gy: float, gz: float,
) -> tuple[float, float, float, float, float, float, float]:  # fmt: skip
    """Least distance to a shape on a circle about the axis a: with its gradient, and the unit
    vector from there to the centre, 0 where the whole disc is equally near.

    d, g : found at the centre. Goes where the gradient points; where that leads too far, the arc is
    halved. Where two faces are equally near, the gradient is that between theirs which is square
    to the circle.
    """
    bx, by, bz, found = 0.0, 0.0, 0.0, False
    for _ in range(TURNS):
        inline = gx * ax + gy * ay + gz * az
        ux, uy, uz = gx - inline * ax, gy - inline * ay, gz - inline * az
        across = np.sqrt(ux * ux + uy * uy + uz * uz)
        if across < 1e-9:
            break
        ux, uy, uz = ux / across, uy / across, uz / across
        moved = (ux - bx) ** 2 + (uy - by) ** 2 + (uz - bz) ** 2
        if moved < (SHARPLY * close) ** 2:
            break
        there = field(T, shape, cx - radius * ux, cy - radius * uy, cz - radius * uz)
        if found and there[0] >= d:
            return _between(
                T, shape, close, cx, cy, cz, radius, (d, gx, gy, gz), there, (bx, by, bz),
                (ux, uy, uz),
            )  # fmt: skip
        bx, by, bz, found = ux, uy, uz, True
        d, gx, gy, gz = there
    return d, gx, gy, gz, bx, by, bz


@kernel
def _between(
    T: Tables, shape: int, close: float, cx: float, cy: float, cz: float, radius: float,
    here: tuple[float, float, float, float], beyond: tuple[float, float, float, float], b: Vector3,
    u: Vector3,
) -> tuple[float, float, float, float, float, float, float]:  # fmt: skip
    """The same on the arc between two of its points, of which the first is deeper."""
    slope, above = 0.0, 1.0
    for _ in range(HALVINGS):
        tx, ty, tz = b[0] - u[0], b[1] - u[1], b[2] - u[2]
        slope = here[GX] * tx + here[GY] * ty + here[GZ] * tz
        above = beyond[GX] * tx + beyond[GY] * ty + beyond[GZ] * tz
        if tx * tx + ty * ty + tz * tz < (SHARPLY * close) ** 2:
            break
        mx, my, mz = b[0] + u[0], b[1] + u[1], b[2] + u[2]
        across = np.sqrt(mx * mx + my * my + mz * mz)
        if across < 1e-9:
            break
        mx, my, mz = mx / across, my / across, mz / across
        middle = field(T, shape, cx - radius * mx, cy - radius * my, cz - radius * mz)
        if middle[GX] * tx + middle[GY] * ty + middle[GZ] * tz > 0.0:
            beyond, u = middle, (mx, my, mz)
        else:
            here, b = middle, (mx, my, mz)
    d, gx, gy, gz = here
    if slope < 0.0 < above:
        w = above / (above - slope)
        gx = w * gx + (1.0 - w) * beyond[GX]
        gy = w * gy + (1.0 - w) * beyond[GY]
        gz = w * gz + (1.0 - w) * beyond[GZ]
    return d, gx, gy, gz, b[0], b[1], b[2]


@kernel
def deepest(
    T: Tables, feature: int, reach: float, close: float, shape: int, turn: Matrix3, offset: Vector3,
    out: Floats,
) -> float:  # fmt: skip
    """Share at which a line or bar comes nearest to the other shape, to `close`; −1 when farther
    than `reach`. Leaves what probe() found there in `out`."""
    share = -1.0
    if T.feature[feature] == LINE:
        share = nearest_of_line(T, feature, shape, turn, offset)
    if share >= 0.0:
        probe(T, feature, share, close, shape, turn, offset, out)
    else:
        share = nearest_by_search(T, feature, reach, close, shape, turn, offset, out)
    return share if out[DISTANCE] <= reach else -1.0


@kernel
def nearest_of_line(T: Tables, feature: int, shape: int, turn: Matrix3, offset: Vector3) -> float:
    """Share at which a line comes nearest, in closed form; −1 where there is none."""
    value, kind = T.feature_value[feature], T.shape[shape, KIND]
    if kind == CAPSULE:
        return nearest_to_bar(value, turn, offset, T.shape_value[shape, SIZE + 1])
    size = T.shape_value[shape, SIZE : SIZE + 3]
    if kind == PIPE:
        return end_in_bore(value, turn, offset, size)
    return nearest_to_block(value, turn, offset, size) if kind == BLOCK else -1.0


@kernel
def nearest_by_search(
    T: Tables, feature: int, reach: float, close: float, shape: int, turn: Matrix3, offset: Vector3,
    out: Floats,
) -> float:  # fmt: skip
    """The same by search; ends early where nothing can be within `reach`.

    The distance to a convex shape is convex along a line: its slope changes sign once: at a kink
    where the tangents of both sides meet, otherwise near the root of the secant; both are tried,
    and halves.
    """
    value, kind = T.feature_value[feature], T.shape[shape, KIND]
    along = (value[END_X] - value[0], value[END_Y] - value[1], value[END_Z] - value[2])
    length = np.sqrt(along[0] ** 2 + along[1] ** 2 + along[2] ** 2)
    curled = kind == PIPE or kind == PROFILE or kind == CONE or kind == SOLID or kind == DRAWN
    slope = probe(T, feature, 0.5, close, shape, turn, offset, out)
    # no nearer than the tangent where the distance is convex, than straight towards it elsewhere
    if out[DISTANCE] - 0.5 * (length if curled else abs(slope)) > reach:
        out[DISTANCE] = np.inf
        return -1.0
    low, high = 0.0, 1.0
    if curled:
        low, high = best_sample(T, feature, close, shape, turn, offset, out)
    below = probe(T, feature, low, close, shape, turn, offset, out)
    if below >= 0.0:
        return low
    start, before = out[DISTANCE], (out[GX], out[GY], out[GZ])
    above = probe(T, feature, high, close, shape, turn, offset, out)
    if above <= 0.0:
        return high
    stop, behind = out[DISTANCE], (out[GX], out[GY], out[GZ])
    for round_ in range(ROUNDS):
        part = 0.5
        if round_ % 5 % 2 == 0:
            part = (stop - start - above * (high - low)) / ((below - above) * (high - low))
        elif round_ % 5 < 4:
            part = below / (below - above)
        share = low + min(max(part, 1e-3), 1.0 - 1e-3) * (high - low)
        slope = probe(T, feature, share, close, shape, turn, offset, out)
        if abs(slope) < close * length:
            return share
        if slope > 0.0:
            high, above, stop, behind = share, slope, out[DISTANCE], (out[GX], out[GY], out[GZ])
        else:
            low, below, start, before = share, slope, out[DISTANCE], (out[GX], out[GY], out[GZ])
        if high - low < close:
            break
    share = low if above > -below else high
    probe(T, feature, share, close, shape, turn, offset, out)
    set_kink_slope(out, before, behind, below, above)
    return share


@kernel
def best_sample(
    T: Tables, feature: int, close: float, shape: int, turn: Matrix3, offset: Vector3, out: Floats
) -> tuple[float, float]:
    """Shares on both sides of the sample that is nearest."""
    best, at = np.inf, 0
    for i in range(SAMPLES):
        probe(T, feature, i / (SAMPLES - 1.0), close, shape, turn, offset, out)
        if out[DISTANCE] < best:
            best, at = out[DISTANCE], i
    return max(at - 1, 0) / (SAMPLES - 1.0), min(at + 1, SAMPLES - 1) / (SAMPLES - 1.0)


@kernel
def set_kink_slope(
    out: Floats, before: Vector3, behind: Vector3, below: float, above: float
) -> None:
    """At a kink the gradient is what lies between those of both sides and square to the feature:
    how the least distance changes as the feature moves."""
    for k in range(3):
        out[1 + k] = (above * before[k] - below * behind[k]) / (above - below)


@kernel
def end_of_stretch(
    T: Tables, found: Floats, along: Vector3, outer: float, level: float, close: float, shape: int
) -> tuple[float, float]:
    """How far from the deepest place the distance stays below `level`, as a share of `along`.

    found : what probe() left at the deepest place;  along : (3,) the feature, axes of the other
    outer : share, with sign, where the feature ends
    The first try is on the chord, the others by Newton's method; where that leads out of what is
    known to enclose the place, halves.
    Returns the share and the distance there.
    """
    value, slope = distance_along(T, found, along, outer, shape)
    above = value - level
    if above <= 0.0:
        return outer, value
    inner, below, share = 0.0, found[0] - level, 0.0
    next_ = -below * outer / (above - below)
    for _ in range(ROUNDS):
        share = next_
        value, slope = distance_along(T, found, along, share, shape)
        off = value - level
        if abs(off) < LEVEL * close * (level - found[0]):
            break
        if off > 0.0:
            outer, above = share, off
        else:
            inner, below = share, off
        next_ = share - off / slope if slope != 0.0 else inner
        if not min(inner, outer) < next_ < max(inner, outer):
            next_ = 0.5 * (inner + outer)
        if abs(next_ - share) < close:
            break
    return share, value


@kernel
def distance_along(
    T: Tables, found: Floats, along: Vector3, share: float, shape: int
) -> tuple[float, float]:
    """The distance at a share of the way from the deepest place, and its slope along it."""
    d, gx, gy, gz = field(
        T, shape,
        found[CORE_X] + share * along[0], found[CORE_Y] + share * along[1],
        found[CORE_Z] + share * along[2],
    )  # fmt: skip
    return d, gx * along[0] + gy * along[1] + gz * along[2]
