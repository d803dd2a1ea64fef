"""Shapes and point masses of bodies: solids by numbers, outlines, toothed wheels, mesh files.

Lengths and angles are written with units; positions are in the axes of the body.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.curves import Curve
from impeto.core.model.element import ANGLES, LEVEL, ZERO
from impeto.core.model.fields import Vector, Written
from impeto.core.model.outlines import Outline, Path

__all__ = [
    "Box",
    "Capsule",
    "Cone",
    "Cylinder",
    "Extrusion",
    "HalfSpace",
    "Mesh",
    "Plate",
    "PointMass",
    "Revolved",
    "Road",
    "Sphere",
    "Swept",
    "ToothedWheel",
    "Torus",
    "Tube",
]


COLOURS = ("clay", "straw", "slate", "stone", "moss", "plum", "bark", "ash")


def surface_name(file: str, part: str = "") -> str:
    """Name in `Model.geometry` of what is in a file, or of a part of it."""
    return f"{file}\n{part}" if part else file


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """Where a shape sits in its body: position and roll, pitch, yaw about the body's x, y, z."""

    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=ANGLES)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape(Placed):
    title: ClassVar[str] = ""
    foot: ClassVar[tuple[str, float] | None] = None  # field and share: height of its origin
    sized: ClassVar[bool] = False  # by numbers, which are checked even where the mass is typed
    density: Written = fields.quantity("density", "7850 kg/m^3")
    colour: str = fields.colour(("", *COLOURS), "", title="Colour")


