"""Workers of a Dask cluster. Scheduler and workers trust each other: bind them to machines of your
own (docs/cluster.md)."""

from __future__ import annotations

import importlib.metadata
import time
import uuid
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from distributed import CancelledError, Client, KilledWorker, WorkerPlugin, as_completed
from distributed.comm.core import CommClosedError

from impeto.core.errors import FileError
from impeto.core.studies.point import Answer, Asked, solve_point
from impeto.services.studies.workers import AHEAD, DIED, Wanted

Floats = npt.NDArray[np.float64]
PATIENCE = 10.0  # s for a scheduler to answer, and for a first worker to come
CLOSING = 2.0  # s for a scheduler to say goodbye
LOOK = 0.02  # s between two looks at whether it should go on
SEVERAL = 4  # points of a task where there are many: the way to and fro then costs little


class ClusterError(FileError):
    """A cluster cannot be used, or was lost; what was solved is kept."""


_asked: dict[str, Asked] = {}  # in a worker: what runs are of, by the key of their study


class _Brought(WorkerPlugin):  # type: ignore[misc]
    """Brings what is asked to every worker, those that come later too: what is lost with a worker
    is no more than its runs."""

    def __init__(self, key: str, asked: Asked) -> None:
        self.key, self.asked = key, asked

    def setup(self, worker: Any) -> None:
        _asked[self.key] = self.asked

    def teardown(self, worker: Any) -> None:
        _asked.pop(self.key, None)


def _solve(key: str, points: Sequence[Floats]) -> list[Answer]:
    return [solve_point(_asked[key], point) for point in points]


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
        self, asked: Asked, points: Mapping[int, Floats], wanted: Wanted
    ) -> Iterator[tuple[int, Answer]]:
        """See workers.Workers. A worker that is lost has its runs done by another one."""
        try:
            yield from self._answers(asked, points, wanted)
        except (CommClosedError, CancelledError, OSError, TimeoutError) as error:
            raise ClusterError(
                f"The scheduler at {self.address} was lost. What was solved is kept: start it "
                "again and go on."
            ) from error

    def _answers(
        self, asked: Asked, points: Mapping[int, Floats], wanted: Wanted
    ) -> Iterator[tuple[int, Answer]]:
        key = f"impeto-{uuid.uuid4()}"
        self._client.register_plugin(_Brought(key, asked), name=key)
        try:
            yield from self._rounds(key, points, wanted)
        finally:
            if self._client.status == "running":  # a lost scheduler would be waited for
                self._client.unregister_worker_plugin(key)

    def _rounds(
        self, key: str, points: Mapping[int, Floats], wanted: Wanted
    ) -> Iterator[tuple[int, Answer]]:
        several = SEVERAL if len(points) > 8 * SEVERAL * self.count else 1
        numbers = list(points)
        waiting = deque(numbers[k : k + several] for k in range(0, len(numbers), several))
        jobs = dict[str, list[int]]()
        ended = as_completed(loop=self._client.loop)

        def hand_out() -> None:
            while len(jobs) < max(self.count, 1) * AHEAD:
                if not waiting:
                    return
                following = waiting.popleft()
                of = [points[number] for number in following]
                job = self._client.submit(_solve, key, of, pure=False)
                jobs[job.key] = following
                ended.add(job)

        hand_out()
        while jobs:
            if not wanted():
                return  # futures that nobody holds are given up
            if not ended.has_ready():
                self._alive()
                time.sleep(LOOK)
                continue
            job = next(ended)
            done = jobs.pop(job.key)
            try:
                answers = job.result()
            except KilledWorker:  # by one of its points: each by itself tells by which
                if len(done) > 1:
                    waiting.extend([number] for number in done)
                answers = [Answer({}, {}, DIED)] if len(done) == 1 else []
            hand_out()
            yield from zip(done, answers, strict=False)

    def _alive(self) -> None:
        if self._client.status != "running":
            raise CommClosedError("the scheduler does not answer")

    def close(self) -> None:
        self._client.close(timeout=CLOSING)


def version() -> str:
    """Of Impeto, where this is run."""
    return importlib.metadata.version("impeto")
