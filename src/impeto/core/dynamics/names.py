"""Names of rows, for messages and channels."""

from __future__ import annotations

from dataclasses import dataclass

LOCK = ":lock"  # behind a joint's name: the element that an event switches on to lock it


@dataclass(frozen=True, slots=True)
class RowName:
    """What a constraint row stands for.

    role : '' for what a joint locks, a drive prescribes or a coupler holds; else 'friction',
    'lock', 'rotor' or 'start', which do not count as constraints of the mechanism
    """

    owner: str  # the joint, drive or coupler
    freedom: str  # 'slide x' … 'turn z', or 'teeth', 'relation'
    joint: int  # row of the joint or group
    role: str = ""


EVENTS, STOPS, STICKING, TOUCHES, COPIES, SINGULAR = (
    "events", "stops", "sticking and slipping", "first touches", "what comes and goes",
    "singular poses",
)  # fmt: skip
MARK_KINDS = (EVENTS, STOPS, STICKING, TOUCHES, COPIES, SINGULAR)


@dataclass(frozen=True, slots=True)
class Mark:
    """Something that happened: time [s], the element, what, in words, and one of MARK_KINDS."""

    time: float
    element: str
    text: str
    kind: str = EVENTS
