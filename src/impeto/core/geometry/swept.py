"""Sections moved along paths of straight lines and arcs: mass, distances, rings of points.

A section is drawn in axes u, v square to the way: u to the left and v up where the path begins (see
`start_axes`). Along an arc both turn with it about its axis, so that a section never twists.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ModelError
from impeto.core.geometry import samples
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.outline_distance import CENTRE, RADIUS, outline_distances, with_ends
from impeto.core.geometry.outlines import GAUSS, drawn, edges_of, moments
from impeto.core.geometry.rotation import from_rotation_vector
from impeto.core.geometry.solids import CELLS, KEPT, Solid, grid_around, spline_of
from impeto.core.geometry.thickness import of_outline
from impeto.core.geometry.triangles import about_center

Floats = npt.NDArray[np.float64]
BEND = 3  # column of a path behind x, y, z: the radius by which it is bent there
STRAIGHT, BACK = 1e-9, 1e-6  # rad: no bend; off a way that turns back
ROUNDING = 1e-9  # of a length: by how much roundings may reach further than their leg
CLOSE = 1e-6  # of axes that meet after a round
STEP = np.deg2rad(1.0)  # of bends for the extents
SAMPLED = np.deg2rad(15.0)  # of bends from one row of samples to the next
ROWS = 60  # of samples along a path, about


@dataclass(frozen=True, eq=False, slots=True)
class Piece:
    """A straight line or an arc of a path, with the axes of the section at its start.

    start, along, u, v, centre, axis : (3,);  bend : m, radius of the arc, 0 for a straight line
    turn : rad, of the arc;  length : m;  begin : m, of the path before it
    """

    start: Floats
    along: Floats
    u: Floats
    v: Floats
    length: float
    begin: float
    bend: float = 0.0
    turn: float = 0.0
    centre: Floats | None = None
    axis: Floats | None = None

    def axes_at(self, way: float) -> tuple[Floats, Floats, Floats, Floats]:
        """Place, u, v and direction after a way [m] along it."""
        if self.centre is None or self.axis is None:
            return self.start + way * self.along, self.u, self.v, self.along
        angle = way / self.bend if self.bend else self.turn  # a sharp corner is passed at once
        turn = from_rotation_vector(angle * self.axis)
        place = self.centre + turn @ (self.start - self.centre)
        return place, turn @ self.u, turn @ self.v, turn @ self.along

    @property
    def outwards(self) -> Floats:
        """(2,) direction away from the centre of the arc in the axes of the section, over its
        radius; zeros for a straight line."""
        if self.centre is None:
            return np.zeros(2)
        away = (self.start - self.centre) / self.bend**2
        return np.array([away @ self.u, away @ self.v])

    def seen(self, points: Floats) -> tuple[Floats, Floats]:
        """Points (N, 3) in the axes of the section that is level with them (N, 2), and how far
        along the piece that is (N,) [m], outside of 0 to its length where none is."""
        if self.centre is None or self.axis is None:
            to = points - self.start
            return np.column_stack([to @ self.u, to @ self.v]), to @ self.along
        out = (self.start - self.centre) / self.bend
        to = points - self.centre
        x, y, height = to @ out, to @ self.along, to @ self.axis
        angle = np.arctan2(y, x)
        angle = np.where(angle < 0.5 * self.turn - np.pi, angle + 2.0 * np.pi, angle)
        beyond = np.hypot(x, y) - self.bend
        flat = [beyond * (out @ w) + height * (self.axis @ w) for w in (self.u, self.v)]
        return np.column_stack(flat), self.bend * angle


def start_axes(along: Floats) -> tuple[Floats, Floats]:
    """u and v of a section at the start of a path: v is z as far as it is square to the way, y on
    an upright one."""
    up = np.array([0.0, 0.0, 1.0]) if abs(along[2]) < 1.0 - 1e-9 else np.array([0.0, 1.0, 0.0])
    v = up - (up @ along) * along
    v /= np.linalg.norm(v)
    return np.cross(v, along), v


def pieces_of(points: Floats, rounds: Floats, closed: bool) -> list[Piece]:
    """Lines and arcs of a path through points (P, 3) [m] whose corners are rounded by (P,) [m]; a
    closed one begins in the middle of the straight part of its last leg.

    ModelError where a rounding does not fit between its neighbours or the way turns back.
    """
    ways, lengths, turns = _legs(points, closed)
    cuts = rounds * np.tan(0.5 * turns)
    straight = lengths - (cuts + np.roll(cuts, -1))[: len(ways)]
    for tight in np.flatnonzero(straight < -ROUNDING * lengths):
        raise ModelError(
            f"the bends at both ends of leg {tight + 1} of the path do not fit on it",
            remedy="Make them tighter, or the leg longer",
        )
    steps = [(leg, straight[leg]) for leg in range(len(ways))]
    place, first = points[0], 0
    if closed:
        last, half = len(ways) - 1, 0.5 * straight[-1]
        place, first = points[-1] + (cuts[-1] + half) * ways[-1], last
        steps = [(last, half), *steps[:-1], (last, half)]
    u, v = start_axes(ways[first])
    pieces: list[Piece] = []
    begin = 0.0
    for number, (leg, length) in enumerate(steps, start=1):
        way, at = ways[leg], (leg + 1) % len(points)
        if length > ROUNDING * lengths[leg]:
            pieces.append(Piece(place, way, u, v, float(length), begin))
            place, begin = place + length * way, begin + float(length)
        if number < len(steps) and turns[at] > STRAIGHT:
            bend, turn = float(rounds[at]), float(turns[at])
            axis = np.cross(way, ways[(leg + 1) % len(ways)])
            axis = axis / np.linalg.norm(axis)
            centre = place + bend * np.cross(axis, way)
            pieces.append(Piece(place, way, u, v, bend * turn, begin, bend, turn, centre, axis))
            place, u, v, _ = pieces[-1].axes_at(bend * turn)
            begin += bend * turn
    return pieces


def widest_bend(points: Floats, closed: bool) -> float:
    """The largest radius [m] by which all corners of a path (P, 3) can be rounded; infinite where
    there are none. ModelError where the way turns back."""
    _, lengths, turns = _legs(points, closed)
    taken = np.tan(0.5 * turns)
    with np.errstate(divide="ignore"):
        return float((lengths / (taken + np.roll(taken, -1))[: len(lengths)]).min())


def _legs(points: Floats, closed: bool) -> tuple[Floats, Floats, Floats]:
    """Directions (L, 3) and lengths (L,) [m] of the legs of a path, and by how much it turns at its
    points (P,) [rad], 0 at open ends."""
    ring = np.vstack([points, points[:1]]) if closed else points
    legs = np.diff(ring, axis=0)
    lengths = np.linalg.norm(legs, axis=1)
    for at in np.flatnonzero(lengths == 0.0):
        raise ModelError(
            f"points {at + 1} and {(at + 1) % len(points) + 1} of the path are one",
            remedy="Leave one out",
        )
    ways = legs / lengths[:, None]
    before, after = (np.roll(ways, 1, axis=0), ways) if closed else (ways[:-1], ways[1:])
    sines = np.linalg.norm(np.cross(before, after), axis=1)
    turns = np.arctan2(sines, np.einsum("ki,ki->k", before, after))
    turns = turns if closed else np.array([0.0, *turns, 0.0])
    for at in np.flatnonzero(turns > np.pi - BACK):
        raise ModelError(
            f"the path turns back at point {at + 1}", remedy="Give the way round a point of its own"
        )
    return ways, lengths, turns


@dataclass(frozen=True, eq=False, slots=True)
class Swept:
    """pieces, one after the other;  outlines : edges (E, 7) [m] of the section, then of the hole in
    it, if any;  closed : whether the last piece leads to the first"""

    pieces: Sequence[Piece]
    outlines: Sequence[Floats]
    closed: bool

    @property
    def length(self) -> float:
        """m, of the path."""
        return self.pieces[-1].begin + self.pieces[-1].length

    @property
    def is_round(self) -> bool:
        """Whether it is a bar or a pipe: a circle about the path."""
        outline = self.outlines[0]
        same = outline[0, RADIUS] == outline[-1, RADIUS] > 0.0
        return len(outline) == 2 and bool(same) and not outline[:, CENTRE:RADIUS].any()

    def ends(self) -> list[tuple[Floats, Floats, Floats, Floats]]:
        """Place, u, v and the way out of both ends; none of a closed path."""
        if self.closed:
            return []
        place, u, v, along = self.pieces[0].axes_at(0.0)
        last = self.pieces[-1].axes_at(self.pieces[-1].length)
        return [(place, u, v, -along), last]

    def stations(self, angle: float, apart: float) -> list[tuple[Floats, Floats, Floats, Floats]]:
        """Place, u, v and direction along the path, from its start to its end, so far apart at
        most in bends [rad] and along [m]."""
        found = []
        for piece in self.pieces:
            count = max(int(np.ceil(piece.turn / angle)), int(np.ceil(piece.length / apart)), 1)
            found += [piece.axes_at(piece.length * k / count) for k in range(count)]
        return [*found, self.pieces[-1].axes_at(self.pieces[-1].length)]

    def rings(self, outline: Floats, angle: float) -> Floats:
        """(S, N, 3) points of an outline (N, 2) at stations along the path."""
        rings = [
            place + np.outer(outline[:, 0], u) + np.outer(outline[:, 1], v)
            for place, u, v, _ in self.stations(angle, np.inf)
        ]
        return np.array(rings)


def swept(path: Floats, outlines: Sequence[Floats], closed: bool) -> Swept:
    """Outlines (E, 7) along a path (P, 4) of points and roundings [m], the same for the same
    numbers.

    ModelError where roundings do not fit (see `pieces_of`), bends are tighter than the section is
    wide, or a closed way does not bring the section back as it was.
    """
    return _swept(path.tobytes(), tuple(outline.tobytes() for outline in outlines), closed)


@lru_cache(maxsize=KEPT)
def _swept(content: bytes, sections: tuple[bytes, ...], closed: bool) -> Swept:
    path = np.frombuffer(content).reshape(-1, 4)
    outlines = [np.frombuffer(section).reshape(-1, 7) for section in sections]
    pieces = pieces_of(path[:, :BEND], path[:, BEND], closed)
    reached = drawn(outlines[0])
    for piece in pieces:
        if (1.0 + reached @ piece.outwards).min() < -ROUNDING:
            raise ModelError(
                f"a bend of {piece.bend * 1e3:.6g} mm is tighter than the section is wide",
                remedy="Give a larger bend radius, or a smaller section",
            )
    solid = Swept(pieces, outlines, closed)
    if closed:
        last = pieces[-1].axes_at(pieces[-1].length)
        if not solid.is_round and np.linalg.norm(last[2] - pieces[0].v) > CLOSE:
            raise ModelError(
                "the section comes back turned after the way round, as the path leaves its plane",
                remedy="Use a round section, or leave the path open",
            )
    return solid


def circle(radius: float) -> Floats:
    """Edges (2, 7) of a circle about the origin."""
    points = np.array([(-radius, 0.0), (radius, 0.0)])
    return edges_of(points, np.zeros(2), np.full(2, radius))


def swept_mass(solid: Swept, density: float) -> MassProperties:
    """By moments of the section, weighted in bends by how far out they lie (Pappus)."""
    m = moments(solid.outlines[0]) - sum(moments(o) for o in solid.outlines[1:])
    volume, first, second = 0.0, np.zeros(3), np.zeros((3, 3))
    for piece in solid.pieces:
        x, y = piece.outwards
        w = m[:-1, :-1] + x * m[1:, :-1] + y * m[:-1, 1:]  # the same moments, weighted
        area, flat = w[0, 0], np.array([w[1, 0], w[0, 1]])
        spread = np.array([[w[2, 0], w[1, 1]], [w[1, 1], w[0, 2]]])
        for node, weight in zip(*GAUSS, strict=True):
            place, u, v, _ = piece.axes_at(0.5 * (node + 1.0) * piece.length)
            axes, share = np.column_stack([u, v]), 0.5 * weight * piece.length
            off = axes @ flat
            volume += share * area
            first += share * (area * place + off)
            crossed = np.outer(place, off)
            second += share * (
                area * np.outer(place, place) + crossed + crossed.T + axes @ spread @ axes.T
            )
    return about_center(density, volume, first, second, np.zeros(3))


def distances(solid: Swept, points: Floats) -> Floats:
    """(N,) m, of points (N, 3) to the surface, negative inside: exact outside, and inside down to
    the middle of the section."""
    edges = [with_ends(outline) for outline in solid.outlines]
    best = np.full(len(points), np.inf)
    for piece in solid.pieces:
        flat, along = piece.seen(points)
        level = (along >= -ROUNDING * solid.length) & (along <= piece.length * (1.0 + ROUNDING))
        found = _to_section(edges, flat[level])
        if not solid.closed:
            way = piece.begin + along[level]
            found = np.where(
                found < 0.0, np.maximum(found, np.maximum(-way, way - solid.length)), found
            )
        best[level] = np.minimum(best[level], found)
    for place, u, v, out in solid.ends():
        to = points - place
        beyond = to @ out
        off = beyond > 0.0
        flat = np.column_stack([to[off] @ u, to[off] @ v])
        across = np.maximum(_to_section(edges, flat), 0.0)
        best[off] = np.minimum(best[off], np.hypot(across, beyond[off]))
    return best


def _to_section(edges: Sequence[Floats], flat: Floats) -> Floats:
    flat = np.ascontiguousarray(flat)
    found, other = np.zeros(len(flat)), np.zeros(len(flat))
    outline_distances(edges[0], flat, found)
    for hole in edges[1:]:
        outline_distances(hole, flat, other)
        found = np.maximum(found, -other)
    return found


@lru_cache(maxsize=KEPT)
def solid_of_swept(solid: Swept, resolution: str) -> Solid:
    """Known on a grid by its distances."""
    reached = np.concatenate(list(solid.rings(drawn(solid.outlines[0]), STEP)))
    low, high = reached.min(axis=0), reached.max(axis=0)
    middle = 0.5 * (low + high)
    half = (0.5 + 1e-4) * (high - low)  # what the pieces of arcs leave out
    found, at, out = samples.of_sweep(
        solid.outlines, solid.stations(SAMPLED, solid.length / ROWS), solid.ends(), middle
    )
    if len(solid.outlines) > 1:  # a pipe
        radii = [abs(float(outline[0, RADIUS])) for outline in solid.outlines]
        thickness = 0.5 * (radii[0] - radii[1])
    else:
        size = 0.5 * float(np.ptp(drawn(solid.outlines[0]), axis=0).min())
        thickness = of_outline(solid.outlines[0], at, out, size)
    origin, step, nodes, count = grid_around(
        half, 2.0 * float(half.max()) / CELLS[resolution], thickness
    )
    distance = distances(solid, nodes + middle).reshape(count)
    return Solid(
        np.array(count), origin, step, half, 0.0, thickness, middle, found,
        coefficients=spline_of(distance).ravel(),
    )  # fmt: skip
