"""Couplers: relations between the free motions of joints."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Written
from impeto.core.model.freedoms import FREEDOMS, SLIDES, TURNS

__all__ = ["Belt", "Differential", "Gears", "Pulley", "Rack", "Relation", "Screw", "Term", "Worm"]


SIDES = ("external", "internal")
BETWEEN_THREADS = "arc tangent of the coefficient; empty: no loss"


@dataclass(frozen=True, slots=True, kw_only=True)
class Coupler(Element):
    """Base of the couplers."""

    group: ClassVar[str] = "couplers"
    switchable: ClassVar[bool] = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Meshing(Coupler):
    """Two toothed parts. Each is frame B of its joint; both joints have one carrier as body A."""

    joint_a: str = fields.reference("joint", title="Joint A")
    freedom_a: str = fields.choice(TURNS, "turn z", title="Axis A")
    joint_b: str = fields.reference("joint", title="Joint B")
    pressure_angle: Written = fields.quantity("angle", "20 deg")
    backlash: Written | None = fields.quantity(
        "length", optional=True, hint="along the pitch line; empty: none"
    )
    tooth_stiffness: Written | None = fields.quantity(
        "stiffness", optional=True, hint="needed with backlash"
    )
    restitution: Written = fields.quantity("number", "0.3", hint="of the teeth, with backlash")


@dataclass(frozen=True, slots=True, kw_only=True)
class Gears(Meshing):
    """A pair of gears with parallel axes, or bevel gears whose axes meet."""

    tag: ClassVar[str] = "gears"
    freedom_b: str = fields.choice(TURNS, "turn z", title="Axis B")
    teeth: str = fields.choice(SIDES, "external", hint="internal: the larger one is a ring")
    radius_a: Written = fields.quantity("length", "50 mm", title="Pitch radius A")
    radius_b: Written = fields.quantity("length", "100 mm", title="Pitch radius B")


@dataclass(frozen=True, slots=True, kw_only=True)
class Worm(Meshing):
    """A worm (A) and its wheel (B), axes across each other.

    With a friction angle its thread loses, and holds by itself where the lead angle is smaller.
    """

    tag: ClassVar[str] = "worm"
    freedom_b: str = fields.choice(TURNS, "turn z", title="Axis B")
    radius_a: Written = fields.quantity("length", "20 mm", title="Pitch radius of worm")
    lead: Written = fields.quantity("length", "10 mm", hint="advance per turn, right-handed > 0")
    friction_angle: Written | None = fields.quantity("angle", optional=True, hint=BETWEEN_THREADS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Rack(Meshing):
    """A pinion (A) on a rack (B) that slides."""

    tag: ClassVar[str] = "rack"
    freedom_b: str = fields.choice(SLIDES, "slide z", title="Slide B")
    radius_a: Written = fields.quantity("length", "30 mm", title="Pitch radius of pinion")


@dataclass(frozen=True, slots=True, kw_only=True)
class Screw(Coupler):
    """Turn and slide of one joint along one axis: slide = lead × turns, right-handed > 0.

    With a friction angle its thread loses, and holds by itself where the lead angle is smaller.
    """

    tag: ClassVar[str] = "screw"
    joint: str = fields.reference("joint")
    axis: str = fields.choice(("x", "y", "z"), "z")
    lead: Written = fields.quantity("length", "10 mm", hint="advance per turn")
    radius: Written | None = fields.quantity(
        "length", optional=True, title="Pitch radius of thread", hint="needed with friction"
    )
    friction_angle: Written | None = fields.quantity("angle", optional=True, hint=BETWEEN_THREADS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulley:
    """One pulley of a belt; crossed when the belt turns it the other way."""

    title: ClassVar[str] = "pulley"
    joint: str = fields.reference("joint", "")
    freedom: str = fields.choice(TURNS, "turn z")
    radius: Written = fields.quantity("length", "50 mm")
    crossed: bool = fields.switch(False)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Belt(Coupler):
    """A belt or chain over two or more pulleys, without slip."""

    tag: ClassVar[str] = "belt"
    pulleys: tuple[Pulley, ...] = fields.parts(Pulley)


@dataclass(frozen=True, slots=True, kw_only=True)
class Differential(Coupler):
    """Turn of the cage = mean of the turns of both sides."""

    tag: ClassVar[str] = "differential"
    cage: str = fields.reference("joint", title="Joint of cage")
    side_a: str = fields.reference("joint", title="Joint of side A")
    side_b: str = fields.reference("joint", title="Joint of side B")
    freedom: str = fields.choice(TURNS, "turn z", title="Axis")


@dataclass(frozen=True, slots=True, kw_only=True)
class Term:
    """Factor × one coordinate; a factor between a slide and a turn has a unit, such as 5 mm/rad."""

    title: ClassVar[str] = "term"
    joint: str = fields.reference("joint", "")
    freedom: str = fields.choice(FREEDOMS, "turn z")
    factor: Written = fields.quantity(fields.ANY, "1")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Relation(Coupler):
    """The sum of factor × coordinate keeps the value that it has at the start."""

    tag: ClassVar[str] = "relation"
    terms: tuple[Term, ...] = fields.parts(Term)
