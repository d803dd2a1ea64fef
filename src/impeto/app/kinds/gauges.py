"""Gauges in the window."""

from __future__ import annotations

from impeto.app.document import Document
from impeto.app.kinds.kind import Kind
from impeto.app.strokes import Line, Oval
from impeto.core.elements import Frame, Gauge
from impeto.core.gauges.model import CLEARANCE, FORMULA, FRAMES
from impeto.core.model.scope import Scope


def _gauge(gauge: Gauge, scope: Scope) -> str:
    if gauge.quantity == FORMULA:
        return str(gauge.formula)
    pair = ("body_a", "body_b") if gauge.quantity == CLEARANCE else FRAMES
    first, second = (getattr(gauge, name) or "?" for name in pair)
    return f"{gauge.quantity}, {first} to {second}"


def _new(document: Document, name: str) -> Gauge:
    """Between the two frames added last, where there are two."""
    frames = [frame.name for frame in document.model.of(Frame)][-2:]
    if len(frames) < 2:
        return Gauge(name=name, quantity=FORMULA, formula="t")
    return Gauge(name=name, frame_a=frames[0], frame_b=frames[1])


GAUGES = (
    Kind(cls=Gauge, title="gauge", line=_gauge, new=_new,
         strokes=(Oval((0.1, 0.1, 0.8, 0.8)), Line(((0.5, 0.5), (0.74, 0.28))))),
)  # fmt: skip
