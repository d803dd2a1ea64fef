"""Health of a model as written: what the mechanism's health means for its elements, what looks
wrong in its numbers, and mends that one click or one call applies."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import body_mass, resolve
from impeto.core.drives.model import Powered
from impeto.core.dynamics.names import RowName
from impeto.core.elements import Body, Bushing, Feeder, Frame, Joint
from impeto.core.errors import Cancelled, GapError, ImpetoError
from impeto.core.geometry.rotation import from_roll_pitch_yaw, roll_pitch_yaw
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.model.fields import Vector, as_quantity
from impeto.core.model.freedoms import FREEDOMS, SLIDES, TURNS
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.overlaps import Overlap, overlaps_of
from impeto.core.plausible import Finding, Mend, gauges_of, numbers_of, surfaces_of
from impeto.core.solvers.health import Health as MechanismHealth
from impeto.core.solvers.health import examine

Floats = npt.NDArray[np.float64]
SOFT = {"stiffness": 1e7, "torsional stiffness": 1e5}  # of a joint that was made compliant, SI
MOST_TRIED = 2000  # bodies times redundant constraints, up to which mends are tried out
BALL = 0.05  # m, radius of the ball whose inertia replaces a missing one


@dataclass(frozen=True, slots=True)
class Health:
    """free : motions left by rank;  driven : motions that drives prescribe;
    counted : free motions by formula (6 per body − constraints);
    redundant : names of dependent constraints;  floating : bodies that nothing holds;
    loose : bodies that free motions move;  led : bodies that drives alone move."""

    free: int = 0
    driven: int = 0
    counted: int = 0
    redundant: tuple[RowName, ...] = ()
    floating: tuple[str, ...] = ()
    loose: tuple[str, ...] = ()
    led: tuple[str, ...] = ()
    findings: tuple[Finding, ...] = field(default=())


def mended(model: Model, mend: Mend) -> Model:
    """The model with a mend applied."""
    for element in mend.put:
        model = model.with_element(element)
    for name in mend.off:
        model = model.with_element(replace(model[name], enabled=False))
    return model


def check(
    model: Model, case: str | None = None, progress: Callable[[float, float], bool] | None = None
) -> Health:
    """Health of a model in a case; what keeps it from running is a finding, not an exception.

    progress : called with the share done and 0; where it returns False, raises Cancelled
    """

    def done(share: float) -> None:
        if progress and not progress(share, 0.0):
            raise Cancelled("The check was stopped.")

    try:
        scope = Scope(model, case)
        numbers = numbers_of(model, scope)
        done(0.1)
        mechanism = resolve(model, case, copies=False)
        done(0.3)
        system = build_system(mechanism)
        done(0.5)
        found = examine(system)
        done(0.7)
        if model.of(Feeder):
            system = build_system(resolve(model, case))
        overlapping = [_overlapping(scope, overlap) for overlap in overlaps_of(system)]
        done(0.8)
        redundant = _redundancies(scope, found, done)
    except Cancelled:
        raise
    except ImpetoError as error:
        return Health(findings=(_failure(model, case, error),))
    return Health(
        found.free,
        found.driven,
        found.counted,
        found.redundant,
        found.floating,
        found.loose,
        found.led,
        (
            *_findings(model, found),
            *_fights(scope, found),
            *redundant,
            *numbers,
            *surfaces_of(model, scope, system.mechanism),
            *gauges_of(scope),
            *overlapping,
        ),
    )


def _overlapping(scope: Scope, overlap: Overlap) -> Finding:
    """Bodies that start inside each other would be thrown apart; a hair's breadth is a touch."""
    a, b, normal = overlap.body_a, overlap.body_b, overlap.normal
    model = scope.model
    if a == GROUND or model[a].keep_in_place:
        a, b, normal = b, a, -normal
    body = model[a]
    place = scope.vector(body, "position", "length") + 1.001 * overlap.depth * normal
    written = tuple(as_quantity(float(f"{x:.9g}"), "length") for x in place)
    mends: tuple[Mend, ...] = ()
    if a in scope.written.elements:  # a member is where its Repeat puts it
        moved = replace(body, position=written)
        mends = (Mend(f"Move {a} out along the least depth", put=(moved,)),)
    depth = units.shown(overlap.depth, "length", 3)
    return Finding(
        "warn", a, f"overlaps {b} by {depth} at the start ({overlap.rule})",
        "Move one of them, or accept it: they are pushed apart as the run begins", mends,
    )  # fmt: skip


