"""Points of a surface from which places of contact are sought: corners, creases, and points spread
over what is smooth."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.outline_distance import outline_distances, outward, with_ends
from impeto.core.geometry.outlines import drawn
from impeto.core.geometry.triangles import Triangles

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
# How a place of contact may move from its sample: not at all, along a straight crease, around the
# rim of a drawn-out outline, over the surface.
CORNER, CREASE, RIM, SMOOTH = range(4)
SHARP = np.cos(np.deg2rad(30.0))  # normals that differ more make a crease
SPREAD = 400  # points over a whole surface
CROWD = 10  # times as many from which they are chosen
MOST_CREASES = 1500
NEIGHBOURS = 8
WIDER = 1.5  # times the way to the next sample: how far a place may move from its own
BESIDE = 0.35  # of the spacing: nearer to a crease no smooth point is needed
ALONG_Z = 8  # points at most along a drawn-out outline
LEVEL = 1e-6  # of the size: off a plane
OFF = 0.25  # of a cell: how far off the body the grid may have what is on a flat face
NEXT_TO = 1e-3  # of how far a place may move: on a flat face of an outline, whose field is exact
ALIKE = 0.3  # cosine of normals up to which smooth points are on faces that turn into each other
SAME_SIDE = -0.3  # cosine of normals beyond which two points are on different sides


@dataclass(frozen=True, eq=False, slots=True)
class Samples:
    """M points. point, normal, tangent (M, 3), tangents for creases;  reach (M,) m, how far a place
    of its own is from others, less beside edges;  roam (M,) m, how far a place may move from its
    sample, so that places cover the whole surface;  plane (M,) m, on flat faces, see
    `off_the_edges`;  kind (M,);  near (M, 8) neighbours, −1 for none
    """

    point: Floats
    normal: Floats
    tangent: Floats
    reach: Floats
    roam: Floats
    plane: Floats
    kind: Ints
    near: Ints


Station = tuple[Floats, Floats, Floats, Floats]  # place, u, v and the way on, (3,) each
Piece = tuple[Floats, Floats, Floats, Floats, Ints, Floats]


def piece_of(point: Floats, normal: Floats, kind: int, tangent: Floats | None = None,
           reach: Floats | float = 0.0, roam: Floats | None = None) -> Piece:  # fmt: skip
    count = len(point)
    along = np.zeros((count, 3)) if tangent is None else tangent
    far = np.broadcast_to(reach, (count,)).astype(float)
    kinds = np.full(count, kind, dtype=np.int64)
    return point, normal, along, far, kinds, far.copy() if roam is None else roam


def together(pieces: list[Piece]) -> Samples:
    point, normal, tangent, reach, kind, roam = (
        np.concatenate([piece[k] for piece in pieces]) for k in range(6)
    )
    for moving, sharp in ((RIM, kind < RIM), (SMOOTH, kind < SMOOTH)):
        some = kind == moving
        if some.any() and sharp.any():
            away = _away(point[some], point[sharp], tangent[sharp], reach[sharp])
            reach[some] = np.minimum(reach[some], away)
    roam = np.where(kind >= RIM, roam, reach)
    curved = np.zeros(len(kind))
    return Samples(point, normal, tangent, reach, roam, curved, kind, _neighbours(point, normal))


def off_the_edges(found: Samples, margin: float, cell: float) -> Samples:
    """Without smooth points nearer than `margin` [m] to corners and creases, where a spline on a
    grid rounds and waves; the others keep off them too. Where a surface is so narrow that nothing
    is left, the points furthest from its edges stay. On flat faces all stay, as places are held by
    the plane, as long as the grid, whose least cell is `cell` [m], has them near the body."""
    smooth = found.kind == SMOOTH
    if smooth.all() or not smooth.any():
        return found
    sharp = ~smooth
    away = np.full(len(smooth), np.inf)
    away[smooth] = _away(
        found.point[smooth], found.point[sharp], found.tangent[sharp], found.reach[sharp]
    )
    flat = _flat(found)
    kept = (away > margin) | (flat > 0.0)
    for index in np.argsort(-away):
        if smooth[index] and not kept[index]:
            like = kept & smooth & (found.normal @ found.normal[index] > ALIKE)
            near = np.linalg.norm(found.point[like] - found.point[index], axis=1)
            kept[index] = not (near < found.roam[like] + margin).any()
    point, normal = found.point[kept], found.normal[kept]
    reach = np.minimum(found.reach, np.maximum(away - 0.5 * margin, 0.5 * away))[kept]
    # As far as those that are left out.
    roam = np.where(smooth & (flat == 0.0), found.roam + margin, found.roam)[kept]
    return Samples(
        point, normal, found.tangent[kept], reach, roam, OFF * cell * flat[kept],
        found.kind[kept], _neighbours(point, normal),
    )  # fmt: skip


def _flat(found: Samples) -> Floats:
    """1 for smooth points whose neighbours of the same side all lie in one plane with them, 0 for
    others, (M,)."""
    smooth = found.kind == SMOOTH
    flat = np.zeros(len(smooth))
    point, normal = found.point[smooth], found.normal[smooth]
    size = float(np.ptp(found.point, axis=0).max())
    for index in np.flatnonzero(smooth):
        to, alike = point - found.point[index], normal @ found.normal[index]
        near = (np.linalg.norm(to, axis=1) < 2.0 * found.roam[index]) & (alike > SHARP)
        level = np.abs(to[near] @ found.normal[index]) < LEVEL * size
        flat[index] = (level & (alike[near] > 1.0 - LEVEL)).all()
    return flat


def _tree(points: Floats) -> Any:
    """For the nearest of (N, 3) points; SciPy's is slow to load, and no first picture needs it."""
    from scipy.spatial import cKDTree

    return cKDTree(points)


