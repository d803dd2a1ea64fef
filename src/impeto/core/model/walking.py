"""Walking through descriptions: what refers to what, and renaming it everywhere."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, is_dataclass, replace
from typing import Any

from impeto.core.model import fields, formula
from impeto.core.model.curves import Curve
from impeto.core.model.fields import NamesSpec, ReferenceSpec, TableSpec
from impeto.core.model.outlines import Outline
from impeto.core.model.quantity import Quantity


@dataclass(frozen=True, slots=True)
class Reference:
    """A field that names another element: the field's name, the kind it wants, the name."""

    field: str
    target: str
    name: str


def references(part: Any) -> Iterator[Reference]:
    """Every reference of an element, its parts and signals included; empty ones left out."""
    for name, spec in fields.specs(type(part)).items():
        value = getattr(part, name)
        if isinstance(spec, ReferenceSpec):
            if value is not None:
                yield Reference(name, spec.target, value)
        elif isinstance(spec, NamesSpec):
            owners = (item.partition(".")[0] for item in value)
            yield from (Reference(name, spec.target, item) for item in owners if "*" not in item)
        elif isinstance(value, tuple):
            for item in value:
                if _described(item):
                    yield from references(item)
        elif _described(value):
            yield from references(value)


def mentioned(part: Any) -> set[str]:
    """Names of everything that an element hangs on: references, formulas, channels and targets that
    matter with its present choices, and what a case changes."""
    found, unused = set[str](), getattr(part, "unused", ())
    for name, spec in fields.specs(type(part)).items():
        value = getattr(part, name)
        if name in unused or value is None:
            continue
        if isinstance(spec, ReferenceSpec):
            found.add(value)
        elif isinstance(spec, NamesSpec):
            found |= {item.partition(".")[0] for item in value if "*" not in item}
        elif isinstance(spec, TableSpec):
            found |= set(value).union(*(_mentioned_in(item) for item in value.values()))
        elif name in ("channel", "target") and isinstance(value, str):
            found.add(value.split(".")[0])
        else:
            found |= _mentioned_in(value)
    return found


def _mentioned_in(value: Any) -> set[str]:
    if isinstance(value, Quantity):
        return {path.split(".")[0] for path in formula.names(value.node)}
    if isinstance(value, (Curve, Outline)):
        return set[str]().union(*(_mentioned_in(q) for point in value.points for q in point))
    if isinstance(value, tuple):
        return set[str]().union(*(_mentioned_in(item) for item in value))
    return mentioned(value) if _described(value) else set()


def renamed(part: Any, old: str, new: str) -> Any:
    """The description with every reference to `old`, and every formula that uses it, changed."""
    changes: dict[str, Any] = {}
    for name, spec in fields.specs(type(part)).items():
        value = getattr(part, name)
        if isinstance(spec, ReferenceSpec):
            changed = new if value == old else value
        elif isinstance(spec, NamesSpec):
            changed = tuple(_renamed_text(item, old, new) for item in value)
        elif name in ("channel", "target") and isinstance(value, str):
            changed = _renamed_text(value, old, new)
        else:
            changed = _renamed_value(value, old, new)
        if changed is not value and changed != value:
            changes[name] = changed
    return replace(part, **changes) if changes else part


def _renamed_value(value: Any, old: str, new: str) -> Any:
    if isinstance(value, Quantity):
        return _renamed_quantity(value, old, new)
    if isinstance(value, (Curve, Outline)):
        uses = any(_uses(q, old) for point in value.points for q in point)
        return type(value)(_renamed_text(value.text, old, new)) if uses else value
    if isinstance(value, tuple):
        return tuple(_renamed_value(item, old, new) for item in value)
    return renamed(value, old, new) if _described(value) else value


def _renamed_quantity(value: Quantity, old: str, new: str) -> Quantity:
    return Quantity(_renamed_text(value.text, old, new)) if _uses(value, old) else value


def _uses(quantity: Quantity, name: str) -> bool:
    return any(path.split(".")[0] == name for path in formula.names(quantity.node))


def _renamed_text(text: str, old: str, new: str) -> str:
    """Names are replaced where they stand alone; right behind a number stands a unit."""
    return re.sub(rf"(?<![\w.])(?<!\d )(?<!\d\.){re.escape(old)}(?!\w)", new, text)


def _described(value: Any) -> bool:
    return is_dataclass(value) and not isinstance(value, (Quantity, Curve, Outline, type))
