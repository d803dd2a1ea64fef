"""From a model as written and a case to a mechanism in numbers. All complaints about content of
fields are raised here, each naming the element and the field."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ModelError
from impeto.core.geometry import mass as solids
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.mechanics.mechanism import (
    BehaviourData,
    BodyData,
    DriveData,
    FrameData,
    JointData,
    LinkData,
    LoadData,
    Mechanism,
)
from impeto.core.mechanics.signals import signal_node
from impeto.core.model import formula
from impeto.core.model.elements import (
    GROUND,
    Behaviour,
    Body,
    Box,
    Cylinder,
    Damper,
    Drive,
    Element,
    Frame,
    Gravity,
    Joint,
    Load,
    PointMass,
    Shape,
    Sphere,
    Spring,
    Tube,
)
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.model import Model, references
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]


def resolve(model: Model, case: str | None = None) -> Mechanism:
    """Numbers of a model in a case; ModelError with element, field and remedy where it fails."""
    scope = Scope(model, case)
    check_references(model, scope)
    bodies = _ground_first([body for body in model.of(Body) if scope.on(body)])
    body_row = {body.name: row for row, body in enumerate(bodies)}
    frames = [f for f in model.of(Frame) if scope.on(f) and f.body in body_row]
    frame_row = {frame.name: row for row, frame in enumerate(frames)}
    joints = [joint for joint in model.of(Joint) if scope.on(joint)]
    joint_row = {joint.name: row for row, joint in enumerate(joints)}
    body_data = tuple(_body(scope, body) for body in bodies)
    frame_data = tuple(
        FrameData(
            name=frame.name,
            body=body_row[frame.body],
            position=scope.vector(frame, "position", "length"),
            rotation=from_roll_pitch_yaw(scope.vector(frame, "orientation", "angle")),
        )
        for frame in frames
    )
    springs: list[Spring | Damper] = [*model.of(Spring), *model.of(Damper)]
    points = [
        body_data[f.body].position + body_data[f.body].rotation @ f.position for f in frame_data
    ]
    return Mechanism(
        bodies=body_data,
        frames=frame_data,
        joints=tuple(_joint(scope, joint, frame_row) for joint in joints),
        links=tuple(_link(scope, link, frame_row, points) for link in springs if scope.on(link)),
        loads=tuple(_load(scope, load, frame_row) for load in model.of(Load) if scope.on(load)),
        drives=tuple(
            _drive(scope, drive, joint_row) for drive in model.of(Drive) if scope.on(drive)
        ),
        gravity=_gravity(scope),
    )


def check_references(model: Model, scope: Scope) -> None:
    """Every element that is on must refer to elements of the right kind that are on."""
    for element in model.elements.values():
        if not scope.on(element):
            continue
        for field in references(element):
            name = getattr(element, field)
            target = model.elements.get(name)
            wanted = field.split("_")[0]
            if target is None or type(target).__name__.lower() != wanted:
                raise ModelError(
                    f"there is no {wanted} called '{name}'",
                    element=element.name,
                    field=field,
                    remedy=f"Choose an existing {wanted}",
                )
            if not _takes_part(scope, target) and not isinstance(element, Frame):
                raise ModelError(
                    f"it uses '{name}', which is switched off",
                    element=element.name,
                    field=field,
                    remedy="Switch both off or both on",
                )


def _takes_part(scope: Scope, element: Element) -> bool:
    """Whether an element is on; a frame only together with its body."""
    if isinstance(element, Frame):
        body = scope.model.elements.get(element.body)
        return scope.on(element) and (body is None or scope.on(body))
    return scope.on(element)


def _ground_first(bodies: list[Body]) -> list[Body]:
    return sorted(bodies, key=lambda body: body.name != GROUND)


def _gravity(scope: Scope) -> Floats:
    total = np.zeros(3)
    for gravity in scope.model.of(Gravity):
        if scope.on(gravity):
            size = scope.field(gravity, "size", "acceleration")
            total += size * unit_vector(scope, gravity)
    return total


def unit_vector(scope: Scope, element: Element) -> Floats:
    """Direction field of an element as a unit vector."""
    direction = scope.vector(element, "direction", "number")
    length = float(np.linalg.norm(direction))
    if length == 0.0:
        raise ModelError(
            "the direction is zero",
            element=element.name,
            field="direction",
            remedy="Give it a component that is not 0",
        )
    return direction / length


def shape_mass(scope: Scope, shape: Shape) -> MassProperties:
    """Mass properties of a shape in its body's axes."""
    density = scope.field(shape, "density", "density")
    if isinstance(shape, Box):
        size = scope.vector(shape, "size", "length")
        _positive("size", float(size.min()))
        piece = solids.box(size, density)
    elif isinstance(shape, (Cylinder, Tube)):
        radius = scope.field(shape, "radius", "length")
        length = scope.field(shape, "length", "length")
        inner = scope.field(shape, "inner_radius", "length") if isinstance(shape, Tube) else 0.0
        _positive("radius", radius)
        _positive("length", length)
        if not 0.0 <= inner < radius:
            raise ModelError(
                "the inner radius must be at least 0 and less than the outer", field="inner_radius"
            )
        piece = solids.tube(radius, inner, length, density)
    else:
        assert isinstance(shape, Sphere)
        radius = scope.field(shape, "radius", "length")
        _positive("radius", radius)
        piece = solids.sphere(radius, density)
    position = scope.vector(shape, "position", "length")
    rotation = from_roll_pitch_yaw(scope.vector(shape, "orientation", "angle"))
    return piece.placed(position, rotation)


