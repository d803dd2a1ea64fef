"""Numbers of drives and brakes: what acts along one coordinate of a joint."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.model.formula import Node
from impeto.core.model.interpolation import Interpolation


@dataclass(frozen=True, slots=True, kw_only=True)
class ServoData:
    """Gains on the error; limit and rate infinite where not given, sample 0 where continuous."""

    proportional: float
    integral: float
    derivative: float
    feed_forward: Node | None
    limit: float
    rate: float
    sample: float
    on_speed: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class MotorData:
    """Electric side, and the gear: transmission = rotor turns [rad] per coordinate [rad or m]."""

    supply: float
    resistance: float
    inductance: float
    torque_constant: float
    speed_constant: float
    rotor_inertia: float
    friction: float
    transmission: float
    efficiency: float
    efficiency_back: float


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveData:
    """value: motion, effort, reference of the servo, or duty of the motor."""

    name: str
    joint: int
    freedom: int
    prescribes: str
    value: Node
    servo: ServoData | None = None
    motor: MotorData | None = None
    limit_curve: Interpolation | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class BrakeData:
    """value: the friction [N or N m] that it gives."""

    name: str
    joint: int
    freedom: int
    value: Node
