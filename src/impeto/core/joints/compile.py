"""Numbers of joints and of what acts on their freedoms."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.mechanism import (
    FrictionData,
    JointData,
    SpringData,
    StartData,
    StopData,
)
from impeto.core.errors import ModelError
from impeto.core.joints.kinds import SPECIALS
from impeto.core.joints.model import (
    Behaviour,
    Friction,
    Joint,
    OnFreedom,
    StartValue,
    Stops,
)
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]


def joint_data(
    scope: Scope, joint: Joint, frame_row: dict[str, int], points: list[Floats], lockable: bool
) -> JointData:
    """Numbers of a joint; ModelError where it joins a frame to itself or acts on what is locked."""
    if joint.frame_a == joint.frame_b:
        raise ModelError(
            "it joins a frame to itself",
            element=joint.name,
            field="frame_b",
            remedy="Choose a frame on another body",
        )
    a, b = frame_row[joint.frame_a], frame_row[joint.frame_b]
    for part in joint.behaviours:
        if part.freedom not in joint.coordinates:
            raise ModelError(
                f"{part.freedom} is locked and cannot have {part.title}",
                element=joint.name,
                field="behaviours",
                remedy="Free it first",
            )
    free = tuple(freedom in joint.motions for freedom in FREEDOMS)
    return JointData(
        name=joint.name,
        frame_a=a,
        frame_b=b,
        free=free,
        special=joint.special,
        own=SPECIALS[joint.special].numbers(scope, joint, points[b] - points[a]),
        springs=tuple(_spring(scope, p, joint) for p in _of(joint, Behaviour)),
        stops=tuple(s for p in _of(joint, Stops) for s in _stops(scope, p, joint)),
        frictions=tuple(_friction(scope, p, joint) for p in _of(joint, Friction)),
        lockable=lockable,
    )


def _of(joint: Joint, kind: type) -> list[OnFreedom]:
    return [part for part in joint.behaviours if isinstance(part, kind)]


def number(scope: Scope, part: OnFreedom, joint: Joint, field: str, kind: str) -> float:
    """SI value of a field of something on a freedom; 0 where it is empty."""
    if getattr(part, field) is None:
        return 0.0
    try:
        return scope.field(part, field, part.refined_kind(kind))
    except ModelError as error:
        raise error.at(joint.name, field) from None


def _spring(scope: Scope, part: OnFreedom, joint: Joint) -> SpringData:
    def curve(field: str, over: str) -> object:
        try:
            return scope.curve(part, field, part.refined_kind(over), part.refined_kind("torque"))
        except ModelError as error:
            raise error.at(joint.name, field) from None

    return SpringData(
        freedom=FREEDOMS.index(part.freedom),
        stiffness=number(scope, part, joint, "stiffness", "torsional stiffness"),
        free_position=number(scope, part, joint, "free_position", "angle"),
        preload=number(scope, part, joint, "preload", "torque"),
        damping=number(scope, part, joint, "damping", "torsional damping"),
        position_curve=curve("spring_curve", "angle"),  # type: ignore[arg-type]
        speed_curve=curve("damper_curve", "angular speed"),  # type: ignore[arg-type]
    )


def _stops(scope: Scope, part: OnFreedom, joint: Joint) -> list[StopData]:
    assert isinstance(part, Stops)
    restitution = number(scope, part, joint, "restitution", "number")
    if not 0.0 <= restitution <= 1.0:
        raise ModelError(
            "a restitution lies between 0 and 1", element=joint.name, field="restitution"
        )
    if part.stiffness is None:
        raise ModelError(
            "a stop needs a stiffness",
            element=joint.name,
            field="stops",
            remedy="Type, say, 1 MN/m, or 10 kN*m/rad on a turn",
        )
    stiffness = number(scope, part, joint, "stiffness", "torsional stiffness")
    if stiffness <= 0.0:
        raise ModelError(
            "the stiffness of a stop must be greater than zero", element=joint.name, field="stops"
        )
    found = []
    for side, field in ((-1, "lower"), (1, "upper")):
        if getattr(part, field) is not None:
            found.append(
                StopData(
                    freedom=FREEDOMS.index(part.freedom),
                    side=side,
                    limit=number(scope, part, joint, field, "angle"),
                    stiffness=stiffness,
                    restitution=restitution,
                )
            )
    if len(found) == 2 and found[0].limit >= found[1].limit:
        raise ModelError(
            "the lower stop is not below the upper one",
            element=joint.name,
            field="stops",
            remedy="Exchange them",
        )
    return found


def _friction(scope: Scope, part: OnFreedom, joint: Joint) -> FrictionData:
    assert isinstance(part, Friction)
    kinetic = number(scope, part, joint, "kinetic", "number")
    static = kinetic if part.static is None else number(scope, part, joint, "static", "number")
    lever = number(scope, part, joint, "pin_radius", "length") if part.turning else 1.0
    constant = number(scope, part, joint, "constant", "torque")
    if min(kinetic, static, lever, constant) < 0.0:
        raise ModelError("friction cannot be negative", element=joint.name, field="friction")
    if part.turning and kinetic > 0.0 and lever == 0.0 and constant == 0.0:
        raise ModelError(
            "friction of a turn needs a pin radius or a constant part",
            element=joint.name,
            field="friction",
            remedy="Type the radius of the pin, or the torque",
        )
    if static < kinetic:
        raise ModelError(
            "the static coefficient is less than the kinetic one",
            element=joint.name,
            field="friction",
            remedy="Leave it empty to use the kinetic one",
        )
    return FrictionData(
        freedom=FREEDOMS.index(part.freedom),
        static=static * lever,
        kinetic=kinetic * lever,
        constant=constant,
    )


def starts(scope: Scope, joints: list[Joint]) -> list[StartData]:
    """Start values written on the joints, then those of the chosen pose, which overrule them."""
    found: dict[tuple[int, int], StartData] = {}
    row = {joint.name: number for number, joint in enumerate(joints)}
    for joint in joints:
        for part in _of(joint, StartValue):
            data = _start(scope, row[joint.name], joint, part)
            found[data.joint, data.freedom] = data
    if scope.pose is not None:
        for value in scope.pose.joints:
            if value.joint not in row:
                continue
            joint = joints[row[value.joint]]
            if value.freedom not in joint.coordinates:
                raise ModelError(
                    f"{value.freedom} of {joint.name} is locked",
                    element=scope.pose.name,
                    field="joints",
                    remedy="Free it or remove the value",
                )
            data = _start(scope, row[value.joint], joint, value)  # type: ignore[arg-type]
            found[data.joint, data.freedom] = data
    return list(found.values())


def _start(scope: Scope, row: int, joint: Joint, part: OnFreedom) -> StartData:
    def optional(field: str, kind: str) -> float | None:
        if getattr(part, field) is None:
            return None
        return number(scope, part, joint, field, kind)

    return StartData(
        joint=row,
        freedom=FREEDOMS.index(part.freedom),
        position=optional("position", "angle"),
        speed=optional("speed", "angular speed"),
    )
