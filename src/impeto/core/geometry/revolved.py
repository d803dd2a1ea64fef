"""Outlines turned about an axis: mass by boundary integrals, distances and samples exact."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ModelError
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.outline_distance import RADIUS, outline_distances, with_ends
from impeto.core.geometry.outlines import drawn, walked
from impeto.core.geometry.samples import of_rings
from impeto.core.geometry.solids import CELLS, KEPT, Solid, grid_around, spline_of
from impeto.core.geometry.thickness import of_outline

Floats = npt.NDArray[np.float64]
ON_AXIS = 1e-9  # of the size: radii below that are on the axis


def check_edges(edges: Floats) -> None:
    """ModelError where an outline (E, 7) of radius and height reaches across the axis."""
    reached = drawn(edges)
    if reached[:, 0].min() < -ON_AXIS * float(np.ptp(reached, axis=0).max()):
        raise ModelError(
            "the outline reaches across the axis",
            remedy="Give points radius, height with no radius below zero",
        )


def revolved_mass(edges: Floats, density: float) -> MassProperties:
    """Of an outline (E, 7), x its radius and y its height [m], turned about z.

    ∭ f dV = 2π ∬ f r dA, as boundary integrals over the height (Green): of r the half of r²,
    of r³ a quarter of r⁴.
    """
    volume = height = upright = about = 0.0
    for edge in edges:
        r, z, weight = walked(edge)
        volume += np.pi * float((weight * r**2).sum())
        height += np.pi * float((weight * r**2 * z).sum())
        upright += np.pi * float((weight * r**2 * z**2).sum())
        about += 0.5 * np.pi * float((weight * r**4).sum())
    middle = height / volume
    across = 0.5 * about + upright - volume * middle**2
    inertia = density * np.diag([across, across, about])
    return MassProperties(density * volume, np.array([0.0, 0.0, middle]), inertia)


def _whole(edges: Floats) -> Floats:
    """The closed outline of a section through the axis: where it lies on the axis, with its other
    half in place of that edge."""
    size = float(np.ptp(drawn(edges), axis=0).max())
    on = (np.abs(edges[:, 0]) < ON_AXIS * size) & (np.abs(edges[:, 2]) < ON_AXIS * size)
    on &= edges[:, RADIUS] == 0.0
    if not on.any():
        return edges
    first = int(np.flatnonzero(on)[-1]) + 1
    chain = np.roll(edges, -first, axis=0)[: len(edges) - int(on.sum())]
    other = chain[::-1][:, [2, 3, 0, 1, 4, 5, 6]] * np.array([-1, 1, -1, 1, -1, 1, 1])
    return np.vstack([chain, other])


@lru_cache(maxsize=KEPT)
def _solid(content: bytes, resolution: str) -> Solid:
    edges = np.frombuffer(content).reshape(-1, 7)
    reached = drawn(edges)
    low, high = reached.min(axis=0), reached.max(axis=0)
    middle = np.array([0.0, 0.0, 0.5 * (low[1] + high[1])])
    shift = np.array([0.0, middle[2], 0.0, middle[2], 0.0, middle[2], 0.0])
    whole = with_ends(_whole(edges - shift))
    half = np.array([high[0], high[0], 0.5 * (high[1] - low[1])])
    samples, at, out = of_rings(edges - shift)
    thickness = of_outline(whole[:, :7], at, out, float(half.min()))
    origin, step, nodes, count = grid_around(half, 2.0 * float(half.max()) / CELLS[resolution],
                                             thickness)  # fmt: skip
    flat = np.ascontiguousarray(np.column_stack([np.hypot(nodes[:, 0], nodes[:, 1]), nodes[:, 2]]))
    distance = np.zeros(len(flat))
    outline_distances(whole, flat, distance)
    return Solid(
        np.array(count), origin, step, half, 0.0, thickness, middle, samples,
        coefficients=spline_of(distance.reshape(count)).ravel(),
    )  # fmt: skip


def solid_of_revolved(edges: Floats, resolution: str) -> Solid:
    """An outline (E, 7) turned about z, known on a grid by its exact distances."""
    return _solid(np.ascontiguousarray(edges).tobytes(), resolution)
