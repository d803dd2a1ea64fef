"""Joints, and what acts on their free motions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.joints.kinds import SPECIALS
from impeto.core.joints.paths import Path, PathPoint
from impeto.core.model import fields
from impeto.core.model.curves import Curve
from impeto.core.model.element import Element
from impeto.core.model.fields import Written
from impeto.core.model.freedoms import FREEDOMS, TURNS

__all__ = ["Behaviour", "Friction", "Joint", "Path", "PathPoint", "StartValue", "Stops"]


_SLIDING = {
    "torsional stiffness": "stiffness",
    "torsional damping": "damping",
    "angle": "length",
    "angular speed": "speed",
    "torque": "force",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class OnFreedom:
    """Something that acts on one free motion of a joint, along its coordinate."""

    title: ClassVar[str] = ""
    freedom: str = fields.choice(FREEDOMS, "turn z")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    @property
    def turning(self) -> bool:
        return self.freedom in TURNS

    def refined_kind(self, kind: str) -> str:
        """Kinds of a sliding freedom, where the declaration speaks of a turning one."""
        return kind if self.turning else _SLIDING.get(kind, kind)


@dataclass(frozen=True, slots=True, kw_only=True)
class Behaviour(OnFreedom):
    """Spring and damper on one free motion, linear or by curves; curves add to the linear part.

    The spring's effort is preload − stiffness · (coordinate − free position) − curve(…).
    """

    title: ClassVar[str] = "spring and damper"
    stiffness: Written | None = fields.quantity("torsional stiffness", optional=True)
    free_position: Written | None = fields.quantity(
        "angle", optional=True, hint="where the spring is relaxed"
    )
    preload: Written | None = fields.quantity(
        "torque", optional=True, hint="effort at the free position"
    )
    damping: Written | None = fields.quantity("torsional damping", optional=True)
    spring_curve: Curve | None = fields.curve(
        "angle", "torque", hint="resistance over displacement"
    )
    damper_curve: Curve | None = fields.curve(
        "angular speed", "torque", hint="resistance over speed"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Stops(OnFreedom):
    """Ends of the travel: stiff, with a restitution from 0 (dead) to 1 (no loss)."""

    title: ClassVar[str] = "stops"
    lower: Written | None = fields.quantity("angle", optional=True, title="Lower stop")
    upper: Written | None = fields.quantity("angle", optional=True, title="Upper stop")
    stiffness: Written | None = fields.quantity(
        "torsional stiffness", optional=True, hint="needed, say 1 MN/m"
    )
    restitution: Written = fields.quantity("number", "0.5")


@dataclass(frozen=True, slots=True, kw_only=True)
class Friction(OnFreedom):
    """Dry friction that sticks: from the joint's reaction, a constant, or both.

    Sliding: coefficient × force across the slide. Turning: coefficient × pin radius × force across
    the axis.
    """

    title: ClassVar[str] = "friction"
    kinetic: Written = fields.quantity("number", "0.1", title="Kinetic coefficient")
    static: Written | None = fields.quantity(
        "number", optional=True, title="Static coefficient", hint="empty: as kinetic"
    )
    pin_radius: Written | None = fields.quantity("length", optional=True, hint="for turning")
    constant: Written | None = fields.quantity(
        "torque", optional=True, title="Constant part", hint="acts without load too"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StartValue(OnFreedom):
    """Where a free motion starts, and how fast."""

    title: ClassVar[str] = "start value"
    position: Written | None = fields.quantity("angle", optional=True, hint="empty: as drawn")
    speed: Written | None = fields.quantity("angular speed", optional=True, hint="empty: any")


ON_FREEDOM = (Behaviour, Stops, Friction, StartValue)


@dataclass(frozen=True, slots=True, kw_only=True)
class Joint(Element):
    """A connection of frame B to frame A: what is not free is locked.

    A special joint locks something beside the six freedoms: the distance of the frames, equal
    speeds of two shafts about their z axes, or a path in the axes of A that the point of B follows.
    A body on a path keeps its x axis along it and its z axis as near to that of A as it can; the
    travel along the path takes the place of slide x.
    """

    tag: ClassVar[str] = "joint"
    switchable: ClassVar[bool] = True
    group: ClassVar[str] = "joints"
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")
    free: tuple[str, ...] = fields.choices(FREEDOMS, ("turn z",))
    special: str = fields.choice(tuple(SPECIALS), "none")
    distance: Written | None = fields.quantity(
        "length", optional=True, hint="fixed distance; empty: as drawn"
    )
    path: str | None = fields.reference("path", optional=True, hint="for joints on a path")
    behaviours: tuple[OnFreedom, ...] = fields.parts(*ON_FREEDOM, title="On its freedoms")

    @property
    def motions(self) -> tuple[str, ...]:
        """Freedoms that are free in effect: what a special joint leaves, else `free`."""
        return SPECIALS[self.special].motions(self.free)

    @property
    def coordinates(self) -> tuple[str, ...]:
        """Free motions with a coordinate that something can act along."""
        uncounted = SPECIALS[self.special].uncounted
        return tuple(f for f in self.motions if f not in uncounted)

    @property
    def followed(self) -> str | None:
        """The path that it leads along."""
        return None if "path" in self.unused else self.path

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Kind of position or speed of a freedom that has a coordinate."""
        freedom = quantity.replace("_", " ")
        if freedom not in self.coordinates:
            return None
        turning = freedom in TURNS
        return {
            "position": "angle" if turning else "length",
            "speed": "angular speed" if turning else "speed",
        }.get(component)

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        used = SPECIALS[self.special].fields
        own = dict.fromkeys(field for special in SPECIALS.values() for field in special.fields)
        return tuple(field for field in own if field not in used)
