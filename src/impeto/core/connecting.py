"""From two features that are pointed at to a joint: which freedoms they leave, where its frames
are, and which body comes to the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.features import features_of
from impeto.core.bodies.placement import pose_of, written
from impeto.core.bodies.solid_features import (
    AXIS,
    FRAME,
    HOLE,
    PLANE,
    Feature,
    placed,
)
from impeto.core.elements import Body, Frame, Joint, Load
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import least_turn, roll_pitch_yaw
from impeto.core.model import units
from impeto.core.model.element import GROUND, Element
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.model.scope import Scope
from impeto.core.pairing import ROUND, proposal
from impeto.core.placing import frame_at, is_held
from impeto.core.posing import Posing

Floats = npt.NDArray[np.float64]
E = TypeVar("E", bound=Element)
FREELY = "freely"
CLOSED = 1e-6  # of the size: what may be left apart of bodies that are brought together freely
AWAY = 0.9  # component beyond which a direction counts as along an axis
APART = 1e-9  # m, and of a direction: features that lie on each other


def features(model: Model, body: str, case: str | None = None) -> list[Feature]:
    """What a body offers to point at, in the world as drawn: faces, axes, holes, circles, edges and
    their middles, corners, centres, the centre of mass, its frames. Raises ModelError."""
    scope = Scope(model, case)
    found = scope.model.elements.get(body)
    if not isinstance(found, Body):
        raise ModelError(f"there is no body '{body}'")
    origin, rotation = pose_of(scope, found)
    return [placed(feature, origin, rotation) for feature in features_of(scope, found)]


def connected(
    model: Model, a: Feature, b: Feature, *, name: str = "", free: Sequence[str] | None = None,
    bring: bool | str = True, flip: bool = False, offset: float = 0.0, case: str | None = None,
) -> tuple[Model, Joint, str]:  # fmt: skip
    """The model with a joint between two features of two bodies (in the world, as drawn), that
    joint, and the body that was brought to the other, '' for none.

    free : its freedoms, those of `proposal` where none are given; they are in the axes of frame A,
    which is on the first body, or on the second where only that has a line or face
    bring : where the features are apart, the second body comes to the first, or the first to the
    second where only that is free to; FREELY: held bodies come as far as their joints let them;
    False: both frames are put at the chosen point, of two at the first's, and the gap stays
    flip : the body that comes is turned over;  offset : m that it stays off, along the direction of
    the feature that it comes to
    Raises ModelError where both are of one body, or cannot be brought together freely.
    """
    _check_two(a, b)
    chosen = proposal(a, b) if free is None else tuple(free)
    if bring == FREELY:
        return _closed(model, a, b, name, chosen, flip, case)
    moves = ""
    if bring:
        moves = next((f.body for f in (b, a) if _is_loose(model, f.body)), "")
    kept, coming = (b, a) if moves == a.body else (a, b)
    z, x = _axes(kept, coming)
    at = next((f.point for f in (kept, coming) if f.is_point), kept.point)
    if moves:
        model, at = _brought(model, kept, coming, flip, offset, case)
    title = _free_name(model, name or _title(a.body, b.body))
    carrier, rider = _sides(a, b)
    for side, body in (("a", carrier.body), ("b", rider.body)):
        model = _with_frame(model, f"{title}_{side}", body, (at, z, x), case)
    joint = Joint(name=title, frame_a=f"{title}_a", frame_b=f"{title}_b", free=chosen)
    return model.with_element(joint), joint, moves


def _sides(a: Feature, b: Feature) -> tuple[Feature, Feature]:
    """Which has frame A: it carries the line or face, along it slides what has only a point; the
    ground where both have one, so that the other moves against that."""
    if a.is_point != b.is_point:
        return (b, a) if a.is_point else (a, b)
    return (b, a) if b.body == GROUND else (a, b)


def moved_to(model: Model, coming: Feature, kept: Feature, case: str | None = None) -> Model:
    """The model with the body of a feature moved so that it lies on a feature of another body,
    both in the world, as drawn. Raises ModelError for the ground, and for a body that joints
    hold."""
    _check_two(coming, kept)
    if not _is_loose(model, coming.body):
        what = (
            "the ground does not move"
            if coming.body == GROUND
            else ("joints hold it" if coming.body in model.elements else "a Repeat places it")
        )
        raise ModelError(what, element=coming.body, remedy="Pick the body that is to move first")
    return _brought(model, kept, coming, False, 0.0, case)[0]


def strung(
    model: Model, a: Feature, b: Feature, kind: type[E], *, name: str = "",
    case: str | None = None,
) -> tuple[Model, E]:  # fmt: skip
    """The model with a spring, damper, rope, bumper, bushing … (what has frames A and B) between
    two features of two bodies, in the world, as drawn, and that element. Raises ModelError where
    both are of one body."""
    _check_two(a, b)
    title = _free_name(model, name or f"{_title(a.body, b.body)}_{kind.tag}")
    for side, feature in (("a", a), ("b", b)):
        place = feature.point, *_axes(feature)
        model = _with_frame(model, f"{title}_{side}", feature.body, place, case)
    made = kind(name=title, frame_a=f"{title}_a", frame_b=f"{title}_b")  # type: ignore[call-arg]
    return model.with_element(made), made


def _check_two(a: Feature, b: Feature) -> None:
    if a.body == b.body:
        raise ModelError(
            f"both are features of {a.body}", remedy="Choose one of another body for the second"
        )


def framed(
    model: Model, feature: Feature, *, name: str = "", case: str | None = None
) -> tuple[Model, Frame]:
    """The model with a frame at a feature of a body, in the world, as drawn: its z axis along the
    direction of that."""
    title = free_name(model, name or f"{feature.body}_frame")
    model = _with_frame(model, title, feature.body, (feature.point, *_axes(feature)), case)
    return model, model[title]


def loaded(
    model: Model, feature: Feature, *, name: str = "", case: str | None = None
) -> tuple[Model, Load]:
    """The model with a load at a feature of a body, in the world, as drawn: along its direction,
    which turns with the body, and of a point downwards in the world."""
    title = _free_name(model, name or f"{feature.body}_load")
    place = feature.point, *_axes(feature)
    model = _with_frame(model, f"{title}_a", feature.body, place, case)
    if feature.is_point:
        made = Load(name=title, frame=f"{title}_a")
    else:
        scope = Scope(model, case)
        _, rotation = pose_of(scope, scope.model[feature.body])
        inward = -1.0 if feature.kind == PLANE else 1.0  # a face is pressed
        way: Any = tuple(round(float(v), 12) + 0.0 for v in inward * rotation.T @ feature.direction)
        made = Load(name=title, frame=f"{title}_a", axes="body", direction=way)
    return model.with_element(made), made


def _closed(
    model: Model, a: Feature, b: Feature, name: str, free: tuple[str, ...], flip: bool,
    case: str | None,
) -> tuple[Model, Joint, str]:  # fmt: skip
    """A joint with each frame at its own feature, brought together by all that is free to move."""
    z, x = _axes(a, b)
    at = a.point
    if a.kind in (AXIS, HOLE) and b.kind in ROUND:
        at = a.point + ((b.point - a.point) @ a.direction) * a.direction
    toward = z
    if z is not None and not a.is_point and not b.is_point:
        facing = -1.0 if a.kind == b.kind == PLANE or flip else 1.0
        toward = facing * b.direction
        if a.kind != PLANE and not flip and z @ toward < 0.0:
            toward = -toward
    title = _free_name(model, name or _title(a.body, b.body))
    model = _with_frame(model, f"{title}_a", a.body, (at, z, x), case)
    model = _with_frame(model, f"{title}_b", b.body, (b.point, toward, None), case)
    joint = Joint(name=title, frame_a=f"{title}_a", frame_b=f"{title}_b", free=free)
    posing = Posing(model.with_element(joint), case)
    left = posing.close()
    if left > CLOSED * posing.system.size:
        raise ModelError(
            f"{a.body} and {b.body} cannot be brought together: {units.shown(left, 'length')} "
            "are left apart", remedy="Keep the gap, or free a motion of what holds them",
        )  # fmt: skip
    return posing.posed(), joint, b.body


def _title(a: str, b: str) -> str:
    first, second = (b, a) if a == GROUND else (a, b)
    return first if second == GROUND else f"{first}_{second}"


def _free_name(model: Model, stem: str) -> str:
    """A stem of which neither the joint nor its frames are taken."""
    is_body = isinstance(Scope(model).model.elements.get(stem), Body)
    return free_name(model, f"{stem}_joint" if is_body else stem, ("", "_a", "_b"))


def _with_frame(
    model: Model, name: str, body: str, place: tuple[Floats, Floats | None, Floats | None],
    case: str | None,
) -> Model:  # fmt: skip
    """The model with a frame on a body at a point with z and x, world, as the body's axes for
    none."""
    point = tuple(map(float, place[0]))
    z, x = (None if axis is None else tuple(map(float, axis)) for axis in place[1:])
    return model.with_element(frame_at(model, name, body, point, z=z, x=x, case=case))


def _axes(*features: Feature) -> tuple[Floats | None, Floats | None]:
    """z and x, world: of the first feature that has any."""
    for feature in features:
        if not feature.is_point:
            return feature.direction, _x_axis(feature)
    return None, None


def _x_axis(feature: Feature) -> Floats:
    """Of what is square to a direction and along the sides of what it belongs to, that which is
    nearest to the world's x axis, or y where the direction itself is."""
    if feature.kind == FRAME:
        return feature.across
    beside = np.cross(feature.direction, feature.across)
    wanted = np.eye(3)[0 if abs(feature.direction[0]) < AWAY else 1]
    ways = [sign * way for way in (feature.across, beside) for sign in (1.0, -1.0)]
    return np.asarray(max(ways, key=lambda way: round(float(way @ wanted), 9)))


