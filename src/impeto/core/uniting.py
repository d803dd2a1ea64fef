"""Several bodies made one: pieces that move as one, or that stand on the ground."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.compile import body_mass
from impeto.core.bodies.placement import pose_of, written
from impeto.core.bodies.shapes import PointMass, Shape
from impeto.core.elements import BeltSurface, Body, Frame, Pose
from impeto.core.errors import ModelError
from impeto.core.geometry.mass import together
from impeto.core.geometry.rotation import from_roll_pitch_yaw, roll_pitch_yaw
from impeto.core.model import fields, walking
from impeto.core.model.element import GROUND, Element
from impeto.core.model.fields import NamesSpec, as_quantity
from impeto.core.model.model import Model
from impeto.core.model.removing import removed
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Joining:
    """into : the body that stays;  moved : of each other its pose in the axes of that;
    shapes : numbers that the shapes of each other have there"""

    into: str
    moved: dict[str, tuple[Floats, Floats]]
    shapes: dict[str, range]


def united(
    model: Model, names: Sequence[str], case: str | None = None
) -> tuple[Model, tuple[str, ...]]:
    """The model with bodies made one, the first of them or the ground, where they are drawn, and
    the names of what is gone with that: joints and springs between them.

    Frames, belts, rules and groups follow; masses that are typed are added up with those of shapes.
    Raises ModelError for less than two bodies, members of Repeats, and where a formula reads one
    that goes.
    """
    scope = Scope(model, case)
    bodies = [_body(model, scope, name) for name in dict.fromkeys(names)]
    if len(bodies) < 2:
        raise ModelError("one body alone cannot be united", remedy="Select two or more")
    into = next((body for body in bodies if body.name == GROUND), bodies[0])
    others = [body for body in bodies if body is not into]
    origin, axes = pose_of(scope, into)
    moved, shapes, count = {}, {}, len(into.shapes)
    for body in others:
        place, rotation = pose_of(scope, body)
        moved[body.name] = axes.T @ (place - origin), axes.T @ rotation
        shapes[body.name] = range(count + 1, count + len(body.shapes) + 1)
        count += len(body.shapes)
    joining = Joining(into.name, moved, shapes)
    for element in model.elements.values():
        _check_formulas(element, moved)
    within = _between(model, {body.name for body in bodies})
    kept = removed(model, within) if within else model
    gone = tuple(n for n in model.elements if n not in kept.elements)
    listed: list[Element] = []
    for element in kept.elements.values():
        if element.name == into.name:
            listed.append(_whole(scope, into, others, joining))
        elif element.name not in moved:
            listed.append(_following(scope, element, joining))
    return kept.changed(elements=listed), gone


def _body(model: Model, scope: Scope, name: str) -> Body:
    found = model.elements.get(name)
    if not isinstance(found, Body):
        raise ModelError(f"'{name}' is no body of its own", remedy="Select bodies")
    if name in scope.members:
        raise ModelError(
            f"{name} stands for {len(scope.members[name])} bodies", element=name,
            remedy="Unite it before it is repeated or mirrored",
        )  # fmt: skip
    return found


def _check_formulas(element: Element, moved: Mapping[str, Any]) -> None:
    """Complain where a formula or a watched channel is one of a body that goes."""
    read = walking.mentioned(element) - {r.name for r in walking.references(element)}
    for name in sorted(read & set(moved)):
        if not isinstance(element, Pose):
            raise ModelError(
                f"it reads {name}, which would be gone", element=element.name,
                remedy="Change that first",
            )  # fmt: skip


def _between(model: Model, bodies: set[str]) -> list[str]:
    """What only holds these bodies to each other."""
    carried = {frame.name for frame in model.of(Frame) if frame.body in bodies}
    return [
        e.name for e in model.elements.values()
        if {getattr(e, "frame_a", ""), getattr(e, "frame_b", "")} <= carried
    ]  # fmt: skip


def _whole(scope: Scope, into: Body, others: Sequence[Body], joining: Joining) -> Body:
    shapes: list[Shape] = list(into.shapes)
    points: list[PointMass] = list(into.point_masses)
    for body in others:
        at = joining.moved[body.name]
        shapes += [_placed(scope, shape, at, body.colour) for shape in body.shapes]
        points += [_placed(scope, part, at) for part in body.point_masses]
    if into.name == GROUND:
        return replace(into, shapes=tuple(shapes))
    if all(body.mass is None for body in (into, *others)):
        return replace(into, shapes=tuple(shapes), point_masses=tuple(points))
    total = together([
        body_mass(scope, into),
        *(body_mass(scope, body).placed(*joining.moved[body.name]) for body in others),
    ])  # fmt: skip
    xx, yy, zz = (as_quantity(float(v), "inertia") for v in total.inertia.diagonal())
    xy, xz, yz = (
        as_quantity(float(total.inertia[a, b]), "inertia") for a, b in ((0, 1), (0, 2), (1, 2))
    )
    return replace(
        into, shapes=tuple(shapes), point_masses=(), mass=as_quantity(total.mass, "mass"),
        center=written(total.center, "length"), inertia=(xx, yy, zz), inertia_products=(xy, xz, yz),
    )  # fmt: skip


def _placed(scope: Scope, part: Any, at: tuple[Floats, Floats], colour: str = "") -> Any:
    """A shape, a point mass or a frame in the axes of the body that it comes to."""
    place = at[0] + at[1] @ scope.vector(part, "position", "length")
    changes: dict[str, Any] = {"position": written(place, "length")}
    if hasattr(part, "orientation"):
        own = from_roll_pitch_yaw(scope.vector(part, "orientation", "angle"))
        changes["orientation"] = written(roll_pitch_yaw(at[1] @ own), "angle")
    if colour and not part.colour:
        changes["colour"] = colour
    return replace(part, **changes)


def _following(scope: Scope, element: Element, joining: Joining) -> Element:
    """An element that was on one of the bodies, or names them."""
    if isinstance(element, Frame) and element.body in joining.moved:
        return replace(_placed(scope, element, joining.moved[element.body]), body=joining.into)
    if isinstance(element, Pose):
        states = tuple(s for s in element.bodies if s.body not in joining.moved)
        return replace(element, bodies=states)
    if isinstance(element, BeltSurface) and element.body in joining.moved:
        number, there = round(scope.field(element, "shape", "number")), joining.shapes[element.body]
        if number == 0 and len(there) > 1:
            raise ModelError(
                f"it carries on all shapes of {element.body}", element=element.name, field="shape",
                remedy="Give it a single one first",
            )  # fmt: skip
        return replace(element, body=joining.into, shape=str(there[max(number, 1) - 1]))
    changes: dict[str, Any] = {}
    for name, spec in fields.specs(type(element)).items():
        value = getattr(element, name)
        if isinstance(spec, NamesSpec):
            items = [new for item in value for new in _items(item, spec, joining)]
            if items != list(value):
                changes[name] = tuple(dict.fromkeys(items))
    element = replace(element, **changes) if changes else element
    named = walking.renamed(element, dict.fromkeys(joining.moved, joining.into))
    assert isinstance(named, Element)
    return named


def _items(item: str, spec: NamesSpec, joining: Joining) -> list[str]:
    """What stands for a name in a list: the same shapes, where single ones may be named."""
    owner, _, number = item.partition(".")
    if owner not in joining.moved:
        return [item]
    if not spec.numbered:
        return [joining.into]
    there = joining.shapes[owner]
    return [f"{joining.into}.{k}" for k in ([there[int(number) - 1]] if number else there)]
