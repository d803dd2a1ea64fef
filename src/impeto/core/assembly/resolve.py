"""From a model as written and a case to a mechanism in numbers. All complaints about content of
fields are raised here, each naming the element and the field."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.company import Company
from impeto.core.bodies.compile import body_data, body_mass, shape_mass, unit_vector
from impeto.core.contact.compile import contacts
from impeto.core.contact.data import BeltData, RuleData, ShapeData
from impeto.core.couplers import compile as coupling
from impeto.core.couplers.data import MeshData, RelationData
from impeto.core.couplers.model import Coupler, Meshing
from impeto.core.drives import compile as driving
from impeto.core.drives.data import BrakeData, DriveData
from impeto.core.dynamics.mechanism import BodyData, FrameData, JointData, Mechanism
from impeto.core.elements import (
    GROUND,
    Brake,
    Bushing,
    Drag,
    Element,
    Event,
    Frame,
    Joint,
    Load,
    Outlet,
    Pose,
    Powered,
    Straight,
)
from impeto.core.errors import ModelError
from impeto.core.events.compile import event_data
from impeto.core.events.data import EventData
from impeto.core.events.model import LOCK, SWITCH_ON
from impeto.core.flow.compile import company, feeder_data, feeders_of, outlet_data
from impeto.core.flow.data import FeederData, OutletData
from impeto.core.forces import compile as forcing
from impeto.core.forces.data import BushingData, DragData, LinkData, LoadData
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.joints import compile as joining
from impeto.core.model import walking
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
    events = [event for event in model.of(Event) if scope.on(event)]
    later = {event.target for event in events if event.action == SWITCH_ON}
    scope.awaited = frozenset(name for name in later if name in model.elements)
    check_references(model, scope)
    band = company(scope, copies)
    frames = [f for f in model.of(Frame) if scope.on(f) and f.body in band.rows]
    frame_row = {frame.name: row for row, frame in enumerate(frames)}
    joints = _taking(scope, Joint)
    joint_row = {joint.name: row for row, joint in enumerate(joints)}
    placed = _posed(scope, _body_data(scope, band))
    frame_data = tuple(_frame(scope, frame, band.rows) for frame in frames)
    points, rotations = _frames_as_drawn(placed, frame_data)
    joint_data = _joint_data(scope, joints, events, frame_row, points)
    meshes, relations = _coupler_data(
        scope, coupling.Places(scope, joint_data, frame_data, points, rotations)
    )
    touching = contacts(scope, band, joints)
    numbers: dict[type, tuple[Any, ...]] = {
        MeshData: meshes,
        RelationData: relations,
        LinkData: _each(scope, Straight, forcing.link_data, frame_row, points),
        BushingData: _each(scope, Bushing, forcing.bushing_data, frame_row),
        DragData: _each(scope, Drag, forcing.drag_data, frame_row),
        LoadData: _each(scope, Load, forcing.load_data, frame_row, frame_data),
        DriveData: _each(scope, Powered, driving.drive_data, joint_row),
        BrakeData: _each(scope, Brake, driving.brake_data, joint_row),
        EventData: tuple(event_data(scope, event) for event in events),
        ShapeData: touching.shapes,
        RuleData: touching.rules,
        BeltData: touching.belts,
        FeederData: tuple(feeder_data(scope, f, band, frame_row) for f in feeders_of(scope)),
        OutletData: _each(scope, Outlet, outlet_data, band, frame_row),
    }
    off = [e.name for e in model.elements.values() if e.switchable and not scope.on(e)]
    return Mechanism(
        bodies=placed,
        frames=frame_data,
        joints=joint_data,
        starts=tuple(joining.starts(scope, joints)),
        numbers=numbers,
        pairing=touching.pairing,
        gravity=forcing.gravity(scope),
        off=frozenset([*off, *band.masters]),
        masters=band.masters,
    )


def _taking(scope: Scope, kind: Any) -> list[Any]:
    """Elements of a kind that are on, or will be by an event."""
    return [element for element in _of(scope.model, kind) if scope.takes_part(element)]


def _each(scope: Scope, kind: type, data: Callable[..., D], *known: Any) -> tuple[D, ...]:
    """Numbers of every element of a kind that takes part."""
    return tuple(data(scope, element, *known) for element in _taking(scope, kind))


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


def _coupler_data(
    scope: Scope, places: coupling.Places
) -> tuple[tuple[MeshData, ...], tuple[RelationData, ...]]:
    """Numbers of pairs of teeth, and of relations."""
    meshes, relations = list[MeshData](), list[RelationData]()
    for coupler in _taking(scope, Coupler):
        if isinstance(coupler, Meshing):
            meshes.append(coupling.mesh_data(scope, coupler, places))
        else:
            relations += coupling.relations(scope, coupler, places)
    return tuple(meshes), tuple(relations)


def _body_data(scope: Scope, band: Company) -> tuple[BodyData, ...]:
    """Numbers of all bodies; copies take over those of the first."""
    found: list[BodyData] = []
    known: dict[str, BodyData] = {}
    for body in band.bodies:
        master = band.masters.get(body.name, body.name)
        if master not in known:
            known[master] = body_data(scope, body)
        data = replace(known[master], name=body.name)
        if body.name in band.masters:  # at rest until it comes in
            data = replace(data, velocity=np.zeros(3), spin=np.zeros(3))
        found.append(data)
    return tuple(found)


def _of(model: Model, kind: Any) -> list[Any]:
    return [element for element in model.elements.values() if isinstance(element, kind)]


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
                spin=scope.vector(state, "spin", "angular speed"),
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
                    remedy=f"Choose an existing {reference.target}",
                )
            if not element.needs_on or _usable(scope, target):
                continue
            raise ModelError(
                f"it uses '{reference.name}', which is switched off",
                element=element.name,
                field=reference.field,
                remedy="Switch both off or both on",
            )


def _is_copy(scope: Scope, name: str) -> bool:
    master, _, number = name.rpartition("_")
    return number.isdigit() and master in scope.fed


def _usable(scope: Scope, element: Element) -> bool:
    """Whether an element takes part; a frame only together with its body."""
    if isinstance(element, Frame):
        body = scope.model.elements.get(element.body)
        return scope.on(element) and (body is None or scope.on(body))
    return scope.takes_part(element)
