"""Several cases at once, each in a process of its own."""

from __future__ import annotations

import multiprocessing
import os
import tempfile
from collections.abc import Sequence
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


def _solve(
    model: Model, case: str, until: Written | None, tol: float | str | None, shared: Any,
    number: int, folder: str,
) -> str:  # fmt: skip
    """In the process of one case: solve, and leave the recording in a file."""

    def progress(share: float, _solved: float) -> bool:
        shared[number] = share
        return shared[-1] == 0.0

    recording = simulate(model, case, until, tol, progress)
    path = str(Path(folder) / f"{number}.h5")
    recording_file.save_recording(recording, path)
    return path


def simulate_cases(
    model: Model, cases: Sequence[str], until: Written | None, tol: float | str | None,
    progress: Progress | None = None,
) -> dict[str, Recording]:  # fmt: skip
    """Recordings of cases by name, solved in as many processes as there are cores.

    progress : gets the mean share done and 0; may stop all, which keeps what was solved
    Raises ModelError of the first case that cannot be run.
    """
    context = multiprocessing.get_context("spawn")
    workers = max(1, min(len(cases), os.cpu_count() or 1))
    with (
        context.Manager() as manager,
        tempfile.TemporaryDirectory() as folder,
        ProcessPoolExecutor(workers, mp_context=context) as pool,
    ):
        shared = manager.list([0.0] * (len(cases) + 1))
        jobs = {
            pool.submit(_solve, model, case, until, tol, shared, number, folder): case
            for number, case in enumerate(cases)
        }
        _watch(jobs, shared, len(cases), progress)
        return {case: recording_file.open_recording(job.result()) for job, case in jobs.items()}


def _watch(
    jobs: dict[Future[str], str], shared: Any, count: int, progress: Progress | None
) -> None:
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
        if progress and not progress(sum(shared[:count]) / count, 0.0):
            shared[-1] = 1.0
