"""Adding elements: each starts with values that make sense and a name that is free."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from impeto.app.document import Document
from impeto.core.errors import ModelError
from impeto.core.model.elements import (
    Body,
    Box,
    Damper,
    Drive,
    Element,
    Frame,
    Gravity,
    Joint,
    Load,
    Parameter,
    Spring,
)
from impeto.core.model.model import Case, Model


def free_name(model: Model, stem: str) -> str:
    """The stem itself, or with the first number that is not taken."""
    taken = {*model.elements, *model.cases}
    if stem not in taken:
        return stem
    number = 2
    while f"{stem}_{number}" in taken:
        number += 1
    return f"{stem}_{number}"


def additions(document: Document) -> dict[str, Callable[[], None]]:
    """A command for each kind of element, and for cases."""
    makers: dict[str, Callable[[Model, str], Element]] = {
        "parameter": lambda m, n: Parameter(name=n, value="1"),
        "body": lambda m, n: Body(name=n, shapes=(Box(),)),
        "frame": lambda m, n: Frame(name=n, body=_body(document)),
        "joint": lambda m, n: Joint(name=n, frame_a=_frames(m)[0], frame_b=_frames(m)[1]),
        "gravity": lambda m, n: Gravity(name=n),
        "spring": lambda m, n: Spring(name=n, frame_a=_frames(m)[0], frame_b=_frames(m)[1]),
        "damper": lambda m, n: Damper(name=n, frame_a=_frames(m)[0], frame_b=_frames(m)[1]),
        "load": lambda m, n: Load(name=n, frame=_frames(m)[1]),
        "drive": lambda m, n: _drive(m, n),
    }

    def add(kind: str) -> None:
        name = free_name(document.model, kind)
        try:
            element = makers[kind](document.model, name)
        except ModelError as error:
            document.complained.emit(str(error))
            return
        document.edit(f"new {kind} {name}", document.model.with_element(element))
        document.select(name)

    commands: dict[str, Callable[[], None]] = {
        f"Add a {kind}": partial(add, kind) for kind in makers
    }
    commands["Add a case"] = lambda: add_case(document)
    return commands


def add_case(document: Document) -> None:
    """A copy of the present case under a new name."""
    present = document.model.cases[document.case]
    name = free_name(document.model, "Case")
    case = Case(name=name, values=present.values, switches=present.switches)
    document.edit(f"new case {name}", document.model.with_case(case))
    document.set_case(name)


def _body(document: Document) -> str:
    selected = document.model.elements.get(document.selected)
    return selected.name if isinstance(selected, Body) else "ground"


def _frames(model: Model) -> tuple[str, str]:
    """The two frames added last."""
    names = [frame.name for frame in model.of(Frame)]
    if len(names) < 2:
        raise ModelError("two frames are needed first", remedy="Add a frame on each body")
    return names[-2], names[-1]


def _drive(model: Model, name: str) -> Drive:
    for joint in reversed(model.of(Joint)):
        if joint.free:
            return Drive(name=name, joint=joint.name, freedom=joint.free[0])
    raise ModelError("a joint with a free motion is needed first", remedy="Add a joint")
