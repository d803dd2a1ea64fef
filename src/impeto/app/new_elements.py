"""Adding elements: each starts with values that make sense and a name that is free."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from impeto.app.commands import ADD, Command
from impeto.app.describe import GROUPS
from impeto.app.document import Document
from impeto.app.kinds import KINDS
from impeto.app.kinds.kind import Kind
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.cases import Case
from impeto.core.model.names import free_name


def free_stem(file: str) -> str:
    """A name of an element from that of a file."""
    stem = "".join(c if c.isalnum() else "_" for c in file.partition(".")[0])
    return stem if stem[:1].isalpha() else f"data_{stem}"


def additions(document: Document) -> list[Command]:
    """A command for each kind of element, by the groups of the Roster, and one for cases."""
    made = [
        Command(
            f"Add {units.article(kind.title)}", "", partial(add, document, kind), ADD,
            within=GROUPS[kind.cls.group],
        )
        for kind in KINDS.values()
        if kind.new is not None
    ]  # fmt: skip
    made.sort(key=lambda command: list(GROUPS.values()).index(command.within))
    return [*made, Command("Add a case", "", partial(add_case, document), ADD)]


def add(document: Document, kind: Kind) -> None:
    """A new element of a kind, selected."""
    assert kind.new is not None
    name = free_name(document.model, kind.title.replace(" ", "_"))
    try:
        element = kind.new(document, name)
    except ModelError as error:
        document.complained.emit(str(error))
        return
    document.make(f"new {kind.title} {name}", document.model.with_element(element), name)


def add_case(document: Document) -> None:
    """A copy of the present case under a new name."""
    present = document.model.cases[document.case]
    _add_case(document, replace(present, name=free_name(document.model, "Case")))


def add_case_on(document: Document, under: str) -> None:
    """A case that takes over what another one changes, now and later."""
    _add_case(document, Case(name=free_name(document.model, "Case"), built_on=under))


def _add_case(document: Document, case: Case) -> None:
    document.edit(f"new case {case.name}", document.model.with_case(case))
    document.set_case(case.name)
