"""The elements that a Repeat stands for."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Sequence
from fnmatch import fnmatchcase
from typing import Any

import numpy as np

from impeto.core.bodies.model import Body, Frame
from impeto.core.bodies.placement import placement, pose_of, written
from impeto.core.errors import ModelError
from impeto.core.model import walking
from impeto.core.model.element import GROUND, Element, Parameter
from impeto.core.model.unfolding import Unfolding
from impeto.core.repeats import moves
from impeto.core.repeats.moves import CIRCLE, LINE, PATH, Move, after, back

MOST = 8_000  # elements that a Repeat makes
# What the last Repeats came to, by name: out of what, and the members. Edits elsewhere leave the
# members the same objects, by which others know that nothing has changed.
_KEPT: OrderedDict[str, tuple[tuple[Any, ...], dict[str, list[Element]]]] = OrderedDict()
MOST_KEPT = 32


def unfold(repeat: Any, unfolding: Unfolding) -> None:
    """Put the members of a Repeat in place of what it repeats. Raises ModelError."""
    bodies = bodies_named(repeat, unfolding)
    going = going_along(unfolding, [body.name for body in bodies])
    out_of = _out_of(repeat, unfolding, going)
    known, made = _KEPT.get(repeat.name, ((), {}))
    if len(known) != len(out_of) or any(a is not b for a, b in zip(known, out_of, strict=True)):
        made = _made(repeat, unfolding, bodies, going)
        _KEPT[repeat.name] = out_of, made
        if len(_KEPT) > MOST_KEPT:
            _KEPT.popitem(last=False)
    for name in going:
        unfolding.put(name, made[name], repeat)


def _out_of(repeat: Any, unfolding: Unfolding, going: Sequence[str]) -> tuple[Any, ...]:
    """All that the members depend on: elements and values, by identity."""
    scope, elements = unfolding.scope, unfolding.elements
    carriers = {e.body for e in map(elements.get, going) if isinstance(e, Frame)}
    if repeat.centre in elements:
        carriers |= {repeat.centre, getattr(elements[repeat.centre], "body", "")}
    return (
        repeat, scope.case, *scope.overruled.values(), *scope.written.of(Parameter),
        *(elements[name] for name in going), *map(elements.get, sorted(carriers)),
    )  # fmt: skip


def _made(
    repeat: Any, unfolding: Unfolding, bodies: list[Body], going: list[str]
) -> dict[str, list[Element]]:
    """The members of everything that goes along."""
    count = _count(repeat, unfolding)
    ties = _ties(repeat, unfolding, going)
    if count * len(going) > MOST:
        raise ModelError(
            f"it would make {count * len(going)} elements", element=repeat.name, field="count",
            remedy=f"Keep them to {MOST}",
        )  # fmt: skip
    ways = _moves(repeat, unfolding, count, bodies, ties)
    names = [{name: f"{name}_{number}" for name in going} for number in range(1, count + 1)]
    links = count if repeat.ring else count - 1
    made: dict[str, list[Element]] = {}
    for name in going:
        source = unfolding.elements[name]
        is_tied = name in ties or _hangs_on(source, ties)
        naming = bool(walking.mentioned(source) & set(going))
        place, on = _place(unfolding, name, going), unfolding.scope.on(source)
        made[name] = []
        for k in range(links if is_tied else count):
            member = walking.renamed(source, names[k]) if naming else source
            changes: dict[str, Any] = {"name": names[k][name], "enabled": on}
            if name in ties:
                changes["frame_b"] = names[(k + 1) % count][source.frame_b]  # type: ignore[attr-defined]
            if place is not None and k:
                changes |= _moved(unfolding, source, *place, ways[k])
            made[name].append(walking.with_fields(member, changes))
    return made


def bodies_named(repeat: Any, unfolding: Unfolding) -> list[Body]:
    """What is repeated, in the order named; members where that is itself repeated."""
    found: dict[str, Body] = {}
    for item in repeat.bodies:
        names: Iterable[str] = unfolding.members_of(item)
        if "*" in item:
            names = [name for name in unfolding.elements if fnmatchcase(name, item)]
        for name in names:
            element = unfolding.elements.get(name)
            if isinstance(element, Body) and name != GROUND:
                found[name] = element
            elif "*" not in item:
                what = "the ground stays where it is" if name == GROUND else (
                    f"there is no body called '{name}'")  # fmt: skip
                raise ModelError(
                    what, element=repeat.name, field="bodies", remedy="Name bodies of the model"
                )
    if not found:
        raise ModelError(
            "it stands for nothing", element=repeat.name, field="bodies", remedy="Name a body"
        )
    return list(found.values())


def _count(repeat: Any, unfolding: Unfolding) -> int:
    count = unfolding.scope.field(repeat, "count", "number")
    if not 1.0 <= count <= MOST or count != round(count):
        raise ModelError(
            f"{count:g} members cannot be made", element=repeat.name, field="count",
            remedy=f"Type a whole number from 1 to {MOST}",
        )  # fmt: skip
    return int(count)


def going_along(unfolding: Unfolding, bodies: Sequence[str]) -> list[str]:
    """Bodies, all that acts on them, and the frames by which it does, in the order of the model."""
    elements = unfolding.elements
    going = set(bodies)
    going |= {e.name for e in elements.values() if isinstance(e, Frame) and e.body in going}
    acting = {
        e.name: walking.acted_on(e) for e in elements.values()
        if e.goes_along and not isinstance(e, (Body, Frame))
    }  # fmt: skip
    grown = True
    while grown:
        joining = {name for name, on in acting.items() if name not in going and on & going}
        grown, going = bool(joining), going | joining
    used = set[str]().union(*(acting[name] for name in going if name in acting))
    going |= {name for name in used if isinstance(elements.get(name), Frame)}
    return [name for name in elements if name in going]


def _ties(repeat: Any, unfolding: Unfolding, going: list[str]) -> set[str]:
    for name in repeat.between:
        element = unfolding.elements.get(name)
        if element is None:
            raise ModelError(
                f"there is no element called '{name}'", element=repeat.name, field="between",
                remedy="Name a joint, or a spring, of the repeated bodies",
            )  # fmt: skip
        frames = getattr(element, "frame_a", ""), getattr(element, "frame_b", "")
        if name not in going or not set(frames) <= set(going):
            raise ModelError(
                f"'{name}' does not tie repeated bodies to each other", element=repeat.name,
                field="between", remedy="Put both of its frames on repeated bodies",
            )  # fmt: skip
    return set(repeat.between)


def _hangs_on(element: Element, ties: set[str]) -> bool:
    """Whether it acts on a tie, such as a drive on the joint between two members."""
    return not isinstance(element, (Body, Frame)) and bool(walking.acted_on(element) & ties)


def _moves(
    repeat: Any, unfolding: Unfolding, count: int, bodies: list[Body], ties: set[str]
) -> list[Move]:
    scope = unfolding.scope
    first = pose_of(scope, bodies[0])
    if repeat.along == LINE:
        return moves.in_a_line(repeat, scope, count, first)
    if repeat.along == CIRCLE:
        centre = np.zeros(3), np.eye(3)
        if repeat.centre is not None:
            centre = frame_pose(unfolding, repeat.centre, repeat, "centre")
        return moves.in_a_circle(repeat, scope, count, centre)
    if repeat.along == PATH:
        return moves.along_a_path(repeat, scope, count, first)
    if not ties:
        raise ModelError(
            "end to end needs something between its members", element=repeat.name, field="between",
            remedy="Name the joint that ties each to the next",
        )  # fmt: skip
    tie: Any = unfolding.elements[repeat.between[0]]
    end, begin = (frame_pose(unfolding, f, repeat, "between") for f in (tie.frame_a, tie.frame_b))
    return moves.end_to_end(count, end, begin)


def frame_pose(unfolding: Unfolding, name: str, repeat: Element, field: str) -> Move:
    """Pose of a frame in the world."""
    frame = unfolding.elements.get(name)
    carrier = unfolding.elements.get(frame.body) if isinstance(frame, Frame) else None
    if not isinstance(frame, Frame) or not isinstance(carrier, Body):
        raise ModelError(
            f"there is no frame called '{name}' on a body", element=repeat.name, field=field,
            remedy="Choose an existing frame",
        )  # fmt: skip
    return after(pose_of(unfolding.scope, carrier), pose_of(unfolding.scope, frame))


def _place(unfolding: Unfolding, name: str, going: Sequence[str]) -> tuple[Move, Move] | None:
    """Pose of what carries a body or a frame that does not go along, and its own pose in that; None
    for all that is placed by its body."""
    element, scope = unfolding.elements[name], unfolding.scope
    if isinstance(element, Body):
        return (np.zeros(3), np.eye(3)), pose_of(scope, element)
    if isinstance(element, Frame) and element.body not in going:
        carrier = unfolding.elements.get(element.body)
        if isinstance(carrier, Body):
            return pose_of(scope, carrier), pose_of(scope, element)
    return None


def _moved(
    unfolding: Unfolding, source: Element, carrier: Move, own: Move, move: Move
) -> dict[str, Any]:
    """Placement of a member; its start velocities turn with it."""
    place, rotation = after(back(carrier), after(move, after(carrier, own)))
    changes = placement(place, rotation)
    for field, kind in (("velocity", "speed"), ("angular_velocity", "angular speed")):
        if isinstance(source, Body):
            speed = unfolding.scope.vector(source, field, kind)
            if speed.any():
                changes[field] = written(move[1] @ speed, kind)
    return changes
