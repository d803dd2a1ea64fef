"""Starts that are kept by name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import LEVEL, ZERO, Element
from impeto.core.model.fields import Vector, Written
from impeto.core.model.freedoms import FREEDOMS, TURNS

__all__ = ["BodyState", "JointValue", "Pose"]


@dataclass(frozen=True, slots=True, kw_only=True)
class JointValue:
    """Position and speed of one free motion in a pose."""

    title: ClassVar[str] = "joint value"
    joint: str = fields.reference("joint", "")
    freedom: str = fields.choice(FREEDOMS, "turn z")
    position: Written | None = fields.quantity("angle", optional=True)
    speed: Written | None = fields.quantity("angular speed", optional=True)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)

    def refined_kind(self, kind: str) -> str:
        """Kinds of a sliding freedom, where the declaration speaks of a turning one."""
        if self.freedom in TURNS:
            return kind
        return {"angle": "length", "angular speed": "speed"}.get(kind, kind)


@dataclass(frozen=True, slots=True, kw_only=True)
class BodyState:
    """Placement and velocities of one body in a pose, all in world axes."""

    title: ClassVar[str] = "body state"
    body: str = fields.reference("body", "")
    position: Vector = fields.vector("length", ZERO)
    orientation: Vector = fields.vector("angle", LEVEL, labels=("roll", "pitch", "yaw"))
    velocity: Vector = fields.vector("speed", ("0 m/s",) * 3, hint="of the centre of mass")
    angular_velocity: Vector = fields.vector("angular speed", ("0 rad/s",) * 3)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pose(Element):
    """A start that is kept by name: placements of bodies, values of joints, or both.

    What it does not mention starts as drawn; joints are then brought together.
    """

    tag: ClassVar[str] = "pose"
    fastens: ClassVar[bool] = False
    goes_along: ClassVar[bool] = False
    needs_on: ClassVar[bool] = False
    group: ClassVar[str] = "poses"
    bodies: tuple[BodyState, ...] = fields.parts(BodyState)
    joints: tuple[JointValue, ...] = fields.parts(JointValue)
