"""Parameters and data sets in the window."""

from __future__ import annotations

from impeto.app.kinds.kind import Kind
from impeto.app.strokes import lines
from impeto.core.elements import Dataset, Parameter
from impeto.core.model.scope import Scope


def _parameter(element: Parameter, scope: Scope) -> str:
    scope.parameter(element.name)
    return str(scope.case.values.get(element.name, element.value))


VALUES = (
    Kind(cls=Parameter, title="parameter", line=_parameter,
         strokes=lines(((0.15, 0.36), (0.85, 0.36)), ((0.15, 0.64), (0.85, 0.64))),
         new=lambda d, n: Parameter(name=n, value="1")),
    Kind(cls=Dataset, title="data set", line=lambda e, s: f"{len(e.columns) - 1} columns over time",
         strokes=lines(((0.12, 0.1), (0.12, 0.9), (0.95, 0.9)),
                       ((0.2, 0.7), (0.4, 0.4), (0.6, 0.6), (0.9, 0.2))),
         new=None),
)  # fmt: skip
