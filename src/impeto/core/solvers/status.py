"""What a method answers after its steps."""

from __future__ import annotations

from enum import IntEnum


class Status(IntEnum):
    """Nothing yet, the end, something for the loop to do, or why it cannot go on."""

    DONE = 0
    GOING_ON = 1
    TOO_SMALL = 2  # steps that accuracy asks for
    NOT_FINITE = 3
    EVENT_MET = 4  # its switch is in the clock
    STIFF = 5  # stability limits the steps
    NO_PROGRESS = 6  # switches change without end
    CONFLICT = 7  # constraints contradict each other
    CROSSING = 8  # a guard has failed within the step that was tried
    RENEW = 9  # shapes have moved as far as the list of near pairs holds
    FULL = 10  # no room for more points of contact
    ON_TIME = 11  # an instant of the timetable
    EASY = 12  # accuracy limits the steps of the implicit method, not stability those of others


# As kernels need them.
(
    DONE, GOING_ON, TOO_SMALL, NOT_FINITE, EVENT_MET, STIFF, NO_PROGRESS, CONFLICT, CROSSING, RENEW,
    FULL, ON_TIME, EASY,
) = (status.value for status in Status)  # fmt: skip
