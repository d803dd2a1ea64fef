"""Numbers of bodies and frames: mass properties from shapes or as typed."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.forms import FORMS
from impeto.core.bodies.model import Body
from impeto.core.bodies.shapes import (
    Box,
    Capsule,
    Cone,
    Cylinder,
    HalfSpace,
    Plate,
    PointMass,
    Road,
    Shape,
    Sphere,
    Tube,
)
from impeto.core.dynamics.mechanism import BodyData
from impeto.core.errors import ModelError
from impeto.core.geometry import mass as masses
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.model.element import GROUND, Element
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]


def unit_vector(scope: Scope, element: Element) -> Floats:
    """Direction field of an element as a unit vector."""
    direction = scope.vector(element, "direction", "number")
    length = float(np.linalg.norm(direction))
    if length == 0.0:
        raise ModelError(
            "the direction is zero",
            element=element.name,
            field="direction",
            remedy="Give it a component that is not 0",
        )
    return direction / length


def shape_mass(scope: Scope, shape: Shape) -> MassProperties:
    """Mass properties of a shape in its body's axes."""
    density = scope.field(shape, "density", "density")
    if form := FORMS.get(type(shape)):
        piece = form.mass(scope, shape, density)
    elif isinstance(shape, Box):
        size = scope.vector(shape, "size", "length")
        _positive("size", float(size.min()))
        piece = masses.box(size, density)
    elif isinstance(shape, (Cylinder, Tube)):
        radius = scope.field(shape, "radius", "length")
        length = scope.field(shape, "length", "length")
        inner = scope.field(shape, "inner_radius", "length") if isinstance(shape, Tube) else 0.0
        _positive("radius", radius)
        _positive("length", length)
        if not 0.0 <= inner < radius:
            raise ModelError(
                "the inner radius must be at least 0 and less than the outer", field="inner_radius"
            )
        piece = masses.tube(radius, inner, length, density)
    elif isinstance(shape, Capsule):
        radius = scope.field(shape, "radius", "length")
        length = scope.field(shape, "length", "length")
        _positive("radius", radius)
        _positive("length", length)
        piece = masses.capsule(radius, length, density)
    elif isinstance(shape, Cone):
        piece = _cone_mass(scope, shape, density)
    elif isinstance(shape, Plate):
        size = np.array([scope.field(shape, f, "length") for f in ("length", "width", "thickness")])
        for name, value in zip(("length", "width", "thickness"), size, strict=True):
            _positive(name, value)
        shift = np.array([0.0, 0.0, -size[2] / 2])
        piece = masses.box(size, density).placed(shift, np.eye(3))
    elif isinstance(shape, (HalfSpace, Road)):
        return masses.NOTHING
    else:
        assert isinstance(shape, Sphere)
        radius = scope.field(shape, "radius", "length")
        _positive("radius", radius)
        piece = masses.sphere(radius, density)
    position = scope.vector(shape, "position", "length")
    rotation = from_roll_pitch_yaw(scope.vector(shape, "orientation", "angle"))
    return piece.placed(position, rotation)


def _cone_mass(scope: Scope, shape: Cone, density: float) -> MassProperties:
    bottom = scope.field(shape, "radius", "length")
    top = scope.field(shape, "top_radius", "length")
    length = scope.field(shape, "length", "length")
    _positive("radius", max(bottom, top))
    _positive("length", length)
    if min(bottom, top) < 0.0:
        raise ModelError("a radius must be at least 0", field="top_radius")
    return masses.cone(bottom, top, length, density)


def _positive(field: str, value: float) -> None:
    if value <= 0.0:
        raise ModelError("it must be greater than zero", field=field, remedy="Type a larger value")


def body_mass(scope: Scope, body: Body) -> MassProperties:
    """Mass properties of a body in its own axes: typed where a mass is typed, else from shapes;
    point masses come on top of both."""
    if body.mass is not None:
        if body.inertia is None and body.inertia_products is None:
            scaled = _scaled(scope, body)
            if scaled is not None:
                return masses.together([scaled, *_pieces(scope, body, body.point_masses)])
        _pieces(scope, body, tuple(s for s in body.shapes if s.sized))
        inertia = np.zeros((3, 3))
        if body.inertia is not None:
            inertia = np.diag(scope.vector(body, "inertia", "inertia"))
        if body.inertia_products is not None:
            xy, xz, yz = scope.vector(body, "inertia_products", "inertia")
            inertia += np.array([[0, xy, xz], [xy, 0, yz], [xz, yz, 0]])
        center = np.zeros(3) if body.center is None else scope.vector(body, "center", "length")
        typed = MassProperties(scope.field(body, "mass", "mass"), center, inertia)
        if not body.point_masses:
            return typed
        return masses.together([typed, *_pieces(scope, body, body.point_masses)])
    return masses.together(_pieces(scope, body, (*body.shapes, *body.point_masses)))


def _scaled(scope: Scope, body: Body) -> MassProperties | None:
    """A typed mass spread as the shapes are: their inertia times its share, about their centre or
    the typed one; None where they weigh nothing."""
    drawn = masses.together(_pieces(scope, body, body.shapes))
    if not drawn.mass > 0.0:
        return None
    mass = scope.field(body, "mass", "mass")
    center = drawn.center if body.center is None else scope.vector(body, "center", "length")
    return MassProperties(mass, center, drawn.inertia * (mass / drawn.mass))


def _pieces(scope: Scope, body: Body, parts: tuple[Shape | PointMass, ...]) -> list[MassProperties]:
    pieces = []
    for number, part in enumerate(parts, start=1):
        try:
            pieces.append(_piece(scope, part))
        except ModelError as error:
            place = f"{getattr(part, 'title', 'part')} {number}"
            raise error.placed(body.name, f"{place} {error.field}".strip()) from None
    return pieces


def _piece(scope: Scope, part: Shape | PointMass) -> MassProperties:
    if isinstance(part, Shape):
        return shape_mass(scope, part)
    return masses.point(scope.field(part, "mass", "mass"), scope.vector(part, "position", "length"))


def body_data(scope: Scope, body: Body) -> BodyData:
    properties = body_mass(scope, body)
    if body.name != GROUND:
        _check_mass(body, properties)
    return BodyData(
        name=body.name,
        mass=properties.mass,
        center=properties.center if body.name != GROUND else np.zeros(3),
        inertia=properties.inertia,
        position=scope.vector(body, "position", "length"),
        rotation=from_roll_pitch_yaw(scope.vector(body, "orientation", "angle")),
        velocity=scope.vector(body, "velocity", "speed"),
        spin=scope.vector(body, "angular_velocity", "angular speed"),
        kept=body.keep_in_place,
    )


def _check_mass(body: Body, properties: MassProperties) -> None:
    if properties.mass <= 0.0:
        raise ModelError(
            "it has no mass",
            element=body.name,
            field="mass",
            remedy="Add a shape with a density or type a mass",
        )
    if np.linalg.eigvalsh(properties.inertia).min() <= 0.0:
        raise ModelError(
            "its inertia must be greater than zero about every axis",
            element=body.name,
            field="inertia",
            remedy="Add a shape or type the three moments of inertia",
        )
