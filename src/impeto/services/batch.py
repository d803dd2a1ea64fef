"""Several cases at once, each in a process of its own."""

from __future__ import annotations

import multiprocessing
import os
import tempfile
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from pathlib import Path
from typing import Any

from impeto.core.errors import ModelError
from impeto.core.model.fields import Written
from impeto.core.model.model import Model
from impeto.core.results.recording import Recording
from impeto.core.simulate import simulate
from impeto.core.solvers.run import Progress
from impeto.services import recording_file

LOOK = 0.05  # s between two looks at progress and cancel
_shared: Any = None  # in a process of one case: shares done of all cases, and the wish to stop


def _begin(shared: Any) -> None:
    global _shared
    _shared = shared


def _solve(
    model: Model, case: str, until: Written | None, tol: float | str | None, number: int,
    folder: str,
) -> str:  # fmt: skip
    """In the process of one case: solve, and leave the recording in a file."""

    def progress(share: float, _solved: float) -> bool:
        _shared[number] = share
        return bool(_shared[-1] == 0.0)

    recording = simulate(model, case, until, tol, progress)
    path = str(Path(folder) / f"{number}.h5")
    recording_file.save_recording(recording, path)
    return path


def new_context() -> Any:
    """How processes are made: by a copy of this one where it has a single thread, as scripts have,
    so that they are ready at once and do not run the script again; else from a server."""
    # Threads of others, as the window's, are not counted; the one that asks knows what it is.
    alone = threading.current_thread() is threading.main_thread() and threading.active_count() == 1
    return multiprocessing.get_context("fork" if alone else "forkserver")


def simulate_cases(
    model: Model, cases: Sequence[str], until: Written | None, tol: float | str | None,
    progress: Progress | None = None, tell: Callable[[Sequence[float]], None] | None = None,
) -> dict[str, Recording]:  # fmt: skip
    """Recordings of cases by name, solved in as many processes as there are cores.

    progress : gets the mean share done and 0; may stop all, which keeps what was solved
    tell : gets the share done of each case
    Raises ModelError of the first case that cannot be run.
    """
    context = new_context()
    workers = max(1, min(len(cases), os.cpu_count() or 1))
    shared = context.RawArray("d", len(cases) + 1)
    with (
        tempfile.TemporaryDirectory() as folder,
        ProcessPoolExecutor(
            workers, mp_context=context, initializer=_begin, initargs=(shared,)
        ) as pool,
    ):
        jobs = {
            pool.submit(_solve, model, case, until, tol, number, folder): case
            for number, case in enumerate(cases)
        }
        _watch(jobs, shared, len(cases), progress, tell)
        return {case: recording_file.open_recording(job.result()) for job, case in jobs.items()}


def _watch(
    jobs: dict[Future[str], str], shared: Any, count: int, progress: Progress | None,
    tell: Callable[[Sequence[float]], None] | None,
) -> None:  # fmt: skip
    """Wait for all jobs; tell progress, pass a wish to stop on, and end at the first error."""
    left = set(jobs)
    while left:
        done, left = wait(left, timeout=LOOK, return_when=FIRST_COMPLETED)
        for job in done:
            error = job.exception()
            if error is not None:
                shared[-1] = 1.0
                if isinstance(error, ModelError):
                    raise ModelError(
                        f"case {jobs[job]}: {error.problem}", element=error.element,
                        field=error.field, remedy=error.remedy,
                    )  # fmt: skip
                raise error
        if tell is not None:
            tell(list(shared[:count]))
        if progress and not progress(sum(shared[:count]) / count, 0.0):
            shared[-1] = 1.0
