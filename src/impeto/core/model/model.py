"""The model: named elements, cases and run settings, never changed in place."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any, TypeVar

from impeto.core.errors import FormulaError, ModelError
from impeto.core.geometry.triangles import Triangles
from impeto.core.model import cases as lineage
from impeto.core.model import fields, formula, units, walking
from impeto.core.model.cases import BASE, Case
from impeto.core.model.element import GROUND, KINDS, Element, Parameter
from impeto.core.model.fields import TableSpec
from impeto.core.model.quantity import Quantity
from impeto.core.model.run_settings import RunSettings

E = TypeVar("E", bound=Element)


@dataclass(frozen=True, slots=True, init=False)
class Model:
    """One machine or vehicle. `elements` is ordered and read-only; the ground is always there.

    geometry : surfaces that shapes take from files, by the path that is written there
    """

    name: str
    elements: Mapping[str, Element]
    cases: Mapping[str, Case]
    settings: RunSettings = field(default_factory=RunSettings)
    geometry: Mapping[str, Triangles] = field(default_factory=dict)
    # What is worked out of it once: elements by kind, and by scope what they stand for.
    _of: dict[type, list[Any]] = field(default_factory=dict, repr=False, compare=False)
    unfoldings: dict[Any, Any] = field(default_factory=dict, repr=False, compare=False)

    def __init__(
        self,
        name: str = "Untitled",
        elements: Iterable[Element] = (),
        *,
        cases: Iterable[Case] = (),
        settings: RunSettings | None = None,
        geometry: Mapping[str, Triangles] | None = None,
    ) -> None:
        listed: dict[str, Element] = {}
        for element in elements:
            if element.name in listed:
                raise ModelError(
                    "two elements have this name", element=element.name, remedy="Rename one"
                )
            listed[element.name] = element
        body = KINDS["body"]
        if not isinstance(listed.get(GROUND, body(name=GROUND)), body):
            raise ModelError(
                "the ground is a body and nothing else", element=GROUND, remedy="Rename this"
            )
        if GROUND not in listed:
            ground = body(name=GROUND, colour="stone")  # type: ignore[call-arg]
            listed = {GROUND: ground} | listed
        named = {case.name: _with_units(case, listed) for case in cases} or {BASE: Case(name=BASE)}
        lineage.check(named)
        object.__setattr__(self, "name", name)
        object.__setattr__(self, "elements", MappingProxyType(listed))
        object.__setattr__(self, "cases", MappingProxyType(named))
        object.__setattr__(self, "settings", settings or RunSettings())
        object.__setattr__(self, "geometry", MappingProxyType(dict(geometry or {})))
        object.__setattr__(self, "_of", {})
        object.__setattr__(self, "unfoldings", {})

    def __getitem__(self, name: str) -> Any:
        try:
            return self.elements[name]
        except KeyError:
            raise ModelError(
                f"there is no element called '{name}'", remedy="Check the spelling"
            ) from None

    def __reduce__(self) -> tuple[Any, ...]:
        state = (
            self.name,
            tuple(self.elements.values()),
            tuple(self.cases.values()),
            self.settings,
            dict(self.geometry),
        )
        return _rebuilt, state

    def of(self, kind: type[E]) -> list[E]:
        """All elements of one kind, in order."""
        if kind not in self._of:
            self._of[kind] = [e for e in self.elements.values() if isinstance(e, kind)]
        return list(self._of[kind])

    def changed(self, **changes: Any) -> Model:
        """A model with name, elements, cases, settings or geometry replaced."""
        parts: dict[str, Any] = {
            "name": self.name,
            "elements": self.elements.values(),
            "cases": self.cases.values(),
            "settings": self.settings,
            "geometry": self.geometry,
        }
        parts |= changes
        name = parts.pop("name")
        return Model(name, parts.pop("elements"), **parts)

    def with_element(self, element: Element) -> Model:
        """This model with an element added, or put in the place of the one of its name."""
        listed = dict(self.elements)
        listed[element.name] = element
        return self.changed(elements=listed.values())

    def with_case(self, case: Case) -> Model:
        return self.changed(cases=(dict(self.cases) | {case.name: case}).values())

    def without_case(self, name: str) -> Model:
        """This model without a case; one always stays, and those built on it keep its changes."""
        if len(self.cases) == 1:
            raise ModelError("the last case cannot be removed", element=f"case {name}")
        return self.changed(cases=lineage.without(self.cases, name))

    def renamed_case(self, old: str, new: str) -> Model:
        if new in self.cases:
            raise ModelError(f"the name '{new}' is taken", element=f"case {old}")
        elements = [
            replace(e, case=new) if getattr(e, "case", None) == old else e  # type: ignore[call-arg]
            for e in self.elements.values()
        ]
        return self.changed(elements=elements, cases=lineage.renamed(self.cases, old, new))

    def without(self, name: str) -> Model:
        """This model without an element that nothing else refers to."""
        users = self.users_of(name)
        if name == GROUND:
            raise ModelError("the ground cannot be removed", element=name)
        if users:
            raise ModelError(
                f"it is used by {', '.join(users)}", element=name, remedy="Remove those first"
            )
        return self.changed(elements=[e for e in self.elements.values() if e.name != name])

    def renamed(self, old: str, new: str, members: Iterable[str] = ()) -> Model:
        """This model with an element renamed: references, formulas and cases follow; with it those
        to its members (NAME_1 …) where it is repeated."""
        if new in self.elements:
            raise ModelError(f"the name '{new}' is taken", element=old, remedy="Choose another")
        names = {old: new} | {member: f"{new}{member[len(old) :]}" for member in members}
        elements = []
        for element in self.elements.values():
            changed = walking.renamed(element, names)
            name = names.get(element.name, element.name)  # members that stand alone, too
            elements.append(replace(changed, name=name) if name != element.name else changed)
        cases = []
        for case in self.cases.values():
            tables: Any = {
                table: {names.get(key, key): value for key, value in getattr(case, table).items()}
                for table, spec in fields.specs(Case).items()
                if isinstance(spec, TableSpec)
            }
            cases.append(replace(walking.renamed(case, names), **tables))
        settings = walking.renamed(self.settings, names)
        return self.changed(elements=elements, cases=cases, settings=settings)

    def users_of(self, name: str) -> list[str]:
        """Names of the elements, cases and settings that hang on this one, by reference, in a
        formula, or by watching or changing it."""
        holders: list[tuple[str, Any]] = [(e.name, e) for e in self.elements.values()]
        holders += [("the run settings", self.settings)]
        holders += [(f"case {case.name}", case) for case in self.cases.values()]
        return [title for title, holder in holders if name in walking.mentioned(holder)]


def _with_units(case: Case, elements: Mapping[str, Element]) -> Case:
    """The case with the SI unit of its parameter behind every value that was given as a number."""
    values, nothing = dict(case.values), dict[str, formula.Value]()
    for name, value in case.values.items():
        own = elements.get(name)
        if not (value.bare and isinstance(own, Parameter) and isinstance(own.value, Quantity)):
            continue
        if formula.names(own.value.node):
            continue  # hangs on others: checked where it is used, as is what makes no sense
        with suppress(FormulaError):
            unit = units.si_of(formula.evaluate(own.value.node, nothing.__getitem__).dimension)
            values[name] = Quantity(f"{value} {unit}") if unit else value
    return case if values == dict(case.values) else replace(case, values=values)


def _rebuilt(
    name: str, elements: Any, cases: Any, settings: RunSettings, geometry: dict[str, Triangles]
) -> Model:
    return Model(name, elements, cases=cases, settings=settings, geometry=geometry)
