"""What the loop asks of a method of integration (after SciPy's solvers: the loop owns control, a
method is its coefficients and its steps)."""

from __future__ import annotations

from typing import ClassVar, Protocol


class Stepper(Protocol):
    """A method that takes a run from its present state towards its end.

    It writes the outputs that its steps pass, changes switches whose guards fail, and leaves to
    the loop what concerns the run as a whole: events, instants of the timetable, lists of what is
    near, failures. It knows no progress and no stop.
    """

    title: ClassVar[str]  # as statistics call it

    def advance(self) -> int:
        """A step, or as many as take some hundredths of a second; a status.Status."""
        ...

    def restart(self) -> None:
        """Go on from the state of the run, which an event has changed."""
        ...

    def resume(self) -> None:
        """Go on with the switches that an instant of the timetable has set."""
        ...
