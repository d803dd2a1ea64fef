"""Adding elements: each starts with values that make sense and a name that is free."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from impeto.app.document import Document
from impeto.app.kinds import KINDS
from impeto.app.kinds.kind import Kind
from impeto.core.errors import ModelError
from impeto.core.model import units
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
    commands: dict[str, Callable[[], None]] = {
        f"Add {units.article(kind.title)}": partial(add, document, kind)
        for kind in KINDS.values()
        if kind.new is not None
    }
    commands["Add a case"] = lambda: add_case(document)
    return commands


def add(document: Document, kind: Kind) -> None:
    """A new element of a kind, selected."""
    assert kind.new is not None
    name = free_name(document.model, kind.title.replace(" ", "_"))
    try:
        element = kind.new(document, name)
    except ModelError as error:
        document.complained.emit(str(error))
        return
    document.edit(f"new {kind.title} {name}", document.model.with_element(element))
    document.select(name)


def add_case(document: Document) -> None:
    """A copy of the present case under a new name."""
    present = document.model.cases[document.case]
    name = free_name(document.model, "Case")
    case = replace(present, name=name)
    document.edit(f"new case {name}", document.model.with_case(case))
    document.set_case(name)