def _failure(model: Model, case: str | None, error: ImpetoError) -> Finding:
    element = getattr(error, "element", "")
    problem, remedy = getattr(error, "problem", str(error)), getattr(error, "remedy", "")
    mends: tuple[Mend, ...] = ()
    named = model.elements.get(element)
    if isinstance(error, GapError) and isinstance(named, Joint):
        mends = _snap(model, case, named)
    elif isinstance(named, Body) and "inertia" in problem and named.mass is not None:
        mends = (_inertia(model, case, named),)
    return Finding("bad", element, problem, remedy, mends)


def _findings(model: Model, found: MechanismHealth) -> list[Finding]:
    """Findings of the mechanism, with mends where there are any."""
    listed = []
    for finding in found.findings:
        mends: tuple[Mend, ...] = ()
        named = model.elements.get(finding.element)
        if finding.severity == "bad" and isinstance(named, Joint):
            mends = _snap(model, None, named)
        elif finding.element in found.floating and named is not None:
            mends = (_grounded(model, finding.element),)
        listed.append(
            Finding(finding.severity, finding.element, finding.message, finding.remedy, mends)
        )
    return listed


def _fights(scope: Scope, found: MechanismHealth) -> list[Finding]:
    """Drives that prescribe what is prescribed or locked already."""
    listed, model = [], scope.model
    for row in found.redundant:
        drive = model.elements.get(row.owner)
        if isinstance(drive, Powered):
            others = [d.name for d in model.elements.values() if isinstance(d, Powered)]
            others = [name for name in others if name != drive.name]
            against = f" ({', '.join(others)} may do so)" if others else ""
            listed.append(
                Finding(
                    "warn",
                    drive.name,
                    f"it prescribes {row.freedom} of {drive.joint}, which is prescribed or locked "
                    f"already{against}",
                    "Two that differ cannot both be followed",
                    (Mend(f"Switch {drive.name} off", off=(scope.original(drive.name),)),),
                )
            )
    return listed


def _is_sound(model: Model, case: str | None, mend: Mend, found: MechanismHealth) -> bool:
    """Whether a mend leaves the free motions as they are, makes fewer constraints redundant, and no
    singular pose of the start."""
    try:
        after = examine(build_system(resolve(mended(model, mend), case, copies=False)))
    except ImpetoError:
        return False
    fewer = len(after.redundant) < len(found.redundant)
    return fewer and after.free == found.free and not after.singular


def _redundancies(
    scope: Scope, found: MechanismHealth, done: Callable[[float], None]
) -> list[Finding]:
    """One finding per joint with dependent constraints; for that of the original where members of
    it have some."""
    model, case = scope.written, scope.case.name
    few = len(scope.model.of(Body)) * len(found.redundant) <= MOST_TRIED
    by_owner: dict[str, list[str]] = {}
    for row in found.redundant:
        freedoms = by_owner.setdefault(scope.original(row.owner), [])
        freedoms += [row.freedom] if row.freedom not in freedoms else []
    listed: list[Finding] = []
    for owner, freedoms in by_owner.items():
        joint = model.elements.get(owner)
        if not isinstance(joint, Joint):
            continue
        named = [f for f in freedoms if f in FREEDOMS]
        freed = tuple(f for f in FREEDOMS if f in joint.free or f in named)
        mends = [Mend(f"Free {', '.join(named)}", (replace(joint, free=freed),))] if named else []
        done(0.8 + 0.2 * len(listed) / len(by_owner))
        mends = [mend for mend in mends if few and _is_sound(model, case, mend, found)]
        if not model.users_of(owner) and joint.special == "none":
            mends.append(_compliant(joint))
        verb = "is" if len(freedoms) == 1 else "are"
        listed.append(
            Finding(
                "note",
                owner,
                f"{', '.join(freedoms)} {verb} held by other joints too: reactions there depend "
                "on the idealisation",
                mends=tuple(mends),
            )
        )
    return listed


