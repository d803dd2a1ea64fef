"""Quick mode: where two blocks touch, from their faces.

The axis along which they are furthest apart, or overlap least, is one of fifteen (Gottschalk, Lin
and Manocha 1996): normals of faces, or products of edges. Along a face, the face of the other that
looks at it is clipped by its sides (Sutherland and Hodgman 1974); the corners of what is left are
the points of contact, eight at most. Their impulses are kept from step to step by their number.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    FEATURE_ROUNDING,
    FIRST_FEATURE,
    FIRST_SLOT,
    FOUND,
    IDLE,
    LOOKED,
    ROUNDING,
    SHAPE_A,
    SHAPE_B,
    SIZE,
    THICKNESS,
)
from impeto.core.contact.touch import set_apart, touch
from impeto.core.dynamics.kernel import copy, kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.dynamics.vectors import dot
from impeto.core.geometry.arrays import Floats, Ints, Matrix3, Rows, Vector3

CORNERS = 8  # at most, of a face that is clipped by another
FACES_FIRST = 0.02  # of the thickness: by how much an edge must be better than a face
PARALLEL = 1e-6  # square of the sine between edges that count as parallel
# Rows of S.contact_clip (32, 4): two polygons (with the distance last), the turn and offset of the
# block that is clipped, half sizes of A and B, the axis found.
FIRST_POLYGON, SECOND_POLYGON, TURN, OFFSET, HALF_A, HALF_B, AXIS = 0, 12, 24, 27, 28, 29, 30
GAP = 3  # of a corner, behind its place: how far it is from the other face


@kernel
def touch_blocks(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, bristles: Floats,
    rates: Floats, absorbed: Floats, belts: Floats,
) -> float:  # fmt: skip
    """The points where two blocks touch, or may within the reach, into the slots of the row;
    returns how far [m] they are apart at least.

    turn, offset : (3, 3), (3,) from the axes of A to those of B
    """
    a, b, clip, out = row[SHAPE_A], row[SHAPE_B], S.contact_clip, S.contact_work[FOUND]
    slot = row[FIRST_SLOT]
    gap, kind, i, k = furthest_axis(T, S, a, b, turn, offset, S.near_margin[LOOKED])
    if gap > S.near_margin[LOOKED]:
        if row[IDLE] == 0:
            set_apart(S.patch, slot, CORNERS)
            row[IDLE] = 1
        return gap
    row[IDLE] = 0
    points = 1
    if kind == 2:
        cross_edges(clip, turn, offset, i, k)
    else:
        points = clipped_face(clip, turn, offset, kind, i)
    f = T.shape[a, FIRST_FEATURE]
    rounding_a, rounding_b = T.feature_value[f, FEATURE_ROUNDING], T.shape_value[b, ROUNDING]
    axis = clip[AXIS]
    for corner in range(CORNERS):
        point = clip[FIRST_POLYGON + corner]
        if corner >= points or point[GAP] > S.near_margin[LOOKED]:
            set_apart(S.patch, slot + corner, 1)
            continue
        out[0] = point[GAP] + rounding_a + rounding_b
        for c in range(3):
            out[1 + c] = axis[c]
            out[4 + c] = point[c] + rounding_a * axis[c]
        weight = 1.0 / points
        touch(T, S, row, f, slot + corner, weight, 0, bristles, rates, absorbed, belts)
    return gap


@kernel
def furthest_axis(
    T: Tables, S: Workspace, a: int, b: int, turn: Matrix3, offset: Vector3, reach: float
) -> tuple[float, int, int, int]:
    """Distance [m] of two blocks along the axis where it is largest (negative: how deep), what the
    axis is (0 normal of B, 1 of A, 2 product of edges), and which axes of B and of A.

    Leaves half sizes and the axis, from B to A and in the axes of B, in S.contact_clip; no axis
    where a face shows that they are farther apart than `reach` [m].
    """
    half_a, half_b, axis = S.contact_clip[HALF_A], S.contact_clip[HALF_B], S.contact_clip[AXIS]
    for c in range(3):
        half_a[c] = T.shape_value[a, SIZE + c] + T.shape_value[a, ROUNDING]
        half_b[c] = T.shape_value[b, SIZE + c] + T.shape_value[b, ROUNDING]
    best, kind, first, second = -1e300, 0, 0, 0
    for i in range(3):
        halves = half_b[i]
        for k in range(3):
            halves += abs(turn[i, k]) * half_a[k]
        apart = abs(offset[i]) - halves
        if apart > best:
            best, kind, first = apart, 0, i
    for k in range(3):
        halves, along = half_a[k], 0.0
        for i in range(3):
            halves += abs(turn[i, k]) * half_b[i]
            along += turn[i, k] * offset[i]
        apart = abs(along) - halves
        if apart > best:
            best, kind, first = apart, 1, k
    if best > reach:
        return best, kind, first, second
    thin = min(T.shape_value[a, THICKNESS], T.shape_value[b, THICKNESS])
    faces = best
    for i in range(3):
        for k in range(3):
            square = 1.0 - turn[i, k] * turn[i, k]
            if square < PARALLEL:
                continue
            apart = edges_apart(turn, offset, half_a, half_b, i, k) / np.sqrt(square)
            if apart > max(best, faces + FACES_FIRST * thin):
                best, kind, first, second = apart, 2, i, k
    for c in range(3):
        axis[c] = 0.0
        if kind == 0:
            axis[c] = 1.0 if c == first else 0.0
        elif kind == 1:
            axis[c] = turn[c, first]
    if kind == 2:
        i, j, m = first, (first + 1) % 3, (first + 2) % 3
        size = np.sqrt(1.0 - turn[i, second] * turn[i, second])
        axis[i], axis[j], axis[m] = 0.0, -turn[m, second] / size, turn[j, second] / size
    if dot(axis, offset) < 0.0:
        for c in range(3):
            axis[c] = -axis[c]
    return best, kind, first, second


@kernel
def edges_apart(
    turn: Matrix3, offset: Vector3, half_a: Floats, half_b: Floats, i: int, k: int
) -> float:
    """Distance along the product of edge i of B and edge k of A, times the size of that."""
    j, m = (i + 1) % 3, (i + 2) % 3
    u, v = (k + 1) % 3, (k + 2) % 3
    along = abs(offset[m] * turn[j, k] - offset[j] * turn[m, k])
    reach = half_b[j] * abs(turn[m, k]) + half_b[m] * abs(turn[j, k])
    return along - reach - half_a[u] * abs(turn[i, v]) - half_a[v] * abs(turn[i, u])


@kernel
def cross_edges(clip: Rows, turn: Matrix3, offset: Vector3, i: int, k: int) -> None:
    """The one point where edge k of A crosses edge i of B, on A, with the distance from B."""
    axis, half_a, half_b, out = clip[AXIS], clip[HALF_A], clip[HALF_B], clip[FIRST_POLYGON]
    p, q = clip[SECOND_POLYGON], clip[SECOND_POLYGON + 1]  # middles of the edges of A and of B
    for c in range(3):
        p[c] = offset[c]
        q[c] = 0.0 if c == i else half_b[c] * (1.0 if axis[c] > 0.0 else -1.0)
    for m in range(3):
        if m != k:
            inline = axis[0] * turn[0, m] + axis[1] * turn[1, m] + axis[2] * turn[2, m]
            for c in range(3):
                p[c] -= half_a[m] * (1.0 if inline > 0.0 else -1.0) * turn[c, m]
    # Nearest points of the lines p + s·(edge of A) and q + r·(unit vector i).
    cosine, along_a, along_b = turn[i, k], 0.0, p[i] - q[i]
    for c in range(3):
        along_a += turn[c, k] * (p[c] - q[c])
    s = (cosine * along_b - along_a) / (1.0 - cosine * cosine)
    s = min(max(s, -half_a[k]), half_a[k])
    apart = 0.0
    for c in range(3):
        out[c] = p[c] + s * turn[c, k]
        apart += axis[c] * (p[c] - q[c])
    out[GAP] = apart


@kernel
def clipped_face(clip: Rows, turn: Matrix3, offset: Vector3, kind: int, which: int) -> int:
    """Points of the face of one block that looks at face `which` of the other, within its sides;
    into the first polygon, on A and in the axes of B, with their distance. Returns how many.

    kind : 0 where the face is of B, 1 where it is of A
    """
    M, d = clip[TURN : TURN + 3, 0:3], clip[OFFSET]
    for r in range(3):  # of the block that is clipped, in the axes of the other
        d[r] = offset[r]
        for c in range(3):
            M[r, c] = turn[r, c] if kind == 0 else turn[c, r]
    if kind == 1:
        for r in range(3):
            d[r] = -(turn[0, r] * offset[0] + turn[1, r] * offset[1] + turn[2, r] * offset[2])
    own, other = clip[HALF_B if kind == 0 else HALF_A], clip[HALF_A if kind == 0 else HALF_B]
    side = 1.0 if d[which] > 0.0 else -1.0
    count = looking_face(clip, M, d, other, which, side)
    begin = FIRST_POLYGON
    for turn_ in range(2):
        across = (which + 1 + turn_) % 3
        for sign in (-1.0, 1.0):
            into = SECOND_POLYGON if begin == FIRST_POLYGON else FIRST_POLYGON
            count = cut(clip, begin, count, into, across, sign, own[across])
            begin = into
    for r in range(count):  # four cuts have led back to the first polygon
        point = clip[FIRST_POLYGON + r]
        point[GAP] = side * point[which] - own[which]
        if kind == 1:
            to_other(point, turn, offset, clip[AXIS])
    return count


@kernel
def looking_face(clip: Rows, M: Matrix3, d: Floats, half: Floats, which: int, side: float) -> int:
    """Corners of the face that looks against `side` of axis `which`, into the first polygon."""
    k = 0
    for c in range(1, 3):
        if abs(M[which, c]) > abs(M[which, k]):
            k = c
    facing = -1.0 if side * M[which, k] > 0.0 else 1.0
    u, v = (k + 1) % 3, (k + 2) % 3
    for corner in range(4):
        su = half[u] if corner == 1 or corner == 2 else -half[u]
        sv = half[v] if corner >= 2 else -half[v]
        for r in range(3):
            clip[FIRST_POLYGON + corner, r] = (
                d[r] + facing * half[k] * M[r, k] + su * M[r, u] + sv * M[r, v]
            )
    return 4


@kernel
def cut(
    clip: Rows, begin: int, count: int, into: int, across: int, sign: float, limit: float
) -> int:
    """The part of a polygon where sign · coordinate ≤ limit; returns its number of corners."""
    made = 0
    for r in range(count):
        here, there = clip[begin + r], clip[begin + (r + 1) % count]
        p, q = sign * here[across] - limit, sign * there[across] - limit
        if p <= 0.0:
            copy(here[0:3], clip[into + made])
            made += 1
        if (p < 0.0 < q) or (q < 0.0 < p):
            share = p / (p - q)
            for c in range(3):
                clip[into + made, c] = here[c] + share * (there[c] - here[c])
            made += 1
    return made


@kernel
def to_other(point: Floats, turn: Matrix3, offset: Vector3, axis: Floats) -> None:
    """A point of B in the axes of A to the point of A over it in the axes of B."""
    x, y, z = point[0], point[1], point[2]
    for c in range(3):
        point[c] = turn[c, 0] * x + turn[c, 1] * y + turn[c, 2] * z + offset[c]
        point[c] += point[GAP] * axis[c]
