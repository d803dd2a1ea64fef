"""What contact rules come to before a run: pairs that may touch, and those that overlap."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import derivative
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.bodies.forms import FORMS
from impeto.core.contact.columns import (
    BODY,
    DEPTH,
    FIRST_SLOT,
    NORMAL,
    PLACE,
    RULE,
    SHAPE_A,
    SHAPE_B,
    SLOTS,
)
from impeto.core.contact.compile import accuracies, rules_of_shapes
from impeto.core.contact.data import RuleData
from impeto.core.contact.fields import SOLID
from impeto.core.contact.shapes import shape_data
from impeto.core.dynamics.system import System
from impeto.core.elements import Joint
from impeto.core.flow.compile import body_set_of
from impeto.core.flow.data import FeederData
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.solvers.contacting import renewed

Floats = npt.NDArray[np.float64]
Pairs = dict[str, tuple[tuple[str, str], ...]]
NOTHING = 1e-6  # m, depth that is a touch and not an overlap


@dataclass(frozen=True, slots=True)
class Overlap:
    """Two bodies that overlap as drawn by a depth [m] at a point (3,), world [m]; moving A by the
    depth along the normal (3,) parts them there."""

    rule: str
    body_a: str
    body_b: str
    depth: float
    point: Floats
    normal: Floats


def contact_pairs(model: Model, case: str | None = None) -> Pairs:
    """The pairs of bodies that may touch, by the rule that holds for them; quick even where shapes
    are large meshes. Copies go under the name of the body they are copies of."""
    scope = Scope(model, case)
    body_set = body_set_of(scope)
    bodies = body_set.bodies
    joints = [joint for joint in scope.model.of(Joint) if scope.takes_part(joint)]
    rules, drawings, holds = rules_of_shapes(scope, body_set, joints)
    found: dict[str, list[tuple[str, str]]] = {rule.name: [] for rule in rules}
    names = [body_set.masters.get(body.name, body.name) for body in bodies]
    first = np.array([names.index(name) for name in names])  # copies count as the first of them
    of = first[drawings.body]
    i, j = np.nonzero(np.triu(holds >= 0))
    n = len(names)
    for key in np.unique((holds[i, j] * n + of[i]) * n + of[j]):
        found[rules[key // (n * n)].name].append((names[key // n % n], names[key % n]))
    return {rule: tuple(sorted(pairs)) for rule, pairs in found.items()}


@dataclass(frozen=True, slots=True)
class Watched:
    """How finely contact knows a solid of any form.

    points : (M, 3) m, where places of contact begin, in the axes of the body
    cell : m, of the grid that knows its distances; 0 for drawn-out outlines, which are exact
    """

    body: str
    points: Floats
    cell: float


def pairs_of(model: Model, rule: str, case: str | None = None) -> tuple[tuple[str, str], ...]:
    """The pairs of bodies that may touch by a rule, or by those that it stands for."""
    pairs = contact_pairs(model, case)
    names = Scope(model, case).members.get(rule, (rule,))
    return tuple(dict.fromkeys(pair for name in names for pair in pairs.get(name, ())))


def watched_shapes(model: Model, case: str | None, rule: str) -> tuple[Watched, ...]:
    """The solids of any form that a rule holds for, as finely as rules ask. May take seconds."""
    scope = Scope(model, case)
    body_set = body_set_of(scope)
    joints = [joint for joint in scope.model.of(Joint) if scope.takes_part(joint)]
    rules, drawings, holds = rules_of_shapes(scope, body_set, joints)
    names = scope.members.get(rule, (rule,))
    own = [index for index, one in enumerate(rules) if one.name in names]
    finest, found, seen = accuracies(drawings, holds, rules), [], set()
    for row in np.unique(drawings.body[np.isin(holds, own).any(axis=1)]):
        body = body_set.bodies[row]
        name = body_set.masters.get(body.name, body.name)
        sampled = [s for s in body.shapes if type(s) in FORMS]
        for shape in sampled if name not in seen else ():
            data = shape_data(scope, shape, int(row), -1, finest[row])
            assert data.solid is not None
            points = data.position + data.solid.samples.point @ data.rotation.T
            cell = float(data.solid.step.min()) if data.kind == SOLID else 0.0
            found.append(Watched(name, points, cell))
        seen.add(name)
    return tuple(found)


def overlaps(model: Model, case: str | None = None) -> tuple[Overlap, ...]:
    """Pairs of bodies that overlap at the start, each at its deepest point, deepest first.

    The first copy of every feeder counts as there, under the name of the body it is a copy of.
    """
    return overlaps_of(build_system(resolve(model, case)))


def overlaps_of(system: System) -> tuple[Overlap, ...]:
    """The same of a system that was built with all copies."""
    T, S, y = system.tables, workspace_of(system), system.start
    if not len(T.shape):
        return ()
    m = system.mechanism
    for feeder in m.of(FeederData):
        if feeder.frame < 0 and feeder.copies:
            S.on[T.body_on[feeder.copies[0]]] = 1.0
    T, S, y = renewed(T, S, 0.0, y.copy())
    derivative(T, S, 0.0, y, np.zeros_like(y))
    worst: dict[tuple[int, int], Overlap] = {}
    for row in S.near[: S.near_count[0]]:
        a, b = (int(T.shape[row[side], BODY]) for side in (SHAPE_A, SHAPE_B))
        names = [m.bodies[body].name for body in (a, b)]
        if all(name in m.masters for name in names):
            continue  # two copies need not be there at one time
        for patch in S.patch[row[FIRST_SLOT] : row[FIRST_SLOT] + row[SLOTS]]:
            key, depth = (min(a, b), max(a, b)), float(patch[DEPTH])
            if depth > NOTHING and (key not in worst or depth > worst[key].depth):
                place = patch[PLACE : PLACE + 3].copy()
                normal = patch[NORMAL : NORMAL + 3].copy()
                worst[key] = Overlap(
                    m.of(RuleData)[row[RULE]].name, m.masters.get(names[0], names[0]),
                    m.masters.get(names[1], names[1]), depth, place, normal,
                )  # fmt: skip
    return tuple(sorted(worst.values(), key=lambda overlap: -overlap.depth))
