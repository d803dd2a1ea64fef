"""What stands in the Sheet of something that is repeated, and of a Repeat."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout

from impeto.app.document import Document
from impeto.app.widgets import button, wrapped
from impeto.core.errors import ModelError
from impeto.core.model.element import Element

FEW = 4  # members that are named one by one


def add_members(layout: QVBoxLayout, document: Document, element: Element) -> None:
    """Who stands for it, and the one that was picked, which may stand alone."""
    members = document.unfolded.members.get(element.name, ())
    if not members:
        return
    listed = members if len(members) <= FEW else (members[0], "…", members[-1])
    said = ", ".join(listed).replace(", …,", " …")
    if element.unfolds:
        said = f"stands for {said}"
    elif members[0] == element.name:
        said = f"mirrored as {', '.join(members[1:])}"
    else:
        said = f"repeated as {said}"
    layout.addWidget(wrapped(f"{said}: what is changed here holds for all", "soft"))
    if document.picked:
        alone = button(f"let {document.picked} stand alone", "link")
        alone.setToolTip("It becomes an element of its own, to be changed while the others stay.")
        alone.clicked.connect(lambda: stand_alone(document))
        layout.addWidget(alone)


def stand_alone(document: Document) -> None:
    """The member that was picked becomes an element of its own."""
    from impeto.core.repeating import detached

    member = document.picked
    try:
        model = detached(document.model, member, document.case)
    except ModelError as error:
        document.complained.emit(str(error))
        return
    document.edit(f"{member} stands alone", model)
    document.select(member)
