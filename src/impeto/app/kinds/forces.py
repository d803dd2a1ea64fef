"""Gravity, line forces, bushings and loads in the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from impeto.app.document import Document
from impeto.app.kinds.choosing import two_frames
from impeto.app.kinds.kind import Kind, shown, signal_line
from impeto.app.strokes import Knot, Oval, Strand, lines, strand
from impeto.core.elements import (
    Actuator,
    Attraction,
    Bumper,
    Bushing,
    Damper,
    Drag,
    Gravity,
    Load,
    Rope,
    Spring,
)
from impeto.core.model.element import Element
from impeto.core.model.scope import Scope

DOWN = lines(((0.5, 0.05), (0.5, 0.95)), ((0.22, 0.62), (0.5, 0.95), (0.78, 0.62)))
PULL = lines(
    ((0.05, 0.5), (0.35, 0.5)), ((0.22, 0.32), (0.38, 0.5), (0.22, 0.68)),
    ((0.95, 0.5), (0.65, 0.5)), ((0.78, 0.32), (0.62, 0.5), (0.78, 0.68)),
)  # fmt: skip
COIL = tuple((0.2 + 0.6 * (k + 0.5) / 8, 9.0 * (-1) ** k) for k in range(8))
PULLED = (  # an arrow from each end towards the middle
    Strand(((0.0, 0.0, 0.0), (1.0, 0.0, 0.0)), 1.4, "dashes"),
    *(Strand(((share, 5.0, back), (share, 0.0, 0.0), (share, -5.0, back)), 1.6)
      for share, back in ((0.35, -7.0), (0.65, 7.0))),
)  # fmt: skip


def _between(cls: Any) -> Callable[[Document, str], Element]:
    def new(document: Document, name: str) -> Element:
        made: Element = cls(name=name, **two_frames(document.model))
        return made

    return new


def _length(scope: Scope, written: object) -> str:
    return "as drawn" if written is None else shown(scope, written, "length")


def _spring(element: Spring, scope: Scope) -> str:
    free = _length(scope, element.free_length)
    return f"{shown(scope, element.stiffness, 'stiffness')}, free {free}"


def _rope(element: Rope, scope: Scope) -> str:
    slack = _length(scope, element.slack_length)
    return f"slack {slack}, {shown(scope, element.stiffness, 'stiffness')}"


FORCES = (
    Kind(cls=Gravity, title="gravity", strokes=DOWN, new=lambda d, n: Gravity(name=n),
         line=lambda e, s: shown(s, e.size, "acceleration")),
    Kind(cls=Spring, title="spring", line=_spring, new=_between(Spring),
         strokes=lines(((0.5, 0.02), (0.5, 0.18), (0.8, 0.26), (0.2, 0.42), (0.8, 0.58),
                        (0.2, 0.74), (0.5, 0.82), (0.5, 0.98))),
         strung=(strand((0.0, 0.0), (0.2, 0.0), *COIL, (0.8, 0.0), (1.0, 0.0)),)),
    Kind(cls=Damper, title="damper", line=lambda e, s: shown(s, e.damping, "damping"),
         strokes=lines(((0.5, 0.02), (0.5, 0.5)), ((0.25, 0.5), (0.75, 0.5)),
                       ((0.18, 0.28), (0.18, 0.75), (0.82, 0.75), (0.82, 0.28)),
                       ((0.5, 0.75), (0.5, 0.98))),
         new=_between(Damper),
         strung=(strand((0.0, 0.0), (0.5, 0.0)), strand((0.5, 6.0), (0.5, -6.0)),
                 strand((0.35, 8.0), (0.65, 8.0), (0.65, -8.0), (0.35, -8.0)),
                 strand((0.65, 0.0), (1.0, 0.0)))),
    Kind(cls=Rope, title="rope", line=_rope, new=_between(Rope),
         strokes=lines(((0.1, 0.15), (0.35, 0.75), (0.6, 0.8), (0.9, 0.1))),
         strung=(strand((0.0, 0.0), (1.0, 0.0)), Knot(0.0, 2.5), Knot(1.0, 2.5))),
    Kind(cls=Bumper, title="bumper", new=_between(Bumper),
         line=lambda e, s: f"below {e.length}, {shown(s, e.stiffness, 'stiffness')}",
         strokes=lines(((0.2, 0.2), (0.8, 0.2)), ((0.2, 0.8), (0.8, 0.8)),
                       ((0.5, 0.32), (0.5, 0.68))),
         strung=(Strand(((0.0, 0.0, 0.0), (1.0, 0.0, 0.0)), 1.2, "dots"),
                 *(strand((share, 8.0), (share, -8.0), width=3.0) for share in (0.12, 0.88)))),
    Kind(cls=Bushing, title="bushing", new=_between(Bushing),
         line=lambda e, s: " · ".join(shown(s, k, "stiffness") for k in e.stiffness),
         strokes=(Oval((0.07, 0.07, 0.86, 0.86)), Oval((0.3, 0.3, 0.4, 0.4)))),
    Kind(cls=Attraction, title="pull by formula", line=lambda e, s: str(e.pull), strokes=PULL,
         new=_between(Attraction),
         strung=PULLED),
    Kind(cls=Actuator, title="pull by signal", line=lambda e, s: signal_line(e.value), strokes=PULL,
         new=_between(Actuator),
         strung=PULLED),
    Kind(cls=Drag, title="drag",
         line=lambda e, s: f"{shown(s, e.area, 'area')}, coefficient {e.coefficient}",
         strokes=lines(((0.05, 0.28), (0.7, 0.28)), ((0.05, 0.5), (0.95, 0.5)),
                       ((0.05, 0.72), (0.7, 0.72)), ((0.78, 0.36), (0.95, 0.5), (0.78, 0.64))),
         new=lambda d, n: Drag(name=n, frame=two_frames(d.model)["frame_b"]),
         badge_at=lambda e: e.frame),
    Kind(cls=Load, title="load", line=lambda e, s: signal_line(e.value), strokes=DOWN,
         new=lambda d, n: Load(name=n, frame=two_frames(d.model)["frame_b"])),
)  # fmt: skip
