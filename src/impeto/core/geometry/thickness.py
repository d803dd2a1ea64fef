"""How thick solids are where they are thin: straight ways inwards from points of the surface to
where they leave the solid again."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.outlines import drawn
from impeto.core.geometry.triangles import Triangles

Floats = npt.NDArray[np.float64]
THIN = 10.0  # percentile of the local half thickness that counts as the solid's
OPPOSITE = -0.5  # cosine of normals that look away from each other
AT_ONCE = 1e-5  # of the size: a way that ends there has not left its own face (single precision)


def of_triangles(surface: Triangles, point: Floats, normal: Floats, most: float) -> float:
    """Half of how thick a closed surface is where it is thin [m], `most` where it is not.

    point, normal : (M, 3) m, on the surface, outwards
    """
    from igl.embree import EmbreeIntersector  # only where there are meshes

    least = AT_ONCE * float(np.ptp(surface.vertices, axis=0).max())
    rays = EmbreeIntersector()
    rays.init(surface.vertices.astype(np.float32), surface.faces.astype(np.int32))
    through = np.full(len(point), np.inf)
    starts, ways = point.astype(np.float32), -normal.astype(np.float32)
    for i, (start, inwards) in enumerate(zip(starts, ways, strict=True)):
        face, way, _, _ = rays.intersectRay_first(start, inwards, least)
        if face >= 0 and surface.normals[face] @ normal[i] < OPPOSITE:
            through[i] = way
    return _half(through, most)


def of_outline(edges: Floats, point: Floats, normal: Floats, most: float) -> float:
    """The same of an outline (E, 7), from points (M, 2) on it."""
    a = drawn(edges)
    along = np.roll(a, -1, axis=0) - a
    out = np.column_stack([along[:, 1], -along[:, 0]])
    to = a[None] - point[:, None]  # (M, E, 2)
    facing = normal @ out.T  # of a way against an edge, times its length
    with np.errstate(divide="ignore", invalid="ignore"):
        way = -np.einsum("mei,ei->me", to, out) / facing
        share = (to[..., 0] * normal[:, None, 1] - to[..., 1] * normal[:, None, 0]) / facing
    least = AT_ONCE * float(np.ptp(a, axis=0).max())
    met = (facing < 0.0) & (way > least) & (share >= 0.0) & (share <= 1.0)
    first = np.where(met, way, np.inf)
    nearest = first.argmin(axis=1)
    rows = np.arange(len(point))
    opposite = facing[rows, nearest] < OPPOSITE * np.linalg.norm(out[nearest], axis=1)
    return _half(np.where(opposite, first[rows, nearest], np.inf), most)


def _half(through: Floats, most: float) -> float:
    through = through[np.isfinite(through)]
    return min(0.5 * float(np.percentile(through, THIN)), most) if len(through) else most
