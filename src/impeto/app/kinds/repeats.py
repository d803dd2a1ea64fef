"""Repeats in the window."""

from __future__ import annotations

from impeto.app.document import Document
from impeto.app.kinds.choosing import movable
from impeto.app.kinds.kind import Kind, listed
from impeto.app.strokes import Oval
from impeto.core.elements import Body, Repeat
from impeto.core.model.element import GROUND
from impeto.core.model.scope import Scope


def _repeat(element: Repeat, scope: Scope) -> str:
    count = scope.field(element, "count", "number")
    return f"{count:g} of {listed(element.bodies)}, {element.along}"


def _new(document: Document, name: str) -> Repeat:
    """Of the selected bodies, else of the one added last."""
    from impeto.core.repeating import repeated

    model = document.model
    chosen = [n for n in document.chosen if isinstance(model[n], Body) and n != GROUND]
    return repeated(model, chosen or [movable(document)], name=name, case=document.case)[1]


REPEATS = (
    Kind(cls=Repeat, title="repeat", line=_repeat, new=_new,
         strokes=(Oval((0.02, 0.35, 0.3, 0.3)), Oval((0.35, 0.35, 0.3, 0.3)),
                  Oval((0.68, 0.35, 0.3, 0.3)))),
)  # fmt: skip
