"""Forces and torques at a frame that follow a signal."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import IntEnum
from typing import Any, ClassVar

import numpy as np

from impeto.core.bodies.compilation import Compilation
from impeto.core.bodies.compile import unit_vector
from impeto.core.dynamics.channel import Channel, signal_values, vector
from impeto.core.dynamics.efforts import add_force
from impeto.core.dynamics.kernel import inlined
from impeto.core.dynamics.layout import Layout, float_rows, from_center, int_rows
from impeto.core.dynamics.mechanism import FrameData
from impeto.core.dynamics.signals import signal_node
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import M_SIGNAL, X_LOADS, Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot, turn
from impeto.core.errors import ModelError
from impeto.core.forces.point_force import PointForce, Wrenches, about
from impeto.core.geometry.arrays import Floats
from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Vector
from impeto.core.model.formula import Node
from impeto.core.model.scope import Scope
from impeto.core.model.signals import Constant, Signal, as_signal

# What the user writes, and its numbers


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
    def acts_at(self) -> str:
        return self.frame

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        return () if self.axes == "other" else ("axes_frame",)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadData:
    """direction: unit vector in the axes of a body (row `axes`, 0 for the world).

    counter: frame where the opposite acts, or −1
    """

    name: str
    frame: int
    is_torque: bool
    axes: int
    direction: Floats
    value: Node
    counter: int


def _compiled(made: Compilation) -> tuple[LoadData, ...]:
    return made.each(Load, _numbers, made.frame_row, made.frames)


def _numbers(
    scope: Scope, load: Load, frame_row: Mapping[str, int], frames: tuple[FrameData, ...]
) -> LoadData:
    """The direction in the axes of the body that it is fixed in."""
    axes = 0
    if load.axes == "body":
        axes = frames[frame_row[load.frame]].body
    elif load.axes == "other":
        if load.axes_frame is None:
            raise ModelError(
                "it does not say whose axes", element=load.name, field="axes_frame",
                remedy="Choose a frame",
            )  # fmt: skip
        axes = frames[frame_row[load.axes_frame]].body
    direction = unit_vector(scope, load)
    if load.axes == "other" and load.axes_frame is not None:
        direction = frames[frame_row[load.axes_frame]].rotation @ direction
    return LoadData(
        name=load.name,
        frame=frame_row[load.frame],
        is_torque=load.applies == "torque",
        axes=axes,
        direction=direction,
        value=signal_node(scope, load),
        counter=-1 if load.counter_frame is None else frame_row[load.counter_frame],
    )


# Its rows in the arrays, and what it does in a step


class LoadRow(IntEnum):
    BODY = 0
    IS_TORQUE = 1
    AXES = 2  # body whose axes the direction is in, 0 for the world
    PROGRAM = 3
    COUNTER = 4  # body that takes the opposite, −1 for none
    ELEMENT = 5


def _arrays(layout: Layout, programs: Mapping[str, int]) -> dict[str, Any]:
    m, frames = layout.mechanism, layout.mechanism.frames
    loads, load_points = [], []
    for d in m.of(LoadData):
        counter = frames[d.counter].body if d.counter >= 0 else -1
        body = frames[d.frame].body
        element = layout.elements[d.name]
        loads.append((body, int(d.is_torque), d.axes, programs[d.name], counter, element))
        other = d.counter if d.counter >= 0 else d.frame
        load_points.append([from_center(m, d.frame), from_center(m, other)])
    return {
        "load": int_rows(loads, 6),
        "load_point": float_rows(load_points, 2, 3),
        "load_direction": float_rows([d.direction for d in m.of(LoadData)], 3),
    }


@inlined
def add_loads(T: Tables, S: Workspace) -> None:
    """Forces and torques by signal, with their opposites where a counter frame is given."""
    acting, arm = S.work[0], S.work[1]
    for index in range(T.load.shape[0]):
        body, is_torque, axes = (
            T.load[index, LoadRow.BODY],
            T.load[index, LoadRow.IS_TORQUE],
            T.load[index, LoadRow.AXES],
        )
        counter = T.load[index, LoadRow.COUNTER]
        size = S.signal[T.load[index, LoadRow.PROGRAM]] * S.on[T.load[index, LoadRow.ELEMENT]]
        turn(S.rotation[axes], T.load_direction[index], acting)
        for k in range(3):
            acting[k] *= size
        power = 0.0
        for side in range(2):
            which = body if side == 0 else counter
            sign = 1.0 if side == 0 else -1.0
            if which < 0:
                continue
            if is_torque:
                for k in range(3):
                    S.wrench[which, 3 + k] += sign * acting[k]
                power += sign * dot(acting, S.spin[which])
            else:
                turn(S.rotation[which], T.load_point[index, side], arm)
                add_force(S.wrench[which], arm, acting, sign)
                swing = cross(S.spin[which], arm)
                power += sign * (dot(acting, S.v[which]) + dot(acting, swing))
        S.power[T.extra[X_LOADS] + index] = power


# What can be read afterwards


def _channels(r: Solution, index: int, load: LoadData) -> Iterator[Channel]:
    quantity = "torque" if load.is_torque else "force"

    def size() -> Floats:
        on = r.on(load.name)
        return signal_values(r, load.name) * on

    def acting() -> Floats:
        return (r.rotation(load.axes) @ load.direction) * size()[:, None]

    yield from vector(f"{load.name}.{quantity}", quantity, acting)
    yield Channel(f"{load.name}.value", quantity, size)
    yield Channel(f"{load.name}.work", "energy", lambda: r.extra(X_LOADS, index))


def _acting(r: Solution, body: int, at: int) -> Wrenches:
    m = r.system.mechanism
    for load in m.of(LoadData):
        size = r.measure(M_SIGNAL, r.system.programs[load.name])[at] * r.on(load.name)[at]
        acting = size * (r.rotations[at, load.axes] @ load.direction)
        for frame, sign in ((load.frame, 1.0), (load.counter, -1.0)):
            if frame < 0 or m.frames[frame].body != body:
                continue
            if load.is_torque:
                yield load.name, sign * np.concatenate([np.zeros(3), acting])
                continue
            point = r.point(body, from_center(m, frame))[0][at]
            yield load.name, about(r.centers[at, body], point, sign * acting)


def _signal(load: LoadData) -> Node:
    return load.value


LOADS = PointForce(
    numbers=LoadData, compiled=_compiled, arrays=_arrays, channels=_channels, acting=_acting,
    signal=_signal, given=(X_LOADS,),
)  # fmt: skip
