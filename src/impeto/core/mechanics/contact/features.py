"""Where a shape touches another: features of the one (points, lines, round bars) held against the
distance field of the other.

A line or a round bar touches at two points: the ends of the stretch along which it is nearly as
deep as at its deepest point. So a log that lies on a beam rests on both ends of what overlaps, and
one that crosses a pole on two points close together, and all of them move continuously.
"""

from __future__ import annotations

import numpy as np

from impeto.core.mechanics.contact.columns import KIND, SIZE
from impeto.core.mechanics.contact.fields import (
    BLOCK,
    CAPSULE,
    CONE,
    DRAWN,
    PIPE,
    PROFILE,
    SOLID,
    field,
)
from impeto.core.mechanics.kernel import kernel

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
def probe(T, feature, share, close, shape, turn, offset, out):
    """Least distance of the cross-section at `share` (0 to 1) of a feature to another shape.

    close : see CLOSE;  turn, offset : (3, 3), (3,) from own axes to those of the other shape
    out : (7,) distance, gradient (3), point (3), in the axes of the other; written
    Returns the slope of the distance along the share.
    """
    value = T.feature_value[feature]
    along = (value[3] - value[0], value[4] - value[1], value[5] - value[2])
    p = (
        value[0] + share * along[0], value[1] + share * along[1], value[2] + share * along[2],
    )  # fmt: skip
    x, y, z = _turned(turn, p[0], p[1], p[2])
    x, y, z = x + offset[0], y + offset[1], z + offset[2]
    d, gx, gy, gz = field(T, shape, x, y, z)
    tx, ty, tz = _turned(turn, along[0], along[1], along[2])
    widening = 0.0
    if T.feature[feature] == BARREL:
        length = np.sqrt(tx * tx + ty * ty + tz * tz)
        ax, ay, az = tx / length, ty / length, tz / length
        radius = value[6] + share * (value[7] - value[6])
        d, gx, gy, gz, ux, uy, uz = _around(
            T, shape, close, x, y, z, ax, ay, az, radius, d, gx, gy, gz
        )
        x, y, z = x - radius * ux, y - radius * uy, z - radius * uz
        widening = -(value[7] - value[6]) * (gx * ux + gy * uy + gz * uz)
    out[0], out[1], out[2], out[3] = d, gx, gy, gz
    out[4], out[5], out[6] = x, y, z
    return gx * tx + gy * ty + gz * tz + widening


@kernel
def _around(T, shape, close, cx, cy, cz, ax, ay, az, radius, d, gx, gy, gz):
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
def _between(T, shape, close, cx, cy, cz, radius, here, beyond, b, u):
    """The same on the arc between two of its points, of which the first is deeper."""
    slope, above = 0.0, 1.0
    for _ in range(HALVINGS):
        tx, ty, tz = b[0] - u[0], b[1] - u[1], b[2] - u[2]
        slope = here[1] * tx + here[2] * ty + here[3] * tz
        above = beyond[1] * tx + beyond[2] * ty + beyond[3] * tz
        if tx * tx + ty * ty + tz * tz < (SHARPLY * close) ** 2:
            break
        mx, my, mz = b[0] + u[0], b[1] + u[1], b[2] + u[2]
        across = np.sqrt(mx * mx + my * my + mz * mz)
        if across < 1e-9:
            break
        mx, my, mz = mx / across, my / across, mz / across
        middle = field(T, shape, cx - radius * mx, cy - radius * my, cz - radius * mz)
        if middle[1] * tx + middle[2] * ty + middle[3] * tz > 0.0:
            beyond, u = middle, (mx, my, mz)
        else:
            here, b = middle, (mx, my, mz)
    d, gx, gy, gz = here
    if slope < 0.0 < above:
        w = above / (above - slope)
        gx = w * gx + (1.0 - w) * beyond[1]
        gy = w * gy + (1.0 - w) * beyond[2]
        gz = w * gz + (1.0 - w) * beyond[3]
    return d, gx, gy, gz, b[0], b[1], b[2]


@kernel
def _turned(m, x, y, z):
    return (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z,
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z,
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z,
    )


