"""Where a line comes nearest to a bar, a block or the wall of a bore, in closed form."""

from __future__ import annotations

from impeto.core.contact.columns import END_X, END_Y, END_Z
from impeto.core.dynamics.kernel import kernel
from impeto.core.geometry.arrays import Floats, Matrix3, Vector3


@kernel
def turned(m: Matrix3, x: float, y: float, z: float) -> tuple[float, float, float]:
    return (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z,
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z,
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z,
    )


@kernel
def nearest_to_bar(value: Floats, turn: Matrix3, offset: Vector3, half: float) -> float:
    """Share of a line that is nearest to the part −half … half of the other's z axis (after
    Ericson, Real-Time Collision Detection, 2005, 5.1.9)."""
    px, py, pz = turned(turn, value[0], value[1], value[2])
    dx, dy, dz = turned(
        turn, value[END_X] - value[0], value[END_Y] - value[1], value[END_Z] - value[2]
    )
    px, py, pz = px + offset[0], py + offset[1], pz + offset[2]
    square = dx * dx + dy * dy + dz * dz
    across = square - dz * dz
    share = 0.5
    if across > 1e-12 * square:
        share = min(max(-(px * dx + py * dy) / across, 0.0), 1.0)
    height = min(max(pz + share * dz, -half), half)
    return min(max(-(px * dx + py * dy + (pz - height) * dz) / square, 0.0), 1.0)


@kernel
def end_in_bore(value: Floats, turn: Matrix3, offset: Vector3, size: Vector3) -> float:
    """The end of a line in the bore of a tube that is nearest to its wall (the distance from it is
    concave along the line); −1 where an end is outside the bore.

    size : outer and inner radius, half length
    """
    share, furthest, middle = -1.0, -1.0, 0.5 * (size[0] + size[1])
    for end in range(2):
        x, y, z = turned(turn, value[3 * end], value[3 * end + 1], value[3 * end + 2])
        x, y, z = x + offset[0], y + offset[1], z + offset[2]
        square = x * x + y * y
        if square >= middle * middle or abs(z) > size[2]:
            return -1.0
        if square > furthest:
            furthest, share = square, float(end)
    return share


@kernel
def nearest_to_block(value: Floats, turn: Matrix3, offset: Vector3, half: Vector3) -> float:
    """Share of a line that is nearest to a block of these half lengths; −1 where it goes through.

    The slope of the squared distance along the line is continuous, never falls, and is linear
    between the planes of the faces: those where it changes sign enclose its root.
    """
    px, py, pz = turned(turn, value[0], value[1], value[2])
    dx, dy, dz = turned(
        turn, value[END_X] - value[0], value[END_Y] - value[1], value[END_Z] - value[2]
    )
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
def slope_to_block(p: Vector3, d: Vector3, half: Vector3, share: float) -> float:
    """Half the slope of the squared distance from a block at a share of the line p + share·d."""
    slope = 0.0
    for k in range(3):
        x = p[k] + share * d[k]
        slope += d[k] * (x - min(max(x, -half[k]), half[k]))
    return slope
