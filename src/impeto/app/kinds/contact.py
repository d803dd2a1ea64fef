"""Contact and material flow in the window."""

from __future__ import annotations

from impeto.app.kinds.choosing import a_body, a_frame, movable
from impeto.app.kinds.kind import Kind, listed, shown, signal_line
from impeto.app.strokes import Line, Oval, Rounded, lines
from impeto.core.contact.model import NEVER
from impeto.core.elements import BeltSurface, ContactRule, Feeder, Group, Outlet, Surface
from impeto.core.flow.model import AT_A_PACE
from impeto.core.model.scope import Scope

ON_GROUND = (Oval((0.2, 0.05, 0.6, 0.6)), Line(((0.05, 0.68), (0.95, 0.68))))


def _rule(element: ContactRule, scope: Scope) -> str:
    first, second = listed(element.first) or "all", listed(element.second) or "all"
    if element.effect == NEVER:
        return f"{first} never with {second}"
    by_surfaces = element.surface_a is not None
    values = f"{element.surface_a} on {element.surface_b}" if by_surfaces else element.pairing
    return f"{first} with {second}: {values}" if element.first or element.second else values


def _feeder(element: Feeder, scope: Scope) -> str:
    pace = "by events"
    if element.pace == AT_A_PACE:
        pace = f"every {shown(scope, element.interval, 'time')}"
    number = scope.field(element, "number", "number")
    return f"{number:g} {element.body}, {pace}"


def _outlet(element: Outlet, scope: Scope) -> str:
    what = listed(element.takes) or "whatever comes"
    return f"{element.effect.replace('only ', '')} {what}"


CONTACT = (
    Kind(cls=ContactRule, title="contact rule", line=_rule, strokes=ON_GROUND,
         new=lambda d, n: ContactRule(name=n)),
    Kind(cls=Group, title="group of bodies", line=lambda e, s: listed(e.members) or "nobody",
         strokes=tuple(Oval((x - 0.18, y - 0.18, 0.36, 0.36))
                       for x, y in ((0.28, 0.3), (0.72, 0.3), (0.5, 0.72))),
         new=lambda d, n: Group(name=n)),
    Kind(cls=Surface, title="surface", new=lambda d, n: Surface(name=n),
         line=lambda e, s: f"{shown(s, e.stiffness, 'stiffness')}, μ {e.static_friction}",
         strokes=(*ON_GROUND,
                  *lines(((0.15, 0.95), (0.4, 0.68)), ((0.55, 0.95), (0.8, 0.68))))),
    Kind(cls=BeltSurface, title="belt surface",
         line=lambda e, s: f"{e.body}, {signal_line(e.value)}",
         strokes=(Rounded((0.03, 0.42, 0.94, 0.4)),
                  *lines(((0.2, 0.2), (0.75, 0.2)), ((0.6, 0.08), (0.77, 0.2), (0.6, 0.32)))),
         new=lambda d, n: BeltSurface(name=n, body=a_body(d))),
    Kind(cls=Feeder, title="feeder", line=_feeder, new=lambda d, n: Feeder(name=n, body=movable(d)),
         strokes=lines(((0.12, 0.5), (0.12, 0.95), (0.88, 0.95), (0.88, 0.5)),
                       ((0.5, 0.05), (0.5, 0.72)), ((0.28, 0.5), (0.5, 0.72), (0.72, 0.5)))),
    Kind(cls=Outlet, title="outlet", line=_outlet,
         new=lambda d, n: Outlet(name=n, frame=a_frame(d)),
         strokes=lines(((0.12, 0.95), (0.12, 0.4), (0.3, 0.4)),
                       ((0.7, 0.4), (0.88, 0.4), (0.88, 0.95), (0.12, 0.95)),
                       ((0.5, 0.75), (0.5, 0.05)), ((0.3, 0.25), (0.5, 0.05), (0.7, 0.25)))),
)  # fmt: skip
