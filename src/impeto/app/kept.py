"""What is worked out of single elements, kept while neither they nor the values have changed."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from impeto.core.elements import Parameter
from impeto.core.model.element import Element
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

T = TypeVar("T")


def values_of(model: Model, scope: Scope) -> Hashable:
    """What the values of all fields depend on: parameters, those of the case, surfaces read."""
    parameters = tuple((p.name, str(p.value)) for p in model.of(Parameter))
    case = tuple((name, str(value)) for name, value in scope.case.values.items())
    return parameters, case, tuple((name, id(g)) for name, g in model.geometry.items())


class Kept(Generic[T]):
    """Results by element. Edits leave all other elements the same objects, by which they are
    known again; what raises is not kept."""

    def __init__(self, make: Callable[[Element, Scope], T]) -> None:
        self.make = make
        self._values: Hashable = None
        self._kept: dict[str, tuple[Element, T]] = {}

    def begin(self, scope: Scope) -> None:
        """A model or case is gone through: everything is forgotten where values have changed."""
        self.scope = scope
        values = values_of(scope.model, scope)
        if values != self._values:
            self._kept.clear()
        self._values = values

    def forget(self) -> None:
        self._kept.clear()

    def of(self, element: Element) -> T:
        """Of an element of that model, in that case."""
        before = self._kept.get(element.name)
        if before is not None and before[0] is element:
            return before[1]
        result = self.make(element, self.scope)
        self._kept[element.name] = element, result
        return result
