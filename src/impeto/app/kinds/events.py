"""Events and poses in the window."""

from __future__ import annotations

from impeto.app.kinds.kind import Kind
from impeto.app.strokes import Line, Oval, lines
from impeto.core.elements import Event, Pose
from impeto.core.events.model import AT_TIME, FALLS
from impeto.core.model.scope import Scope


def _event(element: Event, scope: Scope) -> str:
    sign = "<" if element.when == FALLS else ">"
    when = str(element.time)
    if element.when != AT_TIME:
        when = f"{element.channel} {sign} {element.level}"
    does = element.action if not element.target else f"{element.action} {element.target}"
    return f"{when}: {does}"


EVENTS = (
    Kind(cls=Event, title="event", line=_event, new=lambda d, n: Event(name=n),
         strokes=lines(((0.25, 0.98), (0.25, 0.05), (0.85, 0.25), (0.25, 0.48)))),
    Kind(cls=Pose, title="pose", new=lambda d, n: Pose(name=n),
         line=lambda e, s: f"{len(e.bodies)} bodies, {len(e.joints)} joint values",
         strokes=(Line(((0.12, 0.85), (0.45, 0.2), (0.85, 0.55))), Oval((0.35, 0.1, 0.2, 0.2)))),
)  # fmt: skip