def _is_loose(model: Model, body: str) -> bool:
    """Whether nothing holds a body yet, and it is no member, which its Repeat places."""
    return body != GROUND and body in model.elements and not is_held(model, body)


def _brought(
    model: Model, kept: Feature, coming: Feature, flip: bool, offset: float, case: str | None
) -> tuple[Model, Floats]:
    """The model with the body of a feature moved so that it lies on the other, and the point where
    they meet: by the least turn, and along an axis or face not further than needed."""
    body = model[coming.body]
    origin, rotation = pose_of(Scope(model, case), body)
    turn = np.eye(3)
    if not kept.is_point and not coming.is_point:
        facing = -1.0 if kept.kind == coming.kind == PLANE else 1.0
        way = facing * kept.direction
        if facing > 0.0 and way @ coming.direction < 0.0:
            way = -way
        way = -way if flip else way
        turn = least_turn(coming.direction, way)
    target = kept.point
    lines = kept.kind in (AXIS, HOLE), coming.kind in (AXIS, HOLE)
    if kept.kind in ROUND and coming.kind in ROUND and any(lines):
        target = kept.point + ((coming.point - kept.point) @ kept.direction) * kept.direction
    elif PLANE in (kept.kind, coming.kind):
        flat = kept if kept.kind == PLANE else coming
        normal = kept.direction if kept.kind == PLANE else turn @ flat.direction
        target = coming.point - ((coming.point - kept.point) @ normal) * normal
    met = kept.point if coming.kind == PLANE and kept.kind != PLANE else target
    moved = target + turn @ (origin - coming.point) + offset * kept.direction
    turns = np.abs(turn - np.eye(3)).max() >= APART
    if not turns and np.abs(moved - origin).max() < APART:
        return model, met
    changed = replace(body, position=written(moved, "length"))
    if turns:
        changed = replace(
            changed, orientation=written(roll_pitch_yaw(turn @ rotation), "angle")
        )  # fmt: skip
    return model.with_element(changed), met