def _positive(field: str, value: float) -> None:
    if value <= 0.0:
        raise ModelError("it must be greater than zero", field=field, remedy="Type a larger value")


def body_mass(scope: Scope, body: Body) -> MassProperties:
    """Mass properties of a body in its own axes: typed where a mass is typed, else from shapes."""
    if body.mass is not None:
        inertia = np.zeros((3, 3))
        if body.inertia is not None:
            inertia = np.diag(scope.vector(body, "inertia", "inertia"))
        if body.inertia_products is not None:
            xy, xz, yz = scope.vector(body, "inertia_products", "inertia")
            inertia += np.array([[0, xy, xz], [xy, 0, yz], [xz, yz, 0]])
        center = np.zeros(3) if body.center is None else scope.vector(body, "center", "length")
        return MassProperties(scope.field(body, "mass", "mass"), center, inertia)
    pieces = []
    parts: list[Shape | PointMass] = [*body.shapes, *body.point_masses]
    for number, part in enumerate(parts, start=1):
        try:
            pieces.append(_piece(scope, part))
        except ModelError as error:
            place = f"{getattr(part, 'title', 'part')} {number}"
            raise error.placed(body.name, f"{place} {error.field}".strip()) from None
    return solids.together(pieces)


def _piece(scope: Scope, part: Shape | PointMass) -> MassProperties:
    if isinstance(part, Shape):
        return shape_mass(scope, part)
    return solids.point(scope.field(part, "mass", "mass"), scope.vector(part, "position", "length"))


def _body(scope: Scope, body: Body) -> BodyData:
    properties = body_mass(scope, body)
    if body.name != GROUND:
        _check_mass(body, properties)
    return BodyData(
        name=body.name,
        mass=properties.mass,
        center=properties.center if body.name != GROUND else np.zeros(3),
        inertia=properties.inertia,
        position=scope.vector(body, "position", "length"),
        rotation=from_roll_pitch_yaw(scope.vector(body, "orientation", "angle")),
        velocity=scope.vector(body, "velocity", "speed"),
        spin=scope.vector(body, "spin", "angular speed"),
    )


def _check_mass(body: Body, properties: MassProperties) -> None:
    if properties.mass <= 0.0:
        raise ModelError(
            "it has no mass",
            element=body.name,
            field="mass",
            remedy="Add a shape with a density or type a mass",
        )
    if np.linalg.eigvalsh(properties.inertia).min() <= 0.0:
        raise ModelError(
            "its inertia must be greater than zero about every axis",
            element=body.name,
            field="inertia",
            remedy="Add a shape or type the three moments of inertia",
        )


