"""Parameters and data sets in the window."""

from __future__ import annotations

from impeto.app.kinds.kind import Kind, shown
from impeto.app.strokes import Rounded, lines
from impeto.core.elements import Dataset, Material, Parameter
from impeto.core.model.scope import Scope


def _parameter(element: Parameter, scope: Scope) -> str:
    scope.parameter(element.name)
    return str(scope.case.values.get(element.name, element.value))


def _material(element: Material, scope: Scope) -> str:
    return f"{shown(scope, element.density, 'density')}, {element.surface}"


VALUES = (
    Kind(cls=Parameter, title="parameter", line=_parameter,
         strokes=lines(((0.15, 0.36), (0.85, 0.36)), ((0.15, 0.64), (0.85, 0.64))),
         new=lambda d, n: Parameter(name=n, value="1")),
    Kind(cls=Material, title="material", line=_material,
         strokes=(Rounded((0.12, 0.2, 0.76, 0.6)),
                  *lines(((0.3, 0.8), (0.7, 0.2)), ((0.12, 0.62), (0.42, 0.2)),
                         ((0.58, 0.8), (0.88, 0.38)))),
         new=lambda d, n: Material(name=n)),
    Kind(cls=Dataset, title="data set", line=lambda e, s: f"{len(e.columns) - 1} columns over time",
         strokes=lines(((0.12, 0.1), (0.12, 0.9), (0.95, 0.9)),
                       ((0.2, 0.7), (0.4, 0.4), (0.6, 0.6), (0.9, 0.2))),
         new=None),
)  # fmt: skip
