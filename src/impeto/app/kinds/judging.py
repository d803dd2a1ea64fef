"""Figures, targets and checks by hand in the window."""

from __future__ import annotations

from impeto.app.document import Document
from impeto.app.kinds.kind import Kind
from impeto.app.strokes import Oval, lines
from impeto.core.elements import (
    Dataset,
    FigureOf,
    Fit,
    HandCheck,
    Joint,
    Optimisation,
    Parameter,
    ParameterSweep,
    Target,
    Varied,
)
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


def _varied(study: ParameterSweep | Optimisation | Fit) -> str:
    return ", ".join(f"{v.parameter} {v.values}" for v in study.vary) or "nothing varies"


def _first_varied(document: Document) -> tuple[Varied, ...]:
    """The selected parameter, else the first one, by a fifth to either side."""
    chosen = document.model.elements.get(document.selected)
    parameters = document.model.of(Parameter)
    parameter = chosen if isinstance(chosen, Parameter) else next(iter(parameters), None)
    if parameter is None:
        return ()
    value = parameter.value
    return (Varied(parameter=parameter.name, values=f"0.8*({value}) : 1.2*({value}) : 9"),)


def _new_fit(document: Document, name: str) -> Fit:
    """To the first data set there is."""
    dataset = next(iter(document.model.of(Dataset)), None)
    column = list(dataset.columns)[1:2] if dataset is not None else []
    return Fit(name=name, vary=_first_varied(document), channel="",
               dataset=dataset.name if dataset is not None else "",
               column="".join(column))  # fmt: skip


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
    Kind(cls=ParameterSweep, title="sweep", line=lambda e, s: _varied(e),
         new=lambda d, n: ParameterSweep(name=n, vary=_first_varied(d)),
         strokes=lines(((0.1, 0.9), (0.1, 0.5)), ((0.36, 0.9), (0.36, 0.2)),
                       ((0.63, 0.9), (0.63, 0.35)), ((0.9, 0.9), (0.9, 0.6)))),
    Kind(cls=Optimisation, title="optimisation", line=lambda e, s: _varied(e),
         new=lambda d, n: Optimisation(name=n, vary=_first_varied(d), figure=_last_figure(d)),
         strokes=(Oval((0.4, 0.6, 0.2, 0.2)),
                  *lines(((0.1, 0.1), (0.25, 0.6), (0.5, 0.85), (0.75, 0.6), (0.9, 0.1))))),
    Kind(cls=Fit, title="fit", line=lambda e, s: f"{e.channel} to {e.column or '?'}",
         new=_new_fit,
         strokes=(*lines(((0.1, 0.8), (0.4, 0.5), (0.9, 0.2))),
                  Oval((0.2, 0.45, 0.14, 0.14)), Oval((0.6, 0.5, 0.14, 0.14)))),
)  # fmt: skip
