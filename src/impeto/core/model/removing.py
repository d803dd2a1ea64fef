"""Taking elements out of a model together with what cannot be without them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from impeto.core.errors import ModelError
from impeto.core.model import fields, walking
from impeto.core.model.cases import Case
from impeto.core.model.element import GROUND, KINDS
from impeto.core.model.fields import NamesSpec, TableSpec
from impeto.core.model.model import Model


def hanging_on(model: Model, names: Iterable[str]) -> list[str]:
    """What else must go with these elements, in the order of the model: all that refers to them,
    and frames that nothing else uses then. Lists of names only become shorter."""
    going = set(names)
    grown = True
    while grown:
        needing = {
            element.name for element in model.elements.values()
            if element.name not in going and _needs(element, going) & going
        }  # fmt: skip
        grown, going = bool(needing), going | needing
    left = {n for e in model.elements.values() if e.name not in going for n in walking.mentioned(e)}
    frames = {
        reference.name for name in going if name in model.elements
        for reference in walking.references(model[name])
        if isinstance(model.elements.get(reference.name), KINDS["frame"])
    }  # fmt: skip
    going |= {name for name in frames if name not in left}
    return [name for name in model.elements if name in going - set(names)]


def _needs(element: Any, going: set[str]) -> set[str]:
    """What an element cannot be without: of a list of names that it needs, all together."""
    lists = set[str]()
    for name, spec in fields.specs(type(element)).items():
        if isinstance(spec, NamesSpec):
            listed = {item.partition(".")[0] for item in getattr(element, name)}
            if spec.needed and listed <= going:
                return listed
            lists |= listed
    return walking.mentioned(element) - lists


def removed(model: Model, names: Iterable[str]) -> Model:
    """The model without these elements and what hangs on them. Raises ModelError for the ground,
    and where the run settings or a formula of a case hang on one."""
    chosen = set(names)
    if GROUND in chosen:
        raise ModelError("the ground cannot be removed", element=GROUND)
    going = chosen | set(hanging_on(model, chosen))
    kept = [_without(e, going) for e in model.elements.values() if e.name not in going]
    cases = [_without(_unchanged(case, going), going) for case in model.cases.values()]
    for title, holder in (("the run settings", model.settings),
                          *((f"case {case.name}", case) for case in cases)):  # fmt: skip
        used = sorted(walking.mentioned(holder) & going)
        if used:
            raise ModelError(
                f"{title} needs it" if title.startswith("case") else f"{title} need it",
                element=used[0], remedy="Change that first",
            )  # fmt: skip
    return model.changed(elements=kept, cases=cases)


def _without(part: Any, going: set[str]) -> Any:
    """With shorter lists of names."""
    changes = {}
    for name, spec in fields.specs(type(part)).items():
        if isinstance(spec, NamesSpec):
            items = getattr(part, name)
            left = tuple(item for item in items if item.partition(".")[0] not in going)
            if left != items:
                changes[name] = left
    return replace(part, **changes) if changes else part


def _unchanged(case: Case, going: set[str]) -> Case:
    """A case that says nothing of what goes."""
    tables: Any = {
        name: {key: value for key, value in getattr(case, name).items() if key not in going}
        for name, spec in fields.specs(Case).items()
        if isinstance(spec, TableSpec)
    }
    return replace(case, **tables)
