"""Drives and brakes in the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from impeto.app.document import Document
from impeto.app.kinds.choosing import a_freedom
from impeto.app.kinds.kind import BY_FORMULA, Kind, signal_line
from impeto.app.strokes import Arc, Line, Oval, lines
from impeto.core.elements import Brake, Drive, Motor, Servo
from impeto.core.model.element import Element
from impeto.core.model.scope import Scope

ROUND = (Arc((0.14, 0.14, 0.72, 0.72), 60.0, 280.0), Line(((0.62, 0.02), (0.72, 0.22), (0.5, 0.3))))


def _on_freedom(cls: Any) -> Callable[[Document, str], Element]:
    def new(document: Document, name: str) -> Element:
        made: Element = cls(name=name, **a_freedom(document.model))
        return made

    return new


def _drive(element: Drive, scope: Scope) -> str:
    line = signal_line(element.value)
    return line if element.prescribes == "effort" else f"{element.prescribes} {line}"


def _servo(element: Servo, scope: Scope) -> str:
    line = signal_line(element.reference)
    return f"{element.controls} {line if line == BY_FORMULA else f'to {line}'}"


DRIVES = (
    Kind(cls=Drive, title="drive", line=_drive, strokes=ROUND, new=_on_freedom(Drive)),
    Kind(cls=Servo, title="servo", line=_servo, strokes=ROUND, new=_on_freedom(Servo)),
    Kind(cls=Motor, title="motor", line=lambda e, s: f"{e.supply}, ratio {e.ratio}", strokes=ROUND,
         new=_on_freedom(Motor)),
    Kind(cls=Brake, title="brake", line=lambda e, s: signal_line(e.value), new=_on_freedom(Brake),
         strokes=(Oval((0.05, 0.2, 0.6, 0.6)),
                  *lines(((0.72, 0.2), (0.72, 0.8)), ((0.72, 0.5), (0.98, 0.5))))),
)  # fmt: skip
