"""Numbers of contact: which shapes take part, which rule holds for each pair."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.body_set import BodySet
from impeto.core.bodies.compilation import Compilation, Numbers
from impeto.core.bodies.compile import unit_vector
from impeto.core.bodies.groups import members
from impeto.core.bodies.model import Body, Frame
from impeto.core.contact.data import BeltData, PairingData, RuleData, ShapeData
from impeto.core.contact.model import (
    BY_MATERIAL,
    NEVER,
    OWN,
    PAIRINGS,
    BeltSurface,
    ContactRule,
    Pairing,
    Surface,
)
from impeto.core.contact.shapes import shape_data
from impeto.core.dynamics.signals import signal_node
from impeto.core.errors import ModelError
from impeto.core.geometry.solids import RESOLUTIONS
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


class Connection(Protocol):
    """What is asked of a joint: the frames that it connects."""

    @property
    def frame_a(self) -> str: ...
    @property
    def frame_b(self) -> str: ...


def compiled(made: Compilation) -> Numbers:
    """Shapes, rules and belts of the bodies (in the order of their rows)."""
    scope, body_set = made.scope, made.body_set
    bodies = body_set.bodies
    taking, drawings, held = rules_of_shapes(scope, body_set, made.written)
    involved = set(drawings.body[(held >= 0).any(axis=0)].tolist())
    accuracy = accuracies(drawings, held, taking)
    belts = [belt for belt in scope.model.of(BeltSurface) if scope.takes_part(belt)]
    row = {body.name: index for index, body in enumerate(bodies)}
    shapes: list[ShapeData] = []
    drawn: dict[tuple[str, str], list[ShapeData]] = {}  # by master: copies share what is costly
    for index, body in enumerate(bodies):
        alike = body_set.masters.get(body.name, body.name), accuracy[index]
        if alike in drawn:
            shapes += [replace(shape, body=index) for shape in drawn[alike]]
            continue
        begin = len(shapes)
        for number, shape in enumerate(body.shapes if index in involved else (), start=1):
            try:
                belt = _belt(scope, belts, body, number)
                shapes.append(shape_data(scope, shape, index, belt, accuracy[index]))
            except ModelError as error:
                place = f"{shape.title} {number}"
                raise error.placed(alike[0], f"{place} {error.field}".strip()) from None
        if index in involved:
            drawn[alike] = shapes[begin:]
    of = np.flatnonzero(np.isin(drawings.body, list(involved)))
    pairing = held[np.ix_(of, of)]
    moving = tuple(
        BeltData(
            name=belt.name,
            body=row[belt.body],
            direction=unit_vector(scope, belt),
            value=signal_node(scope, belt, forces=False),
        )
        for belt in belts
    )
    return {
        ShapeData: tuple(shapes),
        RuleData: tuple(_rule(scope, rule) for rule in taking),
        BeltData: moving,
        PairingData: (PairingData(rule=np.ascontiguousarray(pairing)),),
    }


@dataclass(frozen=True, slots=True)
class Drawings:
    """All shapes of the bodies that take part, in the order of their rows.

    bodies : how many;  body : (H,) row of its body;  number : (H,) which of its shapes, from 1
    """

    bodies: int
    body: Ints
    number: Ints

    @staticmethod
    def of(bodies: Sequence[Body]) -> Drawings:
        counts = [len(body.shapes) for body in bodies]
        numbers = [np.arange(1, count + 1) for count in counts]
        return Drawings(
            len(bodies),
            np.repeat(np.arange(len(bodies)), counts),
            np.concatenate([np.zeros(0, dtype=np.int64), *numbers]),
        )


def rules_of_shapes(
    scope: Scope, body_set: BodySet, joints: Sequence[Connection]
) -> tuple[list[ContactRule], Drawings, Ints]:
    """The rules that let touch, all shapes, and the row (H, H) of the rule that holds for each pair
    of them."""
    rules = [rule for rule in scope.model.of(ContactRule) if scope.takes_part(rule)]
    drawings = Drawings.of(body_set.bodies)
    held = _held(scope, body_set, rules, drawings, _joined(scope, body_set.rows, joints))
    return [rule for rule in rules if rule.effect != NEVER], drawings, held


def accuracies(drawings: Drawings, held: Ints, rules: Sequence[ContactRule]) -> list[str]:
    """The finest resolution that the rules ask of each body."""
    ranks = np.array([*(RESOLUTIONS.index(rule.resolution) for rule in rules), 0])
    finest = np.zeros(drawings.bodies, dtype=np.int64)
    np.maximum.at(finest, drawings.body, ranks[held].max(axis=1, initial=0))
    return [RESOLUTIONS[int(rank)] for rank in finest]


def _belt(scope: Scope, belts: list[BeltSurface], body: Body, number: int) -> int:
    """Row of the belt surface that a shape of a body has, −1 for none."""
    found = -1
    for index, belt in enumerate(belts):
        if belt.body != body.name:
            continue
        which = round(scope.field(belt, "shape", "number"))
        if which > len(body.shapes) or which < 0:
            raise ModelError(
                f"{body.name} has no shape {which}", element=belt.name, field="shape",
                remedy="Count its shapes from 1; 0 takes all",
            )  # fmt: skip
        if which in (0, number):
            found = index
    return found


def _joined(
    scope: Scope, row: dict[str, int], joints: Sequence[Connection]
) -> set[tuple[int, int]]:
    """Pairs of bodies that a joint connects."""
    pairs = set()
    for joint in joints:
        a, b = (scope.model[name] for name in (joint.frame_a, joint.frame_b))
        assert isinstance(a, Frame)
        assert isinstance(b, Frame)
        pairs.add((row[a.body], row[b.body]))
    return pairs


def _held(
    scope: Scope, body_set: BodySet, rules: Sequence[ContactRule], drawings: Drawings,
    joined: set[tuple[int, int]],
) -> Ints:  # fmt: skip
    """(H, H) row of the rule (among those that let touch) of each pair of shapes, −1 for none."""
    n, of = len(body_set.bodies), drawings.body
    linked = np.zeros((n, n), dtype=bool)
    for a, b in joined:
        linked[a, b] = linked[b, a] = True
    apart = of[:, None] == of[None, :]
    holds, counts = [], []
    for rule in rules:
        sides = [_named(scope, rule, field, body_set, drawings) for field in ("first", "second")]
        (first, part), (second, share) = sides
        pairs = first[:, None] & second[None, :]
        pairs |= pairs.T
        if rule.effect == NEVER:
            apart |= pairs
            continue
        weight = np.maximum(part[:, None] * share[None, :], share[:, None] * part[None, :])
        if not rule.joined_too:
            pairs &= ~linked[np.ix_(of, of)]
            weight[linked] = 0.0
        holds.append(pairs)
        counts.append(float(weight.sum()))
    found = np.full((len(of), len(of)), -1, dtype=np.int64)
    for index in sorted(range(len(holds)), key=lambda i: -counts[i]):
        found[holds[index]] = index
    found[apart] = -1
    return found


def _named(
    scope: Scope, rule: ContactRule, field: str, body_set: BodySet, drawings: Drawings
) -> tuple[npt.NDArray[np.bool_], Floats]:
    """Which shapes (H,) a side of a rule names, and what share (n,) of each body."""
    names, rows = getattr(rule, field), body_set.rows
    part, shapes = np.zeros(len(rows)), np.zeros(len(drawings.body), dtype=bool)
    whole = [name for name in names if "." not in name]
    if whole or not names:
        part[list(members(scope, whole, rows, body_set.masters))] = 1.0
        shapes |= part[drawings.body] == 1.0
    for name in names:
        owner, _, number = name.partition(".")
        if number:
            bodies = list(members(scope, [owner], rows, body_set.masters))
            one = np.isin(drawings.body, bodies) & (drawings.number == int(number))
            if bodies and not one.any():
                raise ModelError(
                    f"{owner} has no shape {number}", element=rule.name, field=field,
                    remedy="Count its shapes from 1",
                )  # fmt: skip
            shapes |= one
            count = np.bincount(drawings.body[one], minlength=len(rows))
            part = np.maximum(part, count / np.maximum([len(b.shapes) for b in body_set.bodies], 1))
    return shapes, part


def _rule(scope: Scope, rule: ContactRule) -> RuleData:
    base = _base(scope, rule)
    typed = {
        "stiffness": "stiffness", "restitution": "number", "static_friction": "number",
        "kinetic_friction": "number", "rolling_resistance": "length",
    }  # fmt: skip
    values = {}
    standing = (base.stiffness, base.restitution, base.static, base.kinetic, base.rolling)
    for (field, kind), default in zip(typed.items(), standing, strict=True):
        written = getattr(rule, field) is not None
        values[field] = scope.field(rule, field, kind) if written else default
    exponent = scope.field(rule, "exponent", "number")
    _check(rule, values, exponent)
    return RuleData(
        name=rule.name,
        stiffness=values["stiffness"],
        exponent=exponent,
        restitution=values["restitution"],
        static=values["static_friction"],
        kinetic=values["kinetic_friction"],
        rolling=values["rolling_resistance"],
    )


def _base(scope: Scope, rule: ContactRule) -> Pairing:
    """Values before those typed in the rule: of two surfaces, else of the table."""
    if rule.surface_a is not None and rule.surface_b is not None:
        a, b = scope.model[rule.surface_a], scope.model[rule.surface_b]
        assert isinstance(a, Surface)
        assert isinstance(b, Surface)
        return _together(_surface(scope, a), _surface(scope, b))
    if rule.pairing == BY_MATERIAL:
        raise ModelError(
            "events cannot switch on a rule by material", element=rule.name, field="pairing",
            remedy="Choose a pairing",
        )  # fmt: skip
    if rule.pairing != OWN:
        return PAIRINGS[rule.pairing]
    for field in ("stiffness", "restitution", "static_friction", "kinetic_friction"):
        if getattr(rule, field) is None:
            raise ModelError(
                "own values are chosen, but this one is empty", element=rule.name, field=field,
                remedy="Type it, or choose a pairing",
            )  # fmt: skip
    return PAIRINGS["smooth, no friction"]


def _surface(scope: Scope, surface: Surface) -> Pairing:
    def get(field: str, kind: str = "number") -> float:
        return scope.field(surface, field, kind)

    return Pairing(
        stiffness=get("stiffness", "stiffness"),
        restitution=get("restitution"),
        static=get("static_friction"),
        kinetic=get("kinetic_friction"),
        rolling=get("rolling_resistance", "length"),
    )


def _together(a: Pairing, b: Pairing) -> Pairing:
    """Two surfaces: springs in series, the mean restitution and friction of the slipperier kind
    (geometric means, as for the table)."""
    return Pairing(
        stiffness=a.stiffness * b.stiffness / (a.stiffness + b.stiffness),
        restitution=float(np.sqrt(a.restitution * b.restitution)),
        static=float(np.sqrt(a.static * b.static)),
        kinetic=float(np.sqrt(a.kinetic * b.kinetic)),
        rolling=a.rolling + b.rolling,
    )


def _check(rule: ContactRule, values: dict[str, float], exponent: float) -> None:
    def complain(field: str, problem: str, remedy: str) -> None:
        raise ModelError(problem, element=rule.name, field=field, remedy=remedy)

    if not (0.0 < values["stiffness"] <= 1e13):
        complain(
            "stiffness", "contact needs a stiffness greater than zero and not infinite",
            "Type, say, 1 kN/mm; rigid bodies give way a little where they touch",
        )  # fmt: skip
    if not 0.0 <= values["restitution"] <= 1.0:
        complain("restitution", "restitution lies between 0 and 1", "Type, say, 0.4")
    if values["kinetic_friction"] < 0.0:
        complain("kinetic_friction", "friction cannot be negative", "Type 0 for none")
    if values["static_friction"] < values["kinetic_friction"]:
        complain(
            "static_friction", "static friction cannot be less than kinetic friction",
            f"Type at least {values['kinetic_friction']:g}",
        )  # fmt: skip
    if values["rolling_resistance"] < 0.0:
        complain("rolling_resistance", "it cannot be negative", "Type 0 for none")
    if not 1.0 <= exponent <= 3.0:
        complain("exponent", "the exponent lies between 1 and 3", "Type 1, or 1.5 for round bodies")
