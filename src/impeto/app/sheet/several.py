"""The Sheet of several elements at once: what they have in common, changed in all."""

from __future__ import annotations

from dataclasses import fields as dataclass_fields
from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from impeto.app.describe import kind_of
from impeto.app.document import Document
from impeto.app.sheet.context import FormContext
from impeto.app.sheet.form import Form
from impeto.app.widgets import label, wrapped
from impeto.core.model.element import Element
from impeto.core.model.fields import PartsSpec, SignalSpec, specs

LISTED = 10


class SeveralForm(QWidget):
    """Fields that all of one kind have; where they differ the field is empty until it is typed."""

    def __init__(self, document: Document, context: FormContext) -> None:
        super().__init__()
        self.document = document
        elements = [document.model[name] for name in document.chosen]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(label(_title(elements), "title"))
        more = f" and {len(elements) - LISTED} more" if len(elements) > LISTED else ""
        layout.addWidget(wrapped(", ".join(e.name for e in elements[:LISTED]) + more, "soft"))
        if len({type(element) for element in elements}) > 1:
            layout.addWidget(
                wrapped("They are of different kinds: switch, hide, colour or remove them by the "
                        "menu (right click).", "soft")
            )  # fmt: skip
            return
        first = elements[0]
        layout.addWidget(wrapped("What you change is changed in all of them.", "hint"))
        layout.addWidget(
            Form(
                first, self._change, context, leave_out=_apart(first), several=_differing(elements)
            )
        )

    def _change(self, changed: Any) -> None:
        """Take over the one field that was changed into all, as one step of undo."""
        model = self.document.model
        elements = [model[name] for name in self.document.chosen]
        fields = {
            f.name: getattr(changed, f.name) for f in dataclass_fields(changed)
            if getattr(changed, f.name) != getattr(elements[0], f.name)
        }  # fmt: skip
        for element in elements:
            model = model.with_element(replace(element, **fields))
        titles = " and ".join(name.replace("_", " ") for name in fields)
        self.document.edit(f"{titles} of {len(elements)} elements", model)


def _title(elements: list[Element]) -> str:
    kinds = {kind_of(element) for element in elements}
    one = next(iter(kinds)) if len(kinds) == 1 else "elements"
    if one == "body":
        return f"{len(elements)} bodies"
    return f"{len(elements)} {one}{'' if one.endswith('s') else 's'}"


def _apart(element: Element) -> tuple[str, ...]:
    """Fields that belong to each alone."""
    kinds = specs(type(element))
    return ("name", *(n for n, spec in kinds.items() if isinstance(spec, (PartsSpec, SignalSpec))))


def _differing(elements: list[Element]) -> frozenset[str]:
    names = specs(type(elements[0]))
    return frozenset(n for n in names if len({str(getattr(e, n)) for e in elements}) > 1)
