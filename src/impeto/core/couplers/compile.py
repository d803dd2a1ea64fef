"""Numbers of couplers: where the teeth meet, and the sums of coordinates that stay."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.compilation import Compilation, Numbers
from impeto.core.couplers.data import GearPairData, RelationData, ThreadData
from impeto.core.couplers.model import (
    Belt,
    Coupler,
    Differential,
    Gears,
    Meshing,
    Rack,
    Relation,
    Screw,
    Worm,
)
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
MISFIT = 0.02  # share of the pitch radii by which a drawing may miss


def compiled(made: Compilation) -> Numbers:
    """Numbers of pairs of teeth, and of relations."""
    scope, places = made.scope, Places(made)
    meshes, sums = list[GearPairData](), list[RelationData]()
    for coupler in made.taking(Coupler):
        if isinstance(coupler, Meshing):
            meshes.append(gear_pair_data(scope, coupler, places))
        else:
            sums += relations(scope, coupler, places)
    return {GearPairData: tuple(meshes), RelationData: tuple(sums)}


class Places:
    """Joints and frames as drawn, for couplers to measure in."""

    def __init__(self, made: Compilation) -> None:
        self.scope, self.joints, self.frames = made.scope, made.joints, made.frames
        self.points, self.rotations, self.row = made.points, made.rotations, made.joint_row

    def freedom(self, element: str, joint: str, freedom: str) -> tuple[int, int]:
        """Row of a joint and number of a freedom that has a coordinate."""
        written = self.scope.model[joint]
        if freedom not in written.coordinates:
            raise ModelError(
                f"{freedom} of {joint} is locked",
                element=element,
                remedy="Free it in the joint, or choose a free motion",
            )
        return self.row[joint], FREEDOMS.index(freedom)

    def bodies(self, joint: int) -> tuple[int, int]:
        data = self.joints[joint]
        return self.frames[data.frame_a].body, self.frames[data.frame_b].body


def gear_pair_data(scope: Scope, coupler: Meshing, places: Places) -> GearPairData:
    """Pitch point and travel factors of two toothed parts."""
    assert isinstance(coupler, (Gears, Worm, Rack))
    joint_a, freedom_a = places.freedom(coupler.name, coupler.joint_a, coupler.freedom_a)
    joint_b, freedom_b = places.freedom(coupler.name, coupler.joint_b, coupler.freedom_b)
    if places.bodies(joint_a)[0] != places.bodies(joint_b)[0]:
        raise ModelError(
            "the two joints have different carriers",
            element=coupler.name,
            field="joint_b",
            remedy="Let frame A of both joints be on the body that carries both parts",
        )
    if places.bodies(joint_a)[1] == places.bodies(joint_b)[1]:
        raise ModelError(
            "both parts are the same body", element=coupler.name, remedy="Choose other joints"
        )
    radius = scope.field(coupler, "radius_a", "length")
    _positive(coupler, "radius_a", radius)
    frame_a, frame_b = places.joints[joint_a].frame_b, places.joints[joint_b].frame_b
    centre_a, centre_b = places.points[frame_a], places.points[frame_b]
    z, other = (
        places.rotations[frame_a][:, freedom_a % 3], places.rotations[frame_b][:, freedom_b % 3],
    )  # fmt: skip
    tangent = math.tan(scope.field(coupler, "pressure_angle", "angle"))
    gap = centre_b - centre_a
    tangential, along, travel = 1.0, 0.0, 0.0
    if isinstance(coupler, Rack):
        w = np.cross(other, z)
        e = w / _length(coupler, w, "the rack must slide across the axis of the pinion")
        arm = radius if gap @ e >= 0.0 else -radius
        factor_a, factor_b, pressure = arm, 1.0, math.copysign(tangent, arm)
    else:
        w = gap - (gap @ z) * z
        distance = _length(coupler, w, "the axes of the two parts are one line")
        e = w / distance
        arm, pressure = radius, tangent
        if isinstance(coupler, Gears):
            arm, pressure = _gear_arm(scope, coupler, radius, distance, z, other, tangent)
        else:
            travel = scope.field(coupler, "lead", "length") / math.tau
            tangential, along = travel / radius, 1.0
        reach = centre_a + arm * e - centre_b
        n = tangential * np.cross(z, e) + along * z
        factor_a = travel if travel else arm
        factor_b = float(np.cross(other, reach) @ n)
        if isinstance(coupler, Gears):
            _check_pitch(scope, coupler, reach, other, factor_b)
        if abs(factor_b) < 1e-6 * radius:
            raise ModelError(
                "the wheel does not turn with this worm",
                element=coupler.name,
                remedy="Put the axis of the wheel across the worm",
            )
    backlash, stiffness = _play(scope, coupler)
    thread = None
    if isinstance(coupler, Worm):
        thread = _thread(scope, coupler, radius, tangential, pressure)
        if thread is not None and backlash is not None:
            raise ModelError(
                "the friction of a worm needs teeth without play", element=coupler.name,
                field="friction_angle", remedy="Empty the backlash, or the friction angle",
            )  # fmt: skip
    return GearPairData(
        name=coupler.name, kind=coupler.tag, joint_a=joint_a,
        freedom_a=freedom_a, joint_b=joint_b, freedom_b=freedom_b, arm=arm, tangential=tangential,
        along=along, factor_a=factor_a, factor_b=factor_b, pressure=pressure, backlash=backlash,
        stiffness=stiffness, restitution=scope.field(coupler, "restitution", "number"),
        thread=thread,
    )  # fmt: skip


def _thread(
    scope: Scope, coupler: Worm | Screw, radius: float, slope: float, pressure: float
) -> ThreadData | None:
    """Friction of a thread, from the equilibrium of a piece of it (Shigley 1956).

    radius : m;  slope : tangent of the lead angle;  pressure : tangent of the pressure angle
    """
    if coupler.friction_angle is None:
        return None
    angle = scope.field(coupler, "friction_angle", "angle")
    if not 0.0 <= angle < 0.5 * math.pi:
        raise ModelError(
            "a friction angle lies between 0 and 90°", element=coupler.name,
            field="friction_angle", remedy="Type, say, 6 deg",
        )  # fmt: skip
    lead = math.atan(abs(slope))
    pressed = math.tan(angle) * math.sqrt(1.0 + slope**2 + pressure**2)
    if pressed * math.sin(lead) >= 1.0:
        raise ModelError(
            "lead and friction angle come to 90° together: it locks both ways",
            element=coupler.name, field="friction_angle", remedy="Type a smaller angle",
        )  # fmt: skip
    if angle == 0.0:
        return None
    return ThreadData(lever=pressed * radius / math.cos(lead), slope=pressed * math.sin(lead))


def _gear_arm(
    scope: Scope, gears: Gears, radius: float, distance: float, z: Floats, other: Floats,
    tangent: float,
) -> tuple[float, float]:  # fmt: skip
    """Distance of the pitch point from axis A, positive towards B, and the signed pressure.

    On parallel axes the pitch circles are those that touch at the drawn distance.
    """
    second = scope.field(gears, "radius_b", "length")
    _positive(gears, "radius_b", second)
    internal = gears.teeth == "internal"
    if np.linalg.norm(np.cross(z, other)) > 1e-6:
        if internal:
            raise ModelError("internal gears need parallel axes", element=gears.name, field="teeth")
        return radius, tangent
    nominal = abs(second - radius) if internal else second + radius
    if abs(distance - nominal) > MISFIT * (radius + second):
        raise ModelError(
            f"the axes are {units.shown(distance, 'length')} apart, the pitch radii fit "
            f"{units.shown(nominal, 'length')}",
            element=gears.name,
            field="radius_b",
            remedy="Move an axis or change a radius",
        )
    arm = distance * radius / nominal
    if not internal:
        return arm, tangent
    return (arm if radius > second else -arm), -tangent


def _check_pitch(scope: Scope, gears: Gears, reach: Floats, axis: Floats, factor: float) -> None:
    """The pitch point of A must lie on the pitch circle of B."""
    radius = scope.field(gears, "radius_b", "length")
    away = float(np.linalg.norm(np.cross(axis, reach)))
    if abs(away - radius) > MISFIT * radius or abs(away - abs(factor)) > 0.01 * radius:
        raise ModelError(
            "the pitch circles do not touch",
            element=gears.name,
            field="radius_b",
            remedy="Put frame B of each joint at the centre of its pitch circle",
        )


def _play(scope: Scope, coupler: Meshing) -> tuple[float | None, float]:
    if coupler.backlash is None:
        return None, 0.0
    if coupler.tooth_stiffness is None:
        raise ModelError(
            "backlash needs the stiffness of the teeth",
            element=coupler.name,
            field="tooth_stiffness",
            remedy="Type, say, 100 MN/m",
        )
    stiffness = scope.field(coupler, "tooth_stiffness", "stiffness")
    _positive(coupler, "tooth_stiffness", stiffness)
    return scope.field(coupler, "backlash", "length"), stiffness


def _positive(coupler: Coupler, field: str, value: float) -> None:
    if value <= 0.0:
        raise ModelError(
            "it must be greater than zero",
            element=coupler.name,
            field=field,
            remedy="Type a larger value",
        )


def _length(coupler: Coupler, vector: Floats, complaint: str) -> float:
    length = float(np.linalg.norm(vector))
    if length < 1e-9:
        raise ModelError(complaint, element=coupler.name, remedy="Move or turn a frame")
    return length


def relations(scope: Scope, coupler: Coupler, places: Places) -> list[RelationData]:
    """Sums of coordinates of a coupler."""
    name = coupler.name

    def sums(kind: str, *terms: tuple[str, str, float]) -> RelationData:
        listed = [(*places.freedom(name, joint, freedom), f) for joint, freedom, f in terms]
        if all(f == 0.0 for *_, f in listed):
            raise ModelError("all its factors are zero", element=name, remedy="Give one a value")
        return RelationData(name=name, kind=kind, terms=tuple(listed))

    if isinstance(coupler, Screw):
        lead = scope.field(coupler, "lead", "length")
        slide, turn = f"slide {coupler.axis}", f"turn {coupler.axis}"
        found = sums("screw", (coupler.joint, slide, 1.0), (coupler.joint, turn, -lead / math.tau))
        return [replace(found, thread=_thread_of_screw(scope, coupler, lead))]
    if isinstance(coupler, Differential):
        f = coupler.freedom
        return [
            sums(
                "differential", (coupler.side_a, f, 0.5), (coupler.side_b, f, 0.5),
                (coupler.cage, f, -1.0),
            )
        ]  # fmt: skip
    if isinstance(coupler, Belt):
        return _belt(scope, coupler, sums)
    assert isinstance(coupler, Relation)
    if len(coupler.terms) < 2:
        raise ModelError("a relation needs two terms at least", element=name, remedy="Add a term")
    return [
        sums("relation", *[(t.joint, t.freedom, _factor(scope, coupler, t)) for t in coupler.terms])
    ]


def _thread_of_screw(scope: Scope, screw: Screw, lead: float) -> ThreadData | None:
    if screw.friction_angle is None:
        return None
    if screw.radius is None:
        raise ModelError(
            "friction of a thread needs its pitch radius", element=screw.name, field="radius",
            remedy="Type it, say 10 mm",
        )  # fmt: skip
    radius = scope.field(screw, "radius", "length")
    _positive(screw, "radius", radius)
    return _thread(scope, screw, radius, lead / (math.tau * radius), 0.0)


def _belt(scope: Scope, belt: Belt, sums) -> list[RelationData]:  # type: ignore[no-untyped-def]
    if len(belt.pulleys) < 2:
        raise ModelError(
            "a belt needs two pulleys at least", element=belt.name, remedy="Add a pulley"
        )
    travel = []
    for pulley in belt.pulleys:
        radius = scope.field(pulley, "radius", "length")
        _positive(belt, "radius", radius)
        travel.append((pulley.joint, pulley.freedom, -radius if pulley.crossed else radius))
    first = travel[0]
    return [sums("belt", (j, f, r), (first[0], first[1], -first[2])) for j, f, r in travel[1:]]


def _factor(scope: Scope, relation: Relation, term: object) -> float:
    """SI factor of a term: all terms must come to one kind of quantity."""
    try:
        return float(scope.value(term.factor).si)  # type: ignore[attr-defined]
    except ModelError as error:
        raise error.at(relation.name, "terms") from None
