"""Numbers of shapes for contact: their distance fields, rounding of edges, extents."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from impeto.core.bodies.forms import FORMS
from impeto.core.bodies.shapes import (
    Box,
    Capsule,
    Cone,
    Cylinder,
    HalfSpace,
    Plate,
    Road,
    Shape,
    Sphere,
    Tube,
)
from impeto.core.contact import fields as kinds
from impeto.core.contact.data import ShapeData
from impeto.core.dynamics.mechanism import Floats
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.geometry.solids import Solid
from impeto.core.model.scope import Scope

ROUNDED = 0.05  # edges are rounded by so much of the least half extent
SMOOTHED = 17  # points that a smooth road is given from one of its points to the next
WITHOUT_END = 1e6  # m, of half-spaces and roads


def shape_data(scope: Scope, shape: Shape, body: int, belt: int, resolution: str) -> ShapeData:
    """A shape of the body in row `body`; its sizes have been checked with its mass.

    resolution : of solids that are known on a grid
    """
    if form := FORMS.get(type(shape)):
        kind = kinds.DRAWN if form.outlined else kinds.SOLID
        return _sampled(scope, shape, form.solid(scope, shape, resolution), kind, body, belt)
    kind, size, rounding, bound, thickness, shift, profile = _described(scope, shape)
    rotation = from_roll_pitch_yaw(scope.vector(shape, "orientation", "angle"))
    position = scope.vector(shape, "position", "length")
    return ShapeData(
        body=body,
        kind=kind,
        position=position + rotation @ np.array([0.0, 0.0, shift]),
        rotation=rotation,
        size=size,
        rounding=rounding,
        bound=bound,
        thickness=thickness,
        profile=profile,
        belt=belt,
    )


def _sampled(
    scope: Scope, shape: Shape, solid: Solid, kind: int, body: int, belt: int
) -> ShapeData:
    """A solid of any form: its field on a grid, its surface by samples."""
    rotation = from_roll_pitch_yaw(scope.vector(shape, "orientation", "angle"))
    return ShapeData(
        body=body,
        kind=kind,
        position=scope.vector(shape, "position", "length") + rotation @ solid.middle,
        rotation=rotation,
        size=(float(solid.half[2]) - solid.rounding,),
        rounding=solid.rounding,
        bound=solid.bound,
        thickness=solid.thickness,
        belt=belt,
        solid=solid,
    )


# Kind, core size, rounding, bound, thickness, shift along z, profile.
Described = tuple[int, tuple[float, ...], float, float, float, float, Floats | None]


def _described(scope: Scope, shape: Shape) -> Described:
    def get(field: str) -> float:
        return scope.field(shape, field, "length")

    if isinstance(shape, Sphere):
        r = get("radius")
        return kinds.BALL, (r,), r, r, r, 0.0, None
    if isinstance(shape, Box):
        return _block(scope.vector(shape, "size", "length"), 0.0)
    if isinstance(shape, Plate):
        size = np.array([get("length"), get("width"), get("thickness")])
        return _block(size, -float(size[2]) / 2)
    if isinstance(shape, Cylinder):
        return _bar(get("radius"), 0.0, get("length") / 2)
    if isinstance(shape, Tube):
        return _bar(get("radius"), get("inner_radius"), get("length") / 2)
    if isinstance(shape, Capsule):
        r, half = get("radius"), get("length") / 2
        return kinds.CAPSULE, (r, half), r, r + half, r, 0.0, None
    if isinstance(shape, Cone):
        return _cone(get("radius"), get("top_radius"), get("length") / 2)
    if isinstance(shape, Road):
        width, line = get("width") / 2, road_profile(scope, shape)
        return kinds.PROFILE, (width,), 0.0, WITHOUT_END, WITHOUT_END, 0.0, line
    assert isinstance(shape, HalfSpace)
    return kinds.HALF_SPACE, (0.0,), 0.0, WITHOUT_END, WITHOUT_END, 0.0, None


def _block(size: Floats, shift: float) -> Described:
    half = size / 2
    least = float(half.min())
    rounding = ROUNDED * least
    core = tuple(float(h) - rounding for h in half)
    return kinds.BLOCK, core, rounding, float(np.linalg.norm(half)), least, shift, None


def _bar(radius: float, inner: float, half: float) -> Described:
    wall = (radius - inner) / 2 if inner else radius
    least = min(wall, half)
    rounding, bound = ROUNDED * least, float(np.hypot(radius, half))
    if inner:
        size = (radius - rounding, inner + rounding, half - rounding)
        return kinds.PIPE, size, rounding, bound, least, 0.0, None
    return kinds.ROUND, (radius - rounding, half - rounding), rounding, bound, least, 0.0, None


def _cone(bottom: float, top: float, half: float) -> Described:
    outline = np.array([(-bottom, -half), (bottom, -half), (top, half), (-top, half)])
    if top == 0.0:
        outline = outline[:3]
    elif bottom == 0.0:
        outline = outline[1:]
    widest = max(bottom, top)
    bound, least = float(np.hypot(widest, half)), min(widest, half) / 2
    return kinds.CONE, (bottom, top, half), 0.0, bound, least, 0.0, outline


def road_profile(scope: Scope, road: Road) -> Floats:
    """(P, 2) length and height [m] of a road, rising in length."""
    curve = scope.curve(road, "profile", "length", "length")
    if curve is None:
        raise ModelError(
            "a road needs a profile", field="profile", remedy="Type, say, '0 m: 0 m; 1 m: 0.1 m'"
        )
    assert road.profile is not None
    x = curve.x
    if road.profile.smooth:
        x = np.unique(np.concatenate([np.linspace(a, b, SMOOTHED) for a, b in pairwise(x)]))
    return np.stack([x, curve.values(x)], axis=1)
