"""Sweeps: every point solved once, kept on disk at once, gone on with later."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import asdict
from pathlib import Path
from types import MappingProxyType

from impeto.core.errors import ModelError
from impeto.core.model.fields import Written
from impeto.core.model.judging import FigureOf
from impeto.core.model.model import Model
from impeto.core.model.scope import find_case
from impeto.core.model.studies import GRID, ParameterSweep, Varied
from impeto.core.studies.point import Answer, Asked
from impeto.core.studies.sampling import points_of
from impeto.core.studies.solved import Solved
from impeto.core.studies.spread import Spread
from impeto.services import model_file
from impeto.services.atomic import made
from impeto.services.studies.study_file import StudyFile
from impeto.services.studies.tasks import PointRuns, path_of
from impeto.services.workers.task import Workers
from impeto.services.workers.where import at

# Gets how many points are solved and how many there are, and the last one; False stops.
Told = Callable[[int, int, int, Answer], bool]


def asked_of(
    model: Model, sweep: ParameterSweep, until: Written | None = None,
    tol: float | str | None = None,
) -> Solved:  # fmt: skip
    """A sweep of which nothing is solved. Raises ModelError for what cannot be swept."""
    if not model.of(FigureOf):
        raise ModelError(
            "there is no figure to sweep", remedy="Add one, such as a peak or a period"
        )
    points = points_of(model, sweep)
    case = find_case(model, sweep.case or None).name
    return Solved(Asked(model, case, points.varied, until, tol), points, MappingProxyType({}))


def solve_sweep(
    model: Model, sweep: ParameterSweep, path: str | Path | None = None,
    workers: Workers | str | None = None, until: Written | None = None,
    tol: float | str | None = None, told: Told | None = None, folder: str | Path = "",
) -> Solved:  # fmt: skip
    """Solve the points of a sweep that are not solved yet.

    path : of the file that keeps them; one that is there is gone on with
    workers : where; the address of a Dask scheduler, or processes of this machine for None
    folder : where the recording of each point is kept, the same on all machines; points that are
        solved but have none there are solved again
    Raises ModelError for what cannot be swept and FileError for a file that cannot be used. Points
    that fail are answers with a problem.
    """
    whole = asked_of(model, sweep, until, tol)
    kept = StudyFile(path, key_of(whole)) if path is not None else None
    try:
        answers = dict(kept.solved()) if kept is not None else {}
        kept_in = str(made(Path(folder).absolute())) if str(folder) else ""
        left = {
            n: values for n, values in enumerate(whole.values)
            if n not in answers or (kept_in and not path_of(kept_in, n).exists())
        }  # fmt: skip
        wants = [True]
        task = PointRuns(whole.asked, kept_in)
        with at(workers) as where:
            for number, answer in task.answers(where, left, lambda: wants[0]):
                if kept is not None:
                    kept.add(number, whole.values[number], answer)
                answers[number] = answer
                if told is not None and not told(len(answers), len(whole.values), number, answer):
                    wants[0] = False
        return Solved(whole.asked, whole.points, MappingProxyType(answers))
    finally:
        if kept is not None:
            kept.close()


def sweep(
    model: Model, vary: ParameterSweep | Mapping[str, str], path: str | Path | None = None,
    sampling: str = GRID, points: int = 64, seed: int = 1, case: str = "",
    until: Written | None = None, tol: float | str | None = None,
    workers: Workers | str | None = None, progress: Told | None = None,
    recordings: str | Path = "",
) -> Solved:  # fmt: skip
    """Solve a case many times with values of parameters as they are typed, such as {'rod': '60 mm :
    200 mm : 12'}, or with a sweep of the model: `values`, `figures`, `margins` over the points,
    `problems` of those that failed, `share_met`.

    path : of a file that keeps what is solved; a sweep that was stopped is gone on with
    sampling : 'grid', 'Latin hypercube' or 'Sobol', these of so many points
    workers : the address of a Dask scheduler; processes of this machine when None
    progress : gets how many are solved, of how many, the last point and its answer; False stops
    recordings : a folder for the recording of each point, point-00000.h5 …

    Raises ModelError for what cannot vary, FileError for a file or cluster that cannot be used.
    """
    if isinstance(vary, Mapping):
        varied = tuple(Varied(parameter=name, values=values) for name, values in vary.items())
        vary = ParameterSweep(name="sweep", vary=varied, sampling=sampling, points=points,
                              seed=seed, case=case)  # fmt: skip
    return solve_sweep(model, vary, path, workers, until, tol, progress, recordings)


def key_of(whole: Solved) -> str:
    """What the points are of: model, case, end, accuracy, and which points."""
    asked = whole.asked
    about = [asked.case, str(asked.until), str(asked.tol), [_about(s) for s in asked.varied]]
    found = hashlib.sha256(model_file.to_text(asked.model).encode())
    found.update(json.dumps(about).encode())
    found.update(whole.values.tobytes())
    return found.hexdigest()


def _about(spread: Spread) -> dict[str, object]:
    """What it is; how it is told does not matter."""
    return {name: value for name, value in asdict(spread).items() if name != "typed"}
