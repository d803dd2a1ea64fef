"""What workers are to do, and what is wanted of them meanwhile."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, Protocol

Wanted = Callable[[], bool]
Tell = Callable[[float], None]
AHEAD = 3  # runs handed to a worker before it is free
DIED = "its process ended without an answer, as where memory runs out"


class Task(Protocol):
    """What all runs are of. It is handed to each worker once."""

    def run(self, number: int, item: Any, wanted: Wanted, tell: Tell) -> Any:
        """The answer of a run, in a worker. It asks `wanted` on the way, which may say that it is
        to end, and tells the share that is done."""

    def lost(self, item: Any, why: str) -> Any:
        """In place of an answer that does not come."""


class Watch:
    """What the one who asks for runs wants, and learns of them, while they go on.

    wanted : whether more are begun; those that go on end where it says no
    stopped : numbers of runs that are to end by themselves
    shares : done so far, by number; None: nobody wants to know
    """

    def __init__(self, wanted: Wanted = lambda: True, shares: dict[int, float] | None = None):
        self.wanted, self.shares = wanted, shares
        self.stopped = set[int]()


class Workers(Protocol):
    """Where runs are solved."""

    count: int

    def answers(
        self, task: Task, items: Mapping[int, Any], watch: Watch
    ) -> Iterator[tuple[int, Any]]:
        """Number and answer of each item, as runs end."""

    def close(self) -> None:
        """End what belongs to it."""
