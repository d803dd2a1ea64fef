"""Walking through descriptions: what refers to what, and renaming it everywhere."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from contextlib import suppress
from copy import copy
from dataclasses import dataclass, is_dataclass
from typing import Any

from impeto.core.errors import FormulaError
from impeto.core.model import fields, formula
from impeto.core.model.curves import Curve
from impeto.core.model.fields import NamesSpec, ReferenceSpec, TableSpec, TextSpec
from impeto.core.model.outlines import Outline
from impeto.core.model.quantity import Quantity

NAMING = ("channel", "channels", "target", "limit")  # fields of text that name elements


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
            found |= {path.split(".")[0] for path in _paths(value)}
        else:
            found |= _mentioned_in(value)
    return found


def _paths(text: str) -> set[str]:
    """Channels in what is typed for one: that, or those of a formula over channels."""
    with suppress(FormulaError):
        return set(formula.names(formula.parse(text)))
    return {text}


def _mentioned_in(value: Any) -> set[str]:
    if isinstance(value, (Quantity, Curve, Outline)):
        return {path.split(".")[0] for path in _read_in(value)}
    if isinstance(value, tuple):
        return set[str]().union(*(_mentioned_in(item) for item in value))
    return mentioned(value) if _described(value) else set()


def read(part: Any) -> set[str]:
    """Channels that formulas of an element read and events watch, as 'body.velocity.x'."""
    found, unused = set[str](), getattr(part, "unused", ())
    for name in fields.specs(type(part)):
        value = getattr(part, name)
        if name == "channel" and isinstance(value, str) and name not in unused:
            found |= _paths(value)
        elif name not in unused:
            found |= _read_in(value)
    return found


def _read_in(value: Any) -> set[str]:
    if isinstance(value, Quantity):
        return set(formula.names(value.node))
    if isinstance(value, (Curve, Outline)):
        return set[str]().union(*(_read_in(q) for point in value.points for q in point))
    if isinstance(value, tuple):
        return set[str]().union(*(_read_in(item) for item in value))
    return read(value) if _described(value) else set()


def acted_on(part: Any) -> set[str]:
    """Names of what an element is fastened to, acts on or watches; lists of names and formulas
    are left out."""
    found = set[str]()
    for name, spec in fields.specs(type(part)).items():
        value = getattr(part, name)
        if isinstance(spec, ReferenceSpec):
            found |= {value} - {None}
        elif name in ("channel", "target") and isinstance(value, str):
            found |= {path.split(".")[0] for path in _paths(value)}
        elif isinstance(value, tuple) and not isinstance(spec, NamesSpec):
            found = found.union(*(acted_on(item) for item in value if _described(item)))
        elif _described(value):
            found |= acted_on(value)
    return found


def renamed(part: Any, names: Mapping[str, str]) -> Any:
    """The description with every reference to these names, and every formula that uses them,
    changed: old name -> new one."""
    changes: dict[str, Any] = {}
    for name, spec in fields.specs(type(part)).items():
        value = getattr(part, name)
        if isinstance(spec, ReferenceSpec):
            changed = names.get(value, value)
        elif isinstance(spec, NamesSpec):
            changed = tuple(_renamed_text(item, names) for item in value)
        elif name in NAMING and isinstance(spec, TextSpec):
            changed = _renamed_text(value, names)
        else:
            changed = _renamed_value(value, names)
        if changed is not value and changed != value:
            changes[name] = changed
    return with_fields(part, changes) if changes else part


def with_fields(part: Any, values: Mapping[str, Any]) -> Any:
    """The description with values that are known to be good: nothing is checked again."""
    made = copy(part)
    for name, value in values.items():
        object.__setattr__(made, name, value)
    return made


def _renamed_value(value: Any, names: Mapping[str, str]) -> Any:
    if isinstance(value, Quantity):
        return Quantity(_renamed_text(value.text, names)) if _uses(value, names) else value
    if isinstance(value, (Curve, Outline)):
        uses = any(_uses(q, names) for point in value.points for q in point)
        return type(value)(_renamed_text(value.text, names)) if uses else value
    if isinstance(value, tuple):
        changed = tuple(_renamed_value(item, names) for item in value)
        same = all(a is b for a, b in zip(changed, value, strict=True))
        return value if same else changed
    return renamed(value, names) if _described(value) else value


def _uses(quantity: Quantity, names: Mapping[str, str]) -> bool:
    return any(path.split(".")[0] in names for path in formula.names(quantity.node))


def _renamed_text(text: str, names: Mapping[str, str]) -> str:
    """Names are replaced where they stand alone; right behind a number stands a unit."""
    return re.sub(r"(?<![\w.])(?<!\d )(?<!\d\.)[^\W\d]\w*", lambda m: names.get(m[0], m[0]), text)


def _described(value: Any) -> bool:
    return is_dataclass(value) and not isinstance(value, (Quantity, Curve, Outline, type))
