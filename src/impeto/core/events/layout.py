"""Switches of events."""

from __future__ import annotations

from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.tables import EVENT
from impeto.core.events.data import EventData


def add_event(layout: Layout, event: int, data: EventData) -> int:
    """Switch of an event; its guard is written by the comparison in its program."""
    element = layout.element(data.name)
    before = len(layout.switch)
    layout.programs.add(data.value)
    layout.programs.as_instants(len(layout.switch) - 1)
    layout.switch[-1] = (EVENT, event, data.direction, element)
    assert len(layout.switch) > before
    return len(layout.switch) - 1
