"""Events in numbers."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.model.formula import Node


@dataclass(frozen=True, slots=True, kw_only=True)
class EventData:
    """value crosses zero upwards (direction 1) or downwards (−1)."""

    name: str
    value: Node
    direction: int
    action: str
    target: str
    again: bool
