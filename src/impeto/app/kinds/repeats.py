"""Repeats and mirrors in the window."""

from __future__ import annotations

from impeto.app.document import Document
from impeto.app.kinds.choosing import movable
from impeto.app.kinds.kind import Kind, listed
from impeto.app.strokes import Oval, lines
from impeto.core.elements import Body, Mirror, Repeat
from impeto.core.model.element import GROUND
from impeto.core.model.scope import Scope


def _repeat(element: Repeat, scope: Scope) -> str:
    count = scope.field(element, "count", "number")
    return f"{count:g} of {listed(element.bodies)}, {element.along}"


def _new(document: Document, name: str) -> Repeat:
    from impeto.core.repeating import repeated

    return repeated(document.model, _chosen(document), name=name, case=document.case)[1]


def _mirrored(document: Document, name: str) -> Mirror:
    return Mirror(name=name, bodies=tuple(_chosen(document)))


def _chosen(document: Document) -> list[str]:
    """The selected bodies, else the one added last."""
    model = document.model
    chosen = [n for n in document.chosen if isinstance(model[n], Body) and n != GROUND]
    return chosen or [movable(document)]


REPEATS = (
    Kind(cls=Repeat, title="repeat", line=_repeat, new=_new,
         strokes=(Oval((0.02, 0.35, 0.3, 0.3)), Oval((0.35, 0.35, 0.3, 0.3)),
                  Oval((0.68, 0.35, 0.3, 0.3)))),
    Kind(cls=Mirror, title="mirror", new=_mirrored,
         line=lambda e, s: f"{listed(e.bodies)}, at {e.normal} of {e.plane or 'the world'}",
         strokes=(*lines(((0.5, 0.08), (0.5, 0.92))), Oval((0.06, 0.33, 0.32, 0.32)),
                  Oval((0.62, 0.33, 0.32, 0.32)))),
)  # fmt: skip
