"""From a model as written and a case to a mechanism in numbers. All complaints about content of
fields are raised here, each naming the element and the field."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TypeVar

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.body_set import BodySet
from impeto.core.bodies.compilation import Compilation, Numbers, taking
from impeto.core.bodies.compile import body_data, body_mass, shape_mass, unit_vector
from impeto.core.contact import compile as contact
from impeto.core.couplers import compile as couplers
from impeto.core.drives import compile as drives
from impeto.core.dynamics.mechanism import BodyData, FrameData, JointData, Mechanism
from impeto.core.elements import Event, Frame, Joint, Pose
from impeto.core.errors import ModelError
from impeto.core.events import compile as events
from impeto.core.events.model import LOCK, SWITCH_ON
from impeto.core.flow import compile as flow
from impeto.core.flow.compile import body_set_of
from impeto.core.forces import kinds as forces
from impeto.core.forces.gravity import gravity
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.joints import compile as joining
from impeto.core.model import walking
from impeto.core.model.element import GROUND, Element
from impeto.core.model.model import Model
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

__all__ = ["body_mass", "resolve", "shape_mass", "unit_vector"]
Floats = npt.NDArray[np.float64]
D = TypeVar("D")


def resolve(
    model: Model,
    case: str | None = None,
    values: Mapping[str, Quantity] | None = None,
    copies: bool = True,
) -> Mechanism:
    """Numbers of a model in a case; ModelError with element, field and remedy where it fails.

    values : parameters that overrule those of the case, as events set them
    copies : False leaves out the copies that feeders make
    """
    scope = Scope(model, case, values)
    model = scope.model
    acting = [event for event in model.of(Event) if scope.on(event)]
    later = {event.target for event in acting if event.action == SWITCH_ON}
    scope.awaited = frozenset(name for name in later if name in model.elements)
    check_references(model, scope)
    body_set = body_set_of(scope, copies)
    frames = [f for f in model.of(Frame) if scope.on(f) and f.body in body_set.rows]
    frame_row = {frame.name: row for row, frame in enumerate(frames)}
    joints = taking(scope, Joint)
    joint_row = {joint.name: row for row, joint in enumerate(joints)}
    placed = _posed(scope, _body_data(scope, body_set))
    frame_data = tuple(_frame(scope, frame, body_set.rows) for frame in frames)
    points, rotations = _frames_as_drawn(placed, frame_data)
    joint_data = _joint_data(scope, joints, acting, frame_row, points)
    made = Compilation(
        scope, body_set, frame_data, joint_data, joints, points, rotations, frame_row, joint_row
    )
    numbers: Numbers = {}
    for family in (couplers, forces, drives, contact, flow, events):
        numbers |= family.compiled(made)
    off = [e.name for e in model.elements.values() if e.switchable and not scope.on(e)]
    return Mechanism(
        bodies=placed,
        frames=frame_data,
        joints=joint_data,
        starts=tuple(joining.starts(scope, joints)),
        numbers=numbers,
        gravity=gravity(scope),
        off=frozenset([*off, *body_set.masters]),
        masters=body_set.masters,
    )


def _joint_data(
    scope: Scope, joints: list[Joint], events: list[Event], frame_row: dict[str, int],
    points: list[Floats],
) -> tuple[JointData, ...]:  # fmt: skip
    """Numbers of joints, and which of them events lock."""
    locked = {event.target for event in events if event.action == LOCK}
    return tuple(
        joining.joint_data(scope, joint, frame_row, points, joint.name in locked)
        for joint in joints
    )


def _body_data(scope: Scope, body_set: BodySet) -> tuple[BodyData, ...]:
    """Numbers of all bodies; copies take over those of the first."""
    found: list[BodyData] = []
    known: dict[str, BodyData] = {}
    for body in body_set.bodies:
        master = body_set.masters.get(body.name, body.name)
        if master not in known:
            known[master] = body_data(scope, body)
        data = replace(known[master], name=body.name)
        if body.name in body_set.masters:  # at rest until it comes in
            data = replace(data, velocity=np.zeros(3), spin=np.zeros(3))
        found.append(data)
    return tuple(found)


def _frame(scope: Scope, frame: Frame, body_row: dict[str, int]) -> FrameData:
    return FrameData(
        name=frame.name,
        body=body_row[frame.body],
        position=scope.vector(frame, "position", "length"),
        rotation=from_roll_pitch_yaw(scope.vector(frame, "orientation", "angle")),
    )


def _frames_as_drawn(
    bodies: tuple[BodyData, ...], frames: tuple[FrameData, ...]
) -> tuple[list[Floats], list[Floats]]:
    """Origins (3,) and rotations (3, 3) of the frames in the world."""
    points = [bodies[f.body].position + bodies[f.body].rotation @ f.position for f in frames]
    return points, [bodies[f.body].rotation @ f.rotation for f in frames]


def _posed(scope: Scope, bodies: tuple[BodyData, ...]) -> tuple[BodyData, ...]:
    """Bodies where the chosen pose puts them; the others as drawn."""
    pose: Pose | None = scope.pose
    if pose is None:
        return bodies

    states = {state.body: state for state in pose.bodies}
    placed = []
    for body in bodies:
        state = states.get(body.name)
        if state is None or body.name == GROUND:
            placed.append(body)
            continue
        placed.append(
            replace(
                body,
                position=scope.vector(state, "position", "length"),
                rotation=from_roll_pitch_yaw(scope.vector(state, "orientation", "angle")),
                velocity=scope.vector(state, "velocity", "speed"),
                spin=scope.vector(state, "angular_velocity", "angular speed"),
            )
        )
    return tuple(placed)


def check_references(model: Model, scope: Scope) -> None:
    """Every element that takes part must refer to elements of the right kind that are on."""
    for element in model.elements.values():
        if not scope.takes_part(element):
            continue
        for reference in walking.references(element):
            target = model.elements.get(reference.name)
            if element.may_name_copies and _is_copy(scope, reference.name):
                continue
            kinds = reference.target.split(" or ")
            if target is None or target.tag not in kinds:
                raise ModelError(
                    f"there is no {reference.target} called '{reference.name}'",
                    element=element.name,
                    field=reference.field,
                    remedy=_instead(scope, reference),
                )
            if not element.needs_on or _usable(scope, target):
                continue
            raise ModelError(
                f"it uses '{reference.name}', which is switched off",
                element=element.name,
                field=reference.field,
                remedy="Switch both off or both on",
            )


def _instead(scope: Scope, reference: walking.Reference) -> str:
    members = scope.members.get(reference.name)
    if members:
        return f"It is repeated: name a member, such as {members[0]}"
    return f"Choose an existing {reference.target}"


def _is_copy(scope: Scope, name: str) -> bool:
    master, _, number = name.rpartition("_")
    return number.isdigit() and master in scope.fed


def _usable(scope: Scope, element: Element) -> bool:
    """Whether an element takes part; a frame only together with its body."""
    if isinstance(element, Frame):
        body = scope.model.elements.get(element.body)
        return scope.on(element) and (body is None or scope.on(body))
    return scope.takes_part(element)
