"""One line of values per element, and titles of kinds: what the Roster and the Sheet say."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from impeto.core.errors import ModelError
from impeto.core.mechanics.resolve import body_mass
from impeto.core.model import units
from impeto.core.model.contacts import NEVER
from impeto.core.model.elements import (
    GROUND,
    Actuator,
    Attraction,
    Belt,
    BeltSurface,
    Body,
    Brake,
    Bumper,
    Bushing,
    ContactRule,
    Damper,
    Dataset,
    Differential,
    Drive,
    Element,
    Event,
    Feeder,
    Frame,
    Gears,
    Gravity,
    Group,
    Joint,
    Load,
    Motor,
    Outlet,
    Parameter,
    Path,
    Pose,
    Rack,
    Relation,
    Rope,
    Screw,
    Servo,
    Spring,
    Surface,
    Worm,
)
from impeto.core.model.events import AT_TIME, FALLS
from impeto.core.model.flow import AT_A_PACE
from impeto.core.model.freedoms import kind_title
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

GROUPS = {
    "bodies": "Bodies",
    "joints": "Joints",
    "couplers": "Couplers",
    "forces": "Springs, dampers, loads",
    "drives": "Drives",
    "contacts": "Contact",
    "events": "Events",
    "parameters": "Parameters",
    "poses": "Poses",
    "frames": "Frames",
}
BY_FORMULA = "by formula"
SHORT = 24  # letters of a formula that is shown whole
# Groups that are listed only when they have members.
OFTEN_EMPTY = ("couplers", "contacts", "events", "poses")
KINDS = {
    Dataset: "data set", Gears: "pair of gears", Worm: "worm and wheel", Rack: "rack and pinion",
    ContactRule: "contact rule", BeltSurface: "belt surface",
    Attraction: "pull by formula", Actuator: "pull by signal",
}  # fmt: skip


def kind_of(element: Element) -> str:
    """What an element is, in the words of the trade."""
    if isinstance(element, Joint):
        title = kind_title(element.free, element.special)
        bare = ("free", "all", "point", "parallel", "fixed d", "body", "constant")
        return title if title.startswith(bare) else f"{title} joint"
    return KINDS.get(type(element), type(element).__name__.lower())


def values_line(element: Element, scope: Scope) -> str:
    """Short text of an element's values; what cannot be evaluated says so."""
    try:
        return units.spoken(_line(element, scope))
    except ModelError as error:
        return f"⚠ {error.problem}"


def _line(element: Element, scope: Scope) -> str:
    if isinstance(element, Body) and element.name == GROUND:
        return "does not move"
    return LINES[type(element)](element, scope)


def _shown(scope: Scope, written: Any, kind: str) -> str:
    return units.shown(scope.si(written, kind), kind)


def _parameter(element: Parameter, scope: Scope) -> str:
    scope.parameter(element.name)
    return str(scope.case.values.get(element.name, element.value))


def _joint(element: Joint, scope: Scope) -> str:
    line = kind_title(element.free, element.special).removeprefix("free: ")
    acting = {part.title.split(" ")[0] for part in element.behaviours}
    return f"{line}, {', '.join(sorted(acting))}" if acting else line


def _spring(element: Spring, scope: Scope) -> str:
    free = element.free_length
    length = "as drawn" if free is None else _shown(scope, free, "length")
    return f"{_shown(scope, element.stiffness, 'stiffness')}, free {length}"


def _rope(element: Rope, scope: Scope) -> str:
    slack = element.slack_length
    length = "as drawn" if slack is None else _shown(scope, slack, "length")
    return f"slack {length}, {_shown(scope, element.stiffness, 'stiffness')}"


def _drive(element: Drive, scope: Scope) -> str:
    line = signal_line(element.value)
    return line if element.prescribes == "effort" else f"{element.prescribes} {line}"


def _servo(element: Servo, scope: Scope) -> str:
    line = signal_line(element.reference)
    return f"{element.controls} {line if line == BY_FORMULA else f'to {line}'}"


def _event(element: Event, scope: Scope) -> str:
    sign = "<" if element.when == FALLS else ">"
    when = str(element.time)
    if element.when != AT_TIME:
        when = f"{element.channel} {sign} {element.level}"
    does = element.action if not element.target else f"{element.action} {element.target}"
    return f"{when}: {does}"


def _listed(names: tuple[str, ...]) -> str:
    return ", ".join(names).replace("*", "…")  # a star would be shown as a product


def _rule(element: ContactRule, scope: Scope) -> str:
    first, second = _listed(element.first) or "all", _listed(element.second) or "all"
    if element.effect == NEVER:
        return f"{first} never with {second}"
    by_surfaces = element.surface_a is not None
    values = f"{element.surface_a} on {element.surface_b}" if by_surfaces else element.pairing
    return f"{first} with {second}: {values}" if element.first or element.second else values


def _feeder(element: Feeder, scope: Scope) -> str:
    pace = "by events"
    if element.pace == AT_A_PACE:
        pace = f"every {_shown(scope, element.interval, 'time')}"
    number = scope.field(element, "number", "number")
    return f"{number:g} {element.body}, {pace}"


def _outlet(element: Outlet, scope: Scope) -> str:
    what = _listed(element.takes) or "whatever comes"
    return f"{element.effect.replace('only ', '')} {what}"


def _radii(element: Gears, scope: Scope) -> str:
    return f"{element.radius_a} : {element.radius_b}, {element.teeth}"


LINES: dict[type[Element], Callable[[Any, Scope], str]] = {
    Parameter: _parameter,
    Dataset: lambda e, s: f"{len(e.columns) - 1} columns over time",
    Body: lambda e, s: units.shown(body_mass(s, e).mass, "mass"),
    Frame: lambda e, s: f"on {e.body}",
    Joint: _joint,
    Path: lambda e, s: f"{len(e.points)} points",
    Gears: _radii,
    Worm: lambda e, s: f"lead {e.lead}",
    Rack: lambda e, s: f"radius {e.radius_a}",
    Screw: lambda e, s: f"lead {e.lead}",
    Belt: lambda e, s: f"{len(e.pulleys)} pulleys",
    Differential: lambda e, s: f"cage {e.cage}",
    Relation: lambda e, s: f"{len(e.terms)} terms",
    Gravity: lambda e, s: _shown(s, e.size, "acceleration"),
    Spring: _spring,
    Damper: lambda e, s: _shown(s, e.damping, "damping"),
    Rope: _rope,
    Bumper: lambda e, s: f"below {e.length}, {_shown(s, e.stiffness, 'stiffness')}",
    Attraction: lambda e, s: str(e.pull),
    Actuator: lambda e, s: signal_line(e.value),
    Bushing: lambda e, s: " · ".join(_shown(s, k, "stiffness") for k in e.stiffness),
    Load: lambda e, s: signal_line(e.value),
    Drive: _drive,
    Servo: _servo,
    Motor: lambda e, s: f"{e.supply}, ratio {e.ratio}",
    Brake: lambda e, s: signal_line(e.value),
    Surface: lambda e, s: f"{_shown(s, e.stiffness, 'stiffness')}, μ {e.static_friction}",
    Group: lambda e, s: _listed(e.members) or "nobody",
    ContactRule: _rule,
    BeltSurface: lambda e, s: f"{e.body}, {signal_line(e.value)}",
    Feeder: _feeder,
    Outlet: _outlet,
    Event: _event,
    Pose: lambda e, s: f"{len(e.bodies)} bodies, {len(e.joints)} joint values",
}  # fmt: skip


def signal_line(signal: Signal) -> str:
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
