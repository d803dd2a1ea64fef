"""Features of solids by numbers, each in the axes of its shape."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import product

import numpy as np

from impeto.core.geometry.arrays import Floats
from impeto.core.geometry.outline_distance import RADIUS
from impeto.core.geometry.swept import Swept

PLANE, AXIS, HOLE, CIRCLE, EDGE, CORNER = "face", "axis", "hole", "circle", "edge", "corner"
CENTRE, MASS, FRAME, MIDDLE = "centre", "centre of mass", "frame", "middle of an edge"
DRAWN_KINDS = (PLANE, AXIS, HOLE, CIRCLE, EDGE, CORNER, CENTRE, MIDDLE)  # of solids
GRID = "grid point"  # of the ground, where its lines cross
X, Y, Z = np.eye(3)


@dataclass(frozen=True, slots=True)
class Feature:
    """point : (3,) m;  direction : unit normal of a face or circle, of an axis or edge, zeros for
    points;  across : a unit vector square to it, or zeros
    radius : m, of axes, holes, circles and spheres, else 0;  half : m, of edges and axes
    shape : its number in the body, from 1, 0 for frames and centres of mass
    """

    kind: str
    point: Floats
    direction: Floats = field(default_factory=lambda: np.zeros(3))
    across: Floats = field(default_factory=lambda: np.zeros(3))
    radius: float = 0.0
    half: float = 0.0
    body: str = ""
    shape: int = 0
    name: str = ""  # of frames

    @property
    def is_point(self) -> bool:
        return not self.direction.any()


def placed(feature: Feature, origin: Floats, rotation: Floats) -> Feature:
    """A feature of something that stands at an origin (3,) [m] with a rotation (3, 3)."""
    return replace(
        feature, point=origin + rotation @ feature.point, direction=rotation @ feature.direction,
        across=rotation @ feature.across,
    )  # fmt: skip


def point(kind: str, at: Floats, radius: float = 0.0) -> Feature:
    """A corner or centre."""
    return Feature(kind, at, radius=radius)


def plane(at: Floats, normal: Floats, across: Floats) -> Feature:
    """A face, by its middle and the way out."""
    return Feature(PLANE, at, normal, across)


def box_features(half: Floats, middle: Floats) -> Iterator[Feature]:
    """Faces, edges with their middles, corners and the centre of a block of half sizes [m]."""
    axes = np.eye(3)
    for k, sign in product(range(3), (-1.0, 1.0)):
        yield plane(middle + sign * half[k] * axes[k], sign * axes[k], axes[(k + 1) % 3])
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        for a, b in product((-1.0, 1.0), repeat=2):
            at = middle + a * half[i] * axes[i] + b * half[j] * axes[j]
            yield from straight(at - half[k] * axes[k], at + half[k] * axes[k], a * axes[i])
    for signs in product((-1.0, 1.0), repeat=3):
        yield point(CORNER, middle + np.array(signs) * half)
    yield point(CENTRE, middle)


def straight(a: Floats, b: Floats, across: Floats) -> Iterator[Feature]:
    """An edge and its middle."""
    way = b - a
    length = float(np.linalg.norm(way))
    if length > 0.0:
        along, middle = way / length, 0.5 * (a + b)
        yield Feature(EDGE, middle, along, across, half=0.5 * length)
        yield point(MIDDLE, middle)


def turned_features(
    line: Sequence[tuple[float, float]], hole: bool = False, caps: bool = True
) -> Iterator[Feature]:
    """Axis, circles and flat ends of what is turned about z.

    line : radius and height [m] from the lower to the upper end
    """
    (low, bottom), (high, top) = line[0], line[-1]
    widest = max(low, high)
    if widest <= 0.0:
        return
    middle = 0.5 * (bottom + top) * Z
    yield Feature(HOLE if hole else AXIS, middle, Z, X, widest, 0.5 * (top - bottom))
    for radius, height, out in ((low, bottom, -Z), (high, top, Z)):
        if radius > 0.0 and top > bottom:
            yield Feature(CIRCLE, height * Z, out, X, radius)
            if caps:
                yield plane(height * Z, out, X)
        elif radius == 0.0:
            yield point(CORNER, height * Z)


def revolved_features(edges: Floats) -> Iterator[Feature]:
    """Axes of walls, circles and flat faces of an outline (E, 7) of radius and height [m] turned
    about z; walls that look inwards are holes."""
    for ax, ay, bx, by, _, _, radius in edges:
        if radius == 0.0 and ax == bx and ax > 0.0:
            hole = by < ay  # the outline runs anticlockwise
            middle = 0.5 * (ay + by) * Z
            yield Feature(HOLE if hole else AXIS, middle, Z, X, ax, 0.5 * abs(by - ay))
        if radius == 0.0 and ay == by:
            yield plane(ay * Z, Z if bx < ax else -Z, X)
        if ax > 0.0:
            yield Feature(CIRCLE, ay * Z, Z, X, ax)


def swept_features(solid: Swept) -> Iterator[Feature]:
    """Ends of a swept section, the axes and walls of its straight pieces, the middles of its
    bends."""
    for place, u, _, out in solid.ends():
        yield plane(place, out, u)
        if solid.is_round:
            for outline in solid.outlines:
                yield Feature(CIRCLE, place, out, u, abs(outline[0, RADIUS]))
    for piece in solid.pieces:
        middle, u, v, along = piece.axes_at(0.5 * piece.length)
        half = 0.5 * piece.length
        if piece.centre is not None and piece.axis is not None:
            yield Feature(CIRCLE, piece.centre, piece.axis, u, piece.bend)
        elif solid.is_round:
            for kind, outline in zip((AXIS, HOLE), solid.outlines, strict=False):
                yield Feature(kind, middle, along, u, abs(outline[0, RADIUS]), half)
        else:
            for ax, ay, bx, by, *_, radius in solid.outlines[0]:
                yield Feature(EDGE, middle + ax * u + ay * v, along, half=half)
                if radius == 0.0:
                    out = (by - ay) * u - (bx - ax) * v
                    at = middle + 0.5 * ((ax + bx) * u + (ay + by) * v)
                    yield plane(at, out / np.linalg.norm(out), along)


def outline_features(edges: Floats, half: float, whole: bool) -> Iterator[Feature]:
    """Ends of an outline (E, 7) that is drawn out along z by half [m] to both sides; with `whole`
    its walls, edges, corners and the axes of its arcs as well."""
    low, high = edges[:, :2].min(axis=0), edges[:, :2].max(axis=0)
    middle = np.append(0.5 * (low + high), 0.0)
    for side in (-1.0, 1.0):
        yield plane(middle + side * half * Z, side * Z, X)
    if not whole:
        yield Feature(AXIS, np.zeros(3), Z, X, float(np.hypot(*edges[:, :2].T).max()), half)
        return
    for ax, ay, bx, by, cx, cy, radius in edges:
        a, b = np.array([ax, ay, 0.0]), np.array([bx, by, 0.0])
        if radius != 0.0:  # the material is within an arc of a positive radius
            kind = AXIS if radius > 0.0 else HOLE
            yield Feature(kind, np.array([cx, cy, 0.0]), Z, X, abs(radius), half)
        else:
            along = (b - a) / np.linalg.norm(b - a)
            out = np.array([along[1], -along[0], 0.0])
            yield plane(0.5 * (a + b), out, along)
            for side in (-half, half):
                yield from straight(a + side * Z, b + side * Z, out)
        yield from straight(a - half * Z, a + half * Z, X)
        for side in (-half, half):
            yield point(CORNER, a + side * Z)
