"""Solids of any form: what mass, contact, pointing and drawing ask of each, one record a shape.

Contact knows such a solid by its distances on a grid and by samples of its surface. A new shape of
this kind is a class in `shapes.py`, its mathematics in `geometry/`, and a record here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

import numpy as np

from impeto.core.bodies.exact import ExactSolid
from impeto.core.bodies.mesh_features import mesh_features
from impeto.core.bodies.shapes import Extrusion, Mesh, Revolved, Shape, Swept, ToothedWheel, Torus
from impeto.core.bodies.solid_features import (
    CENTRE,
    Feature,
    outline_features,
    point,
    revolved_features,
    swept_features,
    turned_features,
)
from impeto.core.bodies.surfaces import (
    mesh_surface,
    outline_edges,
    positive,
    revolved_edges,
    swept_solid,
)
from impeto.core.errors import ModelError
from impeto.core.geometry import mass as masses
from impeto.core.geometry.arrays import Floats
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.outlines import drawn, prism_mass
from impeto.core.geometry.revolved import revolved_mass, solid_of_revolved
from impeto.core.geometry.solids import (
    Solid,
    solid_of_outline,
    solid_of_triangles,
)
from impeto.core.geometry.swept import solid_of_swept, swept_mass
from impeto.core.geometry.torus import mass_of_torus, solid_of_torus
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.scope import Scope

ARC_PIECE = np.deg2rad(12.0)  # of arcs, as they are drawn


@dataclass(frozen=True, eq=False, slots=True)
class Turned:
    """line : (P, 2) radius and height [m], turned about z"""

    line: Floats


@dataclass(frozen=True, eq=False, slots=True)
class DrawnOut:
    """outline : (P, 2) m, drawn out along z by a length, with a bore [m] of that radius or 0"""

    outline: Floats
    length: float
    bore: float


@dataclass(frozen=True, eq=False, slots=True)
class Skinned:
    """loops : each (R, P, 3) m, rings of points along it, the holes behind; capped : with ends"""

    loops: list[Floats]
    capped: bool


Surface = Turned | DrawnOut | Skinned | Triangles


@dataclass(frozen=True, slots=True)
class Form:
    """Of a shape, in its own axes and unit of metres; each raises ModelError where its numbers make
    no solid.

    mass : by density [kg/m³];  solid : as contact knows it, by resolution
    surface : as it is drawn;  outlined : whether contact knows it by the edges of its outline
    """

    mass: Callable[[Scope, Any, float], MassProperties]
    solid: Callable[[Scope, Any, str], Solid]
    features: Callable[[Scope, Any], Iterator[Feature]]
    surface: Callable[[Scope, Any], Surface]
    outlined: bool = False


# Drawn out along z


def _prism_mass(scope: Scope, shape: Extrusion | ToothedWheel, density: float) -> MassProperties:
    edges, length = outline_edges(scope, shape)
    piece = prism_mass(edges, length, density)
    if bore := _bore(scope, shape):
        piece = masses.together([piece, masses.tube(bore, 0.0, length, -density)])
    return piece


def _bore(scope: Scope, shape: Extrusion | ToothedWheel) -> float:
    return scope.field(shape, "bore", "length") if isinstance(shape, ToothedWheel) else 0.0


def _prism_features(scope: Scope, shape: Extrusion | ToothedWheel) -> Iterator[Feature]:
    edges, length = outline_edges(scope, shape)
    half = length / 2
    whole = isinstance(shape, Extrusion)  # of teeth only the ends and the bore
    yield from outline_features(edges, half, whole)
    if isinstance(shape, ToothedWheel):
        bore = _bore(scope, shape)
        yield from turned_features([(bore, -half), (bore, half)], hole=True, caps=False)


def _prism_surface(scope: Scope, shape: Extrusion | ToothedWheel) -> Surface:
    edges, length = outline_edges(scope, shape)
    return DrawnOut(drawn(edges, ARC_PIECE), length, _bore(scope, shape))


_PRISM = Form(
    _prism_mass,
    lambda scope, shape, _resolution: solid_of_outline(*outline_edges(scope, shape)),
    _prism_features,
    _prism_surface,
    outlined=True,
)


# Turned about z


def _turned_surface(scope: Scope, shape: Revolved) -> Surface:
    line = drawn(revolved_edges(scope, shape), ARC_PIECE)
    return Turned(np.vstack([line, line[:1]]))


_TURNED = Form(
    lambda scope, shape, density: revolved_mass(revolved_edges(scope, shape), density),
    lambda scope, shape, resolution: solid_of_revolved(revolved_edges(scope, shape), resolution),
    lambda scope, shape: revolved_features(revolved_edges(scope, shape)),
    _turned_surface,
)


# Along a path


def _swept_surface(scope: Scope, shape: Swept) -> Surface:
    solid = swept_solid(scope, shape)
    loops = [drawn(outline, ARC_PIECE) for outline in solid.outlines]
    loops[1:] = [loop[::-1] for loop in loops[1:]]
    return Skinned([solid.rings(loop, ARC_PIECE) for loop in loops], not solid.closed)


_SWEPT = Form(
    lambda scope, shape, density: swept_mass(swept_solid(scope, shape), density),
    lambda scope, shape, resolution: solid_of_swept(swept_solid(scope, shape), resolution),
    lambda scope, shape: swept_features(swept_solid(scope, shape)),
    _swept_surface,
)


# A round bar bent into a ring


def _ring(scope: Scope, shape: Torus) -> tuple[float, float]:
    """Radius of the ring and of its bar [m]."""
    return scope.field(shape, "radius", "length"), scope.field(shape, "bar_radius", "length")


def _ring_mass(scope: Scope, shape: Torus, density: float) -> MassProperties:
    radius, bar = _ring(scope, shape)
    positive(scope, shape, "bar_radius")
    if radius <= bar:
        raise ModelError(
            "the ring has no hole", field="radius", remedy="Type more than the radius of the bar"
        )
    return mass_of_torus(radius, bar, density)


def _ring_features(scope: Scope, shape: Torus) -> Iterator[Feature]:
    yield point(CENTRE, np.zeros(3))
    yield from turned_features([(sum(_ring(scope, shape)), 0.0)], caps=False)


def _ring_surface(scope: Scope, shape: Torus) -> Surface:
    radius, bar = _ring(scope, shape)
    angles = np.linspace(0.0, 2.0 * np.pi, 25)
    return Turned(np.stack([radius + bar * np.cos(angles), bar * np.sin(angles)], axis=1))


_RING = Form(
    _ring_mass,
    lambda scope, shape, resolution: solid_of_torus(*_ring(scope, shape), resolution),
    _ring_features,
    _ring_surface,
)


# By triangles


def _mesh_features(scope: Scope, shape: Mesh) -> Iterator[Feature]:
    surface = mesh_surface(scope, shape)
    yield from surface.features if isinstance(surface, ExactSolid) else mesh_features(surface)


_MESH = Form(
    lambda scope, shape, density: mesh_surface(scope, shape).mass(density),
    lambda scope, shape, resolution: solid_of_triangles(mesh_surface(scope, shape), resolution),
    _mesh_features,
    mesh_surface,
)


FORMS: Mapping[type[Shape], Form] = MappingProxyType(
    {
        Extrusion: _PRISM,
        ToothedWheel: _PRISM,
        Revolved: _TURNED,
        Swept: _SWEPT,
        Torus: _RING,
        Mesh: _MESH,
    }
)
