"""Couplers in the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from impeto.app.document import Document
from impeto.app.kinds.choosing import joints
from impeto.app.kinds.kind import Kind
from impeto.app.strokes import Oval
from impeto.core.elements import (
    Belt,
    Differential,
    Gears,
    Pulley,
    Rack,
    Relation,
    Screw,
    Term,
    Worm,
)
from impeto.core.model.element import Element

WHEELS = (Oval((0.02, 0.3, 0.4, 0.4)), Oval((0.44, 0.18, 0.56, 0.64)))


def _meshing(cls: Any) -> Callable[[Document, str], Element]:
    def new(document: Document, name: str) -> Element:
        a, b = joints(document.model)
        made: Element = cls(name=name, joint_a=a, joint_b=b)
        return made

    return new


def _differential(document: Document, name: str) -> Element:
    cage, a, b = joints(document.model, 3)
    return Differential(name=name, cage=cage, side_a=a, side_b=b)


COUPLERS = (
    Kind(cls=Gears, title="pair of gears", strokes=WHEELS, new=_meshing(Gears),
         line=lambda e, s: f"{e.radius_a} : {e.radius_b}, {e.teeth}"),
    Kind(cls=Worm, title="worm and wheel", strokes=WHEELS, new=_meshing(Worm),
         line=lambda e, s: f"lead {e.lead}"),
    Kind(cls=Rack, title="rack and pinion", strokes=WHEELS, new=_meshing(Rack),
         line=lambda e, s: f"radius {e.radius_a}"),
    Kind(cls=Screw, title="screw", strokes=WHEELS, line=lambda e, s: f"lead {e.lead}",
         new=lambda d, n: Screw(name=n, joint=joints(d.model)[1])),
    Kind(cls=Belt, title="belt", strokes=WHEELS, line=lambda e, s: f"{len(e.pulleys)} pulleys",
         new=lambda d, n: Belt(name=n, pulleys=tuple(Pulley(joint=j) for j in joints(d.model)))),
    Kind(cls=Differential, title="differential", strokes=WHEELS, line=lambda e, s: f"cage {e.cage}",
         new=_differential),
    Kind(cls=Relation, title="relation", strokes=WHEELS, line=lambda e, s: f"{len(e.terms)} terms",
         new=lambda d, n: Relation(name=n, terms=tuple(Term(joint=j) for j in joints(d.model)))),
)  # fmt: skip
