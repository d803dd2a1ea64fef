"""Closed outlines in the plane, made of straight lines and arcs: areas, points, distances.

An outline runs anticlockwise. An edge is a row ax, ay, bx, by, cx, cy, r: its ends, and for an arc
its centre and radius, positive where it bulges outwards, to the right of the way; r = 0: straight.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ModelError
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.triangles import about_center

Floats = npt.NDArray[np.float64]
PIECE = np.deg2rad(1.0)  # of an arc when it is drawn by straight pieces
GAUSS = np.polynomial.legendre.leggauss(24)  # for an edge, an arc included, to rounding
PIECES = 8  # arcs of a flank of a tooth


def edges_of(points: Floats, rounds: Floats, arcs: Floats) -> Floats:
    """Edges (E, 7) of a closed outline.

    points : (P, 2) m;  rounds : (P,) m, radius that rounds the corner there, 0 for none
    arcs : (P,) m, radius of the arc to the next point, negative inwards, 0 for a straight line
    Raises ModelError for outlines without area and arcs that do not reach.
    """
    if _area(points) < 0.0:
        points, rounds = points[::-1], rounds[::-1]
        arcs = np.roll(arcs[::-1], -1)
    edges: list[tuple[float, ...]] = []
    begins, ends = points.copy(), points.copy()
    corners: list[tuple[float, ...] | None] = [None] * len(points)
    for i in map(int, np.flatnonzero(rounds)):
        before = points[i - 1]
        after = points[(i + 1) % len(points)]
        if arcs[i - 1] or arcs[i]:
            raise ModelError(
                f"corner {i + 1} lies between an arc and another edge",
                remedy="Round only corners between straight edges",
            )
        begins[i], ends[i], corners[i] = _rounded(points[i], before, after, rounds[i], i)
    for i, arc in enumerate(arcs):
        j = (i + 1) % len(points)
        a, b = ends[i], begins[j]
        corner = corners[i]
        if corner is not None:
            edges.append(corner)
        if np.linalg.norm(b - a) > 0.0:
            edges.append((*a, *b, *_center(a, b, arc, i), arc))
    found = np.array(edges)
    if len(found) < 2 or _area(drawn(found)) <= 0.0:
        raise ModelError("the outline encloses no area", remedy="Give at least three points")
    return found


def _area(points: Floats) -> float:
    x, y = points.T
    return float(0.5 * (x * np.roll(y, -1) - y * np.roll(x, -1)).sum())


def _center(a: Floats, b: Floats, radius: float, index: int) -> tuple[float, float]:
    """Centre of the shorter arc of a signed radius from a to b."""
    if radius == 0.0:
        return 0.0, 0.0
    half = 0.5 * float(np.linalg.norm(b - a))
    if half > abs(radius) * (1.0 + 1e-9):
        raise ModelError(
            f"the arc from point {index + 1} is too small for its ends",
            remedy=f"Use a radius of at least {half:.6g} m",
        )
    along = (b - a) / (2.0 * half)
    left = np.array([-along[1], along[0]]) * np.sign(radius)
    x, y = 0.5 * (a + b) + np.sqrt(max(radius**2 - half**2, 0.0)) * left
    return float(x), float(y)


def _rounded(
    at: Floats, before: Floats, after: Floats, radius: float, index: int
) -> tuple[Floats, Floats, tuple[float, ...]]:
    """Where the rounding of a corner begins and ends, and its arc."""
    u, w = before - at, after - at
    long_u, long_w = float(np.linalg.norm(u)), float(np.linalg.norm(w))
    u, w = u / long_u, w / long_w
    half = 0.5 * np.arccos(np.clip(u @ w, -1.0, 1.0))
    reach = radius / np.tan(half)
    if reach > 0.5 * min(long_u, long_w) * (1.0 + 1e-9):
        raise ModelError(
            f"the rounding of corner {index + 1} is too large for its edges",
            remedy="Make it smaller",
        )
    begin, end = at + reach * u, at + reach * w
    middle = (u + w) / np.linalg.norm(u + w)
    x, y = at + radius / np.sin(half) * middle
    convex = u[0] * w[1] - u[1] * w[0] < 0.0
    return begin, end, (*begin, *end, x, y, radius if convex else -radius)


def drawn(edges: Floats, piece: float = PIECE) -> Floats:
    """(N, 2) points along an outline, arcs by straight pieces of so much angle [rad]."""
    points: list[Floats] = []
    for ax, ay, bx, by, cx, cy, radius in edges:
        a = np.array([ax, ay])
        if radius == 0.0:
            points.append(a[None])
            continue
        c = np.array([cx, cy])
        start = np.arctan2(ay - cy, ax - cx)
        turn = np.arctan2(by - cy, bx - cx) - start
        turn = turn % (2 * np.pi) if radius > 0.0 else -(-turn % (2 * np.pi))
        count = max(int(np.ceil(abs(turn) / piece)), 1)
        angles = start + turn * np.arange(count) / count
        points.append(c + abs(radius) * np.stack([np.cos(angles), np.sin(angles)], axis=1))
    return np.concatenate(points)


def walked(edge: Floats) -> tuple[Floats, Floats, Floats]:
    """x, y (24,) [m] of points along an edge (7,), and their weights [m] for integrals over dy:
    exact to rounding for polynomials, of an arc too."""
    ax, ay, bx, by, cx, cy, radius = edge
    share, weight = 0.5 * (GAUSS[0] + 1.0), 0.5 * GAUSS[1]
    if radius == 0.0:
        return ax + share * (bx - ax), ay + share * (by - ay), weight * (by - ay)
    start = np.arctan2(ay - cy, ax - cx)
    turn = np.arctan2(by - cy, bx - cx) - start
    turn = turn % (2 * np.pi) if radius > 0.0 else -(-turn % (2 * np.pi))
    angle, size = start + share * turn, abs(radius)
    x, y = cx + size * np.cos(angle), cy + size * np.sin(angle)
    return x, y, weight * size * np.cos(angle) * turn


def moments(edges: Floats) -> Floats:
    """(4, 4) ∬ xⁱ yʲ dA [m²⁺ⁱ⁺ʲ] of an outline up to the third degree, by Green's theorem."""
    found = np.zeros((4, 4))
    for edge in edges:
        x, y, dy = walked(edge)
        for i in range(4):
            for j in range(4 - i):
                found[i, j] += float((x ** (i + 1) * y**j * dy).sum()) / (i + 1)
    return found


