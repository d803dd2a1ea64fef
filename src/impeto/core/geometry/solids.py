"""Solids of any form for contact: their signed distance, and points of their surface from which
places of contact are sought.

Meshes have their distance on a grid: the coefficients are those of a cubic B-spline that passes
through the distances at the nodes, so that distance and direction are smooth between them (Unser
1999). Outlines drawn out along z have theirs from the edges themselves.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from impeto.core.geometry import samples
from impeto.core.geometry.outline_distance import WIDTH, edges_near, with_ends
from impeto.core.geometry.outlines import drawn
from impeto.core.geometry.samples import SMOOTH, Samples
from impeto.core.geometry.thickness import of_outline, of_triangles
from impeto.core.geometry.triangles import Triangles

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
COARSE, NORMAL, FINE = "coarse", "normal", "fine"
RESOLUTIONS = (COARSE, NORMAL, FINE)
CELLS = {COARSE: 32, NORMAL: 48, FINE: 80}  # along the longest side, in space
FLAT_CELLS = 120  # along the longest side of an outline
AROUND = 6  # cells beyond the solid
ACROSS = 2.0  # cells in half of what is thin
MOST_NODES = 2e6
WAVES = 4.0  # cells from an edge over which the spline waves
ROUNDED = 0.05  # of the least half thickness: rounding of the rims of a drawn-out outline
KEPT = 64  # solids that are kept for the next run


NO_NUMBERS, NO_EDGES, NO_ROWS = np.zeros(0), np.zeros((0, WIDTH)), np.zeros(0, dtype=np.int64)


@dataclass(frozen=True, eq=False, slots=True)
class Solid:
    """A solid in its own axes, the origin in the middle of its extents.

    nodes : (3,) of the grid along each axis, or cells along x and y
    origin, step : (3,) m, of the first node or cell and between them;  half : (3,) m, half extents
    coefficients : (nx·ny·nz,) of the spline
    edges : (E, 11) of an outline drawn out along z;  cell : (cells + 1,) where the edges of each
    cell begin in `near`
    rounding : m, by which the samples and the field are those of a smaller solid
    thickness : m, how deep the middle lies where the solid is thin
    middle : (3,) m, of the extents in the axes of what it was made from
    """

    nodes: Ints
    origin: Floats
    step: Floats
    half: Floats
    rounding: float
    thickness: float
    middle: Floats
    samples: Samples
    coefficients: Floats = field(default_factory=lambda: NO_NUMBERS)
    edges: Floats = field(default_factory=lambda: NO_EDGES)
    cell: Ints = field(default_factory=lambda: NO_ROWS)
    near: Ints = field(default_factory=lambda: NO_ROWS)

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
    smooth = found.kind == SMOOTH
    thickness = of_triangles(centred, found.point[smooth], found.normal[smooth], float(half.min()))
    step = _fine_enough(half, 2.0 * float(half.max()) / CELLS[resolution], thickness)
    origin, nodes, count = _nodes(half, step)
    proper = not (surface.open_edges or surface.turned_over)
    way = "PSEUDONORMAL" if proper else "FAST_WINDING_NUMBER"
    distance = igl.signed_distance(
        nodes, centred.vertices, centred.faces, getattr(igl, f"SIGNED_DISTANCE_TYPE_{way}")
    )[0].reshape(count)
    found = samples.off_the_edges(found, WAVES * float(step.max()), float(step.min()))
    return Solid(
        np.array(count), origin, step, half, 0.0, thickness, middle, found,
        coefficients=spline_of(distance).ravel(),
    )  # fmt: skip


def _fine_enough(half: Floats, step: float, thickness: float) -> Floats:
    """Steps along each axis that resolve what is thin, as far as the number of nodes allows."""
    thin = max(thickness / ACROSS, 1e-3 * step)
    fitting = np.minimum(step, np.maximum(half / ACROSS, thin))  # a plate along the axes
    if fitting.min() <= 1.01 * thin or thin >= step:
        return fitting
    least = (8.0 * float(np.prod(half + AROUND * thin)) / MOST_NODES) ** (1.0 / 3.0)
    return np.minimum(fitting, max(thin, least))


def grid_around(
    half: Floats, step: float, thickness: float
) -> tuple[Floats, Floats, Floats, tuple[int, ...]]:
    """Origin (3,), steps (3,), nodes (N, 3) and their counts of a grid around half extents [m]
    that resolves what is thin."""
    steps = _fine_enough(half, step, thickness)
    origin, nodes, count = _nodes(half, steps)
    return origin, steps, nodes, count


def _nodes(half: Floats, step: Floats) -> tuple[Floats, Floats, tuple[int, ...]]:
    """Origin, nodes (N, dimensions) and their counts of a grid around half extents."""
    count = np.ceil(2.0 * half / step).astype(int) + 2 * AROUND + 1
    origin = -0.5 * step * (count - 1)
    grid = [a + h * np.arange(n) for a, h, n in zip(origin, step, count, strict=True)]
    nodes = np.stack(np.meshgrid(*grid, indexing="ij"), axis=-1).reshape(-1, len(half))
    return origin, nodes, tuple(int(n) for n in count)


def spline_of(values: Floats) -> Floats:
    """Coefficients of the cubic spline through values on a grid."""
    from scipy.ndimage import spline_filter1d

    for axis in range(values.ndim):
        values = spline_filter1d(values, order=3, axis=axis, mode="mirror")
    return np.ascontiguousarray(values, dtype=float)


# Outlines are few, large and compared by content, as bytes.
@lru_cache(maxsize=KEPT)
def _solid_of_outline(content: bytes, length: float) -> Solid:
    edges = np.frombuffer(content).reshape(-1, 7)
    reached = drawn(edges)
    low, high = reached.min(axis=0), reached.max(axis=0)
    middle, flat = 0.5 * (low + high), 0.5 * (high - low)
    edges = with_ends(edges - np.array([*middle, *middle, *middle, 0.0]))
    step = 2.0 * float(flat.max()) / FLAT_CELLS
    count = np.ceil(2.0 * flat / step).astype(np.int64) + 2
    origin = -0.5 * step * count
    grid = [a + step * (np.arange(n) + 0.5) for a, n in zip(origin, count, strict=True)]
    cells = np.stack(np.meshgrid(*grid, indexing="ij"), axis=-1).reshape(-1, 2)
    cell, near = edges_near(edges, cells, step / np.sqrt(2.0))
    sought = samples.of_outline(edges, length, 0.0)
    wall = (sought.kind == SMOOTH) & (sought.normal[:, 2] == 0.0)
    at, out = sought.point[wall, :2], sought.normal[wall, :2]
    thickness = min(of_outline(edges[:, :7], at, out, float(flat.min())), 0.5 * length)
    rounding = ROUNDED * thickness
    return Solid(
        np.array([*count, 0]), np.array([*origin, 0.0]), np.array([step, step, 1.0]),
        np.array([*flat, 0.5 * length]), rounding, thickness, np.array([*middle, 0.0]),
        samples.of_outline(edges, length, rounding), edges=edges, cell=cell, near=near,
    )  # fmt: skip


def solid_of_outline(edges: Floats, length: float) -> Solid:
    """An outline (E, 7) drawn out along z by a length [m], centred in z."""
    return _solid_of_outline(np.ascontiguousarray(edges).tobytes(), length)
