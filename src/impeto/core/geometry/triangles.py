"""Closed surfaces of triangles: what a mesh file holds, and what is wrong with it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.mass import MassProperties

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Triangles:
    """vertices (V, 3) in any unit of length;  faces (F, 3) numbers of vertices, seen from outside
    anticlockwise."""

    vertices: Floats
    faces: Ints

    @cached_property
    def digest(self) -> str:
        """What tells two surfaces apart."""
        content = hashlib.sha256(np.ascontiguousarray(self.vertices).tobytes())
        content.update(np.ascontiguousarray(self.faces).tobytes())
        return content.hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Triangles) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    def scaled(self, factor: float) -> Triangles:
        return Triangles(self.vertices * factor, self.faces)

    def mirrored(self) -> Triangles:
        """On the other side of its xz plane."""
        return Triangles(self.vertices * [1.0, -1.0, 1.0], self.faces).turned()

    def mass(self, density: float) -> MassProperties:
        """Mass properties of what it encloses, vertices in metres."""
        return mesh_mass(self, density)

    def turned(self) -> Triangles:
        """Inside out."""
        return Triangles(self.vertices, np.ascontiguousarray(self.faces[:, ::-1]))

    @cached_property
    def corners(self) -> Floats:
        """(F, 3, 3) the three corners of each triangle."""
        return np.asarray(self.vertices[self.faces])

    @cached_property
    def normals(self) -> Floats:
        """(F, 3) unit normals; zero for triangles without area."""
        a, b, c = np.moveaxis(self.corners, 1, 0)
        normal = np.cross(b - a, c - a)
        size = np.linalg.norm(normal, axis=1, keepdims=True)
        return np.asarray(normal / np.where(size > 0.0, size, 1.0))

    @cached_property
    def edges(self) -> tuple[Ints, Ints, Ints]:
        """Ends (E, 2) of each edge, how many triangles share it (E,), the first two of them (E, 2).

        Where only one has it, the second is −1.
        """
        sides = np.sort(self.faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        one = sides[:, 0] * len(self.vertices) + sides[:, 1]  # much faster to sort than pairs
        keys, where, count = np.unique(one, return_inverse=True, return_counts=True)
        ends = np.stack([keys // len(self.vertices), keys % len(self.vertices)], axis=1)
        order = np.argsort(where, kind="stable")
        first = np.concatenate([[0], np.cumsum(count)[:-1]])
        owners = np.full((len(ends), 2), -1, dtype=np.int64)
        owners[:, 0] = order[first] // 3
        shared = count > 1
        owners[shared, 1] = order[first[shared] + 1] // 3
        return ends, count, owners

    @property
    def open_edges(self) -> int:
        """Edges that not exactly two triangles share: none in a closed surface."""
        return int((self.edges[1] != 2).sum())

    @property
    def turned_over(self) -> int:
        """Edges whose two triangles run along them the same way: one of them is inside out."""
        sides = self.faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
        one = sides[:, 0] * len(self.vertices) + sides[:, 1]
        _, count = np.unique(one, return_counts=True)
        return int((count > 1).sum())

    @cached_property
    def volume(self) -> float:
        """Negative where the surface is inside out."""
        a, b, c = np.moveaxis(self.corners, 1, 0)
        return float(np.einsum("fi,fi->", a, np.cross(b, c)) / 6.0)


@lru_cache(maxsize=64)
def mesh_mass(surface: Triangles, density: float) -> MassProperties:
    """Mass properties of the solid within a closed surface [m]: the sum over the tetrahedra that
    its triangles make with the middle (Tonon 2004)."""
    middle = surface.vertices.mean(axis=0)
    a, b, c = np.moveaxis(surface.corners - middle, 1, 0)
    six = np.einsum("fi,fi->f", a, np.cross(b, c))
    volume = float(six.sum() / 6.0)
    total = a + b + c
    first = np.einsum("f,fi->i", six, total) / 24.0
    second = sum(np.einsum("f,fi,fj->ij", six, p, p) for p in (a, b, c, total)) / 120.0
    return about_center(density, volume, first, np.asarray(second), middle)


def about_center(
    density: float, volume: float, first: Floats, second: Floats, origin: Floats
) -> MassProperties:
    """Mass properties from the integrals of 1, x (3,) and x xᵀ (3, 3) over a volume, taken from an
    origin."""
    center = first / volume
    spread = second - volume * np.outer(center, center)
    inertia = density * (np.trace(spread) * np.eye(3) - spread)
    return MassProperties(density * volume, origin + center, inertia)