def _compliant(joint: Joint) -> Mend:
    """The joint as a stiff bushing: soft where it was free."""

    def three(freedoms: tuple[str, ...], kind: str, share: float = 1.0) -> Vector:
        values = [0.0 if f in joint.free else share * SOFT[kind] for f in freedoms]
        unit = {
            "stiffness": ("stiffness", "damping"),
            "torsional stiffness": ("torsional stiffness", "torsional damping"),
        }[kind][share != 1.0]
        x, y, z = (as_quantity(value, unit) for value in values)
        return x, y, z

    bushing = Bushing(
        name=joint.name, frame_a=joint.frame_a, frame_b=joint.frame_b, note=joint.note,
        stiffness=three(SLIDES, "stiffness"), damping=three(SLIDES, "stiffness", 1e-3),
        turning_stiffness=three(TURNS, "torsional stiffness"),
        turning_damping=three(TURNS, "torsional stiffness", 1e-3),
    )  # fmt: skip
    return Mend("Make it compliant", (bushing,))


def _grounded(model: Model, name: str) -> Mend:
    """A body fixed to the ground where it is drawn."""
    body = model[name]
    ground = Frame(name=f"{name}_on_ground", position=body.position, orientation=body.orientation)
    own = Frame(name=f"{name}_foot", body=name)
    joint = Joint(name=f"{name}_fixed", frame_a=ground.name, frame_b=own.name, free=())
    return Mend("Fix it to the ground", (ground, own, joint))


def _snap(model: Model, case: str | None, joint: Joint) -> tuple[Mend, ...]:
    """Frame B moved to where frame A is; its axes too, unless the joint lets them differ. Not where
    that is a member's, which its original places."""
    scope = Scope(model, case)
    whole = scope.model
    a, b = whole[joint.frame_a], whole[joint.frame_b]
    if b.name not in model.elements:
        return ()

    def pose(element: Body | Frame) -> tuple[Floats, Floats]:
        rotation = from_roll_pitch_yaw(scope.vector(element, "orientation", "angle"))
        return scope.vector(element, "position", "length"), rotation

    origin_a, rotation_a = pose(whole[a.body])
    origin_b, rotation_b = pose(whole[b.body])
    local, axes = pose(a)
    point = rotation_b.T @ (origin_a + rotation_a @ local - origin_b)
    changes = {"position": _vector(point, "length")}
    if not set(TURNS) <= set(joint.free):
        turned = rotation_b.T @ rotation_a @ axes
        changes["orientation"] = _vector(roll_pitch_yaw(turned), "angle")
    return (Mend(f"Move {b.name} to {a.name}", (replace(b, **changes),)),)


def _vector(values: Floats, kind: str) -> Vector:
    x, y, z = (as_quantity(round(float(value), 12), kind) for value in values)
    return x, y, z


def _inertia(model: Model, case: str | None, body: Body) -> Mend:
    """The inertia of a ball of the body's mass."""
    mass = body_mass(Scope(model, case), body).mass
    each = as_quantity(float(f"{0.4 * mass * BALL**2:.3g}"), "inertia")
    ball = replace(body, inertia=(each, each, each), inertia_products=None)
    return Mend(f"Give it the inertia of a ball of {units.shown(2 * BALL, 'length')}", (ball,))
