"""Places of contact that are followed over the surface of a sampled shape A: where its distance to
shape B is locally least.

Each place belongs to a sample of the surface and stays near it: along a crease, around a rim, or
over what is smooth. It goes downhill by Newton steps whose curvature is found once a step of the
run (the idea of descending from samples: Macklin et al. 2020). Where that is flat, a slight pull
back to the sample keeps the supports apart while it tilts by less than contacts give way. Between
steps a place changes to the sample that it has come nearest to, places that have met become one,
and new ones are sought among all samples.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    ANCHOR,
    BOUND,
    GRID,
    GX,
    GY,
    GZ,
    NOW,
    OUTWARD,
    PLANE,
    POINT_AT,
    PULLED,
    REACH,
    ROAM,
    ROUNDING,
    SAMPLE_KIND,
    START,
    TANGENT,
    XY,
    XZ,
    YIELDING,
    YZ,
)
from impeto.core.contact.fields import field, plane_field
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Matrix3, Vector3

CORNER, CREASE, RIM, SMOOTH = range(4)  # as in geometry.samples
PULL = 0.01  # over the extent: curvature of the pull back to the sample
FLAT, ROUND_ENOUGH = 0.02, 0.1  # over the extent: curvatures between which the pull ceases
ROUNDS = 10
STRIDE = 0.3  # of the way it may move: a step of a round at most; curvatures hold no further
AT_BORDER = 0.99  # of the way it may move: a place that would go on
LEVEL = 1e-8  # slope at which a place is found
ITS_SIDE = 0.5  # cosine: what looks further away is around an edge
STRAYED, BACK = 1e-4, 4  # of the way it may move: off the surface; steps back onto that
BEYOND_EDGE = 2.0  # times what the grid may be off: there a flat face is left
NEARBY = 0.05  # of the reach: where curvatures are taken


@kernel
def turned_back(turn: Matrix3, g: Vector3) -> tuple[float, float, float]:
    """From the axes of B to those of A."""
    return (
        turn[0, 0] * g[0] + turn[1, 0] * g[1] + turn[2, 0] * g[2],
        turn[0, 1] * g[0] + turn[1, 1] * g[1] + turn[2, 1] * g[2],
        turn[0, 2] * g[0] + turn[1, 2] * g[1] + turn[2, 2] * g[2],
    )


@kernel
def other_field(
    T: Tables, b: int, turn: Matrix3, offset: Vector3, p: Vector3
) -> tuple[float, float, float, float, float, float, float]:
    """Distance of a point in the axes of A to shape B, the gradient and the point in those of B."""
    x = turn[0, 0] * p[0] + turn[0, 1] * p[1] + turn[0, 2] * p[2] + offset[0]
    y = turn[1, 0] * p[0] + turn[1, 1] * p[1] + turn[1, 2] * p[2] + offset[1]
    z = turn[2, 0] * p[0] + turn[2, 1] * p[1] + turn[2, 2] * p[2] + offset[2]
    d, gx, gy, gz = field(T, b, x, y, z)
    return d, gx, gy, gz, x, y, z


@kernel
def own_field(
    T: Tables, a: int, sample: int, kind: int, p: Vector3
) -> tuple[float, float, float, float]:
    """Distance to the surface that a place stays on, and its direction; 0 on straight ways. A flat
    face of a mesh is known exactly, where its grid would wave beside edges."""
    value = T.sample_value[sample]
    if kind == SMOOTH and value[PLANE] > 0.0:
        n, away = value[OUTWARD : OUTWARD + 3], 0.0
        for k in range(3):
            away += n[k] * (p[k] - value[POINT_AT + k])
        return away, n[0], n[1], n[2]
    if kind == SMOOTH:
        return field(T, a, p[0], p[1], p[2])
    if kind == RIM:
        d, gx, gy = plane_field(T, T.shape[a, GRID], p[0], p[1])
        return d + T.shape_value[a, ROUNDING], gx, gy, 0.0
    return 0.0, 0.0, 0.0, 0.0


@kernel
def allowed(
    T: Tables, sample: int, kind: int, own: tuple[float, float, float, float], g: Vector3
) -> tuple[float, float, float]:
    """The part of a slope along which a place may move."""
    if kind == CORNER:
        return 0.0, 0.0, 0.0
    if kind == CREASE:
        t = T.sample_value[sample, TANGENT : TANGENT + 3]
        along = dot(g, t)
        return along * t[0], along * t[1], along * t[2]
    square = own[GX] * own[GX] + own[GY] * own[GY] + own[GZ] * own[GZ]
    out = (g[0] * own[GX] + g[1] * own[GY] + g[2] * own[GZ]) / max(square, 1e-12)
    gz = 0.0 if kind == RIM else g[2] - out * own[GZ]
    return g[0] - out * own[GX], g[1] - out * own[GY], gz


@kernel
def find_place(
    T: Tables, a: int, b: int, turn: Matrix3, offset: Vector3, patch: Floats, out: Floats
) -> None:
    """Move a place from where the step began to where B is nearest; note it in the patch.

    out : (7,) distance, gradient (3), point (3), in the axes of B; written
    """
    sample = int(patch[ANCHOR])
    kind, home = T.sample[sample, SAMPLE_KIND], T.sample_value[sample, POINT_AT : POINT_AT + 3]
    roam, pull = T.sample_value[sample, ROAM], patch[PULLED]
    c = patch[YIELDING : YIELDING + 6]
    p = (patch[START], patch[START + 1], patch[START + 2])
    before, scale = (0.0, 0.0, 0.0), 1.0
    found = other_field(T, b, turn, offset, p)
    for _ in range(ROUNDS if kind != CORNER else 0):
        own = own_field(T, a, sample, kind, p)
        g = turned_back(turn, (found[GX], found[GY], found[GZ]))
        g = (
            g[0] + pull * (p[0] - home[0]), g[1] + pull * (p[1] - home[1]),
            g[2] + pull * (p[2] - home[2]),
        )  # fmt: skip
        g = allowed(T, sample, kind, own, g)
        step = (
            -c[0] * g[0] - c[XY] * g[1] - c[XZ] * g[2], -c[XY] * g[0] - c[1] * g[1] - c[YZ] * g[2],
            -c[XZ] * g[0] - c[YZ] * g[1] - c[2] * g[2],
        )  # fmt: skip
        if dot(step, before) < 0.0:  # too far, where it goes far: slopes across change at once
            scale *= 0.5
        before = step
        less = scale * min(1.0, STRIDE * roam / max(np.sqrt(dot(step, step)), 1e-300))
        step = (less * step[0], less * step[1], less * step[2])
        square = max(own[GX] * own[GX] + own[GY] * own[GY] + own[GZ] * own[GZ], 1e-12)
        q = (
            p[0] + step[0] - own[0] * own[GX] / square, p[1] + step[1] - own[0] * own[GY] / square,
            p[2] + step[2] - own[0] * own[GZ] / square,
        )  # fmt: skip
        q = within(q, home, roam)
        moved = (q[0] - p[0]) ** 2 + (q[1] - p[1]) ** 2 + (q[2] - p[2]) ** 2
        if dot(g, g) < LEVEL * LEVEL and abs(own[0]) < LEVEL * roam:
            break
        p = q
        found = other_field(T, b, turn, offset, p)
        if moved < 1e-20 * roam * roam:
            break
    own = own_field(T, a, sample, kind, p)
    for _ in range(BACK if abs(own[0]) > STRAYED * roam else 0):
        square = max(own[GX] * own[GX] + own[GY] * own[GY] + own[GZ] * own[GZ], 1e-12)
        p = (
            p[0] - own[0] * own[GX] / square, p[1] - own[0] * own[GY] / square,
            p[2] - own[0] * own[GZ] / square,
        )  # fmt: skip
        own, found = own_field(T, a, sample, kind, p), other_field(T, b, turn, offset, p)
    for k in range(7):
        out[k] = found[k]
    if abs(own[0]) > STRAYED * roam:  # it is on no surface, and touches nothing
        out[0] = max(found[0], roam)
    plane = T.sample_value[sample, PLANE]
    if plane > 0.0:  # a face ends at its edges
        out[0] += max(field(T, a, p[0], p[1], p[2])[0] - plane, 0.0)
    patch[NOW], patch[NOW + 1], patch[NOW + 2] = p


@kernel
def is_on_its_side(T: Tables, a: int, patch: Floats) -> bool:
    """Whether the surface at a place looks as at its sample, and not around an edge."""
    sample = int(patch[ANCHOR])
    kind = T.sample[sample, SAMPLE_KIND]
    if kind < RIM:
        return True
    p = (patch[NOW], patch[NOW + 1], patch[NOW + 2])
    if T.sample_value[sample, PLANE] > 0.0:
        return field(T, a, p[0], p[1], p[2])[0] < BEYOND_EDGE * T.sample_value[sample, PLANE]
    _, gx, gy, gz = own_field(T, a, sample, kind, p)
    out = T.sample_value[sample, OUTWARD : OUTWARD + 3]
    size = np.sqrt(gx * gx + gy * gy + gz * gz)
    return gx * out[0] + gy * out[1] + gz * out[2] > ITS_SIDE * size


@kernel
def within(
    q: tuple[float, float, float], home: Vector3, reach: float
) -> tuple[float, float, float]:
    """The point, or where the way there leaves the ball around the sample."""
    x, y, z = q[0] - home[0], q[1] - home[1], q[2] - home[2]
    far = np.sqrt(x * x + y * y + z * z)
    if far <= reach:
        return q
    share = reach / far
    return home[0] + share * x, home[1] + share * y, home[2] + share * z


@kernel
def set_yielding(T: Tables, a: int, b: int, turn: Matrix3, offset: Vector3, patch: Floats) -> None:
    """How far a place moves per slope: the inverse of the curvature of the distance along the
    surface, at the present place; and the pull to its sample."""
    sample = int(patch[ANCHOR])
    kind = T.sample[sample, SAMPLE_KIND]
    p = (patch[NOW], patch[NOW + 1], patch[NOW + 2])
    for k in range(6):
        patch[YIELDING + k] = 0.0
    patch[PULLED] = 0.0
    if kind == CORNER:
        return
    size = T.shape_value[a, BOUND]
    own = own_field(T, a, sample, kind, p)
    here = other_field(T, b, turn, offset, p)
    g = turned_back(turn, (here[GX], here[GY], here[GZ]))
    t, u = directions_of(T, sample, kind, own)
    ht = bent(T, a, b, turn, offset, sample, kind, p, own, g, t)
    tt = dot(t, ht)
    if kind != SMOOTH:
        patch[PULLED] = PULL / size * (1.0 - roundness(tt * size))
        add_yielding(patch, t, max(abs(tt), PULL / size))
        return
    hu = bent(T, a, b, turn, offset, sample, kind, p, own, g, u)
    tu, uu = 0.5 * (dot(u, ht) + dot(t, hu)), dot(u, hu)
    middle, spread = 0.5 * (tt + uu), np.sqrt(0.25 * (tt - uu) ** 2 + tu * tu)
    angle = 0.5 * np.arctan2(2.0 * tu, tt - uu)
    cs, sn = np.cos(angle), np.sin(angle)
    most = (cs * t[0] + sn * u[0], cs * t[1] + sn * u[1], cs * t[2] + sn * u[2])
    least = (cs * u[0] - sn * t[0], cs * u[1] - sn * t[1], cs * u[2] - sn * t[2])
    add_yielding(patch, most, max(abs(middle + spread), PULL / size))
    add_yielding(patch, least, max(abs(middle - spread), PULL / size))
    patch[PULLED] = PULL / size * (1.0 - roundness((middle - spread) * size))


@kernel
def roundness(curvature: float) -> float:
    """0 where two surfaces are flat to each other, 1 where they are curved; curvature over the
    extent."""
    share = min(max((curvature - FLAT) / (ROUND_ENOUGH - FLAT), 0.0), 1.0)
    return share * share * (3.0 - 2.0 * share)


@kernel
def directions_of(
    T: Tables, sample: int, kind: int, own: tuple[float, float, float, float]
) -> tuple[Vector3, Vector3]:
    """Unit vectors along which a place may move; the second only on what is smooth."""
    if kind == CREASE:
        edge = T.sample_value[sample, TANGENT : TANGENT + 3]
        return (edge[0], edge[1], edge[2]), (0.0, 0.0, 0.0)
    size = max(np.sqrt(own[GX] * own[GX] + own[GY] * own[GY] + own[GZ] * own[GZ]), 1e-12)
    n = (own[GX] / size, own[GY] / size, own[GZ] / size)
    if kind == RIM:
        return (-n[1], n[0], 0.0), (0.0, 0.0, 0.0)
    other = (1.0, 0.0, 0.0) if abs(n[0]) < 0.7 else (0.0, 1.0, 0.0)
    t = cross(n, other)
    size = np.sqrt(dot(t, t))
    t = (t[0] / size, t[1] / size, t[2] / size)
    return t, cross(n, t)


@kernel
def bent(
    T: Tables, a: int, b: int, turn: Matrix3, offset: Vector3, sample: int, kind: int, p: Vector3,
    own: tuple[float, float, float, float], g: Vector3, t: Vector3,
) -> tuple[float, float, float]:  # fmt: skip
    """Change of the slope, over B and around A together, along a direction: (3,) per metre."""
    eps = NEARBY * T.sample_value[sample, REACH]
    q = (p[0] + eps * t[0], p[1] + eps * t[1], p[2] + eps * t[2])
    there = other_field(T, b, turn, offset, q)
    h = turned_back(turn, (there[GX], there[GY], there[GZ]))
    after = own_field(T, a, sample, kind, q)
    square = max(own[GX] * own[GX] + own[GY] * own[GY] + own[GZ] * own[GZ], 1e-12)
    pressed = -(g[0] * own[GX] + g[1] * own[GY] + g[2] * own[GZ]) / square
    return (
        (h[0] - g[0] + pressed * (after[GX] - own[GX])) / eps,
        (h[1] - g[1] + pressed * (after[GY] - own[GY])) / eps,
        (h[2] - g[2] + pressed * (after[GZ] - own[GZ])) / eps,
    )


@kernel
def add_yielding(patch: Floats, t: Vector3, curvature: float) -> None:
    c = patch[YIELDING : YIELDING + 6]
    c[0] += t[0] * t[0] / curvature
    c[1] += t[1] * t[1] / curvature
    c[2] += t[2] * t[2] / curvature
    c[XY] += t[0] * t[1] / curvature
    c[XZ] += t[0] * t[2] / curvature
    c[YZ] += t[1] * t[2] / curvature


@kernel
def put_at(T: Tables, sample: int, patch: Floats, p: Vector3) -> None:
    """Let a place belong to a sample, at the point (3,) of its way that is nearest to p."""
    kind, value = T.sample[sample, SAMPLE_KIND], T.sample_value[sample]
    home = (value[POINT_AT], value[POINT_AT + 1], value[POINT_AT + 2])
    if kind == CORNER:
        p = home
    elif kind == CREASE:
        t = value[TANGENT : TANGENT + 3]
        along = (p[0] - home[0]) * t[0] + (p[1] - home[1]) * t[1] + (p[2] - home[2]) * t[2]
        along = min(max(along, -value[REACH]), value[REACH])
        p = (home[0] + along * t[0], home[1] + along * t[1], home[2] + along * t[2])
    elif kind == RIM:
        p = (p[0], p[1], home[2])
    patch[ANCHOR] = sample
    for k in range(3):
        patch[START + k] = p[k]
        patch[NOW + k] = p[k]


@kernel
def faces(T: Tables, sample: int, turn: Matrix3, gradient: Vector3, both: int) -> bool:
    """Whether a sample looks towards B: smooth places on the far side of a body do not count.

    both : 1 where the places of B are held against A too: a flat face is then asked for only where
    one of B lies level with it
    """
    if T.sample[sample, SAMPLE_KIND] < RIM:
        return True
    along = dot(T.sample_value[sample, OUTWARD:], turned_back(turn, gradient))
    flat = both == 1 and T.sample_value[sample, PLANE] > 0.0
    return along < (-ITS_SIDE if flat else 0.0)
