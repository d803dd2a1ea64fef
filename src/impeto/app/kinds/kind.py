"""What the window knows of one kind of element."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from impeto.app.document import Document
from impeto.app.strokes import Knot, Strand, Stroke
from impeto.core.model import units
from impeto.core.model.element import Element
from impeto.core.model.scope import Scope
from impeto.core.model.signals import (
    Constant,
    Formula,
    Harmonic,
    Polynomial,
    Pulse,
    Ramp,
    Signal,
    Step,
    Sweep,
    Table,
)

BY_FORMULA = "by formula"
SHORT = 24  # letters of a formula that is shown whole


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind of element in the window.

    title : in the words of the trade;  line : its values in a few words, for the Roster
    strokes : its sign, () where that is drawn by its values
    new : how one starts, under a name; None for what comes from files only
    strung : how it looks between its two frames on the Stage
    badge_at : the frame above which its sign stands on the Stage; None: drawn otherwise, or not
    """

    cls: type[Element]
    title: str
    line: Callable[[Any, Scope], str]
    strokes: tuple[Stroke, ...]
    new: Callable[[Document, str], Element] | None
    strung: tuple[Strand | Knot, ...] = ()
    badge_at: Callable[[Any], str] | None = None


def shown(scope: Scope, written: Any, kind: str) -> str:
    """A value with a unit that suits it."""
    return units.shown(scope.si(written, kind), kind)


def listed(names: tuple[str, ...]) -> str:
    return ", ".join(names).replace("*", "…")  # a star would be shown as a product


def signal_line(signal: Signal) -> str:
    """A signal in a few words."""
    if isinstance(signal, Constant):
        return str(signal.value)
    if isinstance(signal, (Ramp, Step)):
        return f"{signal.start} to {signal.end}"
    if isinstance(signal, Harmonic):
        return f"±{signal.amplitude}, {signal.frequency}"
    if isinstance(signal, Sweep):
        return f"±{signal.amplitude}, {signal.first} to {signal.last}"
    if isinstance(signal, Pulse):
        return f"{signal.value} from {signal.begin} to {signal.finish}"
    if isinstance(signal, Polynomial):
        return f"polynomial from {signal.start}"
    if isinstance(signal, Table):
        return f"{signal.dataset}, {signal.column}"
    if isinstance(signal, Formula) and len(str(signal.formula)) <= SHORT:
        return str(signal.formula)
    return BY_FORMULA