def _joint(scope: Scope, joint: Joint, frame_row: dict[str, int]) -> JointData:
    if joint.frame_a == joint.frame_b:
        raise ModelError(
            "it joins a frame to itself",
            element=joint.name,
            field="frame_b",
            remedy="Choose a frame on another body",
        )
    behaviours = []
    for behaviour in joint.behaviours:
        if behaviour.freedom not in joint.free:
            raise ModelError(
                f"{behaviour.freedom} is locked and cannot have a spring or damper",
                element=joint.name,
                field="behaviours",
                remedy="Free it first",
            )
        behaviours.append(_behaviour(scope, behaviour, joint))
    return JointData(
        name=joint.name,
        frame_a=frame_row[joint.frame_a],
        frame_b=frame_row[joint.frame_b],
        free=tuple(freedom in joint.free for freedom in FREEDOMS),
        behaviours=tuple(behaviours),
    )


def _behaviour(scope: Scope, behaviour: Behaviour, joint: Joint) -> BehaviourData:
    def number(field: str, kind: str) -> float:
        if getattr(behaviour, field) is None:
            return 0.0
        try:
            return scope.field(behaviour, field, behaviour.refined_kind(kind))
        except ModelError as error:
            raise error.at(joint.name, field) from None

    return BehaviourData(
        freedom=FREEDOMS.index(behaviour.freedom),
        stiffness=number("stiffness", "torsional stiffness"),
        free_position=number("free_position", "angle"),
        damping=number("damping", "torsional damping"),
    )


def _link(
    scope: Scope, link: Spring | Damper, frame_row: dict[str, int], points: list[Floats]
) -> LinkData:
    a, b = frame_row[link.frame_a], frame_row[link.frame_b]
    drawn = float(np.linalg.norm(points[b] - points[a]))
    if drawn < 1e-9:
        raise ModelError(
            "its two frames are at the same point, so it has no direction",
            element=link.name,
            field="frame_b",
            remedy="Choose frames that are apart",
        )
    is_spring = isinstance(link, Spring)
    free = drawn
    if isinstance(link, Spring) and link.free_length is not None:
        free = scope.field(link, "free_length", "length")
    return LinkData(
        name=link.name,
        frame_a=a,
        frame_b=b,
        stiffness=scope.field(link, "stiffness", "stiffness") if is_spring else 0.0,
        free_length=free,
        preload=scope.field(link, "preload", "force") if is_spring else 0.0,
        damping=0.0 if is_spring else scope.field(link, "damping", "damping"),
        is_spring=is_spring,
    )


def _load(scope: Scope, load: Load, frame_row: dict[str, int]) -> LoadData:
    return LoadData(
        name=load.name,
        frame=frame_row[load.frame],
        is_torque=load.applies == "torque",
        follows=load.axes == "body",
        direction=unit_vector(scope, load),
        value=signal_node(scope, load),
    )


def _drive(scope: Scope, drive: Drive, joint_row: dict[str, int]) -> DriveData:
    joint = scope.model[drive.joint]
    if drive.freedom not in joint.free:
        raise ModelError(
            f"{drive.freedom} of {drive.joint} is locked",
            element=drive.name,
            field="freedom",
            remedy="Free it in the joint, or drive a free motion",
        )
    turns = [freedom for freedom in joint.free if freedom.startswith("turn")]
    if drive.turning and len(turns) == 3:
        raise ModelError(
            "a turn of a joint with three free turns has no angle of its own",
            element=drive.name,
            field="freedom",
            remedy="Lock one turn, or use a torque load",
        )
    node = signal_node(scope, drive)
    if drive.prescribes != "effort" and formula.names(node) - {"t"}:
        raise ModelError(
            "a prescribed motion can depend on time only",
            element=drive.name,
            field="value",
            remedy="Use an effort where it has to follow a channel",
        )
    return DriveData(
        name=drive.name,
        joint=joint_row[drive.joint],
        freedom=FREEDOMS.index(drive.freedom),
        prescribes=drive.prescribes,
        value=node,
    )
