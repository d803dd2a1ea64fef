"""Where the runs of a study are solved: in processes of this machine, or in workers of a Dask
cluster. Both answer in the order in which runs end."""

from __future__ import annotations

import os
import signal
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt

from impeto.core.studies.point import Answer, Asked, solve_point
from impeto.services.batch import new_context

Floats = npt.NDArray[np.float64]
Wanted = Callable[[], bool]
LOOK = 0.05  # s between two looks at whether it should go on
AHEAD = 3  # runs handed to a process before it is free
TRIES = 3  # of a run whose process dies
DIED = "its process ended without an answer, as where memory runs out"

_asked: Asked | None = None  # in a process of the pool: what its runs are of
_wanted: Any = None  # there: 1.0 while they should go on


class Workers(Protocol):
    """Where runs are solved."""

    count: int

    def answers(
        self, asked: Asked, points: Mapping[int, Floats], wanted: Wanted
    ) -> Iterator[tuple[int, Answer]]:
        """Number and answer of each point (D,), as runs end. Where `wanted` says no, those that
        have begun end and no more are begun."""

    def close(self) -> None:
        """End what belongs to it."""


class Processes:
    """Processes of this machine, one for each core; they stay for the next points of a study."""

    def __init__(self, count: int | None = None) -> None:
        self.count = count or os.cpu_count() or 1
        self._pool: ProcessPoolExecutor | None = None
        self._asked: Asked | None = None
        self._going_on: Any = None

    def answers(
        self, asked: Asked, points: Mapping[int, Floats], wanted: Wanted
    ) -> Iterator[tuple[int, Answer]]:
        left, tries = dict(points), dict.fromkeys(points, 0)
        while left and wanted():
            try:
                for number, answer in self._round(asked, left, tries, wanted):
                    del left[number]
                    yield number, answer
                return
            except BrokenProcessPool:
                self.close()
                for number in [n for n in left if tries[n] >= TRIES]:
                    del left[number]
                    yield number, Answer({}, {}, DIED)

    def _ready(self, asked: Asked) -> ProcessPoolExecutor:
        """Processes that know what is asked."""
        if self._pool is None or self._asked is not asked:
            self.close()
            context = new_context()
            self._asked, self._going_on = asked, context.RawValue("d", 1.0)
            self._pool = ProcessPoolExecutor(self.count, mp_context=context, initializer=_begin,
                                             initargs=(asked, self._going_on))  # fmt: skip
        self._going_on.value = 1.0
        return self._pool

    def _round(
        self, asked: Asked, left: Mapping[int, Floats], tries: dict[int, int], wanted: Wanted
    ) -> Iterator[tuple[int, Answer]]:
        """Up to where all are solved or a process dies."""
        pool, waiting = self._ready(asked), iter(list(left.items()))
        jobs: dict[Future[Answer], int] = {}

        def hand_out() -> None:
            while len(jobs) < self.count * AHEAD and self._going_on.value:
                following = next(waiting, None)
                if following is None:
                    return
                tries[following[0]] += 1
                jobs[pool.submit(_solve, following[1])] = following[0]

        try:
            hand_out()
            while jobs:
                done, _ = wait(jobs, timeout=LOOK, return_when=FIRST_COMPLETED)
                if self._going_on.value and not wanted():
                    self._going_on.value = 0.0
                for job in done:
                    number, answer = jobs.pop(job), job.result()
                    if self._going_on.value or not answer.problem:  # else it was broken off
                        yield number, answer
                hand_out()
        finally:
            if self._going_on is not None:
                self._going_on.value = 0.0

    def close(self) -> None:
        if self._pool is not None:
            self._going_on.value = 0.0
            self._pool.shutdown(cancel_futures=True)
        self._pool = None


def _begin(asked: Asked, going_on: Any) -> None:
    global _asked, _wanted
    _asked, _wanted = asked, going_on
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # a key in the shell is for the one that asks


def _solve(values: Floats) -> Answer:
    assert _asked is not None
    return solve_point(_asked, values, lambda: bool(_wanted.value))
