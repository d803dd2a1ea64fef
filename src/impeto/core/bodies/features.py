"""What a body offers to point at: faces, axes, circles, edges, corners and centres of its shapes,
exact by their numbers and not by the facets that are drawn."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from impeto.core.bodies.compile import body_mass
from impeto.core.bodies.forms import FORMS
from impeto.core.bodies.model import Body, Frame
from impeto.core.bodies.shapes import (
    Box,
    Capsule,
    Cone,
    Cylinder,
    HalfSpace,
    Plate,
    Shape,
    Sphere,
    Tube,
)
from impeto.core.bodies.solid_features import (
    CENTRE,
    FRAME,
    MASS,
    Feature,
    box_features,
    placed,
    plane,
    point,
    turned_features,
)
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.model.element import GROUND
from impeto.core.model.scope import Scope

Get = Callable[[str], float]


def features_of(scope: Scope, body: Body) -> list[Feature]:
    """All features of a body, in its axes; shapes whose numbers make no sense offer none."""
    found: list[Feature] = []
    for number, shape in enumerate(body.shapes, start=1):
        try:
            position = scope.vector(shape, "position", "length")
            rotation = from_roll_pitch_yaw(scope.vector(shape, "orientation", "angle"))
            local = list(_of_shape(scope, shape))
        except ModelError:  # the Health card says what is wrong with it
            continue
        found += [replace(placed(each, position, rotation), shape=number) for each in local]
    if body.name != GROUND:
        with contextlib.suppress(ModelError):  # the Health card says what is wrong with it
            found.append(point(MASS, body_mass(scope, body).center))
    found += _frames(scope, body)
    return [replace(feature, body=body.name) for feature in found]


def _frames(scope: Scope, body: Body) -> Iterator[Feature]:
    for frame in scope.model.of(Frame):
        if frame.body == body.name:
            axes = from_roll_pitch_yaw(scope.vector(frame, "orientation", "angle"))
            at = scope.vector(frame, "position", "length")
            yield Feature(FRAME, at, axes[:, 2], axes[:, 0], name=frame.name)


def _of_shape(scope: Scope, shape: Shape) -> Iterator[Feature]:
    def get(field: str) -> float:
        return scope.field(shape, field, "length")

    if form := FORMS.get(type(shape)):
        yield from form.features(scope, shape)
    elif isinstance(shape, Box):
        yield from box_features(scope.vector(shape, "size", "length") / 2, np.zeros(3))
    elif isinstance(shape, Plate):
        sizes = np.array([get("length"), get("width"), get("thickness")])
        yield from box_features(sizes / 2, np.array([0.0, 0.0, -sizes[2] / 2]))
    elif isinstance(shape, (Cylinder, Cone, Tube)):
        yield from _round(shape, get)
    elif isinstance(shape, Capsule):
        half, r = get("length") / 2, get("radius")
        yield from turned_features([(r, -half), (r, half)], caps=False)
        for side in (-half, half):
            yield point(CENTRE, np.array([0.0, 0.0, side]), r)
    elif isinstance(shape, Sphere):
        yield point(CENTRE, np.zeros(3), get("radius"))
    elif isinstance(shape, HalfSpace):
        yield plane(np.zeros(3), np.array([0.0, 0.0, 1.0]), np.array([1.0, 0.0, 0.0]))


def _round(shape: Cylinder | Cone | Tube, get: Get) -> Iterator[Feature]:
    half, radius = get("length") / 2, get("radius")
    top = get("top_radius") if isinstance(shape, Cone) else radius
    yield from turned_features([(radius, -half), (top, half)])
    if isinstance(shape, Tube):
        inner = get("inner_radius")
        yield from turned_features([(inner, -half), (inner, half)], hole=True, caps=False)
