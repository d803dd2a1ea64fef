"""Processes of this machine as workers."""

from __future__ import annotations

import gc
import multiprocessing
import multiprocessing.forkserver as forkserver
import os
import signal
import threading
import time
from collections import deque
from collections.abc import Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from impeto.core.geometry.compiled import known_to_numba
from impeto.services.workers.task import AHEAD, DIED, Task, Watch

LOOK = 0.05  # s between two looks at what is wanted
ALONE = 1.0  # s between two looks at whether anybody waits for answers
GOING, FIRST = 0, 1  # places in what is shared: whether all go on, and the first seat's
READY = ["impeto.services.preloaded"]  # what a server of processes has in it

_task: Task | None = None  # in a process of the pool
_shared: Any = None  # there: whether all go on, and for each seat whether it does, and its share


def get_ready() -> None:
    """Begin with the server that processes are copied from: it takes seconds, beside the work."""
    multiprocessing.get_context("forkserver").set_forkserver_preload(READY)
    forkserver.ensure_running()


def new_context() -> Any:
    """How processes are made: by a copy of this one where it has a single thread, as scripts have,
    so that they are ready at once and do not run the script again; else from a server."""
    # Threads of others, as the window's, are not counted; the one that asks knows what it is.
    alone = threading.current_thread() is threading.main_thread() and threading.active_count() == 1
    context: Any = multiprocessing.get_context("fork" if alone else "forkserver")
    if alone:
        known_to_numba()  # loaded once, for all copies
    else:
        context.set_forkserver_preload(READY)
    return context


def cores() -> int:
    """That this process may use."""
    return len(os.sched_getaffinity(0))


class Processes:
    """One for each core; they stay for the next runs of the same task."""

    def __init__(self, count: int | None = None) -> None:
        self.count = count or cores()
        self._pool: ProcessPoolExecutor | None = None
        self._task: Task | None = None
        self._shared: Any = None

    def answers(
        self, task: Task, items: Mapping[int, Any], watch: Watch
    ) -> Iterator[tuple[int, Any]]:
        batches = deque([dict(items)])
        while batches and watch.wanted():
            left, begun = batches.popleft(), set[int]()
            try:
                for number, answer in self._round(task, left, begun, watch):
                    del left[number]
                    yield number, answer
            except BrokenProcessPool:  # by one of those that had begun: each alone tells by which
                self.close()
                suspects = begun & set(left)
                if len(begun) == 1:
                    yield from ((number, task.lost(left[number], DIED)) for number in suspects)
                else:
                    batches.extend({number: left[number]} for number in sorted(suspects))
                rest = {number: item for number, item in left.items() if number not in suspects}
                if rest:
                    batches.appendleft(rest)

    def _ready(self, task: Task) -> ProcessPoolExecutor:
        """Processes that know the task."""
        if self._pool is None or self._task is not task:
            self.close()
            context = new_context()
            seats = self.count * AHEAD
            self._task, self._shared = task, context.RawArray("d", FIRST + 2 * seats)
            self._pool = ProcessPoolExecutor(self.count, mp_context=context, initializer=_begin,
                                             initargs=(task, self._shared))  # fmt: skip
        self._shared[GOING] = 1.0
        return self._pool

    def _round(
        self, task: Task, left: Mapping[int, Any], begun: set[int], watch: Watch
    ) -> Iterator[tuple[int, Any]]:
        """Up to where all are solved or a process dies. begun : gets the numbers that were handed
        out"""
        pool, waiting = self._ready(task), iter(list(left.items()))
        shared, seats = self._shared, list(range(self.count * AHEAD))
        jobs: dict[Future[Any], tuple[int, int]] = {}  # number, seat

        def hand_out() -> None:
            while seats and shared[GOING]:
                following = next(waiting, None)
                if following is None:
                    return
                number, seat = following[0], seats.pop(0)
                begun.add(number)
                shared[_goes(seat)], shared[_share(seat)] = 1.0, 0.0
                jobs[pool.submit(_run, seat, *following)] = number, seat

        try:
            hand_out()
            while jobs:
                done, _ = wait(jobs, timeout=LOOK, return_when=FIRST_COMPLETED)
                if shared[GOING] and not watch.wanted():
                    shared[GOING] = 0.0
                for number, seat in jobs.values():
                    shared[_goes(seat)] = float(number not in watch.stopped)
                    if watch.shares is not None:
                        watch.shares[number] = shared[_share(seat)]
                for job in done:
                    number, seat = jobs.pop(job)
                    seats.append(seat)
                    yield number, job.result()
                hand_out()
        finally:
            shared[GOING] = 0.0

    def close(self) -> None:
        if self._pool is not None:
            self._shared[GOING] = 0.0
            self._pool.shutdown(cancel_futures=True)
        self._pool = None


def _goes(seat: int) -> int:
    return FIRST + 2 * seat


def _share(seat: int) -> int:
    return FIRST + 2 * seat + 1


def _begin(task: Task, shared: Any) -> None:
    global _task, _shared
    _task, _shared = task, shared
    gc.freeze()  # what it was copied with is not its to throw away: windows share a display
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # a key in the shell is for the one that asks
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()


def _end_with(parent: int) -> None:
    """Not to go on for nobody when the one that asks was killed."""
    while os.getppid() == parent:
        time.sleep(ALONE)
    os._exit(1)


def _run(seat: int, number: int, item: Any) -> Any:
    assert _task is not None

    def wanted() -> bool:
        return bool(_shared[GOING] and _shared[_goes(seat)])

    def tell(share: float) -> None:
        _shared[_share(seat)] = share

    return _task.run(number, item, wanted, tell)
