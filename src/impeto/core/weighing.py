"""What every body weighs, and what some of them weigh together, to hold against a weighbridge."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.compile import body_mass
from impeto.core.bodies.placement import pose_of
from impeto.core.elements import Body
from impeto.core.geometry.mass import MassProperties, together
from impeto.core.model import formula
from impeto.core.model.element import GROUND
from impeto.core.model.materials import material_named
from impeto.core.model.model import Model
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Weight:
    """A body as drawn, by itself or by its members.

    names : of the body, or of all members of what is repeated
    each : mass [kg], centre [m] and inertia about it [kg m²] of the first, world axes
    all : of all of them together
    drawn : kg, of its shapes by their densities, of one;  points : kg, of its point masses
    is_typed : whether a typed mass stands for that of the shapes; points come on top of both
    materials : of its shapes, as far as they are of any
    """

    name: str
    names: tuple[str, ...]
    each: MassProperties
    all: MassProperties
    drawn: float
    points: float
    is_typed: bool
    materials: tuple[str, ...]


def weights(model: Model, case: str | None = None) -> tuple[Weight, ...]:
    """Of every body that is on in a case, what is repeated in one line. Raises ModelError."""
    scope = Scope(model, case)
    found = []
    for body in model.of(Body):
        names = scope.members.get(body.name, (body.name,))
        members = [scope.model[name] for name in names]
        members = [m for m in members if scope.on(m) and scope.original(m.name) == body.name]
        if members and body.name != GROUND:
            found.append(_weight(scope, body, members))
    return tuple(found)


def _weight(scope: Scope, body: Body, members: Sequence[Body]) -> Weight:
    own = body_mass(scope, body)
    placed = [own.placed(*pose_of(scope, member)) for member in members]
    points = sum(scope.field(part, "mass", "mass") for part in body.point_masses)
    return Weight(
        name=body.name,
        names=tuple(member.name for member in members),
        each=placed[0],
        all=together(placed),
        drawn=own.mass - points,
        points=points,
        is_typed=body.mass is not None,
        materials=_materials(scope, body),
    )


def _materials(scope: Scope, body: Body) -> tuple[str, ...]:
    nodes = [s.density.node for s in body.shapes if isinstance(s.density, Quantity)]
    names = [node.path for node in nodes if isinstance(node, formula.Name)]
    elements = scope.written.elements
    return tuple(dict.fromkeys(name for name in names if material_named(name, elements)))


def weighed(rows: Iterable[Weight]) -> MassProperties:
    """Mass [kg], centre [m] and inertia about it [kg m²] of bodies together, world axes."""
    return together([row.all for row in rows])
