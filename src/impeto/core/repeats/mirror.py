"""The elements that a Mirror stands for."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.model import Body, Frame
from impeto.core.bodies.placement import pose_of, written
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import roll_pitch_yaw
from impeto.core.model import walking
from impeto.core.model.element import Element
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.scope import Scope
from impeto.core.model.unfolding import Unfolding
from impeto.core.repeats.reflected import (
    ACROSS,
    TURNED,
    Y,
    body_values,
    reflection,
    signed,
    turned_round,
)
from impeto.core.repeats.unfold import bodies_named, frame_pose, going_along

Floats = npt.NDArray[np.float64]
SIDES = (("left", "right"), ("Left", "Right"), ("LEFT", "RIGHT"))
# Coordinates that stay where an axis of the frames is turned round.
STAYING = {
    0: {"slide y", "slide z", "turn x"}, 1: {"slide x", "slide z", "turn y"},
    2: {"slide x", "slide y", "turn z"},
}  # fmt: skip


def mirror(element: Any, unfolding: Unfolding) -> None:
    """Put what is seen in a Mirror beside what it mirrors. Raises ModelError."""
    bodies = [body.name for body in bodies_named(element, unfolding)]
    names = {name: _other(name) for name in going_along(unfolding, bodies)}
    seen = set(names.values())
    crossing = {n for n in names if walking.acted_on(unfolding.elements[n]) & seen}
    names = {n: other for n, other in names.items() if n not in crossing}
    plane = _plane(element, unfolding)
    axes = _axes(element, unfolding, names)
    made = {
        name: walking.with_fields(
            walking.renamed(unfolding.elements[name], names),
            {"name": other, "enabled": unfolding.scope.on(unfolding.elements[name]),
             **_seen(unfolding, unfolding.elements[name], plane, axes, bodies)},
        )
        for name, other in names.items()
    }  # fmt: skip
    for name, member in made.items():
        unfolding.put_beside(name, member, element)


def _other(name: str) -> str:
    """left becomes right and right left where they stand as words; else _mirrored is added."""
    for left, right in SIDES:
        for one, other in ((left, right), (right, left)):
            if re.search(rf"(?:^|_){one}(?:_|$)", name):
                return re.sub(rf"(^|_){one}(?=_|$)", rf"\g<1>{other}", name)
    return f"{name}_mirrored"


def _plane(element: Any, unfolding: Unfolding) -> tuple[Floats, Floats]:
    """A point of the plane and its normal, world."""
    origin, rotation = np.zeros(3), np.eye(3)
    if element.plane is not None:
        origin, rotation = frame_pose(unfolding, element.plane, element, "plane")
    return origin, rotation[:, "xyz".index(element.normal)]


def _axes(element: Any, unfolding: Unfolding, names: Iterable[str]) -> dict[str, int]:
    """Which axis of each frame is turned round: such that nothing that acts along a coordinate of a
    joint has to change its sign. Frames that joints share have the same."""
    elements = unfolding.elements
    joints = [elements[n] for n in names if elements[n].tag == "joint"]
    bearing = {joint.name: _bearing(unfolding, joint) for joint in joints}
    clusters: list[tuple[set[str], dict[str, set[str]]]] = []
    for joint in joints:
        frames: set[str] = {joint.frame_a, joint.frame_b}  # type: ignore[attr-defined]
        held = {joint.name: bearing[joint.name]}
        apart = []
        for others, needs in clusters:
            if others & frames:
                frames, held = frames | others, held | needs
            else:
                apart.append((others, needs))
        clusters = [*apart, (frames, held)]
    found: dict[str, int] = {}
    for frames, held in clusters:
        wanted = set[str]().union(*held.values())
        fits = [axis for axis in (2, 0, 1) if wanted <= STAYING[axis]]
        if not fits:
            name = next(iter(held))
            raise ModelError(
                f"{', '.join(f for f in FREEDOMS if f in wanted)} of {name} cannot all keep their "
                "signs in a mirror", element=element.name, field="bodies",
                remedy="Let drives, springs and stops act along fewer of them, or write out that "
                "joint on the other side",
            )  # fmt: skip
        found |= dict.fromkeys(frames, fits[0])
    return found


def _bearing(unfolding: Unfolding, joint: Any) -> set[str]:
    """Free motions of a joint along which something acts whose sign matters."""
    if joint.path is not None:
        raise ModelError(
            "a joint on a path cannot be mirrored", element=joint.name,
            remedy="Write it out on the other side",
        )  # fmt: skip
    found = {part.freedom for part in joint.behaviours if part.title != "friction"}
    for element in unfolding.elements.values():
        if joint.name in walking.acted_on(element) and element.name != joint.name:
            freedom = getattr(element, "freedom", None)
            found |= {freedom} if freedom else set(joint.coordinates)
    return found & set(joint.coordinates)


def _seen(
    unfolding: Unfolding, source: Element, plane: tuple[Floats, Floats], axes: Mapping[str, int],
    bodies: list[str],
) -> dict[str, Any]:  # fmt: skip
    """Fields of an element as it is seen in the mirror."""
    scope = unfolding.scope
    point, normal = plane
    across = reflection(normal)
    if isinstance(source, Body):
        origin, rotation = pose_of(scope, source)
        speed = scope.vector(source, "velocity", "speed")
        spin = scope.vector(source, "angular_velocity", "angular speed")
        return {
            **_placed(across @ (origin - point) + point, across @ rotation @ Y),
            "velocity": written(across @ speed, "speed"),
            "angular_velocity": written(-across @ spin, "angular speed"),
            **body_values(source),
        }
    if isinstance(source, Frame):
        return _frame(unfolding, source, (point, across), turned_round(axes.get(source.name, 2)),
                      source.body in bodies)  # fmt: skip
    if source.tag == "load":
        return {"direction": _direction(scope, source, across)}
    if source.tag == "bushing":
        signs = np.diag(turned_round(axes.get(source.frame_a, 2)))  # type: ignore[attr-defined]
        return {
            "preload": signed(source.preload, tuple(signs)),  # type: ignore[attr-defined]
            "turning_preload": signed(source.turning_preload, tuple(-signs)),  # type: ignore[attr-defined]
        }
    if source.tag == "beltsurface":
        return {"direction": signed(source.direction, ACROSS)}  # type: ignore[attr-defined]
    return {}


def _frame(
    unfolding: Unfolding, frame: Frame, plane: tuple[Floats, Floats], turned: Floats, goes: bool
) -> dict[str, Any]:
    """A frame of a body that is mirrored, or of one that stays."""
    scope = unfolding.scope
    place, rotation = pose_of(scope, frame)
    if goes:
        values = _placed(Y @ place, Y @ rotation @ turned)
        return values | {"position": signed(frame.position, ACROSS)}
    point, across = plane
    carrier: Any = unfolding.elements[frame.body]
    origin, axes = pose_of(scope, carrier)
    seen = across @ (origin + axes @ place - point) + point
    return _placed(axes.T @ (seen - origin), axes.T @ across @ axes @ rotation @ turned)


def _placed(place: Floats, rotation: Floats) -> dict[str, Any]:
    return {
        "position": written(place, "length"),
        "orientation": written(roll_pitch_yaw(rotation), "angle"),
    }


def _direction(scope: Scope, load: Any, across: Floats) -> Any:
    """Of a force as any arrow, of a torque the other way round."""
    if load.axes == "world":
        values = scope.vector(load, "direction", "number")
        seen = across @ values * (1.0 if load.applies == "force" else -1.0)
        return written(seen, "number")
    return signed(load.direction, ACROSS if load.applies == "force" else TURNED)
