"""Adding elements: each starts with values that make sense and a name that is free."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from impeto.app.document import Document
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.elements import (
    GROUND,
    Actuator,
    Attraction,
    Belt,
    BeltSurface,
    Body,
    Box,
    Brake,
    Bumper,
    Bushing,
    ContactRule,
    Damper,
    Differential,
    Drive,
    Element,
    Event,
    Feeder,
    Frame,
    Gears,
    Gravity,
    Group,
    Joint,
    Load,
    Motor,
    Outlet,
    Parameter,
    Path,
    PathPoint,
    Pose,
    Pulley,
    Rack,
    Relation,
    Rope,
    Screw,
    Servo,
    Spring,
    Surface,
    Term,
    Worm,
)
from impeto.core.model.model import Model


def free_name(model: Model, stem: str) -> str:
    """The stem itself, or with the first number that is not taken."""
    taken = {*model.elements, *model.cases}
    if stem not in taken:
        return stem
    number = 2
    while f"{stem}_{number}" in taken:
        number += 1
    return f"{stem}_{number}"


def free_stem(file: str) -> str:
    """A name of an element from that of a file."""
    stem = "".join(c if c.isalnum() else "_" for c in file.partition(".")[0])
    return stem if stem[:1].isalpha() else f"data_{stem}"


def additions(document: Document) -> dict[str, Callable[[], None]]:
    """A command for each kind of element, and for cases."""

    def straight(cls: type[Element]) -> Callable[[Model, str], Element]:
        return lambda m, n: cls(name=n, frame_a=_frames(m)[0], frame_b=_frames(m)[1])  # type: ignore[call-arg]

    def powered(cls: type[Element]) -> Callable[[Model, str], Element]:
        return lambda m, n: cls(name=n, **_freedom(m))  # type: ignore[arg-type]

    def meshing(cls: type[Element]) -> Callable[[Model, str], Element]:
        return lambda m, n: cls(name=n, joint_a=_joints(m)[0], joint_b=_joints(m)[1])  # type: ignore[call-arg]

    makers: dict[str, Callable[[Model, str], Element]] = {
        "parameter": lambda m, n: Parameter(name=n, value="1"),
        "body": lambda m, n: Body(name=n, shapes=(Box(),)),
        "frame": lambda m, n: Frame(name=n, body=_body(document)),
        "joint": straight(Joint),
        "path": lambda m, n: Path(name=n, points=_arc()),
        "gravity": lambda m, n: Gravity(name=n),
        "spring": straight(Spring),
        "damper": straight(Damper),
        "rope": straight(Rope),
        "bumper": straight(Bumper),
        "bushing": straight(Bushing),
        "pull by formula": straight(Attraction),
        "pull by signal": straight(Actuator),
        "load": lambda m, n: Load(name=n, frame=_frames(m)[1]),
        "drive": powered(Drive),
        "servo": powered(Servo),
        "motor": powered(Motor),
        "brake": powered(Brake),
        "pair of gears": meshing(Gears),
        "worm and wheel": meshing(Worm),
        "rack and pinion": lambda m, n: Rack(name=n, joint_a=_joints(m)[0], joint_b=_joints(m)[1]),
        "screw": lambda m, n: Screw(name=n, joint=_joints(m)[1]),
        "belt": lambda m, n: Belt(name=n, pulleys=tuple(Pulley(joint=j) for j in _joints(m))),
        "differential": lambda m, n: Differential(
            name=n, cage=_joints(m, 3)[0], side_a=_joints(m, 3)[1], side_b=_joints(m, 3)[2]
        ),
        "relation": lambda m, n: Relation(name=n, terms=tuple(Term(joint=j) for j in _joints(m))),
        "contact rule": lambda m, n: ContactRule(name=n),
        "group of bodies": lambda m, n: Group(name=n),
        "surface": lambda m, n: Surface(name=n),
        "belt surface": lambda m, n: BeltSurface(name=n, body=_body(document)),
        "feeder": lambda m, n: Feeder(name=n, body=_movable(document)),
        "outlet": lambda m, n: Outlet(name=n, frame=_a_frame(document)),
        "event": lambda m, n: Event(name=n),
        "pose": lambda m, n: Pose(name=n),
    }

    def add(kind: str) -> None:
        name = free_name(document.model, kind.replace(" ", "_"))
        try:
            element = makers[kind](document.model, name)
        except ModelError as error:
            document.complained.emit(str(error))
            return
        document.edit(f"new {kind} {name}", document.model.with_element(element))
        document.select(name)

    commands: dict[str, Callable[[], None]] = {
        f"Add {units.article(kind)}": partial(add, kind) for kind in makers
    }
    commands["Add a case"] = lambda: add_case(document)
    return commands


def add_case(document: Document) -> None:
    """A copy of the present case under a new name."""
    present = document.model.cases[document.case]
    name = free_name(document.model, "Case")
    case = replace(present, name=name)
    document.edit(f"new case {name}", document.model.with_case(case))
    document.set_case(name)


def _body(document: Document) -> str:
    selected = document.model.elements.get(document.selected)
    return selected.name if isinstance(selected, Body) else "ground"


def _movable(document: Document) -> str:
    """The selected body, else the one added last."""
    names = [body.name for body in document.model.of(Body) if body.name != GROUND]
    return _selected_or_last(document, names, "a body", "Add the body that comes in")


def _a_frame(document: Document) -> str:
    """The selected frame, else the one added last."""
    names = [frame.name for frame in document.model.of(Frame)]
    return _selected_or_last(document, names, "a frame", "Add one in the middle of the region")


def _selected_or_last(document: Document, names: list[str], what: str, remedy: str) -> str:
    if not names:
        raise ModelError(f"{what} is needed first", remedy=remedy)
    return document.selected if document.selected in names else names[-1]


def _frames(model: Model) -> tuple[str, str]:
    """The two frames added last."""
    names = [frame.name for frame in model.of(Frame)]
    if len(names) < 2:
        raise ModelError("two frames are needed first", remedy="Add a frame on each body")
    return names[-2], names[-1]


def _freedom(model: Model) -> dict[str, str]:
    """The first free motion of the joint added last."""
    for joint in reversed(model.of(Joint)):
        if joint.coordinates:
            return {"joint": joint.name, "freedom": joint.coordinates[0]}
    raise ModelError("a joint with a free motion is needed first", remedy="Add a joint")


def _joints(model: Model, count: int = 2) -> list[str]:
    """The joints added last."""
    names = [joint.name for joint in model.of(Joint)]
    if len(names) < count:
        raise ModelError(f"{count} joints are needed first", remedy="Add joints")
    return names[-count:]


def _arc() -> tuple[PathPoint, ...]:
    """Three points to start a path from."""
    places = (("0 m", "0 m", "0 m"), ("0.5 m", "0.1 m", "0 m"), ("1 m", "0 m", "0 m"))
    return tuple(PathPoint(position=place) for place in places)  # type: ignore[arg-type]
