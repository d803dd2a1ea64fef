"""Workers of a Dask cluster. Scheduler and workers trust each other: bind them to machines of your
own (docs/cluster.md)."""

from __future__ import annotations

import importlib.metadata
import time
import uuid
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from distributed import CancelledError, Client, KilledWorker, WorkerPlugin, as_completed
from distributed.comm.core import CommClosedError

from impeto.core.errors import FileError
from impeto.services.workers.task import AHEAD, DIED, Task, Watch

PATIENCE = 10.0  # s for a scheduler to answer, and for a first worker to come
CLOSING = 2.0  # s for a scheduler to say goodbye
LOOK = 0.02  # s between two looks at whether it should go on
LONELY = 60.0  # s without any worker after which waiting is given up
ASKING = 0.5  # s between two questions to all workers how far they are
SEVERAL = 4  # runs of a job where there are many: the way to and fro then costs little


class ClusterError(FileError):
    """A cluster cannot be used, or was lost; what was solved is kept."""


class _Room:
    """In a worker: a task, which of its runs are to end, and how far they are."""

    def __init__(self, task: Task) -> None:
        self.task = task
        self.going = True
        self.stopped = frozenset[int]()
        self.shares = dict[int, float]()


_rooms: dict[str, _Room] = {}  # in a worker, by the key of what was asked


class _Brought(WorkerPlugin):  # type: ignore[misc]
    """Brings the task to every worker, those that come later too: what is lost with a worker is no
    more than its runs."""

    def __init__(self, key: str, task: Task) -> None:
        self.key, self.task = key, task

    def setup(self, worker: Any) -> None:
        _rooms[self.key] = _Room(self.task)

    def teardown(self, worker: Any) -> None:
        _rooms.pop(self.key, None)


def _run(key: str, items: Sequence[tuple[int, Any]]) -> list[Any]:
    room = _rooms[key]
    found = []
    for number, item in items:

        def wanted(number: int = number) -> bool:
            return room.going and number not in room.stopped

        def tell(share: float, number: int = number) -> None:
            room.shares[number] = share

        found.append(room.task.run(number, item, wanted, tell))
        room.shares.pop(number, None)
    return found


def _asked(key: str, going: bool, stopped: frozenset[int]) -> dict[int, float]:
    """In every worker: what is wanted is told, how far runs are comes back."""
    if key not in _rooms:
        return {}
    _rooms[key].going, _rooms[key].stopped = going, stopped
    return dict(_rooms[key].shares)


