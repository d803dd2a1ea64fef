"""Channels: every quantity of every element, computed from a recording when it is asked for.

One module per kind of element; each yields the channels of its elements.
"""

from __future__ import annotations

from impeto.core.bodies import channels as bodies
from impeto.core.contact import channels as contacts
from impeto.core.couplers import channels as couplers
from impeto.core.drives import channels as drives
from impeto.core.dynamics.channel import Channel
from impeto.core.dynamics.solution import Solution
from impeto.core.flow import channels as flow
from impeto.core.forces import kinds as forces
from impeto.core.joints import channels as joints
from impeto.core.results import system
from impeto.core.results.clearance import BETWEEN, clearance

TOUCH = ".touch."


def all_channels(recording: Solution) -> dict[str, Channel]:
    """Every channel of a recording by name."""
    modules = (system, bodies, joints, forces, drives, couplers, contacts, flow)
    return {c.name: c for module in modules for c in module.channels(recording)}


def channel_on_demand(recording: Solution, path: str, listed: dict[str, Channel]) -> Channel | None:
    """A channel that is not listed because there are too many of its kind: 'A.clearance.B', and
    those of a contact with its two bodies the other way round."""
    a, between, rest = path.partition(TOUCH)
    if between:
        b, _, quantity = rest.partition(".")
        other = listed.get(f"{b}{TOUCH}{a}.{quantity}")
        if other is None:
            return None
        sign = -1.0 if quantity.startswith("force.") else 1.0
        return Channel(path, other.kind, lambda: sign * other.values)
    a, between, b = path.partition(BETWEEN)
    if not between or a == b or not {a, b} <= recording.bodies.keys():
        return None
    return Channel(path, "length", lambda: clearance(recording, a, b))
