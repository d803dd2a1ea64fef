"""Features of meshes as far as they are flat, straight or round: faces by the plane of their
triangles, edges and corners by their vertices, axes by fitting to the corners of round walls."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from impeto.core.bodies.solid_features import AXIS, CIRCLE, CORNER, HOLE, Feature, plane, point
from impeto.core.bodies.solid_features import straight as straight_edge
from impeto.core.geometry.arrays import Floats, Ints
from impeto.core.geometry.triangles import Triangles

FLAT = 1.0 - 1e-9  # cosine of normals of triangles in one plane
SMOOTH = np.cos(np.deg2rad(35.0))  # of triangles that belong to one round wall
FEWEST = 6  # facets of a round wall
ROUND = 1e-6  # of the radius: how far corners of a round wall may be off it
LEAST = 0.002  # of the whole surface: smaller faces are no features
MOST = 400  # faces; a rough surface has none


@lru_cache(maxsize=64)
def _found(surface: Triangles) -> tuple[Feature, ...]:
    return tuple(_features(surface))


def mesh_features(surface: Triangles) -> Iterator[Feature]:
    """Features of a closed surface [m]."""
    yield from _found(surface)


def _features(surface: Triangles) -> Iterator[Feature]:
    area = 0.5 * np.linalg.norm(
        np.cross(surface.corners[:, 1] - surface.corners[:, 0],
                 surface.corners[:, 2] - surface.corners[:, 0]), axis=1,
    )  # fmt: skip
    flat = _patches(surface, FLAT)
    size = np.bincount(flat, weights=area)
    large = np.flatnonzero(size > LEAST * area.sum())
    walls = _walls(surface, flat)
    if len(large) <= MOST:
        for patch in large:
            faces = np.flatnonzero(flat == patch)
            if not np.isin(faces, list(walls)).any():
                yield from _face(surface, faces, area)
    seen: set[int] = set()
    for wall in walls.values():
        if id(wall) not in seen:
            seen.add(id(wall))
            yield from wall
    yield from _edges(surface, flat, set(large.tolist()))


def _patches(surface: Triangles, alike: float) -> Ints:
    """(F,) number of the patch of each triangle: neighbours with normals at least that alike."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    _, count, owners = surface.edges
    pairs = owners[count == 2]
    a, b = surface.normals[pairs[:, 0]], surface.normals[pairs[:, 1]]
    joined = pairs[np.einsum("ei,ei->e", a, b) >= alike]
    n = len(surface.faces)
    graph = coo_array((np.ones(len(joined)), (joined[:, 0], joined[:, 1])), shape=(n, n))
    return np.asarray(connected_components(graph, directed=False)[1])


def _face(surface: Triangles, faces: Ints, area: Floats) -> Iterator[Feature]:
    normal = surface.normals[faces[np.argmax(area[faces])]]
    middle = np.average(surface.corners[faces].mean(axis=1), axis=0, weights=area[faces])
    across = np.eye(3)[int(np.argmin(np.abs(normal)))]
    across = across - (across @ normal) * normal
    yield plane(middle, normal, across / np.linalg.norm(across))


def _walls(surface: Triangles, flat: Ints) -> dict[int, list[Feature]]:
    """Axes of round walls, by each of their triangles: bands of facets whose normals turn about one
    axis and whose corners lie on one cylinder."""
    found: dict[int, list[Feature]] = {}
    smooth = _patches(surface, float(SMOOTH))
    for patch in range(int(smooth.max(initial=-1)) + 1):
        faces = np.flatnonzero(smooth == patch)
        if len(np.unique(flat[faces])) < FEWEST:
            continue
        wall = _cylinder(surface, faces)
        if wall:
            found |= dict.fromkeys(faces.tolist(), wall)
    return found


def _cylinder(surface: Triangles, faces: Ints) -> list[Feature]:
    """Axis and circles of a band of facets, none where it is no cylinder."""
    normals, points = surface.normals[faces], surface.corners[faces].reshape(-1, 3)
    _, spread, ways = np.linalg.svd(normals, full_matrices=False)
    axis = ways[2]
    if spread[2] > ROUND * spread[0]:
        return []
    u = ways[0] - (ways[0] @ axis) * axis
    u, w = u / np.linalg.norm(u), np.cross(axis, u / np.linalg.norm(u))
    flat = np.column_stack([points @ u, points @ w])
    middle = flat.mean(axis=0)
    local = flat - middle
    system = np.column_stack([2.0 * local, np.ones(len(local))])
    (cx, cy, c), *_ = np.linalg.lstsq(system, (local**2).sum(axis=1), rcond=None)
    radius = float(np.sqrt(max(c + cx * cx + cy * cy, 0.0)))
    off = np.abs(np.hypot(local[:, 0] - cx, local[:, 1] - cy) - radius)
    if not radius > 0.0 or off.max() > ROUND * radius:
        return []
    low, high = float((points @ axis).min()), float((points @ axis).max())
    center = (middle[0] + cx) * u + (middle[1] + cy) * w
    outward = surface.corners[faces].mean(axis=1) - center
    hole = float(np.einsum("fi,fi->f", outward, normals).mean()) < 0.0
    line = [Feature(HOLE if hole else AXIS, center + 0.5 * (low + high) * axis, axis, u, radius,
                    0.5 * (high - low))]  # fmt: skip
    for height, out in ((low, -axis), (high, axis)):
        line.append(Feature(CIRCLE, center + height * axis, out, u, radius))
    return line


def _edges(surface: Triangles, flat: Ints, large: set[int]) -> Iterator[Feature]:
    """Straight edges between two large faces, and the corners where they end."""
    ends, count, owners = surface.edges
    between = flat[owners]
    sharp = (count == 2) & (between[:, 0] != between[:, 1])
    lines: dict[tuple[int, int], list[int]] = {}
    for edge in np.flatnonzero(sharp):
        a, b = sorted(between[edge].tolist())
        if a in large and b in large:
            lines.setdefault((a, b), []).append(int(edge))
    corners: set[int] = set()
    for (a, _), edges in list(lines.items())[:MOST]:
        vertices = ends[edges].ravel()
        once = [int(v) for v, n in zip(*np.unique(vertices, return_counts=True), strict=True)
                if n == 1]  # fmt: skip
        if len(once) != 2:
            continue
        out = surface.normals[np.flatnonzero(flat == a)[0]]
        yield from straight_edge(surface.vertices[once[0]], surface.vertices[once[1]], out)
        corners.update(once)
    for vertex in sorted(corners):
        yield point(CORNER, surface.vertices[vertex])
