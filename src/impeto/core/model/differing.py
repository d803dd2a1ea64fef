"""What differs between two models, element by element and field by field, as the Sheet has them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, is_dataclass
from typing import Any

from impeto.core.model import fields
from impeto.core.model.model import Model

NONE, NEW, GONE = "–", "new", "gone"
LONGEST = 60  # letters of a value


@dataclass(frozen=True, slots=True)
class Difference:
    """of : element, case or run settings;  field : its title, with that of its part, '' for the
    whole;  before, after : as they are written"""

    of: str
    field: str
    before: str
    after: str

    def __str__(self) -> str:
        title = f"{self.of}, {self.field}" if self.field else self.of
        return f"{title}: {self.before} → {self.after}"


def differences(a: Model, b: Model) -> list[Difference]:
    """In the order of the second model; what is gone comes last."""
    found = []
    for name, element in b.elements.items():
        before = a.elements.get(name)
        if before is None:
            found.append(Difference(name, "", NONE, f"{NEW}: {_kind(element)}"))
        elif type(before) is not type(element):
            found.append(Difference(name, "", _kind(before), _kind(element)))
        elif before != element:
            found += [Difference(name, *row) for row in _fields(before, element)]
    found += [Difference(name, "", _kind(element), GONE)
              for name, element in a.elements.items() if name not in b.elements]  # fmt: skip
    found += [Difference("run settings", *row) for row in _fields(a.settings, b.settings)]
    for name, case in b.cases.items():
        known = a.cases.get(name)
        if known is None:
            found.append(Difference(f"case {name}", "", NONE, NEW))
        else:
            found += [Difference(f"case {name}", *row) for row in _fields(known, case)]
    lost = [name for name in a.cases if name not in b.cases]
    found += [Difference(f"case {name}", "", "case", GONE) for name in lost]
    return found


Row = tuple[str, str, str]


def _fields(a: Any, b: Any) -> Iterator[Row]:
    """Fields of two things of one kind that differ, with titles as the Sheet has them."""
    for name, spec in fields.specs(type(b)).items():
        before, after = getattr(a, name), getattr(b, name)
        if before == after:
            continue
        title = fields.title(name, spec)
        if isinstance(after, Mapping):
            yield from _table(title, before, after)
        elif _is_parts(before) and _is_parts(after) and len(before) == len(after):
            for number, (one, other) in enumerate(zip(before, after, strict=True), start=1):
                yield from _within(f"{title} {number}", one, other)
        else:
            yield from _within(title, before, after)


def _table(title: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[Row]:
    for key in dict.fromkeys((*before, *after)):
        if before.get(key) != after.get(key):
            yield f"{title}, {key}", said(before.get(key)), said(after.get(key))


def _within(title: str, before: Any, after: Any) -> Iterator[Row]:
    """A smaller description within a field: its own fields, where it is of the same kind."""
    if before == after:
        return
    if type(before) is type(after) and is_dataclass(after) and fields.specs(type(after)):
        for inner, one, other in _fields(before, after):
            yield f"{title}, {inner[:1].lower()}{inner[1:]}", one, other
    else:
        yield title, said(before), said(after)


def _is_parts(value: Any) -> bool:
    return isinstance(value, tuple) and bool(value) and all(
        is_dataclass(part) and fields.specs(type(part)) for part in value
    )  # fmt: skip


def _kind(element: Any) -> str:
    return str(type(element).tag).replace("_", " ")


def said(value: Any) -> str:
    """A value in a few words."""
    if value is None or value == "":
        return NONE
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        whole = ", ".join(said(part) for part in value) or "none"
    elif is_dataclass(value) and fields.specs(type(value)):
        whole = _kind(value) if hasattr(type(value), "tag") else type(value).__name__
    else:
        whole = str(value)
    return whole if len(whole) <= LONGEST else f"{whole[: LONGEST - 1]}…"
