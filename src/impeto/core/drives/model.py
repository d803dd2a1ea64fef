"""What powers a freedom of a joint: prescribed motion or effort, servo, electric motor."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields, units
from impeto.core.model.curves import Curve
from impeto.core.model.element import Element
from impeto.core.model.fields import Written
from impeto.core.model.freedoms import FREEDOMS, TURNS
from impeto.core.model.signals import Constant, Signal, as_signal

__all__ = ["Brake", "Drive", "Motor", "Servo"]


_TURNED = {
    "position": "angle",
    "speed": "angular speed",
    "acceleration": "angular acceleration",
    "effort": "torque",
}
_STRAIGHT = {
    "position": "length",
    "speed": "speed",
    "acceleration": "acceleration",
    "effort": "force",
}
_SLIDING = {
    "torsional stiffness": "stiffness",
    "torsional damping": "damping",
    "torsional stiffness rate": "stiffness rate",
    "torque": "force",
    "torque rate": "force rate",
    "inertia gain": "mass",
    "angular speed": "speed",
}


def drive_kind(prescribes: str, turning: bool) -> str:
    """Kind of quantity of a freedom's position, speed, acceleration or effort."""
    return _TURNED[prescribes] if turning else _STRAIGHT[prescribes]


@dataclass(frozen=True, slots=True, kw_only=True)
class AtFreedom(Element):
    """Base of drives and brakes: the freedom that they act on."""

    group: ClassVar[str] = "drives"
    switchable: ClassVar[bool] = True
    joint: str = fields.reference("joint")
    freedom: str = fields.choice(FREEDOMS, "turn z")

    @property
    def turning(self) -> bool:
        return self.freedom in TURNS

    def refined_kind(self, kind: str) -> str:
        """Kinds of a sliding freedom, where the declaration speaks of a turning one."""
        return kind if self.turning else _SLIDING.get(kind, kind)


def _take_signal(element: Brake | Drive | Servo | Motor, field: str, empty: str) -> None:
    """Make a signal of what was handed over for a field, a constant where that is nothing."""
    given = getattr(element, field)
    signal = Constant(value=empty) if given is None else as_signal(given, element.signal_kind)
    object.__setattr__(element, field, signal)
    Element.__post_init__(element)


@dataclass(frozen=True, slots=True, kw_only=True)
class Powered(AtFreedom):
    """Base of the drives: they put power in."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Brake(AtFreedom):
    """Dry friction that follows a signal: it holds up to that effort, and slips above.

    The effort is the size of the friction torque, or force on a slide; at zero and below the brake
    is open.
    """

    tag: ClassVar[str] = "brake"
    value: Signal = fields.signal(None, title="Holding effort")

    def __post_init__(self) -> None:
        _take_signal(self, "value", f"0 {units.KINDS[self.signal_kind].si}")

    @property
    def signal_kind(self) -> str:
        return drive_kind("effort", self.turning)


@dataclass(frozen=True, slots=True, kw_only=True)
class Drive(Powered):
    """What powers one freedom of a joint: a prescribed motion, or an effort (force or torque)."""

    tag: ClassVar[str] = "drive"
    prescribes: str = fields.choice(("position", "speed", "acceleration", "effort"), "speed")
    value: Signal = fields.signal(None)
    limit_curve: Curve | None = fields.curve(
        "angular speed", "torque", hint="what a motor can give, over speed"
    )

    def __post_init__(self) -> None:
        _take_signal(self, "value", f"0 {units.KINDS[self.signal_kind].si}")

    @property
    def signal_kind(self) -> str:
        return drive_kind(self.prescribes, self.turning)


@dataclass(frozen=True, slots=True, kw_only=True)
class Servo(Powered):
    """A loop that makes a position or speed follow a reference.

    effort = proportional · e + integral · ∫e + derivative · ė + feed-forward, within the limits;
    e is the error of the position, or of the speed. The integral stands still while the effort is
    at its limit and would be driven further beyond (anti-windup).
    """

    tag: ClassVar[str] = "servo"
    controls: str = fields.choice(("position", "speed"), "position")
    reference: Signal = fields.signal(None)
    proportional: Written = fields.quantity("torsional stiffness", 0.0)
    integral: Written = fields.quantity("torsional stiffness rate", 0.0)
    derivative: Written = fields.quantity("torsional damping", 0.0)
    feed_forward: Written | None = fields.quantity(
        fields.ANY, optional=True, hint="effort, formula of t and channels"
    )
    limit: Written | None = fields.quantity("torque", optional=True, title="Largest effort")
    rate_limit: Written | None = fields.quantity(
        "torque rate", optional=True, title="Fastest change of effort"
    )
    sample_time: Written | None = fields.quantity("time", optional=True, hint="empty: continuous")
    limit_curve: Curve | None = fields.curve(
        "angular speed", "torque", hint="what a motor can give, over speed"
    )

    def __post_init__(self) -> None:
        _take_signal(self, "reference", f"0 {units.KINDS[self.signal_kind].si}")

    @property
    def signal_kind(self) -> str:
        return drive_kind(self.controls, self.turning)

    def refined_kind(self, kind: str) -> str:
        """Gains on a speed error are one step of time further than those on a position error."""
        if self.controls == "speed":
            kind = _ON_SPEED.get(kind, kind)
        return kind if self.turning else _SLIDING.get(kind, kind)


_ON_SPEED = {
    "torsional stiffness": "torsional damping",
    "torsional stiffness rate": "torsional stiffness",
    "torsional damping": "inertia gain",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Motor(Powered):
    """A direct-current motor with gearbox: L di/dt = duty · supply − R i − back-EMF · speed.

    The bridge is averaged: duty from −1 to 1 times the supply voltage. The gear ratio is turns of
    the motor per turn of the freedom; on a slide the lead is the advance per turn behind the
    gearbox. The efficiency holds when the motor drives, the one backwards when the load drives the
    motor; 0 there makes the gear self-locking. no_load_friction acts on the rotor.
    """

    tag: ClassVar[str] = "motor"
    supply: Written = fields.quantity("voltage", "24 V", title="Supply voltage")
    duty: Signal = fields.signal(None)
    resistance: Written = fields.quantity("resistance", "1 ohm")
    inductance: Written = fields.quantity("inductance", "1 mH")
    torque_constant: Written = fields.quantity("torque constant", "0.05 N*m/A")
    speed_constant: Written | None = fields.quantity(
        "speed constant", optional=True, title="Back-EMF constant", hint="empty: as torque constant"
    )
    rotor_inertia: Written = fields.quantity("inertia", "0 kg*m^2")
    no_load_friction: Written = fields.quantity("rotor torque", "0 N*m")
    ratio: Written = fields.quantity("number", "1", title="Gear ratio")
    lead: Written | None = fields.quantity("length", optional=True, hint="of the screw, on a slide")
    efficiency: Written = fields.quantity("number", "1")
    efficiency_back: Written | None = fields.quantity(
        "number", optional=True, title="Efficiency backwards", hint="empty: as forwards"
    )
    limit_curve: Curve | None = fields.curve(
        "angular speed", "torque", hint="what the motor can give, over speed"
    )

    def __post_init__(self) -> None:
        _take_signal(self, "duty", "1")

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        return ("lead",) if self.turning else ()

    @property
    def signal_kind(self) -> str:
        return "number"

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Its current."""
        return "current" if quantity == "current" and not component else None
