"""Frames and joints placed where they are in the world as drawn."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.placement import pose_of, written
from impeto.core.elements import Body, Frame, Joint
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import roll_pitch_yaw
from impeto.core.model.fields import Written, as_quantity
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
Point = Sequence[Written]
PARALLEL = 1e-9  # sine of the angle between two directions that are to span a plane


def frame_at(
    model: Model, name: str, body: str, point: Point = (0.0, 0.0, 0.0), *,
    z: Point | None = None, x: Point | None = None, to: Point | None = None,
    case: str | None = None,
) -> Frame:  # fmt: skip
    """A frame on a body of the model, at a point of the world as drawn, with axes as in the world
    or turned by directions.

    point, to : (3,) m or text with units, world;  z, x : directions of these axes, world, of any
    length; of x what is square to z counts;  to : a point towards which the z axis looks
    Raises ModelError for directions that say nothing.
    """
    scope = Scope(model, case)
    at = numbers(scope, name, point, "length")
    if to is not None:
        if z is not None:
            raise ModelError(
                "its z axis is given twice, by z and by to", element=name, remedy="Give one of them"
            )
        z = tuple(map(float, numbers(scope, name, to, "length") - at))
    axes = _axes(scope, name, z, x)
    origin, turned = pose_of(scope, _body(scope.model, name, body))
    return Frame(
        name=name, body=body, position=written(turned.T @ (at - origin), "length"),
        orientation=written(roll_pitch_yaw(turned.T @ axes), "angle"),
    )  # fmt: skip


def joined(
    model: Model, name: str, body_a: str, body_b: str, point: Point = (0.0, 0.0, 0.0), *,
    free: Sequence[str] = ("turn z",), z: Point | None = None, x: Point | None = None,
    to: Point | None = None, case: str | None = None,
) -> Model:  # fmt: skip
    """The model with a joint between two bodies at a point of the world as drawn, and its frames
    NAME_a and NAME_b. Points and directions as in `frame_at`; other fields of the joint by
    `dataclasses.replace`. Raises ModelError."""
    for side, body in (("a", body_a), ("b", body_b)):
        frame = frame_at(model, f"{name}_{side}", body, point, z=z, x=x, to=to, case=case)
        if frame.name in model.elements:
            raise ModelError(f"there is a {frame.name} already", element=name)
        model = model.with_element(frame)
    joint = Joint(name=name, frame_a=f"{name}_a", frame_b=f"{name}_b", free=tuple(free))
    return model.with_element(joint)


def is_held(model: Model, body: str) -> bool:
    """Whether a joint is fastened to a body."""
    frames = {frame.name for frame in model.of(Frame) if frame.body == body}
    return any({joint.frame_a, joint.frame_b} & frames for joint in model.of(Joint))


def numbers(scope: Scope, name: str, values: Point, kind: str) -> Floats:
    """(3,) a point or direction in SI, as written for an element of that name."""
    if len(values) != 3:
        raise ModelError("a point or direction has three components", element=name)
    return np.array([scope.si(as_quantity(value, kind), kind) for value in values])


def _axes(scope: Scope, name: str, z: Point | None, x: Point | None) -> Floats:
    """(3, 3) columns x, y, z in the world."""
    if z is None and x is None:
        return np.eye(3)
    if z is None:
        assert x is not None
        first = _unit(numbers(scope, name, x, "number"), name, "x")
        third = _unit(_across(np.array([0.0, 0.0, 1.0]), first), name, "x")
    else:
        third = _unit(numbers(scope, name, z, "number"), name, "z")
        wanted = np.eye(3)[int(np.argmin(np.abs(third)))]
        if x is not None:
            wanted = _unit(numbers(scope, name, x, "number"), name, "x")
        first = _unit(_across(wanted, third), name, "x")
    return np.column_stack([first, np.cross(third, first), third])


def _across(direction: Floats, axis: Floats) -> Floats:
    """What of a direction is square to an axis; zeros where that is rounding."""
    rest = direction - (direction @ axis) * axis
    return rest if np.linalg.norm(rest) > PARALLEL else np.zeros(3)


def _unit(direction: Floats, name: str, which: str) -> Floats:
    length = float(np.linalg.norm(direction))
    if not length > 0.0:
        raise ModelError(
            f"the direction of its {which} axis says nothing: it is zero, or along the other",
            element=name, remedy="Give another direction",
        )  # fmt: skip
    return direction / length


def _body(model: Model, name: str, body: str) -> Body:
    found = model.elements.get(body)
    if not isinstance(found, Body):
        raise ModelError(f"there is no body '{body}'", element=name, field="body")
    return found