@kernel
def deepest(T, feature, reach, close, shape, turn, offset, out):
    """Share at which a line or bar comes nearest to the other shape, to `close`; −1 when farther
    than `reach`.

    Leaves what probe() found there in `out`. The distance to a convex shape is convex along a
    line: its slope changes sign once: at a kink where the tangents of both sides meet, otherwise
    near the root of the secant; both are tried, and halves.
    """
    value, kind = T.feature_value[feature], T.shape[shape, KIND]
    length = np.sqrt(
        (value[3] - value[0]) ** 2 + (value[4] - value[1]) ** 2 + (value[5] - value[2]) ** 2
    )
    if T.feature[feature] == LINE and kind == CAPSULE:
        share = nearest_to_bar(value, turn, offset, T.shape_value[shape, SIZE + 1])
        probe(T, feature, share, close, shape, turn, offset, out)
        return share if out[0] <= reach else -1.0
    if T.feature[feature] == LINE and (kind == PIPE or kind == BLOCK):
        size = T.shape_value[shape, SIZE : SIZE + 3]
        if kind == PIPE:
            share = end_in_bore(value, turn, offset, size)
        else:
            share = nearest_to_block(value, turn, offset, size)
        if share >= 0.0:
            probe(T, feature, share, close, shape, turn, offset, out)
            return share if out[0] <= reach else -1.0
    curled = kind == PIPE or kind == PROFILE or kind == CONE or kind == SOLID or kind == DRAWN
    slope = probe(T, feature, 0.5, close, shape, turn, offset, out)
    # no nearer than the tangent where the distance is convex, than straight towards it elsewhere
    if out[0] - 0.5 * (length if curled else abs(slope)) > reach:
        return -1.0
    low, high = 0.0, 1.0
    if curled:
        best, at = np.inf, 0
        for i in range(SAMPLES):
            probe(T, feature, i / (SAMPLES - 1.0), close, shape, turn, offset, out)
            if out[0] < best:
                best, at = out[0], i
        low = max(at - 1, 0) / (SAMPLES - 1.0)
        high = min(at + 1, SAMPLES - 1) / (SAMPLES - 1.0)
    below = probe(T, feature, low, close, shape, turn, offset, out)
    if below >= 0.0:
        return low if out[0] <= reach else -1.0
    start, before = out[0], (out[1], out[2], out[3])
    above = probe(T, feature, high, close, shape, turn, offset, out)
    if above <= 0.0:
        return high if out[0] <= reach else -1.0
    stop, behind = out[0], (out[1], out[2], out[3])
    for round_ in range(ROUNDS):
        part = 0.5
        if round_ % 5 % 2 == 0:
            part = (stop - start - above * (high - low)) / ((below - above) * (high - low))
        elif round_ % 5 < 4:
            part = below / (below - above)
        share = low + min(max(part, 1e-3), 1.0 - 1e-3) * (high - low)
        slope = probe(T, feature, share, close, shape, turn, offset, out)
        if abs(slope) < close * length:
            return share if out[0] <= reach else -1.0
        if slope > 0.0:
            high, above, stop, behind = share, slope, out[0], (out[1], out[2], out[3])
        else:
            low, below, start, before = share, slope, out[0], (out[1], out[2], out[3])
        if high - low < close:
            break
    share = low if above > -below else high
    probe(T, feature, share, close, shape, turn, offset, out)
    set_kink_slope(out, before, behind, below, above)
    return share if out[0] <= reach else -1.0


@kernel
def set_kink_slope(out, before, behind, below, above):
    """At a kink the gradient is what lies between those of both sides and square to the feature:
    how the least distance changes as the feature moves."""
    for k in range(3):
        out[1 + k] = (above * before[k] - below * behind[k]) / (above - below)


@kernel
def nearest_to_bar(value, turn, offset, half):
    """Share of a line that is nearest to the part −half … half of the other's z axis (after
    Ericson, Real-Time Collision Detection, 2005, 5.1.9)."""
    px, py, pz = _turned(turn, value[0], value[1], value[2])
    dx, dy, dz = _turned(turn, value[3] - value[0], value[4] - value[1], value[5] - value[2])
    px, py, pz = px + offset[0], py + offset[1], pz + offset[2]
    square = dx * dx + dy * dy + dz * dz
    across = square - dz * dz
    share = 0.5
    if across > 1e-12 * square:
        share = min(max(-(px * dx + py * dy) / across, 0.0), 1.0)
    height = min(max(pz + share * dz, -half), half)
    return min(max(-(px * dx + py * dy + (pz - height) * dz) / square, 0.0), 1.0)


@kernel
def nearest_to_block(value, turn, offset, half):
    """Share of a line that is nearest to a block of these half lengths; −1 where it goes through.

    The slope of the squared distance along the line is continuous, never falls, and is linear
    between the planes of the faces: those where it changes sign enclose its root.
    """
    px, py, pz = _turned(turn, value[0], value[1], value[2])
    dx, dy, dz = _turned(turn, value[3] - value[0], value[4] - value[1], value[5] - value[2])
    p, d = (px + offset[0], py + offset[1], pz + offset[2]), (dx, dy, dz)
    low, high = 0.0, 1.0
    below, above = slope_to_block(p, d, half, low), slope_to_block(p, d, half, high)
    share = 0.5
    if below >= 0.0:
        share = low
    elif above <= 0.0:
        share = high
    else:
        for side in range(6):
            k = side // 2
            level = half[k] if side % 2 == 0 else -half[k]
            if abs(d[k]) < 1e-300:
                continue
            at = (level - p[k]) / d[k]
            if not low < at < high:
                continue
            slope = slope_to_block(p, d, half, at)
            if slope > 0.0:
                high, above = at, slope
            else:
                low, below = at, slope
        share = low - below * (high - low) / (above - below)
    for k in range(3):
        if abs(p[k] + share * d[k]) > half[k]:
            return share
    return -1.0


@kernel
def slope_to_block(p, d, half, share):
    """Half the slope of the squared distance from a block at a share of the line p + share·d."""
    slope = 0.0
    for k in range(3):
        x = p[k] + share * d[k]
        slope += d[k] * (x - min(max(x, -half[k]), half[k]))
    return slope


@kernel
def end_in_bore(value, turn, offset, size):
    """The end of a line in the bore of a tube that is nearest to its wall (the distance from it is
    concave along the line); −1 where an end is outside the bore.

    size : outer and inner radius, half length
    """
    share, furthest, middle = -1.0, -1.0, 0.5 * (size[0] + size[1])
    for end in range(2):
        x, y, z = _turned(turn, value[3 * end], value[3 * end + 1], value[3 * end + 2])
        x, y, z = x + offset[0], y + offset[1], z + offset[2]
        square = x * x + y * y
        if square >= middle * middle or abs(z) > size[2]:
            return -1.0
        if square > furthest:
            furthest, share = square, float(end)
    return share


@kernel
def end_of_stretch(T, found, along, outer, level, close, shape):
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
def distance_along(T, found, along, share, shape):
    """The distance at a share of the way from the deepest place, and its slope along it."""
    d, gx, gy, gz = field(
        T, shape,
        found[4] + share * along[0], found[5] + share * along[1], found[6] + share * along[2],
    )  # fmt: skip
    return d, gx * along[0] + gy * along[1] + gz * along[2]