def _away(point: Floats, sharp: Floats, tangent: Floats, reach: Floats) -> Floats:
    """The way [m] from points to the nearest corner, crease or rim: places do not go around it."""
    near = _tree(sharp).query(point, k=min(NEIGHBOURS, len(sharp)))[1].reshape(len(point), -1)
    to = point[:, None] - sharp[near]
    along = np.einsum("ijk,ijk->ij", to, tangent[near])
    limit = np.where(np.abs(tangent[near]).sum(axis=2) > 0.0, reach[near], 0.0)
    rest = to - np.clip(along, -limit, limit)[..., None] * tangent[near]
    return np.asarray(np.linalg.norm(rest, axis=2).min(axis=1))


def _neighbours(point: Floats, normal: Floats) -> Ints:
    """The nearest points of the same side of the surface."""
    more = min(2 * NEIGHBOURS + 1, len(point))
    _, index = _tree(point).query(point, k=[*range(1, more + 1)])
    found = np.full((len(point), NEIGHBOURS), -1, dtype=np.int64)
    for i, others in enumerate(index):
        same = [j for j in others if j != i and normal[i] @ normal[j] > SAME_SIDE][:NEIGHBOURS]
        found[i, : len(same)] = same
    return found


def of_triangles(surface: Triangles) -> Samples:
    """Samples of a closed surface of triangles [m]."""
    a, b, c = np.moveaxis(surface.corners, 1, 0)
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    spacing = float(np.sqrt(area.sum() / SPREAD))
    ends, normals = _creases(surface)
    pieces = [_corners(surface, ends, normals), *_along_creases(surface, ends, normals, spacing)]
    sharp = np.concatenate([piece[0] for piece in pieces])
    face, point = _spread(surface, area, spacing)
    if len(sharp):
        apart = _tree(sharp).query(point)[0] > BESIDE * spacing
        face, point = face[apart], point[apart]
    spread = piece_of(point, surface.normals[face], SMOOTH, reach=WIDER * spacing)
    return together([*pieces, spread])