@dataclass(frozen=True, slots=True, kw_only=True)
class Box(Shape):
    """A block with its centre at the position."""

    title: ClassVar[str] = "box"
    sized: ClassVar[bool] = True
    size: Vector = fields.vector("length", ("100 mm", "100 mm", "100 mm"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Cylinder(Shape):
    """A round bar along its z axis, centred."""

    title: ClassVar[str] = "cylinder"
    sized: ClassVar[bool] = True
    foot: ClassVar[tuple[str, float] | None] = "length", 0.5
    radius: Written = fields.quantity("length", "50 mm")
    length: Written = fields.quantity("length", "100 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Tube(Shape):
    """A hollow round bar along its z axis, centred."""

    title: ClassVar[str] = "tube"
    sized: ClassVar[bool] = True
    foot: ClassVar[tuple[str, float] | None] = "length", 0.5
    radius: Written = fields.quantity("length", "50 mm", title="Outer radius")
    inner_radius: Written = fields.quantity("length", "40 mm")
    length: Written = fields.quantity("length", "100 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Sphere(Shape):
    title: ClassVar[str] = "sphere"
    sized: ClassVar[bool] = True
    foot: ClassVar[tuple[str, float] | None] = "radius", 1.0
    radius: Written = fields.quantity("length", "50 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Capsule(Shape):
    """A round bar along its z axis with half balls at both ends, centred.

    length : between the centres of the balls
    """

    title: ClassVar[str] = "capsule"
    sized: ClassVar[bool] = True
    radius: Written = fields.quantity("length", "50 mm")
    length: Written = fields.quantity("length", "100 mm", hint="without the round ends")


@dataclass(frozen=True, slots=True, kw_only=True)
class Cone(Shape):
    """A cone along its z axis, blunt when the top has a radius, centred."""

    title: ClassVar[str] = "cone"
    sized: ClassVar[bool] = True
    foot: ClassVar[tuple[str, float] | None] = "length", 0.5
    radius: Written = fields.quantity("length", "50 mm", title="Bottom radius")
    top_radius: Written = fields.quantity("length", "0 mm")
    length: Written = fields.quantity("length", "100 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Torus(Shape):
    """A round bar bent into a ring about the z axis, centred: a tyre, an eye, a link of a chain."""

    title: ClassVar[str] = "torus"
    sized: ClassVar[bool] = True
    foot: ClassVar[tuple[str, float] | None] = "bar_radius", 1.0
    radius: Written = fields.quantity("length", "100 mm", hint="to the middle of the bar")
    bar_radius: Written = fields.quantity("length", "20 mm")


@dataclass(frozen=True, slots=True, kw_only=True)
class Plate(Shape):
    """A flat piece with its upper face in the plane of its x and y axes, centred."""

    title: ClassVar[str] = "plate"
    sized: ClassVar[bool] = True
    foot: ClassVar[tuple[str, float] | None] = "thickness", 1.0
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
class Extrusion(Shape):
    """An outline in its x-y plane, drawn out along z, centred in z."""

    title: ClassVar[str] = "extrusion"
    foot: ClassVar[tuple[str, float] | None] = "length", 0.5
    outline: Outline | None = fields.outline(
        "0 mm, 0 mm; 100 mm, 0 mm; 100 mm, 60 mm round 20 mm; 0 mm, 60 mm",
        hint="points x, y around it; 'round 5 mm' rounds a corner, 'arc 40 mm' bends the way on",
    )
    length: Written = fields.quantity("length", "50 mm", hint="along z")


@dataclass(frozen=True, slots=True, kw_only=True)
class Revolved(Shape):
    """An outline of radius and height, turned about z: dishes, rings, wheels with a rounded rim."""

    title: ClassVar[str] = "revolved"
    outline: Outline | None = fields.outline(
        "0 mm, -20 mm; 100 mm, -20 mm round 10 mm; 100 mm, 20 mm round 10 mm; 0 mm, 20 mm",
        hint="points radius, height around it; 'round 5 mm' rounds a corner",
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Swept(Shape):
    """A section along a path: bent bars and pipes, links of chains, rails.

    section : instead of a round one; x points to the left of the way and y up where it begins
    """

    title: ClassVar[str] = "swept"
    path: Path | None = fields.path(
        "0 mm, 0 mm, 0 mm; 300 mm, 0 mm, 0 mm; 300 mm, 200 mm, 0 mm",
        hint="points x, y, z along it; 'round 40 mm' bends it there by its own radius",
    )
    closed: bool = fields.switch(False, hint="the last point leads to the first")
    bend_radius: Written = fields.quantity("length", "60 mm", hint="to the middle of the section")
    bar_radius: Written = fields.quantity("length", "20 mm")
    inner_radius: Written = fields.quantity("length", "0 mm", hint="of a pipe")
    section: Outline | None = fields.outline(
        None, hint="instead of the round one: points left, up, seen from the far end of the path"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ToothedWheel(Shape):
    """A spur gear with involute teeth about its z axis, centred; a tooth points along x.

    thinned : by how much a tooth is thinner than half of the pitch, which gives play
    """

    title: ClassVar[str] = "toothed wheel"
    foot: ClassVar[tuple[str, float] | None] = "width", 0.5
    module: Written = fields.quantity("length", "5 mm")
    teeth: Written = fields.quantity("number", "20")
    width: Written = fields.quantity("length", "40 mm", hint="along z")
    pressure_angle: Written = fields.quantity("angle", "20 deg")
    thinned: Written = fields.quantity("length", "0.1 mm", title="GearPair thinned by")
    bore: Written = fields.quantity(
        "length", "0 mm", title="Bore radius", hint="for mass and drawing; nothing touches there"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Mesh(Shape):
    """A solid from a file of triangles (STL, OBJ, PLY, GLB) beside the model, or a part of one.

    part : its name in a file of many parts (GLB), which may know its solids exactly
    """

    title: ClassVar[str] = "mesh"
    file: str = fields.text(hint="path from the model's folder, such as hook.stl")
    part: str = fields.text(hint="of a file that holds many, else empty")
    mirrored: bool = fields.switch(False, hint="at its xz plane")
    unit: str = fields.choice(("mm", "cm", "m", "in"), "mm", title="Unit of the file")

    @property
    def surface(self) -> str:
        """The name by which a model has its surface."""
        return surface_name(self.file, self.part)


# As they are offered.
SHAPES = (
    Box, Cylinder, Tube, Sphere, Capsule, Cone, Torus, Plate, HalfSpace, Road, Extrusion,
    Revolved, Swept, ToothedWheel, Mesh,
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class PointMass:
    """Mass without extent, for what is not drawn."""

    title: ClassVar[str] = "point mass"
    mass: Written = fields.quantity("mass")
    position: Vector = fields.vector("length", ZERO)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)