def prism_mass(edges: Floats, length: float, density: float) -> MassProperties:
    """Mass properties of an outline drawn out along z, centred."""
    a = drawn(edges)
    b = np.roll(a, -1, axis=0)
    twice = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    area = float(twice.sum() / 2.0)
    first, second = np.zeros(3), np.zeros((3, 3))
    first[:2] = np.einsum("e,ei->i", twice, a + b) / 6.0 * length
    flat = sum(np.einsum("e,ei,ej->ij", twice, p, p) for p in (a, b, a + b))
    second[:2, :2] = np.asarray(flat) / 24.0 * length
    second[2, 2] = area * length**3 / 12.0
    return about_center(density, area * length, first, second, np.zeros(3))


def toothed(module: float, teeth: int, pressure: float, thinned: float) -> Floats:
    """Edges of an external involute wheel; the middle of a tooth lies on the x axis.

    module [m]; pressure angle [rad]; thinned : m, by how much less than half of the pitch a tooth
    is thick. Tip at one module above the pitch circle, root at 1.25 below.
    """
    radius = 0.5 * module * teeth
    base, tip, root = radius * np.cos(pressure), radius + module, radius - 1.25 * module
    half = 0.5 * np.pi / teeth - 0.5 * thinned / radius

    def at(t: Floats) -> Floats:
        """Points of the flank above the axis, by roll angle."""
        distance = base * np.sqrt(1.0 + t * t)
        angle = half + np.tan(pressure) - pressure - (t - np.arctan(t))
        return np.stack([distance * np.cos(angle), distance * np.sin(angle)], axis=1)

    least = np.sqrt(max((root / base) ** 2 - 1.0, 0.0))
    roll = np.linspace(least, np.sqrt((tip / base) ** 2 - 1.0), PIECES + 1)
    upper = at(roll)
    if upper[-1, 1] <= 0.0:
        raise ModelError("its teeth come to a point below their tips", remedy="Use more teeth")
    lower = upper * (1.0, -1.0)
    bend = base * 0.5 * (roll[1:] + roll[:-1])
    points, arcs = [], []
    if root < base:  # a straight way down to the root
        foot = root / base * upper[0]
        points.append(foot * (1.0, -1.0))
        arcs.append(0.0)
    points += list(lower[:-1])
    arcs += list(bend)
    points += [lower[-1]]
    arcs += [tip]
    points += list(upper[::-1][:-1])
    arcs += list(bend[::-1])
    points += [upper[0]]
    if root < base:
        arcs += [0.0]
        points += [foot]
    arcs += [root]
    one, bends = np.array(points), np.array(arcs)
    turns = 2.0 * np.pi * np.arange(teeth) / teeth
    whole = np.concatenate(
        [one @ np.array([(np.cos(t), np.sin(t)), (-np.sin(t), np.cos(t))]) for t in turns]
    )
    every = np.tile(bends, teeth)
    return np.array(
        [
            (*a, *b, *_center(a, b, arc, 0), arc)
            for (a, b), arc in zip(pairwise([*whole, whole[0]]), every, strict=True)
        ]
    )