def of_rings(edges: Floats) -> tuple[Samples, Floats, Floats]:
    """Samples of an outline (E, 7) of radius and height [m] turned about z, in rows around it; with
    the points (P, 2) of the outline that they come from and the directions outwards there."""
    widest, size = float(edges[:, [0, 2]].max()), float(np.ptp(edges[:, [1, 3]]))
    around, out, apart = _around(edges, max(widest, 0.5 * size) / 10.0)
    off = around[:, 0] > 0.02 * widest
    at, ways, spacing = _with_corners(edges, around[off], out[off], apart[off])
    points, normals, reaches = [], [], []
    for row, ((r, z), (n, up), apart_here) in enumerate(zip(at, ways, spacing, strict=True)):
        count = max(int(np.ceil(2.0 * np.pi * r / max(apart_here, widest / 10.0))), 16)
        count = count if r > 0.0 else 1
        turn = 2.0 * np.pi * (np.arange(count) + 0.5 * (row % 2)) / count
        ray = np.column_stack([np.cos(turn), np.sin(turn), np.zeros(count)])
        points.append(r * ray + np.array([0.0, 0.0, z]))
        normals.append(n * ray + np.array([0.0, 0.0, up]))
        reaches.append(np.full(count, WIDER * max(apart_here, 2.0 * np.pi * r / count)))
    point, normal = np.concatenate(points), np.concatenate(normals)
    found = together([piece_of(point, normal, SMOOTH, reach=np.concatenate(reaches))])
    return found, around[off], out[off]


def of_sweep(
    outlines: Sequence[Floats], stations: Sequence[Station], ends: Sequence[Station], middle: Floats
) -> tuple[Samples, Floats, Floats]:
    """Samples of outlines (E, 7) at stations along a path, each with its place, u, v (3,), and on
    both ends, from `middle` (3,) [m]; with the points (P, 2) of the first outline that they come
    from and the directions outwards there. The second outline is that of a hole."""
    pieces: list[Piece] = []
    walls = []
    for hole, edges in enumerate(outlines):
        size = float(np.ptp(drawn(edges), axis=0).min())
        around, out, apart = _around(edges, 0.5 * size)
        at, ways, spacing = _with_corners(edges, around, out, apart)
        walls.append((around, out))
        rows = np.array([place + np.outer(at[:, 0], u) + np.outer(at[:, 1], v)
                         for place, u, v, _ in stations])  # fmt: skip
        faces = [np.outer(ways[:, 0], u) + np.outer(ways[:, 1], v) for _, u, v, _ in stations]
        steps = np.linalg.norm(np.diff(rows, axis=0), axis=2)
        ahead, behind = np.vstack([steps, steps[-1:]]), np.vstack([steps[:1], steps])
        for row, face, step in zip(rows, faces, np.maximum(ahead, behind), strict=True):
            turned = -face if hole else face
            reach = WIDER * np.maximum(spacing, step)
            pieces.append(piece_of(row - middle, turned, SMOOTH, reach=reach))
    at = _within(outlines)
    for place, u, v, out_of in ends:
        point = place - middle + np.outer(at[:, 0], u) + np.outer(at[:, 1], v)
        reach = WIDER * float(np.ptp(walls[0][0], axis=0).max()) / ALONG_Z
        pieces.append(piece_of(point, np.tile(out_of, (len(at), 1)), SMOOTH, reach=reach))
    return together(pieces), *walls[0]


def _with_corners(
    edges: Floats, around: Floats, out: Floats, apart: Floats
) -> tuple[Floats, Floats, Floats]:
    """Points (P, 2) along an outline with its corners that stick out, the directions outwards, and
    the way [m] to the next."""
    corners, shift = _outline_corners(edges)
    bisector = shift / np.linalg.norm(shift, axis=1, keepdims=True)
    spacing = np.concatenate([apart, np.full(len(corners), float(apart.mean()))])
    return np.vstack([around, corners]), np.vstack([out, bisector]), spacing


def _within(outlines: Sequence[Floats]) -> Floats:
    """Points (N, 2) spread over a section, away from its rims."""
    low, high = drawn(outlines[0]).min(axis=0), drawn(outlines[0]).max(axis=0)
    step = float((high - low).max()) / ALONG_Z
    grid = [np.arange(low[k] + 0.5 * step, high[k], step) for k in range(2)]
    at = np.stack(np.meshgrid(*grid, indexing="ij"), axis=-1).reshape(-1, 2)
    for side, outline in zip((1.0, -1.0), outlines, strict=False):
        distance = np.zeros(len(at))
        outline_distances(with_ends(outline), at, distance)
        at = at[side * distance < -BESIDE * step]
    return at


