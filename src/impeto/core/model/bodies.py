"""Bodies, frames and parameters: frozen descriptions, checked once, at birth.

Lengths and angles are written with units; positions are in the axes of what carries them (a body's
axes for frames, the world for bodies).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.errors import ModelError
from impeto.core.model import fields, units
from impeto.core.model.fields import Vector, Written
from impeto.core.model.shapes import (
    ANGLES,
    COLOURS,
    LEVEL,
    ZERO,
    Box,
    Capsule,
    Cone,
    Cylinder,
    Extrusion,
    HalfSpace,
    Mesh,
    Plate,
    PointMass,
    Road,
    Shape,
    Sphere,
    ToothedWheel,
    Tube,
)

GROUND = "ground"
SYSTEM = "system"  # in channels: what is of all bodies together


@dataclass(frozen=True, slots=True, kw_only=True)
class Element:
    """Base of all named things. `enabled` can be overruled by a case."""

    group: ClassVar[str] = ""
    name: str
    enabled: bool = fields.switch(True, title="On")
    note: str = fields.text()

    def __post_init__(self) -> None:
        _check_name(self.name)
        fields.coerce_fields(self)


LONGEST_NAME = 100


def _check_name(name: str) -> None:
    if isinstance(name, str) and len(name) > LONGEST_NAME:
        raise ModelError(
            f"'{name}' is too long for a name", remedy=f"Keep it under {LONGEST_NAME} letters"
        )
    if not isinstance(name, str) or not name.isidentifier() or name in ("t", "pi", SYSTEM):
        raise ModelError(
            f"'{name}' cannot be a name",
            remedy="Use letters, digits and _, starting with a letter (t, pi, system are taken)",
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Parameter(Element):
    """A named value, usable in every field."""

    group: ClassVar[str] = "parameters"
    value: Written = fields.quantity("number")

    def __post_init__(self) -> None:
        Element.__post_init__(self)
        if units.is_unit(self.name):
            raise ModelError(
                f"'{self.name}' is a unit, and formulas would read it as one", element=self.name,
                field="name", remedy=f"Choose another name, for example {self.name}_value",
            )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Body(Element):
    """A rigid body. Mass data come from shapes and point masses unless a mass is typed.

    A typed mass without a typed inertia is spread as the shapes are: their centre, unless one is
    typed, and their inertia times the share of the mass.
    inertia and inertia_products are about the centre of mass, in the body's axes; products are
    the off-diagonal tensor components (xy, xz, yz). The body called 'ground' does not move.
    """

    group: ClassVar[str] = "bodies"
    colour: str = fields.choice(COLOURS, "slate")
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=ANGLES)
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
        "inertia",
        None,
        optional=True,
        labels=("xx", "yy", "zz"),
        hint="about the centre of mass; empty: as the shapes have it",
    )
    inertia_products: Vector | None = fields.vector(
        "inertia", None, optional=True, labels=("xy", "xz", "yz")
    )
    shapes: tuple[Shape, ...] = fields.parts(
        Box,
        Cylinder,
        Tube,
        Sphere,
        Capsule,
        Cone,
        Plate,
        HalfSpace,
        Road,
        Extrusion,
        ToothedWheel,
        Mesh,
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
    orientation: Vector = fields.vector("angle", LEVEL, labels=ANGLES)
