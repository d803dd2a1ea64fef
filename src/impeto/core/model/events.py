"""Events, named poses and data sets."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, ClassVar

from impeto.core.errors import ModelError
from impeto.core.model import fields
from impeto.core.model.bodies import Element
from impeto.core.model.fields import Vector, Written
from impeto.core.model.freedoms import FREEDOMS, TURNS
from impeto.core.model.shapes import LEVEL, ZERO

AT_TIME, RISES, FALLS = "at a time", "channel rises", "channel falls"
SWITCH_OFF, SWITCH_ON, LOCK = "switch off", "switch on", "lock joint"
SET_PARAMETER, FEED_ONE, END_RUN, MARK = "set parameter", "feed one", "end run", "mark"
ACTIONS = (SWITCH_OFF, SWITCH_ON, LOCK, SET_PARAMETER, FEED_ONE, END_RUN, MARK)


@dataclass(frozen=True, slots=True, kw_only=True)
class Event(Element):
    """When something happens, and what is then done.

    Switching a joint off releases it. Locking a joint stops its free motions where they are, as an
    inelastic impact does, until it is switched on again.
    """

    group: ClassVar[str] = "events"
    when: str = fields.choice((AT_TIME, RISES, FALLS), AT_TIME)
    time: Written = fields.quantity("time", "1 s", hint="for: at a time")
    channel: str = fields.text(
        hint="such as saw_frame.position.z; rule.gap of contacts, outlet.count"
    )
    level: Written = fields.quantity(fields.ANY, "0", hint="that the channel crosses")
    action: str = fields.choice(ACTIONS, MARK)
    target: str = fields.text(hint="name of the element or parameter")
    value: Written | None = fields.quantity(
        fields.ANY, optional=True, hint="new value of the parameter"
    )
    again: bool = fields.switch(False, hint="every time, not only the first")

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        out = ("channel", "level") if self.when == AT_TIME else ("time",)
        if self.action in (END_RUN, MARK):
            out = (*out, "target")
        return out if self.action == SET_PARAMETER else (*out, "value")


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
    spin: Vector = fields.vector("angular speed", ("0 rad/s",) * 3)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pose(Element):
    """A start that is kept by name: placements of bodies, values of joints, or both.

    What it does not mention starts as drawn; joints are then brought together.
    """

    group: ClassVar[str] = "poses"
    bodies: tuple[BodyState, ...] = fields.parts(BodyState)
    joints: tuple[JointValue, ...] = fields.parts(JointValue)


@dataclass(frozen=True, slots=True, kw_only=True)
class Dataset(Element):
    """Columns of numbers over time, read from a file and kept with the model.

    columns : 'title [unit]' to numbers; the first column is the time.
    """

    group: ClassVar[str] = "parameters"
    file: str = fields.text(hint="where the columns came from")
    columns: Mapping[str, tuple[float, ...]] = field(
        default_factory=dict, metadata={"spec": fields.ColumnsSpec()}
    )

    def __post_init__(self) -> None:
        Element.__post_init__(self)
        if not self.columns:
            raise ModelError("it has no columns", element=self.name, remedy="Read a CSV file")
        lengths = {len(column) for column in self.columns.values()}
        if len(lengths) > 1:
            raise ModelError("its columns differ in length", element=self.name)
        kept = {title: tuple(map(float, column)) for title, column in self.columns.items()}
        object.__setattr__(self, "columns", MappingProxyType(kept))

    def __reduce__(self) -> tuple[Any, ...]:
        return _dataset, (self.name, self.enabled, self.note, self.file, dict(self.columns))

    def __hash__(self) -> int:
        return hash((self.name, self.file, tuple(self.columns)))


def _dataset(name: str, enabled: bool, note: str, file: str, columns: Any) -> Dataset:
    return Dataset(name=name, enabled=enabled, note=note, file=file, columns=columns)