def _creases(surface: Triangles) -> tuple[Ints, Floats]:
    """Edges (E, 2) that stick out, and the normals (E, 2, 3) of both their sides."""
    ends, count, owners = surface.edges
    ends, owners = ends[count == 2], owners[count == 2]
    normals = surface.normals[owners]
    bent = np.einsum("ei,ei->e", normals[:, 0], normals[:, 1]) < SHARP
    middle = surface.corners[owners[:, 1]].mean(axis=1)
    below = np.einsum("ei,ei->e", middle - surface.vertices[ends[:, 0]], normals[:, 0]) < 0.0
    chosen = np.flatnonzero(bent & below)
    if len(chosen) > MOST_CREASES:  # a rough surface: the longest say most
        length = np.linalg.norm(np.diff(surface.vertices[ends[chosen]], axis=1)[:, 0], axis=1)
        chosen = chosen[np.argsort(-length)[:MOST_CREASES]]
    return ends[chosen], normals[chosen]


def _corners(surface: Triangles, ends: Ints, normals: Floats) -> Piece:
    """Where creases end, meet, or turn sharply."""
    leaving: dict[int, list[Floats]] = {}
    facing: dict[int, list[Floats]] = {}
    for (i, j), sides in zip(ends, normals, strict=True):
        along = surface.vertices[j] - surface.vertices[i]
        along = along / np.linalg.norm(along)
        for vertex, way in ((int(i), along), (int(j), -along)):
            leaving.setdefault(vertex, []).append(way)
            facing.setdefault(vertex, []).extend(sides)
    sharp = [v for v, ways in leaving.items() if len(ways) != 2 or -(ways[0] @ ways[1]) < SHARP]
    outward = [np.mean(facing[v], axis=0) for v in sharp]
    normal = np.array(outward).reshape(-1, 3)
    return piece_of(surface.vertices[sharp].reshape(-1, 3), normal, CORNER)


def _along_creases(surface: Triangles, ends: Ints, normals: Floats, spacing: float) -> list[Piece]:
    pieces = []
    for (i, j), sides in zip(ends, normals, strict=True):
        a, b = surface.vertices[i], surface.vertices[j]
        length = float(np.linalg.norm(b - a))
        if length > 0.0:
            count = max(int(np.ceil(length / spacing)), 1)
            shares = (np.arange(count) + 0.5) / count
            tangent = np.tile((b - a) / length, (count, 1))
            normal = np.tile(sides.mean(axis=0), (count, 1))
            point = a + shares[:, None] * (b - a)
            pieces.append(piece_of(point, normal, CREASE, tangent, 0.5 * length / count))
    return pieces


def _spread(surface: Triangles, area: Floats, spacing: float) -> tuple[Ints, Floats]:
    """Faces and points spread evenly over a surface: of many at random those that keep apart."""
    random = np.random.default_rng(1)
    face = random.choice(len(area), size=CROWD * SPREAD, p=area / area.sum())
    u, v = random.random((2, len(face)))
    u, v = np.where(u + v > 1.0, (1.0 - u, 1.0 - v), (u, v))
    a, b, c = np.moveaxis(surface.corners[face], 1, 0)
    point = a + u[:, None] * (b - a) + v[:, None] * (c - a)
    free = np.ones(len(point), dtype=bool)
    kept = []
    for i, close in enumerate(_tree(point).query_ball_point(point, 0.75 * spacing)):
        if free[i]:
            kept.append(i)
            free[close] = False
    return face[kept], point[kept]


