"""Solids of any form for contact: their signed distance on a grid as a spline, and points of their
surface from which places of contact are sought.

The coefficients are those of a cubic B-spline that passes through the distances at the nodes, so
that distance and direction are smooth between them (Unser 1999).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy.ndimage import spline_filter1d

from impeto.core.geometry import samples
from impeto.core.geometry.outline_distance import outline_distances
from impeto.core.geometry.outlines import drawn
from impeto.core.geometry.samples import SMOOTH, Samples
from impeto.core.geometry.triangles import Triangles

Floats = npt.NDArray[np.float64]
COARSE, NORMAL, FINE = "coarse", "normal", "fine"
RESOLUTIONS = (COARSE, NORMAL, FINE)
CELLS = {COARSE: 32, NORMAL: 48, FINE: 80}  # along the longest side, in space
FLAT_CELLS = {COARSE: 96, NORMAL: 160, FINE: 320}  # in the plane of an outline
AROUND = 6  # cells beyond the solid
ACROSS = 2.0  # cells in half of what is thin
MOST_NODES = 2e6
ROUNDED = 0.05  # of the least half thickness: rounding of the rims of a drawn-out outline
THIN = 10.0  # percentile of the local half thickness that counts as the solid's
OPPOSITE = -0.5  # cosine of normals that look away from each other
ASIDE = 0.3  # of the way through: how far off the straight way the other side may be found
KEPT = 64  # solids that are kept for the next run


@dataclass(frozen=True, eq=False, slots=True)
class Solid:
    """A solid in its own axes, the origin in the middle of its extents.

    coefficients : (nx, ny, nz) of the spline; nz = 1 for an outline drawn out along z
    origin, step : (3,) m, of the first node and between nodes;  half : (3,) m, half extents
    rounding : m, by which the samples and the field are those of a smaller solid
    thickness : m, how deep the middle lies where the solid is thin
    middle : (3,) m, of the extents in the axes of what it was made from
    """

    coefficients: Floats
    origin: Floats
    step: Floats
    half: Floats
    rounding: float
    thickness: float
    middle: Floats
    samples: Samples

    @property
    def bound(self) -> float:
        """m, radius of the ball around it."""
        return float(np.linalg.norm(self.half))


@lru_cache(maxsize=KEPT)
def solid_of_triangles(surface: Triangles, resolution: str) -> Solid:
    """The solid within a closed surface [m]."""
    import igl  # only where there are meshes

    low, high = surface.vertices.min(axis=0), surface.vertices.max(axis=0)
    middle, half = 0.5 * (low + high), 0.5 * (high - low)
    centred = Triangles(surface.vertices - middle, surface.faces)
    found = samples.of_triangles(centred)
    thickness = _thickness(found, float(half.min()))
    step = _fine_enough(half, 2.0 * float(half.max()) / CELLS[resolution], thickness)
    origin, nodes, count = _nodes(half, step)
    proper = not (surface.open_edges or surface.turned_over)
    way = "PSEUDONORMAL" if proper else "FAST_WINDING_NUMBER"
    distance = igl.signed_distance(
        nodes, centred.vertices, centred.faces, getattr(igl, f"SIGNED_DISTANCE_TYPE_{way}")
    )[0].reshape(count)
    return Solid(_spline(distance), origin, step, half, 0.0, thickness, middle, found)


def _fine_enough(half: Floats, step: float, thickness: float) -> Floats:
    """Steps along each axis that resolve what is thin, as far as the number of nodes allows."""
    thin = max(thickness / ACROSS, 1e-3 * step)
    fitting = np.minimum(step, np.maximum(half / ACROSS, thin))  # a plate along the axes
    if fitting.min() <= 1.01 * thin or thin >= step:
        return fitting
    least = (8.0 * float(np.prod(half + AROUND * thin)) / MOST_NODES) ** (1.0 / 3.0)
    return np.minimum(fitting, max(thin, least))


def _nodes(half: Floats, step: Floats) -> tuple[Floats, Floats, tuple[int, ...]]:
    """Origin, nodes (N, dimensions) and their counts of a grid around half extents."""
    count = np.ceil(2.0 * half / step).astype(int) + 2 * AROUND + 1
    origin = -0.5 * step * (count - 1)
    grid = [a + h * np.arange(n) for a, h, n in zip(origin, step, count, strict=True)]
    nodes = np.stack(np.meshgrid(*grid, indexing="ij"), axis=-1).reshape(-1, len(half))
    return origin, nodes, tuple(int(n) for n in count)


def _spline(values: Floats) -> Floats:
    for axis in range(values.ndim):
        values = spline_filter1d(values, order=3, axis=axis, mode="mirror")
    return np.ascontiguousarray(values, dtype=float)


def _thickness(found: Samples, most: float) -> float:
    """Half of how thick the solid is where it is thin [m]: the way inwards from samples to such as
    look the other way."""
    smooth = found.kind == SMOOTH
    point, normal = found.point[smooth], found.normal[smooth]
    if not len(point):
        return most
    to = point[None] - point[:, None]  # (M, M, 3)
    inward = -np.einsum("ijk,ik->ij", to, normal)
    aside = np.linalg.norm(to + inward[..., None] * normal[:, None], axis=2)
    opposite = (normal @ normal.T < OPPOSITE) & (inward > 0.0)
    near = aside < np.maximum(ASIDE * inward, found.reach[smooth][:, None])
    through = np.where(opposite & near, inward, np.inf).min(axis=1)
    through = through[np.isfinite(through)]
    return min(0.5 * float(np.percentile(through, THIN)), most) if len(through) else most


# Outlines are few, large and compared by content, as bytes.
@lru_cache(maxsize=KEPT)
def _solid_of_outline(content: bytes, length: float, resolution: str) -> Solid:
    edges = np.frombuffer(content).reshape(-1, 7)
    reached = drawn(edges)
    low, high = reached.min(axis=0), reached.max(axis=0)
    middle, flat = 0.5 * (low + high), 0.5 * (high - low)
    edges = edges - np.array([*middle, *middle, *middle, 0.0])
    step = np.full(2, 2.0 * float(flat.max()) / FLAT_CELLS[resolution])
    origin, nodes, count = _nodes(flat, step)
    distance = np.zeros(len(nodes))
    outline_distances(edges, nodes, distance)
    distance = distance.reshape(count)
    half = np.array([*flat, 0.5 * length])
    found = samples.of_outline(edges, length, 0.0)
    thickness = min(_thickness(found, float(flat.min())), 0.5 * length)
    rounding = ROUNDED * thickness
    return Solid(
        _spline(distance)[:, :, None].copy(),
        np.array([*origin, 0.0]),
        np.array([*step, 1.0]),
        half,
        rounding,
        thickness,
        np.array([*middle, 0.0]),
        samples.of_outline(edges, length, rounding),
    )


def solid_of_outline(edges: Floats, length: float, resolution: str) -> Solid:
    """An outline (E, 7) drawn out along z by a length [m], centred in z."""
    return _solid_of_outline(np.ascontiguousarray(edges).tobytes(), length, resolution)
