"""Distance fields of shapes: how far a point is outside (positive) or inside a shape, and which way
is out. Points are in the axes of the shape, with its centre as origin.

Convex shapes have their edges rounded by a radius ρ: the field is that of the core (the shape made
smaller by ρ all around), so that a body pressed in by less than ρ is still outside of the core,
where the distance is exact and its gradient continuous.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    FIRST_NODE,
    FIRST_POINT,
    GRID,
    KIND,
    LAST_POINT,
    NODES,
    ORIGIN,
    ROUNDING,
    SIZE,
    STEP,
)
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables
from impeto.core.geometry.arrays import Floats, Rows
from impeto.core.geometry.outline_distance import nearest_on_edge, out_of_edge

BALL, BLOCK, ROUND, PIPE, CAPSULE, CONE, HALF_SPACE, PROFILE, SOLID, DRAWN = range(10)
LAST = 3  # of the four coefficients of a cubic spline


@kernel
def field(T: Tables, shape: int, x: float, y: float, z: float) -> tuple[float, float, float, float]:
    """Distance [m] to the core of a shape and its gradient: (φ, gx, gy, gz)."""
    kind, size = T.shape[shape, KIND], T.shape_value[shape, SIZE : SIZE + 4]
    first, last = T.shape[shape, FIRST_POINT], T.shape[shape, LAST_POINT]
    if kind == BALL:
        return _point_field(x, y, z)
    if kind == BLOCK:
        return _block_field(size, x, y, z)
    if kind == ROUND:
        return _round_field(size[0], 0.0, size[1], x, y, z)
    if kind == PIPE:
        return _round_field(size[0], size[1], size[2], x, y, z)
    if kind == CAPSULE:
        inside = min(max(z, -size[1]), size[1])
        return _point_field(x, y, z - inside)
    if kind == CONE:
        return _revolved_field(T.profile, first, last, x, y, z)
    if kind == PROFILE:
        return _profile_field(T.profile, first, last, size[0], x, y, z)
    if kind == SOLID:
        return _solid_field(T, T.shape[shape, GRID], x, y, z)
    if kind == DRAWN:
        return _drawn_field(T, shape, x, y, z)
    return z, 0.0, 0.0, 1.0  # half-space


@kernel
def _point_field(x: float, y: float, z: float) -> tuple[float, float, float, float]:
    distance = np.sqrt(x * x + y * y + z * z)
    if distance < 1e-300:
        return 0.0, 0.0, 0.0, 1.0
    return distance, x / distance, y / distance, z / distance


@kernel
def _block_field(half: Floats, x: float, y: float, z: float) -> tuple[float, float, float, float]:
    a, b, c = abs(x) - half[0], abs(y) - half[1], abs(z) - half[2]
    sx, sy, sz = np.copysign(1.0, x), np.copysign(1.0, y), np.copysign(1.0, z)
    if a <= 0.0 and b <= 0.0 and c <= 0.0:
        if a >= b and a >= c:
            return a, sx, 0.0, 0.0
        if b >= c:
            return b, 0.0, sy, 0.0
        return c, 0.0, 0.0, sz
    a, b, c = max(a, 0.0), max(b, 0.0), max(c, 0.0)
    distance = np.sqrt(a * a + b * b + c * c)
    return distance, sx * a / distance, sy * b / distance, sz * c / distance


@kernel
def _round_field(
    outer: float, inner: float, half: float, x: float, y: float, z: float
) -> tuple[float, float, float, float]:
    """Solid or hollow round bar along z."""
    radius = np.sqrt(x * x + y * y)
    ux, uy = (x / radius, y / radius) if radius > 1e-300 else (1.0, 0.0)
    middle, wall = 0.5 * (outer + inner), 0.5 * (outer - inner)
    out = 1.0
    if inner == 0.0:
        a = radius - outer
    else:
        out = 1.0 if radius >= middle else -1.0
        a = abs(radius - middle) - wall
    b = abs(z) - half
    sz = np.copysign(1.0, z)
    if a <= 0.0 and b <= 0.0:
        if a >= b:
            return a, out * ux, out * uy, 0.0
        return b, 0.0, 0.0, sz
    a, b = max(a, 0.0), max(b, 0.0)
    distance = np.sqrt(a * a + b * b)
    return distance, out * ux * a / distance, out * uy * a / distance, sz * b / distance


@kernel
def _outline_field(
    profile: Rows, first: int, last: int, u: float, v: float
) -> tuple[float, float, float]:
    """Signed distance to a closed outline in the plane and its gradient: (φ, gu, gv).

    Nearest point of all edges; inside by counting crossings.
    """
    best, nu, nv = np.inf, 1.0, 0.0
    inside = False
    for i in range(first, last):
        j = i + 1 if i + 1 < last else first
        au, av = profile[i, 0], profile[i, 1]
        bu, bv = profile[j, 0], profile[j, 1]
        du, dv = bu - au, bv - av
        share = ((u - au) * du + (v - av) * dv) / (du * du + dv * dv)
        share = min(max(share, 0.0), 1.0)
        ru, rv = u - au - share * du, v - av - share * dv
        square = ru * ru + rv * rv
        if square < best:
            best = square
            if square > 1e-30:
                nu, nv = ru, rv
            else:
                nu, nv = dv, -du  # on the edge: to its right, outwards for outlines anticlockwise
        if (av > v) != (bv > v) and u < au + (v - av) / dv * du:
            inside = not inside
    size = np.sqrt(nu * nu + nv * nv)
    distance = np.sqrt(best)
    if inside and best > 1e-30:
        return -distance, -nu / size, -nv / size
    return distance, nu / size, nv / size


@kernel
def _revolved_field(
    profile: Rows, first: int, last: int, x: float, y: float, z: float
) -> tuple[float, float, float, float]:
    """An outline of radius and height turned about z; its edge on the axis counts as inside."""
    radius = np.sqrt(x * x + y * y)
    ux, uy = (x / radius, y / radius) if radius > 1e-300 else (1.0, 0.0)
    distance, gr, gz = _outline_field(profile, first, last, radius, z)
    return distance, gr * ux, gr * uy, gz


@kernel
def _profile_field(
    profile: Rows, first: int, last: int, half_width: float, x: float, y: float, z: float
) -> tuple[float, float, float, float]:
    """A road: the solid below a line of height over x, rising in x, as wide as ±half_width in y.

    The line goes on level at both ends.
    """
    low, high = first, last - 1
    if x <= profile[low, 0]:
        best, nx, nz = abs(z - profile[low, 1]), 0.0, z - profile[low, 1]
        above = nz > 0.0
        start, stop = low, low + 1
    elif x >= profile[high, 0]:
        best, nx, nz = abs(z - profile[high, 1]), 0.0, z - profile[high, 1]
        above = nz > 0.0
        start, stop = high - 1, high
    else:
        while high - low > 1:
            middle = (low + high) // 2
            if profile[middle, 0] <= x:
                low = middle
            else:
                high = middle
        width = profile[high, 0] - profile[low, 0]
        slope = (profile[high, 1] - profile[low, 1]) / width
        line = profile[low, 1] + slope * (x - profile[low, 0])
        above = z > line
        best, nx, nz = abs(z - line), 0.0, z - line
        start, stop = low, high
    i = start
    while i < last - 1 and profile[i, 0] - x < best:  # to the right as far as it can matter
        best, nx, nz = _nearer(profile, i, x, z, best, nx, nz)
        i += 1
    i = stop - 1
    while i >= first and x - profile[i + 1, 0] < best:
        best, nx, nz = _nearer(profile, i, x, z, best, nx, nz)
        i -= 1
    sign = 1.0 if above else -1.0
    if best > 1e-15:
        nx, nz = sign * nx / best, sign * nz / best
    else:
        nx, nz = 0.0, 1.0
    out = abs(y) - half_width
    if out > 0.0:
        if not above:
            return out, 0.0, np.copysign(1.0, y), 0.0
        distance = np.sqrt(best * best + out * out)
        return (
            distance, nx * best / distance, np.copysign(out / distance, y), nz * best / distance
        )  # fmt: skip
    return sign * best, nx, 0.0, nz


@kernel
def _nearer(
    profile: Rows, i: int, x: float, z: float, best: float, nx: float, nz: float
) -> tuple[float, float, float]:
    """The nearer of what was found so far and edge i: distance and vector from the line."""
    ax, az = profile[i, 0], profile[i, 1]
    dx, dz = profile[i + 1, 0] - ax, profile[i + 1, 1] - az
    share = ((x - ax) * dx + (z - az) * dz) / (dx * dx + dz * dz)
    share = min(max(share, 0.0), 1.0)
    rx, rz = x - ax - share * dx, z - az - share * dz
    distance = np.sqrt(rx * rx + rz * rz)
    if distance < best:
        return distance, rx, rz
    return best, nx, nz


@kernel
def _drawn_field(
    T: Tables, shape: int, x: float, y: float, z: float
) -> tuple[float, float, float, float]:
    """An outline drawn out along z, smaller by its rounding; z = 0 in the middle."""
    rounding = T.shape_value[shape, ROUNDING]
    a, gx, gy = plane_field(T, T.shape[shape, GRID], x, y)
    a, b = a + rounding, abs(z) - T.shape_value[shape, SIZE]
    sz = np.copysign(1.0, z)
    if a <= 0.0 and b <= 0.0:
        if a >= b:
            return a, gx, gy, 0.0
        return b, 0.0, 0.0, sz
    a, b = max(a, 0.0), max(b, 0.0)
    distance = np.sqrt(a * a + b * b)
    return distance, gx * a / distance, gy * a / distance, sz * b / distance


@kernel
def plane_field(T: Tables, grid: int, x: float, y: float) -> tuple[float, float, float]:
    """Signed distance to an outline and its gradient: (φ, gx, gy).

    Beyond its cells: a bound that is never more than the distance.
    """
    value, first = T.grid_value[grid], T.grid[grid, FIRST_NODE]
    nx, ny, h = T.grid[grid, NODES], T.grid[grid, NODES + 1], value[STEP]
    px, py = (x - value[ORIGIN]) / h, (y - value[ORIGIN + 1]) / h
    qx, qy = min(max(px, 0.0), float(nx)), min(max(py, 0.0), float(ny))
    cell = first + min(int(qx), nx - 1) * ny + min(int(qy), ny - 1)
    ox, oy = h * (px - qx), h * (py - qy)
    d, gx, gy, sign, nearest = np.inf, 1.0, 0.0, 1.0, 0
    for k in range(T.cell[cell], T.cell[cell + 1]):
        found = nearest_on_edge(T.edge, T.cell_edge[k], x - ox, y - oy)
        if found[0] < d:
            d, gx, gy, sign = found
            nearest = T.cell_edge[k]
    if d > 1e-12:
        gx, gy = sign * gx / d, sign * gy / d
    else:
        gx, gy = out_of_edge(T.edge, nearest, x - ox, y - oy)
    d *= sign
    if ox == 0.0 and oy == 0.0:
        return d, gx, gy
    whole = np.sqrt(d * d + ox * ox + oy * oy)
    return whole, (d * gx + ox) / whole, (d * gy + oy) / whole


@kernel
def _solid_field(
    T: Tables, grid: int, x: float, y: float, z: float
) -> tuple[float, float, float, float]:
    """Signed distance to a solid and its gradient, from the spline; beyond the grid as above."""
    value, first = T.grid_value[grid], T.grid[grid, FIRST_NODE]
    nx, ny, nz = T.grid[grid, NODES], T.grid[grid, NODES + 1], T.grid[grid, NODES + 2]
    hx, hy, hz = value[STEP], value[STEP + 1], value[STEP + 2]
    px, py, pz = (
        (x - value[ORIGIN]) / hx, (y - value[ORIGIN + 1]) / hy, (z - value[ORIGIN + 2]) / hz,
    )  # fmt: skip
    qx, qy, qz = (
        min(max(px, 1.0), nx - 2.0), min(max(py, 1.0), ny - 2.0), min(max(pz, 1.0), nz - 2.0),
    )  # fmt: skip
    i, j, k = min(int(qx), nx - 3), min(int(qy), ny - 3), min(int(qz), nz - 3)
    u, v, w = _weights(qx - i), _weights(qy - j), _weights(qz - k)
    du, dv, dw = _slopes(qx - i), _slopes(qy - j), _slopes(qz - k)
    d, gx, gy, gz = 0.0, 0.0, 0.0, 0.0
    for a in range(4):
        sheet, across, along = 0.0, 0.0, 0.0
        for b in range(4):
            row = first + ((i - 1 + a) * ny + j - 1 + b) * nz + k - 1
            line, slope = _mixed(T.coefficient, row, w, dw)
            sheet += _nth(v, b) * line
            across += _nth(dv, b) * line
            along += _nth(v, b) * slope
        d += _nth(u, a) * sheet
        gx += _nth(du, a) * sheet
        gy += _nth(u, a) * across
        gz += _nth(u, a) * along
    gx, gy, gz = gx / hx, gy / hy, gz / hz
    ox, oy, oz = hx * (px - qx), hy * (py - qy), hz * (pz - qz)
    if ox == 0.0 and oy == 0.0 and oz == 0.0:
        return d, gx, gy, gz
    whole = np.sqrt(d * d + ox * ox + oy * oy + oz * oz)
    return whole, (d * gx + ox) / whole, (d * gy + oy) / whole, (d * gz + oz) / whole


@kernel
def _weights(t: float) -> tuple[float, float, float, float]:
    """Of the four coefficients around t (0 to 1) in a cubic B-spline."""
    s = 1.0 - t
    return (
        s * s * s / 6.0, (4.0 - 6.0 * t * t + 3.0 * t * t * t) / 6.0,
        (4.0 - 6.0 * s * s + 3.0 * s * s * s) / 6.0, t * t * t / 6.0,
    )  # fmt: skip


@kernel
def _slopes(t: float) -> tuple[float, float, float, float]:
    s = 1.0 - t
    return (
        -0.5 * s * s, 0.5 * t * (3.0 * t - 4.0), 0.5 * s * (4.0 - 3.0 * s), 0.5 * t * t
    )  # fmt: skip


@kernel
def _nth(four: tuple[float, float, float, float], index: int) -> float:
    if index == 0:
        return four[0]
    if index == 1:
        return four[1]
    return four[2] if index == 2 else four[LAST]


@kernel
def _mixed(
    c: Floats, row: int, w: tuple[float, float, float, float],
    dw: tuple[float, float, float, float],
) -> tuple[float, float]:  # fmt: skip
    """Four coefficients weighed both ways."""
    c0, c1, c2, c3 = c[row], c[row + 1], c[row + 2], c[row + 3]
    return (
        c0 * w[0] + c1 * w[1] + c2 * w[2] + c3 * w[LAST],
        c0 * dw[0] + c1 * dw[1] + c2 * dw[2] + c3 * dw[LAST],
    )