def of_outline(edges: Floats, length: float, rounding: float) -> Samples:
    """Samples of an outline (E, 11) drawn out along z, on the solid smaller by `rounding`."""
    size = float(np.ptp(edges[:, :2], axis=0).max())
    spacing = min(size / 8.0, max(length, size / 16.0))
    around, out, apart = _around(edges, spacing)
    around = around - rounding * out
    half = 0.5 * length - rounding
    levels = np.linspace(-half, half, min(int(np.ceil(length / spacing)), ALONG_Z) + 2)
    pieces: list[Piece] = []
    for z in levels:
        at = np.column_stack([around, np.full(len(around), z)])
        normal = np.column_stack([out, np.zeros(len(out))])
        kind = RIM if abs(z) == half else SMOOTH
        roam = WIDER * np.maximum(apart, levels[1] - levels[0])
        pieces.append(piece_of(at, normal, kind, reach=WIDER * apart, roam=roam))
    corner, bisector = _outline_corners(edges)
    corner = corner - rounding * bisector
    steps = len(levels) - 1
    for z, kind in [(-half, CORNER), (half, CORNER), *((z, CREASE) for z in _middles(levels))]:
        at = np.column_stack([corner, np.full(len(corner), z)])
        normal = np.column_stack([bisector, np.zeros(len(corner))])
        upright = np.tile((0.0, 0.0, 1.0), (len(corner), 1))
        reach = half / steps if kind == CREASE else 0.0
        pieces.append(piece_of(at, normal, kind, upright, reach))
    pieces += _caps(edges, half, rounding, spacing)
    found = together(pieces)
    return replace(found, plane=NEXT_TO * found.roam * _flat(found))


def _middles(levels: Floats) -> Floats:
    return np.asarray(0.5 * (levels[1:] + levels[:-1]))


def _around(edges: Floats, spacing: float) -> tuple[Floats, Floats, Floats]:
    """Points along an outline, at least one on every edge, the directions outwards, and the way [m]
    to the next."""
    points, normals, apart = [], [], []
    for ax, ay, bx, by, cx, cy, radius in edges[:, :7]:
        a, b, c = np.array([ax, ay]), np.array([bx, by]), np.array([cx, cy])
        chord = float(np.linalg.norm(b - a))
        turn = 2.0 * np.arcsin(min(0.5 * chord / abs(radius), 1.0)) if radius else 0.0
        count = max(int(np.ceil(chord / spacing)), int(np.ceil(turn / np.deg2rad(30.0))), 1)
        apart += count * [chord / count]
        for share in (np.arange(count) + 0.5) / count:
            if radius == 0.0:
                along = (b - a) / chord
                points.append(a + share * (b - a))
                normals.append(np.array([along[1], -along[0]]))
            else:
                angle = np.arctan2(ay - cy, ax - cx) + np.sign(radius) * share * turn
                ray = np.array([np.cos(angle), np.sin(angle)])
                points.append(c + abs(radius) * ray)
                normals.append(np.sign(radius) * ray)
    return np.array(points), np.array(normals), np.array(apart)


def _outline_corners(edges: Floats) -> tuple[Floats, Floats]:
    """Corners of an outline that stick out, and the shift (2,) of each for an offset of 1 m."""
    corners, shifts = [], []
    for before, after in zip(np.roll(edges, 1, axis=0), edges, strict=True):
        n, m = outward(before, before[2:4]), outward(after, after[:2])
        if n @ m < SHARP and n[0] * m[1] - n[1] * m[0] > 0.0 and n @ m > -0.99:
            corners.append(after[:2])
            shifts.append((n + m) / (1.0 + n @ m))
    return np.array(corners).reshape(-1, 2), np.array(shifts).reshape(-1, 2)


def _caps(edges: Floats, half: float, rounding: float, spacing: float) -> list[Piece]:
    """Points on both ends, away from the rims."""
    low, high = edges[:, :2].min(axis=0), edges[:, :2].max(axis=0)
    grid = [np.arange(low[k] + 0.5 * spacing, high[k], spacing) for k in range(2)]
    at = np.stack(np.meshgrid(*grid, indexing="ij"), axis=-1).reshape(-1, 2)
    distance = np.zeros(len(at))
    outline_distances(edges, at, distance)
    at = at[distance < -rounding - BESIDE * spacing]
    pieces = []
    for side in (-1.0, 1.0):
        point = np.column_stack([at, np.full(len(at), side * half)])
        normal = np.tile((0.0, 0.0, side), (len(at), 1))
        pieces.append(piece_of(point, normal, SMOOTH, reach=WIDER * spacing))
    return pieces
