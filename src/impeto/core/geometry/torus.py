"""A round bar bent into a ring about z: mass, distances and samples, exact by its two radii."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.samples import SMOOTH, SPREAD, WIDER, Samples, piece_of, together
from impeto.core.geometry.solids import CELLS, KEPT, Solid, grid_around, spline_of


def mass_of_torus(radius: float, bar: float, density: float) -> MassProperties:
    """By Pappus; the inertia is that of a ring and of the bar's section about it."""
    mass = density * 2.0 * np.pi**2 * radius * bar**2
    across = mass * (radius**2 / 2.0 + 5.0 * bar**2 / 8.0)
    about = mass * (radius**2 + 3.0 * bar**2 / 4.0)
    return MassProperties(mass, np.zeros(3), np.diag([across, across, about]))


@lru_cache(maxsize=KEPT)
def solid_of_torus(radius: float, bar: float, resolution: str) -> Solid:
    """Radii of the ring and of its bar [m]; see `solids.CELLS` for the resolutions."""
    half = np.array([radius + bar, radius + bar, bar])
    origin, step, nodes, count = grid_around(half, 2.0 * float(half.max()) / CELLS[resolution], bar)
    beyond = np.hypot(nodes[:, 0], nodes[:, 1]) - radius
    distance = (np.hypot(beyond, nodes[:, 2]) - bar).reshape(count)
    return Solid(
        np.array(count), origin, step, half, 0.0, bar, np.zeros(3), _samples(radius, bar),
        coefficients=spline_of(distance).ravel(),
    )  # fmt: skip


def _samples(radius: float, bar: float) -> Samples:
    """Samples of a round bar bent into a ring [m] about z, in rows around it."""
    spacing = 2.0 * np.pi * np.sqrt(radius * bar / SPREAD)
    rows = max(int(np.ceil(2.0 * np.pi * bar / spacing)), 8)
    points, normals = [], []
    for row in range(rows):
        lift = 2.0 * np.pi * row / rows
        out = radius + bar * np.cos(lift)
        count = max(int(np.ceil(2.0 * np.pi * out / spacing)), 8)
        turn = 2.0 * np.pi * (np.arange(count) + 0.5 * (row % 2)) / count
        ray = np.column_stack([np.cos(turn), np.sin(turn), np.zeros(count)])
        up = np.array([0.0, 0.0, np.sin(lift)])
        points.append(out * ray + bar * up)
        normals.append(np.cos(lift) * ray + up)
    point, normal = np.concatenate(points), np.concatenate(normals)
    return together([piece_of(point, normal, SMOOTH, reach=WIDER * spacing)])
