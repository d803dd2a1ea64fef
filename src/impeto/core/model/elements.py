"""The elements that a model is made of: frozen descriptions, checked once, at birth.

Lengths and angles are written with units; positions are in the axes of what carries them (a body's
axes for shapes and frames, the world for bodies).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.errors import ModelError
from impeto.core.model import fields
from impeto.core.model.fields import Vector, Written
from impeto.core.model.freedoms import FREEDOMS, TURNS
from impeto.core.model.signals import Constant, Signal, as_signal

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
    shapes: tuple[Shape, ...] = fields.parts(Box, Cylinder, Tube, Sphere)
    point_masses: tuple[PointMass, ...] = fields.parts(PointMass)


@dataclass(frozen=True, slots=True, kw_only=True)
class Frame(Element):
    """A point with axes on a body or on the ground."""

    group: ClassVar[str] = "frames"
    body: str = fields.reference("body", GROUND)
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=_ANGLES)


@dataclass(frozen=True, slots=True, kw_only=True)
class Behaviour:
    """Spring and damper on one free motion of a joint, along its coordinate."""

    title: ClassVar[str] = "behaviour"
    freedom: str = fields.choice(FREEDOMS, "turn z")
    stiffness: Written | None = fields.quantity("torsional stiffness", optional=True)
    free_position: Written | None = fields.quantity(
        "angle", optional=True, hint="where the spring is relaxed"
    )
    damping: Written | None = fields.quantity("torsional damping", optional=True)

    def __post_init__(self) -> None:
        fields.settle(self)

    @property
    def turning(self) -> bool:
        return self.freedom in TURNS

    def refined_kind(self, kind: str) -> str:
        """Kinds of a sliding freedom, where the declaration speaks of a turning one."""
        return kind if self.turning else _SLIDING.get(kind, kind)


_SLIDING = {
    "torsional stiffness": "stiffness",
    "torsional damping": "damping",
    "angle": "length",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Joint(Element):
    """A connection of frame B to frame A: what is not free is locked."""

    group: ClassVar[str] = "joints"
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")
    free: tuple[str, ...] = fields.choices(FREEDOMS, ("turn z",))
    behaviours: tuple[Behaviour, ...] = fields.parts(Behaviour)


@dataclass(frozen=True, slots=True, kw_only=True)
class Gravity(Element):
    group: ClassVar[str] = "forces"
    size: Written = fields.quantity("acceleration", "9.80665 m/s^2")
    direction: Vector = fields.vector("number", ("0", "0", "-1"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Spring(Element):
    """Straight spring between two frames; positive force pulls them together.

    An empty free length takes the distance as drawn; preload is the pull at the free length.
    """

    group: ClassVar[str] = "forces"
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")
    stiffness: Written = fields.quantity("stiffness", "1 kN/m")
    free_length: Written | None = fields.quantity("length", optional=True, hint="empty: as drawn")
    preload: Written = fields.quantity("force", "0 N")


@dataclass(frozen=True, slots=True, kw_only=True)
class Damper(Element):
    """Straight damper between two frames; positive force pulls them together."""

    group: ClassVar[str] = "forces"
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")
    damping: Written = fields.quantity("damping", "100 N*s/m")


@dataclass(frozen=True, slots=True, kw_only=True)
class Load(Element):
    """A force or torque at a frame, in a direction fixed in the world or in the frame's body."""

    group: ClassVar[str] = "forces"
    frame: str = fields.reference("frame")
    applies: str = fields.choice(("force", "torque"), "force")
    axes: str = fields.choice(("world", "body"), "world")
    direction: Vector = fields.vector("number", ("0", "0", "-1"))
    value: Signal = fields.signal(None)

    def __post_init__(self) -> None:
        if self.value is None:
            unit = "100 N" if self.applies == "force" else "100 N*m"
            object.__setattr__(self, "value", Constant(value=unit))
        object.__setattr__(self, "value", as_signal(self.value))
        Element.__post_init__(self)

    @property
    def signal_kind(self) -> str:
        return self.applies


@dataclass(frozen=True, slots=True, kw_only=True)
class Drive(Element):
    """What powers one freedom of a joint: a prescribed motion, or an effort (force or torque)."""

    group: ClassVar[str] = "drives"
    joint: str = fields.reference("joint")
    freedom: str = fields.choice(FREEDOMS, "turn z")
    prescribes: str = fields.choice(("position", "speed", "acceleration", "effort"), "speed")
    value: Signal = fields.signal(None)

    def __post_init__(self) -> None:
        if self.value is None:
            object.__setattr__(self, "value", Constant(value=f"0 {self.si_unit}"))
        object.__setattr__(self, "value", as_signal(self.value))
        Element.__post_init__(self)

    @property
    def turning(self) -> bool:
        return self.freedom in TURNS

    @property
    def signal_kind(self) -> str:
        return drive_kind(self.prescribes, self.turning)

    @property
    def si_unit(self) -> str:
        turning, straight = {
            "position": ("rad", "m"),
            "speed": ("rad/s", "m/s"),
            "acceleration": ("rad/s^2", "m/s^2"),
            "effort": ("N*m", "N"),
        }[self.prescribes]
        return turning if self.turning else straight


def drive_kind(prescribes: str, turning: bool) -> str:
    """Kind of quantity of a freedom's position, speed, acceleration or effort."""
    turned = {
        "position": "angle",
        "speed": "angular speed",
        "acceleration": "angular acceleration",
        "effort": "torque",
    }
    straight = {
        "position": "length",
        "speed": "speed",
        "acceleration": "acceleration",
        "effort": "force",
    }
    return turned[prescribes] if turning else straight[prescribes]


ELEMENTS: dict[str, type[Element]] = {
    cls.__name__.lower(): cls
    for cls in (Parameter, Body, Frame, Joint, Gravity, Spring, Damper, Load, Drive)
}
