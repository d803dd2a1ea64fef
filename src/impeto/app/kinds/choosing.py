"""What a new element begins with: what is selected, else what was added last."""

from __future__ import annotations

from impeto.app.document import Document
from impeto.core.elements import Body, Frame, Joint
from impeto.core.errors import ModelError
from impeto.core.model.element import GROUND
from impeto.core.model.model import Model


def a_body(document: Document) -> str:
    """The selected body, else the ground."""
    selected = document.model.elements.get(document.selected)
    return selected.name if isinstance(selected, Body) else GROUND


def movable(document: Document) -> str:
    """The selected body, else the one added last."""
    names = [body.name for body in document.model.of(Body) if body.name != GROUND]
    return _selected_or_last(document, names, "a body", "Add the body that comes in")


def a_frame(document: Document) -> str:
    """The selected frame, else the one added last."""
    names = [frame.name for frame in document.model.of(Frame)]
    return _selected_or_last(document, names, "a frame", "Add one in the middle of the region")


def _selected_or_last(document: Document, names: list[str], what: str, remedy: str) -> str:
    if not names:
        raise ModelError(f"{what} is needed first", remedy=remedy)
    return document.selected if document.selected in names else names[-1]


def two_frames(model: Model) -> dict[str, str]:
    """The two frames added last, as an element between them takes them."""
    names = [frame.name for frame in model.of(Frame)]
    if len(names) < 2:
        raise ModelError("two frames are needed first", remedy="Add a frame on each body")
    return {"frame_a": names[-2], "frame_b": names[-1]}


def a_freedom(model: Model) -> dict[str, str]:
    """The first free motion of the joint added last."""
    for joint in reversed(model.of(Joint)):
        if joint.coordinates:
            return {"joint": joint.name, "freedom": joint.coordinates[0]}
    raise ModelError("a joint with a free motion is needed first", remedy="Add a joint")


def joints(model: Model, count: int = 2) -> list[str]:
    """The joints added last."""
    names = [joint.name for joint in model.of(Joint)]
    if len(names) < count:
        raise ModelError(f"{count} joints are needed first", remedy="Add joints")
    return names[-count:]
