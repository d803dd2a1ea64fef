"""The elements that a Mirror stands for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.model import AXES, Body, Frame
from impeto.core.bodies.placement import placement, pose_of, written
from impeto.core.errors import ModelError
from impeto.core.model import walking
from impeto.core.model.element import Element
from impeto.core.model.freedoms import FREEDOMS
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
CLOSE = 1e-9  # of directions
# The axis that is turned round where a path is followed: x goes on along it, z on upwards.
ASIDE = 1
# Coordinates that stay where an axis of the frames is turned round.
STAYING = {
    0: {"slide y", "slide z", "turn x"}, 1: {"slide x", "slide z", "turn y"},
    2: {"slide x", "slide y", "turn z"},
}  # fmt: skip


def mirror(element: Any, unfolding: Unfolding) -> None:
    """Put what is seen in a Mirror beside what it mirrors. Raises ModelError."""
    bodies = [body.name for body in bodies_named(element, unfolding)]
    sides = [word.strip() for word in element.sides.split(",")]
    names = {name: _other(name, sides) for name in going_along(unfolding, bodies)}
    seen = set(names.values())
    crossing = {n for n in names if walking.acted_on(unfolding.elements[n]) & seen}
    names = {n: other for n, other in names.items() if n not in crossing}
    followed = [getattr(unfolding.elements[name], "path", None) for name in names]
    names |= {path: _other(path, sides) for path in followed if path in unfolding.elements}
    plane = _plane(element, unfolding)
    for name in names:
        _check_read(unfolding, unfolding.elements[name], plane[1])
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


def _other(name: str, sides: Sequence[str]) -> str:
    """One side stands for the other where they are words of a name; else _mirrored is added."""
    words = dict(zip(sides, reversed(sides), strict=True))
    parts = name.split("_")
    other = [words.get(part, part) for part in parts]
    return "_".join(other) if other != parts else f"{name}_mirrored"


def _check_read(unfolding: Unfolding, element: Element, normal: Floats) -> None:
    """Complain of channels that have the other sign in the mirror: components of motion across it,
    and of angular velocity along it."""
    for path in walking.read(element):
        owner, quantity, component = (*path.split("."), "", "")[:3]
        moving = isinstance(unfolding.elements.get(owner), (Body, Frame))
        if not moving or component not in AXES:
            continue
        along = abs(normal[AXES.index(component)])
        turns = quantity.startswith("angular")
        if (turns and along < 1.0 - CLOSE) or (not turns and along > CLOSE):
            raise ModelError(
                f"it reads {path}, which has another sign in the mirror", element=element.name,
                remedy="Write it out on the other side, or read another channel",
            )  # fmt: skip


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
        on_path = any(elements[n].followed is not None for n in held)  # type: ignore[attr-defined]
        tried = (ASIDE,) if on_path else (2, 0, 1)
        fits = [axis for axis in tried if wanted <= STAYING[axis]]
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
    found = {part.freedom for part in joint.behaviours if part.title != "friction"}
    for element in unfolding.elements.values():
        if joint.name in {reference.name for reference in walking.references(element)}:
            freedom = getattr(element, "freedom", None)
            found |= {freedom} if freedom else set(joint.coordinates)
        read = (path.split(".") for path in walking.read(element))
        found |= {parts[1].replace("_", " ") for parts in read
                  if parts[0] == joint.name and len(parts) > 1}  # fmt: skip
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
            **placement(across @ (origin - point) + point, across @ rotation @ Y),
            "velocity": written(across @ speed, "speed"),
            "angular_velocity": written(-across @ spin, "angular speed"),
            **body_values(scope, source),
        }
    if isinstance(source, Frame):
        return _frame(unfolding, source, (point, across), turned_round(axes.get(source.name, 2)),
                      source.body in bodies)  # fmt: skip
    if source.tag == "load":
        return {"direction": _direction(unfolding, source, across, axes, bodies)}
    if source.tag == "bushing":
        signs = np.diag(turned_round(axes.get(source.frame_a, 2)))  # type: ignore[attr-defined]
        return {
            "preload": signed(source.preload, tuple(signs)),  # type: ignore[attr-defined]
            "turning_preload": signed(source.turning_preload, tuple(-signs)),  # type: ignore[attr-defined]
        }
    if source.tag == "path":
        points: Any = source.points  # type: ignore[attr-defined]
        return {"points": tuple(
            walking.with_fields(point, {"position": signed(point.position, ACROSS)})
            for point in points
        )}  # fmt: skip
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
        values = placement(Y @ place, Y @ rotation @ turned)
        return values | {"position": signed(frame.position, ACROSS)}
    point, across = plane
    carrier: Any = unfolding.elements[frame.body]
    origin, axes = pose_of(scope, carrier)
    seen = across @ (origin + axes @ place - point) + point
    return placement(axes.T @ (seen - origin), axes.T @ across @ axes @ rotation @ turned)


def _direction(
    unfolding: Unfolding, load: Any, across: Floats, turned: Mapping[str, int], bodies: list[str]
) -> Any:
    """Of a force as any arrow, of a torque the other way round; in the axes of a frame, which is
    mirrored as well, of a body that is or one that stays, or of the world."""
    scope, sign = unfolding.scope, 1.0 if load.applies == "force" else -1.0
    if load.axes == "other":
        signs = np.diag(turned_round(turned.get(load.axes_frame, 2)))
        return signed(load.direction, tuple(sign * signs))
    axes = np.eye(3)
    if load.axes == "body":
        frame: Any = unfolding.elements[load.frame]
        if frame.body in bodies:
            return signed(load.direction, ACROSS if sign > 0.0 else TURNED)
        carrier: Any = unfolding.elements[frame.body]
        axes = pose_of(scope, carrier)[1]
    values = scope.vector(load, "direction", "number")
    return written(sign * (axes.T @ across @ axes @ values), "number")
