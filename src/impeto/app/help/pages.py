"""The pages of the help, put together from the texts and from what the elements declare."""

from __future__ import annotations

from html import escape

from impeto.app.describe import GROUPS
from impeto.app.help.texts import texts
from impeto.app.kinds import KINDS
from impeto.core.model import fields, units
from impeto.core.model.element import Element
from impeto.core.model.fields import (
    ChoiceSpec,
    ColourSpec,
    CurveSpec,
    PartsSpec,
    QuantitySpec,
    ReferenceSpec,
    Spec,
    VectorSpec,
)


def pages() -> dict[str, str]:
    """Title -> HTML, desks first, then the kinds of elements in the order of the Roster."""
    made = {title: _prose(text) for title, text in texts()[0].items()}
    for group in GROUPS:
        for kind in KINDS.values():
            if kind.cls.group == group:
                made[title_of(kind.cls)] = _of_kind(kind.cls)
    return made


def title_of(cls: type[Element]) -> str:
    """The page of a kind of element."""
    title = KINDS[cls].title
    return title[:1].upper() + title[1:]


def _prose(text: str) -> str:
    """Paragraphs and lists as HTML."""
    parts: list[str] = []
    for line in text.strip().split("\n"):
        if line.startswith("- "):
            parts.append(f"<li>{escape(line[2:])}</li>")
        elif parts and not parts[-1].startswith("<li>"):
            parts[-1] += f" {escape(line)}"
        elif parts:
            parts[-1] = parts[-1].replace("</li>", f" {escape(line)}</li>")
        else:
            parts.append(escape(line))
    items = "".join(part for part in parts if part.startswith("<li>"))
    said = "".join(f"<p>{part}</p>" for part in parts if not part.startswith("<li>"))
    return said + (f"<ul>{items}</ul>" if items else "")


def _of_kind(cls: type[Element]) -> str:
    """What it is for, and its fields with what they take."""
    rows = "".join(
        f"<tr><td>{escape(fields.title(name, spec))}</td><td>{escape(_takes(spec))}</td>"
        f"<td>{escape(spec.hint)}</td></tr>"
        for name, spec in fields.specs(cls).items()
        if name not in ("enabled", "note")
    )
    return f"{_prose(texts()[1][cls.tag])}<table cellpadding=3>{rows}</table>"


def _takes(spec: Spec) -> str:
    """What a field takes, in a few words."""
    if isinstance(spec, (QuantitySpec, VectorSpec)):
        known = units.KINDS.get(spec.kind)
        if known is None:
            return "any value"
        unit = "" if known.si == "1" else f", {units.spoken(known.shown[-1][0])}"
        return f"{'three of ' if isinstance(spec, VectorSpec) else ''}{known.title}{unit}"
    if isinstance(spec, ReferenceSpec):
        return f"a {spec.target}"
    if isinstance(spec, ChoiceSpec):
        any_too = ", or any as #rrggbb" if isinstance(spec, ColourSpec) else ""
        return ", ".join(option for option in spec.options if option) + any_too
    if isinstance(spec, PartsSpec):
        return ", ".join(getattr(part, "title", "") for part in spec.classes)
    return "a curve of pairs" if isinstance(spec, CurveSpec) else ""
