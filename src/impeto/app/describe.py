"""One line of values per element, and titles of kinds: what the Roster and the Sheet say."""

from __future__ import annotations

from impeto.core.errors import ModelError
from impeto.core.mechanics.resolve import body_mass
from impeto.core.model import units
from impeto.core.model.elements import (
    GROUND,
    Body,
    Damper,
    Drive,
    Element,
    Frame,
    Gravity,
    Joint,
    Load,
    Parameter,
    Spring,
)
from impeto.core.model.freedoms import kind_title
from impeto.core.model.scope import Scope
from impeto.core.model.signals import Constant, Harmonic, Ramp, Signal

GROUPS = {
    "bodies": "Bodies",
    "joints": "Joints",
    "forces": "Springs, dampers, loads",
    "drives": "Drives",
    "parameters": "Parameters",
    "frames": "Frames",
}


def kind_of(element: Element) -> str:
    """What an element is, in the words of the trade."""
    if isinstance(element, Joint):
        title = kind_title(element.free)
        return title if title.startswith(("free", "all", "point", "parallel")) else f"{title} joint"
    return type(element).__name__.lower()


def values_line(element: Element, scope: Scope) -> str:
    """Short text of an element's values; what cannot be evaluated says so."""
    try:
        return units.spoken(_line(element, scope))
    except ModelError as error:
        return f"⚠ {error.problem}"


def _line(element: Element, scope: Scope) -> str:
    if isinstance(element, Parameter):
        written = scope.case.values.get(element.name, element.value)
        scope.parameter(element.name)
        return str(written)
    if isinstance(element, Body):
        if element.name == GROUND:
            return "does not move"
        return units.shown(body_mass(scope, element).mass, "mass")
    if isinstance(element, Frame):
        return f"on {element.body}"
    if isinstance(element, Joint):
        return kind_title(element.free).removeprefix("free: ")
    if isinstance(element, Gravity):
        return units.shown(scope.si(element.size, "acceleration"), "acceleration")
    if isinstance(element, Spring):
        stiffness = units.shown(scope.si(element.stiffness, "stiffness"), "stiffness")
        free = element.free_length
        length = "as drawn" if free is None else units.shown(scope.si(free, "length"), "length")
        return f"{stiffness}, free {length}"
    if isinstance(element, Damper):
        return units.shown(scope.si(element.damping, "damping"), "damping")
    if isinstance(element, Load):
        return signal_line(element.value)
    assert isinstance(element, Drive)
    line = signal_line(element.value)
    return line if element.prescribes == "effort" else f"{element.prescribes} {line}"


def signal_line(signal: Signal) -> str:
    if isinstance(signal, Constant):
        return str(signal.value)
    if isinstance(signal, Ramp):
        return f"{signal.start} to {signal.end}"
    if isinstance(signal, Harmonic):
        return f"±{signal.amplitude}, {signal.frequency}"
    return "by formula"
