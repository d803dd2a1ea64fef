"""Bodies, frames and parameters: frozen descriptions, checked once, at birth.

Lengths and angles are written with units; positions are in the axes of what carries them (a body's
axes for frames, the world for bodies).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.bodies.shapes import (
    COLOURS,
    SHAPES,
    Mesh,
    PointMass,
    Shape,
)
from impeto.core.model import fields
from impeto.core.model.element import ANGLES, GROUND, LEVEL, ZERO, Element
from impeto.core.model.fields import Vector, Written

__all__ = ["Body", "Frame", "Group", "Piece"]


AXES = ("x", "y", "z")
# Kinds of what formulas may use of a point.
POINT_KINDS = {
    "position": "length",
    "velocity": "speed",
    "angular_velocity": "angular speed",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Body(Element):
    """A rigid body. Mass data come from shapes and point masses unless a mass is typed.

    A typed mass without a typed inertia is spread as the shapes are: their centre, unless one is
    typed, and their inertia times the share of the mass.
    inertia and inertia_products are about the centre of mass, in the body's axes; products are
    the off-diagonal tensor components (xy, xz, yz). The body called 'ground' does not move.
    """

    tag: ClassVar[str] = "body"
    group: ClassVar[str] = "bodies"
    colour: str = fields.colour(COLOURS, "slate")
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=ANGLES)
    velocity: Vector = fields.vector(
        "speed", ("0 m/s",) * 3, title="Start velocity", hint="of the centre of mass, world axes"
    )
    angular_velocity: Vector = fields.vector(
        "angular speed", ("0 rad/s",) * 3, title="Start angular velocity", hint="world axes"
    )
    mass: Written | None = fields.quantity("mass", optional=True, hint="empty: from the shapes")
    center: Vector | None = fields.vector(
        "length", None, optional=True, title="Centre of mass", hint="used with a typed mass"
    )
    inertia: Vector | None = fields.vector(
        "inertia",
        None,
        optional=True,
        labels=("xx", "yy", "zz"),
        hint="about the centre of mass; empty: as the shapes have it",
    )
    inertia_products: Vector | None = fields.vector(
        "inertia", None, optional=True, labels=("xy", "xz", "yz")
    )
    shapes: tuple[Shape, ...] = fields.parts(*SHAPES)
    point_masses: tuple[PointMass, ...] = fields.parts(PointMass)
    keep_in_place: bool = fields.switch(
        False, hint="when the mechanism is assembled, others move first"
    )

    @property
    def carrier(self) -> str:
        """The body itself."""
        return self.name

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Kind of a component of its motion."""
        return POINT_KINDS.get(quantity) if component in AXES else None

    def sized(self, quantity: str) -> bool:
        """Velocity and angular velocity have a size."""
        return quantity in ("velocity", "angular_velocity")


@dataclass(frozen=True, slots=True, kw_only=True)
class Frame(Element):
    """A point with axes on a body or on the ground."""

    tag: ClassVar[str] = "frame"
    fastens: ClassVar[bool] = False
    needs_on: ClassVar[bool] = False
    group: ClassVar[str] = "frames"
    body: str = fields.reference("body", GROUND)
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=ANGLES)

    @property
    def carrier(self) -> str:
        """The body that it is on."""
        return self.body

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Kind of a component of its motion; it turns as its body does."""
        turning = quantity == "angular_velocity"
        return POINT_KINDS.get(quantity) if component in AXES and not turning else None

    def sized(self, quantity: str) -> bool:
        """Its velocity has a size."""
        return quantity == "velocity"


@dataclass(frozen=True, slots=True, kw_only=True)
class Group(Element):
    """Bodies under one name, for contact rules. A * stands for any letters: 'link_*'."""

    tag: ClassVar[str] = "group"
    fastens: ClassVar[bool] = False
    goes_along: ClassVar[bool] = False
    needs_on: ClassVar[bool] = False
    may_name_copies: ClassVar[bool] = True
    group: ClassVar[str] = "contacts"
    members: tuple[str, ...] = fields.names(
        "body", hint="with commas; link_* takes all that begin so"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece(Element):
    """A part of imported geometry that belongs to no body yet: it is seen where it was drawn,
    weighs nothing in a run and does not move.

    title : its name in the file, as written there;  product : what it is one of
    """

    tag: ClassVar[str] = "piece"
    group: ClassVar[str] = "pieces"
    fastens: ClassVar[bool] = False
    goes_along: ClassVar[bool] = False
    title: str = fields.text(title="Name in the file")
    product: str = fields.text(title="Part", hint="what it is one of")
    colour: str = fields.colour(COLOURS, "stone")
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=ANGLES)
    shapes: tuple[Shape, ...] = fields.parts(Mesh)

    @property
    def unfolds(self) -> bool:
        """It stands for nothing in a run."""
        return True

    @property
    def unused(self) -> tuple[str, ...]:
        """It cannot be switched on: a body takes part."""
        return ("enabled",)

    @property
    def way(self) -> str:
        """Names of the assemblies that it is in and its own, from the top, as in the file."""
        return next((s.part for s in self.shapes if isinstance(s, Mesh)), "")

    def as_body(self) -> Body:
        """A body of this alone, in its place."""
        return Body(
            name=self.name,
            note=self.note,
            colour=self.colour,
            position=self.position,
            orientation=self.orientation,
            shapes=self.shapes,
        )
