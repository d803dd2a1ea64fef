"""Events, named poses and data sets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Written

__all__ = ["Event"]


AT_TIME, RISES, FALLS = "at a time", "channel rises", "channel falls"
SWITCH_OFF, SWITCH_ON, LOCK = "switch off", "switch on", "lock joint"
SET_PARAMETER, FEED_ONE, END_RUN, MARK = "set parameter", "feed one", "end run", "mark"
ACTIONS = (SWITCH_OFF, SWITCH_ON, LOCK, SET_PARAMETER, FEED_ONE, END_RUN, MARK)


@dataclass(frozen=True, slots=True, kw_only=True)
class Event(Element):
    """When something happens, and what is then done.

    Switching a joint off releases it. Locking a joint stops its free motions where they are, as an
    inelastic impact does, until it is switched on again.
    """

    tag: ClassVar[str] = "event"
    group: ClassVar[str] = "events"
    when: str = fields.choice((AT_TIME, RISES, FALLS), AT_TIME)
    time: Written = fields.quantity("time", "1 s", hint="for: at a time")
    channel: str = fields.text(
        hint="such as saw_frame.position.z; rule.gap of contacts, outlet.count"
    )
    level: Written = fields.quantity(fields.ANY, "0", hint="that the channel crosses")
    action: str = fields.choice(ACTIONS, MARK)
    target: str = fields.text(hint="name of the element or parameter")
    value: Written | None = fields.quantity(
        fields.ANY, optional=True, hint="new value of the parameter"
    )
    again: bool = fields.switch(False, hint="every time, not only the first")

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        out = ("channel", "level") if self.when == AT_TIME else ("time",)
        if self.action in (END_RUN, MARK):
            out = (*out, "target")
        return out if self.action == SET_PARAMETER else (*out, "value")
