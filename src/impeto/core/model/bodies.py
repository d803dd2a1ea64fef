"""Bodies, their shapes, frames and parameters: frozen descriptions, checked once, at birth.

Lengths and angles are written with units; positions are in the axes of what carries them (a body's
axes for shapes and frames, the world for bodies).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.errors import ModelError
from impeto.core.model import fields
from impeto.core.model.curves import Curve
from impeto.core.model.fields import Vector, Written

GROUND = "ground"
COLOURS = ("clay", "straw", "slate", "stone", "moss", "plum", "bark", "ash")
ZERO: Vector = ("0 m", "0 m", "0 m")  # type: ignore[assignment]
LEVEL: Vector = ("0 deg", "0 deg", "0 deg")  # type: ignore[assignment]
_ANGLES = ("roll", "pitch", "yaw")


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """Where a shape sits in its body: position and roll, pitch, yaw about the body's x, y, z."""

    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=_ANGLES)

    def __post_init__(self) -> None:
        fields.settle(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape(Placed):
    density: Written = fields.quantity("density", "7850 kg/m^3")
    colour: str = fields.choice(("", *COLOURS), "", title="Colour")


@dataclass(frozen=True, slots=True, kw_only=True)
class Box(Shape):
    """A block with its centre at the position."""

    title: ClassVar[str] = "box"
    size: Vector = fields.vector("length", ("100 mm", "100 mm", "100 mm"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Cylinder(Shape):
    """A round bar along its z axis, centred."""

    title: ClassVar[str] = "cylinder"
    radius: Written = fields.quantity("length", "50 mm")
    length: Written = fields.quantity("length", "100 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Tube(Shape):
    """A hollow round bar along its z axis, centred."""

    title: ClassVar[str] = "tube"
    radius: Written = fields.quantity("length", "50 mm", title="Outer radius")
    inner_radius: Written = fields.quantity("length", "40 mm")
    length: Written = fields.quantity("length", "100 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Sphere(Shape):
    title: ClassVar[str] = "sphere"
    radius: Written = fields.quantity("length", "50 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Capsule(Shape):
    """A round bar along its z axis with half balls at both ends, centred.

    length : between the centres of the balls
    """

    title: ClassVar[str] = "capsule"
    radius: Written = fields.quantity("length", "50 mm")
    length: Written = fields.quantity("length", "100 mm", hint="without the round ends")


@dataclass(frozen=True, slots=True, kw_only=True)
class Cone(Shape):
    """A cone along its z axis, blunt when the top has a radius, centred."""

    title: ClassVar[str] = "cone"
    radius: Written = fields.quantity("length", "50 mm", title="Bottom radius")
    top_radius: Written = fields.quantity("length", "0 mm")
    length: Written = fields.quantity("length", "100 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Plate(Shape):
    """A flat piece with its upper face in the plane of its x and y axes, centred."""

    title: ClassVar[str] = "plate"
    length: Written = fields.quantity("length", "1 m", hint="along x")
    width: Written = fields.quantity("length", "1 m", hint="along y")
    thickness: Written = fields.quantity("length", "10 mm", hint="below the face")


@dataclass(frozen=True, slots=True, kw_only=True)
class HalfSpace(Shape):
    """Everything below the plane of its x and y axes: a floor without end. Has no mass."""

    title: ClassVar[str] = "half-space"


@dataclass(frozen=True, slots=True, kw_only=True)
class Road(Shape):
    """The ground below a line of height (z) over length (x), level beyond its ends. No mass."""

    title: ClassVar[str] = "road profile"
    profile: Curve | None = fields.curve("length", "length", hint="height over length")
    width: Written = fields.quantity("length", "5 m", hint="along y, centred")


@dataclass(frozen=True, slots=True, kw_only=True)
class PointMass:
    """Mass without extent, for what is not drawn."""

    title: ClassVar[str] = "point mass"
    mass: Written = fields.quantity("mass")
    position: Vector = fields.vector("length", ZERO)

    def __post_init__(self) -> None:
        fields.settle(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Element:
    """Base of all named things. `enabled` can be overruled by a case."""

    group: ClassVar[str] = ""
    name: str
    enabled: bool = fields.switch(True, title="On")
    note: str = fields.text()

    def __post_init__(self) -> None:
        _check_name(self.name)
        fields.settle(self)


def _check_name(name: str) -> None:
    if not isinstance(name, str) or not name.isidentifier() or name in ("t", "pi", "system"):
        raise ModelError(
            f"'{name}' cannot be a name",
            remedy="Use letters, digits and _, starting with a letter (t, pi, system are taken)",
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Parameter(Element):
    """A named value, usable in every field."""

    group: ClassVar[str] = "parameters"
    value: Written = fields.quantity("number")


@dataclass(frozen=True, slots=True, kw_only=True)
class Body(Element):
    """A rigid body. Mass data come from shapes and point masses unless a mass is typed.

    inertia and inertia_products are about the centre of mass, in the body's axes; products are
    the off-diagonal tensor components (xy, xz, yz). The body called 'ground' does not move.
    """

    group: ClassVar[str] = "bodies"
    colour: str = fields.choice(COLOURS, "slate")
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=_ANGLES)
    velocity: Vector = fields.vector(
        "speed", ("0 m/s",) * 3, title="Start velocity", hint="of the centre of mass, world axes"
    )
    spin: Vector = fields.vector(
        "angular speed", ("0 rad/s",) * 3, title="Start spin", hint="world axes"
    )
    mass: Written | None = fields.quantity("mass", optional=True, hint="empty: from the shapes")
    center: Vector | None = fields.vector(
        "length", None, optional=True, title="Centre of mass", hint="used with a typed mass"
    )
    inertia: Vector | None = fields.vector(
        "inertia", None, optional=True, labels=("xx", "yy", "zz"), hint="about the centre of mass"
    )
    inertia_products: Vector | None = fields.vector(
        "inertia", None, optional=True, labels=("xy", "xz", "yz")
    )
    shapes: tuple[Shape, ...] = fields.parts(
        Box, Cylinder, Tube, Sphere, Capsule, Cone, Plate, HalfSpace, Road
    )
    point_masses: tuple[PointMass, ...] = fields.parts(PointMass)
    keep_in_place: bool = fields.switch(
        False, hint="when the mechanism is assembled, others move first"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Frame(Element):
    """A point with axes on a body or on the ground."""

    group: ClassVar[str] = "frames"
    body: str = fields.reference("body", GROUND)
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=_ANGLES)
