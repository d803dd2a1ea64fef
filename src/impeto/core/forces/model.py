"""Force elements and loads."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.curves import Curve
from impeto.core.model.element import Element
from impeto.core.model.fields import Vector, Written
from impeto.core.model.signals import Constant, Signal, as_signal

__all__ = [
    "Actuator",
    "Attraction",
    "Bumper",
    "Bushing",
    "Damper",
    "Drag",
    "Gravity",
    "Load",
    "Rope",
    "Spring",
]


NOTHING: Vector = ("0 N", "0 N", "0 N")  # type: ignore[assignment]


@dataclass(frozen=True, slots=True, kw_only=True)
class Gravity(Element):
    tag: ClassVar[str] = "gravity"
    group: ClassVar[str] = "forces"
    size: Written = fields.quantity("acceleration", "9.80665 m/s^2")
    direction: Vector = fields.vector("number", ("0", "0", "-1"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Straight(Element):
    """Base of what acts along the line between two frames; positive force pulls them together."""

    group: ClassVar[str] = "forces"
    switchable: ClassVar[bool] = True
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Its length, the rate of that, and its force."""
        if component or (quantity == "force" and not forces):
            return None
        return {"length": "length", "rate": "speed", "force": "force"}.get(quantity)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spring(Straight):
    """Straight spring, with a damper beside it where it has damping, between two frames; positive
    force pulls them together.

    An empty free length takes the distance as drawn; preload is the pull at the free length. A
    curve gives pull over stretch and adds to the linear part.
    """

    tag: ClassVar[str] = "spring"
    stiffness: Written = fields.quantity("stiffness", "1 kN/m")
    damping: Written = fields.quantity("damping", "0 N*s/m", hint="of a damper beside it")
    free_length: Written | None = fields.quantity("length", optional=True, hint="empty: as drawn")
    preload: Written = fields.quantity("force", "0 N")
    curve: Curve | None = fields.curve("length", "force", hint="pull over stretch")


@dataclass(frozen=True, slots=True, kw_only=True)
class Damper(Straight):
    """Straight damper between two frames; a curve of pull over speed adds to the linear part."""

    tag: ClassVar[str] = "damper"
    damping: Written = fields.quantity("damping", "100 N*s/m")
    curve: Curve | None = fields.curve("speed", "force", hint="pull over speed of lengthening")


@dataclass(frozen=True, slots=True, kw_only=True)
class Rope(Straight):
    """Pulls when it is longer than its slack length, never pushes."""

    tag: ClassVar[str] = "rope"
    slack_length: Written | None = fields.quantity("length", optional=True, hint="empty: as drawn")
    stiffness: Written = fields.quantity("stiffness", "100 kN/m")
    damping: Written = fields.quantity("damping", "0 N*s/m")

    def watched(self, quantity: str) -> str | None:
        """Its tension, which goes on below zero where it lets go."""
        return "force" if quantity == "tension" else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Bumper(Straight):
    """Pushes when the frames come closer than its length, never pulls."""

    tag: ClassVar[str] = "bumper"
    length: Written = fields.quantity("length", "50 mm", hint="touches below this distance")
    stiffness: Written = fields.quantity("stiffness", "100 kN/m")
    damping: Written = fields.quantity("damping", "0 N*s/m")

    def watched(self, quantity: str) -> str | None:
        """Its tension, which goes on below zero where it lets go."""
        return "force" if quantity == "tension" else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Attraction(Straight):
    """A pull by formula of `length` and `rate` of its own line, of time and of channels.

    Negative values push the frames apart.
    """

    tag: ClassVar[str] = "attraction"
    pull: Written = fields.quantity(
        fields.ANY, "1 N*m^2 / length^2", hint="formula of length, rate, t"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Actuator(Straight):
    """A pull along the line between two frames that follows a signal."""

    tag: ClassVar[str] = "actuator"
    value: Signal = fields.signal(None)

    def __post_init__(self) -> None:
        value = (
            Constant(value="100 N")
            if self.value is None
            else as_signal(self.value, self.signal_kind)
        )
        object.__setattr__(self, "value", value)
        Element.__post_init__(self)

    @property
    def signal_kind(self) -> str:
        return "force"


@dataclass(frozen=True, slots=True, kw_only=True)
class Bushing(Element):
    """An elastic connection in all six directions of frame A, relaxed as drawn.

    Turns are small angles about the axes of A; preload is the force and torque on B at rest.
    """

    tag: ClassVar[str] = "bushing"
    group: ClassVar[str] = "forces"
    switchable: ClassVar[bool] = True
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")
    stiffness: Vector = fields.vector("stiffness", ("1 MN/m",) * 3)
    damping: Vector = fields.vector("damping", ("1 kN*s/m",) * 3)
    turning_stiffness: Vector = fields.vector("torsional stiffness", ("1 kN*m/rad",) * 3)
    turning_damping: Vector = fields.vector("torsional damping", ("1 N*m*s/rad",) * 3)
    preload: Vector = fields.vector("force", NOTHING)
    turning_preload: Vector = fields.vector("torque", ("0 N*m",) * 3)


@dataclass(frozen=True, slots=True, kw_only=True)
class Drag(Element):
    """Resistance of the air at a frame, against its motion there.

    Half the density times coefficient times area times the square of the speed through the air.
    """

    tag: ClassVar[str] = "drag"
    group: ClassVar[str] = "forces"
    switchable: ClassVar[bool] = True
    frame: str = fields.reference("frame")
    area: Written = fields.quantity(
        "area", "1 m^2", hint="across the flow, the same from all sides"
    )
    coefficient: Written = fields.quantity("number", "1")
    density: Written = fields.quantity("density", "1.2 kg/m^3", hint="of the air")
    wind: Vector = fields.vector("speed", ("0 m/s", "0 m/s", "0 m/s"), hint="world axes")


@dataclass(frozen=True, slots=True, kw_only=True)
class Load(Element):
    """A force or torque at a frame, in a direction fixed in the world, in the frame's body, or in
    the body of another frame. With a counter frame the opposite acts there."""

    tag: ClassVar[str] = "load"
    group: ClassVar[str] = "forces"
    switchable: ClassVar[bool] = True
    frame: str = fields.reference("frame")
    applies: str = fields.choice(("force", "torque"), "force")
    axes: str = fields.choice(("world", "body", "other"), "world")
    axes_frame: str | None = fields.reference(
        "frame", optional=True, title="Axes of", hint="with axes: other"
    )
    direction: Vector = fields.vector("number", ("0", "0", "-1"))
    counter_frame: str | None = fields.reference(
        "frame", optional=True, hint="where the opposite acts"
    )
    value: Signal = fields.signal(None)

    def __post_init__(self) -> None:
        if self.value is None:
            unit = "100 N" if self.applies == "force" else "100 N*m"
            object.__setattr__(self, "value", Constant(value=unit))
        object.__setattr__(self, "value", as_signal(self.value, self.signal_kind))
        Element.__post_init__(self)

    @property
    def signal_kind(self) -> str:
        return self.applies

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        return () if self.axes == "other" else ("axes_frame",)
