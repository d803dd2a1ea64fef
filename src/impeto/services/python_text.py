"""Elements as Python text that makes them again."""

from __future__ import annotations

import dataclasses
import textwrap
from collections.abc import Iterable, Mapping
from typing import Any

from impeto.core.model.curves import Curve
from impeto.core.model.element import Element
from impeto.core.model.outlines import Outline
from impeto.core.model.quantity import Quantity

WIDTH = 96


def as_python(elements: Iterable[Element]) -> str:
    """A list of elements: run it with `import impeto as im`, then `im.Model("name", elements)`."""
    lines = "\n".join(f"{textwrap.indent(written(element), '    ')}," for element in elements)
    return f"import impeto as im\n\nelements = [\n{lines}\n]\n"


def written(value: Any) -> str:
    """What a script would write for a value of an element."""
    if isinstance(value, (Quantity, Curve, Outline)):
        return repr(str(value))
    if dataclasses.is_dataclass(value):
        return _called(value)
    if isinstance(value, tuple):
        inner = ", ".join(written(item) for item in value)
        return f"({inner}{',' if len(value) == 1 else ''})"
    if isinstance(value, Mapping):
        inner = ", ".join(f"{key!r}: {written(item)}" for key, item in value.items())
        return f"{{{inner}}}"
    return repr(value)


def _called(part: Any) -> str:
    """A call with the fields that are not as they would be anyway, on a line each where they are
    many."""
    words = []
    for field in dataclasses.fields(part):
        value = getattr(part, field.name)
        if field.default is not dataclasses.MISSING and _is_default(value, field.default):
            continue
        words.append(f"{field.name}={written(value)}")
    call = f"im.{type(part).__name__}({', '.join(words)})"
    if len(call) <= WIDTH and "\n" not in call:
        return call
    inner = ",\n".join(textwrap.indent(word, "    ") for word in words)
    return f"im.{type(part).__name__}(\n{inner},\n)"


def _is_default(value: Any, default: Any) -> bool:
    """Whether a value reads as what a field begins with."""
    if isinstance(value, tuple) and isinstance(default, tuple) and len(value) == len(default):
        return all(_is_default(a, b) for a, b in zip(value, default, strict=True))
    if isinstance(value, Quantity):
        return bool(str(value) == str(default))
    return type(value) is type(default) and bool(value == default)
