"""Resistance of the air at a frame, in a wind."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import IntEnum
from typing import Any, ClassVar

import numpy as np

from impeto.core.bodies.compilation import Compilation
from impeto.core.dynamics.channel import Channel, vector
from impeto.core.dynamics.efforts import add_force
from impeto.core.dynamics.kernel import inlined
from impeto.core.dynamics.layout import Layout, float_rows, from_center, int_rows
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import X_DRAGS, X_WINDS, Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot, turn
from impeto.core.errors import ModelError
from impeto.core.forces.point_force import ImplicitRows, PointForce, Wrenches, about
from impeto.core.geometry.arrays import Floats
from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Vector, Written
from impeto.core.model.scope import Scope

# What the user writes, and its numbers


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

    @property
    def acts_at(self) -> str:
        return self.frame


@dataclass(frozen=True, slots=True, kw_only=True)
class DragData:
    """factor: force per square of speed [kg/m];  wind: (3,) m/s, world"""

    name: str
    frame: int
    factor: float
    wind: Floats


def _compiled(made: Compilation) -> tuple[DragData, ...]:
    return made.each(Drag, _numbers, made.frame_row)


def _numbers(scope: Scope, drag: Drag, frame_row: Mapping[str, int]) -> DragData:
    factor = 0.5
    for field, kind in (("area", "area"), ("coefficient", "number"), ("density", "density")):
        value = scope.field(drag, field, kind)
        if value < 0.0:
            raise ModelError(
                "it cannot be negative", element=drag.name, field=field, remedy="Type 0 or more"
            )
        factor *= value
    wind = scope.vector(drag, "wind", "speed")
    return DragData(name=drag.name, frame=frame_row[drag.frame], factor=factor, wind=wind)


# Its rows in the arrays, and what it does in a step


class DragRow(IntEnum):
    BODY = 0
    ELEMENT = 1


class DragValue(IntEnum):
    FACTOR = 0  # force per square of speed
    WIND = 1  # three components, world


def _arrays(layout: Layout, programs: Mapping[str, int]) -> dict[str, Any]:
    m = layout.mechanism
    drags = m.of(DragData)
    return {
        "drag": int_rows([(m.frames[d.frame].body, layout.elements[d.name]) for d in drags], 2),
        "drag_point": float_rows([from_center(m, d.frame) for d in drags], 3),
        "drag_value": float_rows([(d.factor, *d.wind) for d in drags], 4),
    }


@inlined
def add_drags(T: Tables, S: Workspace) -> None:
    """Resistance of the air, −½ ρ C A |u| u, with u the velocity relative to the wind. What it
    takes from the motion through the air is lost; what it moves along with the wind, the wind
    puts in."""
    arm, through = S.work[0], S.work[1]
    for index in range(T.drag.shape[0]):
        body = T.drag[index, DragRow.BODY]
        turn(S.rotation[body], T.drag_point[index], arm)
        swing = cross(S.spin[body], arm)
        for k in range(3):
            through[k] = S.v[body, k] + swing[k] - T.drag_value[index, DragValue.WIND + k]
        square = dot(through, through)
        on = S.on[T.drag[index, DragRow.ELEMENT]]
        size = on * T.drag_value[index, DragValue.FACTOR] * math.sqrt(square)
        blown = 0.0
        for k in range(3):
            through[k] *= -size
            blown += through[k] * T.drag_value[index, DragValue.WIND + k]
        add_force(S.wrench[body], arm, through, 1.0)
        S.power[T.extra[X_DRAGS] + index] = size * square
        S.power[T.extra[X_WINDS] + index] = blown


class _DragRows:
    """Three rows of each drag: the direction of its motion through the air and two across it."""

    width = 3

    def __init__(self, T: Tables) -> None:
        self.count = len(T.drag)
        self._wind = np.zeros(3 * len(T.drag))  # along the rows

    def fill(self, rows: ImplicitRows, T: Tables, S: Workspace, index: int, element: int) -> None:
        body, at = int(T.drag[element, DragRow.BODY]), slice(index, index + 3)
        arm, axes, rows.damping[at], rows.damped[at], wind = _implicit(T, S, element)
        self._wind[3 * element : 3 * element + 3] = wind
        for k, axis in enumerate(axes):
            rows.put(S, index + k, body, axis, np.cross(arm, axis))

    def book(self, T: Tables, power: Floats, given: Floats, lost: Floats) -> None:
        blown = (given * self._wind).reshape(-1, 3).sum(axis=1)
        taken = lost.reshape(-1, 3).sum(axis=1) + blown
        power[T.extra[X_DRAGS] : T.extra[X_DRAGS + 1]] = taken
        power[T.extra[X_WINDS] : T.extra[X_WINDS + 1]] = blown


def _implicit(T: Tables, S: Workspace, drag: int) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    """Lever arm (3,) of a drag, world; then for the direction of its motion through the air and two
    across it: unit vectors (3, 3) as rows, dampings, efforts and the wind along them, (3,) each."""
    body, element = T.drag[drag]
    arm = S.rotation[body] @ T.drag_point[drag]
    wind = T.drag_value[drag, DragValue.WIND : DragValue.WIND + 3]
    through = S.v[body] + np.cross(S.spin[body], arm) - wind
    speed = float(np.linalg.norm(through))
    axes = np.eye(3)
    if speed > 0.0:
        axes[0] = through / speed
        axes[1] = np.cross(axes[0], np.eye(3)[int(np.argmin(np.abs(through)))])
        axes[1] /= np.linalg.norm(axes[1])
        axes[2] = np.cross(axes[0], axes[1])
    size = float(T.drag_value[drag, DragValue.FACTOR] * S.on[element] * speed)
    damping = size * np.array([2.0, 1.0, 1.0])  # of |u| u: twice along it
    return arm, axes, damping, np.array([-size * speed, 0.0, 0.0]), axes @ wind


# What can be read afterwards


def _through_air(r: Solution, drag: DragData) -> Floats:
    """(N, 3) velocity of a drag's frame relative to the wind, world."""
    m = r.system.mechanism
    body = m.frames[drag.frame].body
    return r.point(body, from_center(m, drag.frame))[1] - drag.wind


def _force(r: Solution, drag: DragData) -> Floats:
    """(N, 3) what the air does to the body, world."""
    through = _through_air(r, drag)
    size = drag.factor * np.linalg.norm(through, axis=1) * r.on(drag.name)
    return -size[:, None] * through


def _channels(r: Solution, index: int, drag: DragData) -> Iterator[Channel]:
    name = drag.name
    yield from vector(f"{name}.force", "force", lambda: _force(r, drag))
    yield Channel(f"{name}.speed", "speed", lambda: np.linalg.norm(_through_air(r, drag), axis=1))
    yield Channel(f"{name}.dissipated", "energy", lambda: r.extra(X_DRAGS, index))
    yield Channel(f"{name}.work", "energy", lambda: r.extra(X_WINDS, index))


def _acting(r: Solution, body: int, at: int) -> Wrenches:
    m = r.system.mechanism
    for drag in m.of(DragData):
        if m.frames[drag.frame].body == body:
            point = r.point(body, from_center(m, drag.frame))[0][at]
            yield drag.name, about(r.centers[at, body], point, _force(r, drag)[at])


DRAGS = PointForce(
    numbers=DragData, compiled=_compiled, arrays=_arrays, channels=_channels, acting=_acting,
    lost=(X_DRAGS,), given=(X_WINDS,), implicit=_DragRows,
)  # fmt: skip
