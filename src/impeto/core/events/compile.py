"""Numbers of events."""

from __future__ import annotations

from impeto.core.bodies.compilation import Compilation, Numbers
from impeto.core.dynamics.names import LOCK
from impeto.core.dynamics.signals import watched_node
from impeto.core.errors import ModelError
from impeto.core.events.data import EventData
from impeto.core.events.model import AT_TIME, END_RUN, FALLS, FEED_ONE, MARK, SET_PARAMETER, Event
from impeto.core.events.model import LOCK as LOCKS
from impeto.core.model import units
from impeto.core.model.formula import Apply, Name, Node, Number
from impeto.core.model.scope import Scope


def compiled(made: Compilation) -> Numbers:
    """Numbers of all events."""
    scope = made.scope
    events = [event for event in scope.model.of(Event) if scope.on(event)]
    return {EventData: tuple(event_data(scope, event) for event in events)}


def event_data(scope: Scope, event: Event) -> EventData:
    """Condition of an event as a comparison with zero, and a check of what it does."""
    if event.when == AT_TIME:
        at = scope.field(event, "time", "time")
        second = (0, 0, 1, 0, 0)
        value: Node = Apply("-", (Name("t"), Number(at, second)))
        direction = 1
    else:
        if not event.channel.strip():
            raise ModelError(
                "it watches no channel", element=event.name, field="channel",
                remedy="Type, say, saw_frame.position.z",
            )  # fmt: skip
        value = watched_node(scope, event)
        direction = -1 if event.when == FALLS else 1
    _check_target(scope, event)
    zero = Number(0.0, units.NUMBER)
    return EventData(
        name=event.name,
        value=Apply(">", (value, zero)),
        direction=direction,
        action=event.action,
        target=event.target + LOCK if event.action == LOCKS else event.target,
        again=event.again,
    )


def _check_target(scope: Scope, event: Event) -> None:
    if event.action in (END_RUN, MARK):
        return
    target = scope.model.elements.get(event.target)
    kind = {LOCKS: "joint", SET_PARAMETER: "parameter", FEED_ONE: "feeder"}.get(event.action)
    fits = target is not None and (target.switchable if kind is None else target.tag == kind)
    if not fits:
        what = f"a {kind}" if kind else "a joint, coupler, force, drive, contact rule or feeder"
        raise ModelError(
            f"'{event.target}' is not {what}", element=event.name, field="target",
            remedy="Choose another target",
        )  # fmt: skip
    if event.action == SET_PARAMETER and event.value is None:
        raise ModelError(
            "the new value is missing", element=event.name, field="value", remedy="Type it"
        )