class Cluster:
    """The workers of a scheduler at an address such as tcp://10.0.0.5:8786."""

    def __init__(self, address: str, patience: float = PATIENCE) -> None:
        """Raises ClusterError where nobody answers, no worker is there, or versions differ."""
        try:
            self._client: Any = Client(address, timeout=patience, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise ClusterError(
                f"No Dask scheduler answers at {address}: start one with 'dask scheduler', or "
                "correct the address."
            ) from error
        try:
            self._client.wait_for_workers(1, timeout=patience)
            self._check_versions()
        except TimeoutError as error:
            self._client.close()
            raise ClusterError(
                f"The scheduler at {address} has no workers: start some with "
                f"'dask worker {address} --nthreads 1'."
            ) from error
        except ClusterError:
            self._client.close()
            raise
        self.address = address
        self.count = sum(self._client.nthreads().values())
        self._looked = self._seen = time.monotonic()  # at workers; that one was there

    def _check_versions(self) -> None:
        """Raises ClusterError where a worker computes with another version."""
        own = version()
        for worker, there in self._client.run(version, on_error="return").items():
            if there != own:
                said = f"has Impeto {there}" if isinstance(there, str) else "has no Impeto"
                raise ClusterError(
                    f"The worker at {worker} {said}, this is {own}: install the same version there."
                )

    def answers(
        self, task: Task, items: Mapping[int, Any], watch: Watch
    ) -> Iterator[tuple[int, Any]]:
        """See task.Workers. A worker that is lost has its runs done by another one."""
        try:
            yield from self._answers(task, items, watch)
        except (CommClosedError, CancelledError, OSError, TimeoutError) as error:
            raise ClusterError(
                f"The scheduler at {self.address} was lost. What was solved is kept: start it "
                "again and go on."
            ) from error

    def _answers(
        self, task: Task, items: Mapping[int, Any], watch: Watch
    ) -> Iterator[tuple[int, Any]]:
        self._seen = time.monotonic()
        key = f"impeto-{uuid.uuid4()}"
        self._client.register_plugin(_Brought(key, task), name=key)
        try:
            yield from self._rounds(key, task, items, watch)
        finally:
            if self._client.status == "running":  # a lost scheduler would be waited for
                self._client.run(_asked, key, False, frozenset(), on_error="ignore")
                self._client.unregister_worker_plugin(key)

    def _rounds(
        self, key: str, task: Task, items: Mapping[int, Any], watch: Watch
    ) -> Iterator[tuple[int, Any]]:
        several = SEVERAL if len(items) > 8 * SEVERAL * self.count else 1
        numbers = list(items)
        waiting = deque(numbers[k : k + several] for k in range(0, len(numbers), several))
        suspects = deque[list[int]]()  # whose worker died: one at a time tells by which
        jobs = dict[str, list[int]]()
        ended = as_completed(loop=self._client.loop)
        asking = _Asking(self._client, key, watch)

        def hand_out() -> None:
            while asking.going and len(jobs) < max(self.count, 1) * AHEAD:
                if not waiting and (jobs or not suspects):
                    return
                following = (waiting or suspects).popleft()
                job = self._client.submit(_run, key, [(n, items[n]) for n in following], pure=False)
                jobs[job.key] = following
                ended.add(job)

        hand_out()
        while jobs:
            asking.look()
            if not ended.has_ready():
                self._alive()
                time.sleep(LOOK)
                continue
            job = next(ended)
            alone, done = len(jobs) == 1, jobs.pop(job.key)
            try:
                answers = job.result()
            except KilledWorker:
                guilty = alone and len(done) == 1
                if not guilty:
                    suspects.extend([number] for number in done)
                answers = [task.lost(items[done[0]], DIED)] if guilty else []
            hand_out()
            yield from zip(done, answers, strict=False)

    def _alive(self) -> None:
        """Raises where nobody is left whom answers could come from."""
        if self._client.status != "running":
            raise CommClosedError("the scheduler does not answer")
        now = time.monotonic()
        if now - self._looked < ASKING:
            return
        self._looked = now
        if self._client.nthreads():
            self._seen = now
        elif now - self._seen > LONELY:
            raise ClusterError(
                f"The scheduler at {self.address} has no workers any more. What was solved is "
                f"kept: start some with 'dask worker {self.address} --nthreads 1' and go on."
            )

    def close(self) -> None:
        self._client.close(timeout=CLOSING)


class _Asking:
    """Tells all workers what is wanted, when that changes, and asks how far they are."""

    def __init__(self, client: Any, key: str, watch: Watch) -> None:
        self._client, self._key, self._watch = client, key, watch
        self.going = True
        self._told: tuple[bool, frozenset[int]] = True, frozenset()
        self._last = time.monotonic()

    def look(self) -> None:
        self.going = self.going and self._watch.wanted()
        now = self.going, frozenset(self._watch.stopped)
        curious = self._watch.shares is not None and time.monotonic() - self._last > ASKING
        if now == self._told and not curious:
            return
        found = self._client.run(_asked, self._key, *now, on_error="ignore")
        self._told, self._last = now, time.monotonic()
        for shares in found.values():
            if self._watch.shares is not None and isinstance(shares, dict):
                self._watch.shares.update(shares)


def version() -> str:
    """Of Impeto, where this is run."""
    return importlib.metadata.version("impeto")
