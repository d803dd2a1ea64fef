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


@dataclass(frozen=True, slots=True)
class Mark:
    """Something that happened: time [s], the element, and what, in words."""

    time: float
    element: str
    text: str
