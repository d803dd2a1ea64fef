"""Solids whose surface is drawn by triangles and whose volume and features are known exactly."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from impeto.core.bodies.solid_features import Feature
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.triangles import Triangles

ASIDE = np.array([1.0, -1.0, 1.0])  # to the other side of the xz plane


@dataclass(frozen=True, eq=False)
class ExactSolid(Triangles):
    """solid : mass properties at a density of 1, in the unit of the vertices; without volume where
    it is a mere surface;  features : what it offers to point at"""

    solid: MassProperties
    features: tuple[Feature, ...]

    @cached_property
    def digest(self) -> str:
        """What tells two solids apart."""
        content = hashlib.sha256(Triangles(self.vertices, self.faces).digest.encode())
        content.update(np.array([self.solid.mass, *self.solid.center]).tobytes())
        content.update(self.solid.inertia.tobytes())
        for feature in self.features:
            content.update(feature.kind.encode())
            numbers = [*feature.point, *feature.direction, *feature.across, feature.radius]
            content.update(np.array([*numbers, feature.half]).tobytes())
        return content.hexdigest()

    def scaled(self, factor: float) -> ExactSolid:
        if factor == 1.0:
            return self
        own = self.solid
        solid = MassProperties(own.mass * factor**3, own.center * factor, own.inertia * factor**5)
        features = tuple(
            replace(f, point=f.point * factor, radius=f.radius * factor, half=f.half * factor)
            for f in self.features
        )
        return ExactSolid(self.vertices * factor, self.faces, solid, features)

    def mirrored(self) -> ExactSolid:
        own = self.solid
        solid = MassProperties(own.mass, own.center * ASIDE, own.inertia * np.outer(ASIDE, ASIDE))
        features = tuple(
            replace(
                f, point=f.point * ASIDE, direction=f.direction * ASIDE, across=f.across * ASIDE
            )
            for f in self.features
        )
        faces = np.ascontiguousarray(self.faces[:, ::-1])
        return ExactSolid(self.vertices * ASIDE, faces, solid, features)

    def turned(self) -> ExactSolid:
        faces = np.ascontiguousarray(self.faces[:, ::-1])
        return ExactSolid(self.vertices, faces, self.solid, self.features)

    def mass(self, density: float) -> MassProperties:
        own = self.solid
        return MassProperties(own.mass * density, own.center, own.inertia * density)
