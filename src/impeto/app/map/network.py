"""What the Map shows: bodies, what joins them, what acts on them, and which of them may touch."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.couplers.model import Coupler
from impeto.core.drives.model import AtFreedom
from impeto.core.elements import (
    BeltSurface,
    Body,
    Bushing,
    Feeder,
    Frame,
    Joint,
)
from impeto.core.errors import ImpetoError
from impeto.core.forces.lines import Straight
from impeto.core.model import walking
from impeto.core.model.element import GROUND, Element
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.overlaps import Pairs, contact_pairs


@dataclass(frozen=True, slots=True)
class Link:
    """An element between two bodies."""

    name: str
    first: str
    second: str


@dataclass(frozen=True, slots=True)
class Network:
    """bodies : the ground first;  links : joints and force elements between two bodies;
    ties : of each coupler, the joints that it couples;
    carried : of each body, the loads, belts, feeders and outlets on it;
    powered : of each joint, its drives;  pairs : bodies that may touch, by contact rule;
    fed : bodies that feeders make copies of;  off : elements that take no part in the case."""

    bodies: tuple[str, ...]
    links: tuple[Link, ...]
    ties: dict[str, tuple[str, ...]]
    carried: dict[str, tuple[str, ...]]
    powered: dict[str, tuple[str, ...]]
    pairs: Pairs
    fed: frozenset[str]
    off: frozenset[str]


def network(model: Model, case: str) -> Network:
    """The Map of a model in a case. Elements whose references lead nowhere are left out; the
    Health card tells of them."""
    scope = Scope(model, case)
    bodies = [GROUND, *(body.name for body in model.of(Body) if body.name != GROUND)]
    links, ties = [], {}
    carried: dict[str, list[str]] = {}
    powered: dict[str, list[str]] = {}
    for element in model.elements.values():
        if isinstance(element, (Joint, Straight, Bushing)):
            first, second = (body_of(model, f) for f in (element.frame_a, element.frame_b))
            if first and second and first != second:
                links.append(Link(element.name, first, second))
        elif isinstance(element, Coupler):
            named = (reference.name for reference in walking.references(element))
            joints = [n for n in named if isinstance(model.elements.get(n), Joint)]
            ties[element.name] = tuple(dict.fromkeys(joints))
        elif isinstance(element, AtFreedom):
            powered.setdefault(element.joint, []).append(element.name)
        elif carrier := _carrier(model, element):
            carried.setdefault(carrier, []).append(element.name)
    return Network(
        tuple(bodies), tuple(links), ties,
        {body: tuple(names) for body, names in carried.items()},
        {joint: tuple(names) for joint, names in powered.items()},
        _pairs(model, case),
        scope.fed,
        frozenset(e.name for e in model.elements.values() if not scope.takes_part(e)),
    )  # fmt: skip


def body_of(model: Model, frame: str) -> str:
    """The body that a frame is on, '' where there is none."""
    named = model.elements.get(frame)
    return named.body if isinstance(named, Frame) and named.body in model.elements else ""


def _carrier(model: Model, element: Element) -> str:
    if element.acts_at:
        return body_of(model, element.acts_at)
    if isinstance(element, (BeltSurface, Feeder)):
        return element.body if element.body in model.elements else ""
    return ""


def _pairs(model: Model, case: str) -> Pairs:
    try:
        return contact_pairs(model, case)
    except ImpetoError:
        return {}  # the Health card tells what is wrong
