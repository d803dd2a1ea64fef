"""Figures, targets and checks by hand in the window."""

from __future__ import annotations

from impeto.app.document import Document
from impeto.app.kinds.kind import Kind
from impeto.app.strokes import Oval, lines
from impeto.core.elements import FigureOf, HandCheck, Joint, Target
from impeto.core.model.scope import Scope


def _figure(figure: FigureOf, scope: Scope) -> str:
    return f"{figure.figure} of {figure.channel or '?'}"


def _new_figure(document: Document, name: str) -> FigureOf:
    """Of the selected joint's force, else of the first one's."""
    chosen = document.model.elements.get(document.selected)
    joints = [joint.name for joint in document.model.of(Joint)]
    joint = chosen.name if isinstance(chosen, Joint) else next(iter(joints), "")
    return FigureOf(name=name, channel=f"{joint}.force" if joint else "system.energy.kinetic")


def _last_figure(document: Document) -> str:
    """The figure that was added last, or the selected one."""
    chosen = document.model.elements.get(document.selected)
    figures = [figure.name for figure in document.model.of(FigureOf)]
    return chosen.name if isinstance(chosen, FigureOf) else (figures or [""])[-1]


JUDGING = (
    Kind(cls=FigureOf, title="figure", line=_figure, new=_new_figure,
         strokes=lines(((0.1, 0.85), (0.35, 0.2), (0.6, 0.7), (0.9, 0.3)),
                       ((0.22, 0.1), (0.48, 0.1)))),
    Kind(cls=Target, title="target", line=lambda e, s: e.asked,
         new=lambda d, n: Target(name=n, figure=_last_figure(d)),
         strokes=(Oval((0.1, 0.1, 0.8, 0.8)), Oval((0.36, 0.36, 0.28, 0.28)))),
    Kind(cls=HandCheck, title="check by hand", new=lambda d, n: HandCheck(
             name=n, figure=_last_figure(d)),
         line=lambda e, s: e.asked,
         strokes=lines(((0.1, 0.55), (0.35, 0.85), (0.9, 0.15)))),
)  # fmt: skip
