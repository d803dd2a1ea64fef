"""Studies as jobs: what is solved for each kind, what is said of it before, and how it is shown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from impeto.app.studies.pictures import CURVES, FRONT, HISTORY, SLOPE_BARS, views_of
from impeto.app.studies.setup import SCATTER, SLOPES, Setup
from impeto.core.elements import Fit, Optimisation, ParameterSweep
from impeto.core.model.model import Model
from impeto.core.studies.fitting import Fitted
from impeto.core.studies.optimum import History
from impeto.core.studies.point import Answer, Asked
from impeto.core.studies.sensitivity import Indices, Slope
from impeto.core.studies.solved import Solved
from impeto.services.caches import made_folder
from impeto.services.studies import searching, sweeping
from impeto.services.studies.searching import Found

Progress = Callable[[float, float], bool]
Study = ParameterSweep | Optimisation | Fit


@dataclass
class SoFar:
    """What is solved while it goes on; written by the thread of the job."""

    answers: dict[int, Answer] = field(default_factory=dict)
    history: History | None = None


@dataclass(frozen=True, slots=True)
class Prepared:
    """task : of a job;  told : before it begins;  views : its pictures, the best one first
    whole, path : of a sweep, of which nothing is solved, and the file of its points"""

    task: Callable[[Progress], Any]
    told: str
    views: list[str]
    whole: Solved | None = None
    path: Path | None = None


def prepared(
    model: Model, setup: Setup, where: str | None, so_far: SoFar, folder: str = ""
) -> Prepared:
    """What is typed, ready to be solved. Raises ModelError for what cannot be.

    where : the address of a scheduler, None for this machine;  folder : for recordings of points
    """
    study, kind = setup.study(), setup.kind.currentText()
    if kind == SLOPES:
        return _slopes(model, study, where)
    if kind == SCATTER:
        return _scatter(model, study, setup.points.value(), where)
    if isinstance(study, Fit):
        return _fit(model, study, where)
    if isinstance(study, Optimisation):
        return _search(model, study, setup.points.value(), where, so_far)
    return _sweep(model, study, where, so_far, folder)


def _sweep(
    model: Model, study: ParameterSweep, where: str | None, so_far: SoFar, folder: str
) -> Prepared:
    whole = sweeping.asked_of(model, study)
    path = Path(made_folder("studies", sweeping.key_of(whole).encode())) / "points.study"

    def task(progress: Progress) -> Solved:
        def told(done: int, of: int, number: int, answer: Answer) -> bool:
            so_far.answers[number] = answer
            return progress(done / of, 0.0)

        return sweeping.solve_sweep(model, study, path, where, told=told, folder=folder)

    said = "Each is kept as soon as it is solved: stop, go on as you like."
    return Prepared(task, said, views_of(whole), whole, path)


def _slopes(model: Model, study: Study, where: str | None) -> Prepared:
    vary = {v.parameter: v.values for v in study.vary}

    def task(progress: Progress) -> list[Slope]:
        return searching.sensitivities(model, vary, study.case, workers=where,
                                       wanted=lambda: progress(0.5, 0.0))  # fmt: skip

    return Prepared(task, "Eight runs for each parameter, about the present values.", [SLOPE_BARS])


def _scatter(model: Model, study: Study, points: int, where: str | None) -> Prepared:
    vary = {v.parameter: v.values for v in study.vary}
    runs = 1 << max(points - 1, 1).bit_length()

    def task(progress: Progress) -> list[Indices]:
        return searching.variance(model, vary, runs, study.case, workers=where,
                                  wanted=lambda: progress(0.5, 0.0))  # fmt: skip

    said = f"{(2 + len(vary)) * runs} runs with values drawn by chance."
    return Prepared(task, said, [SLOPE_BARS])


def _fit(model: Model, study: Fit, where: str | None) -> Prepared:
    def task(progress: Progress) -> tuple[Asked, Fitted]:
        def told(rounds: int, _left: float) -> bool:
            return progress(rounds / (rounds + 10), 0.0)

        return searching.fit(model, study, workers=where, told=told)

    said = "Runs until the curve is followed as well as can be; Stop keeps the best."
    return Prepared(task, said, [CURVES])


def _search(
    model: Model, study: Optimisation, runs: int, where: str | None, so_far: SoFar
) -> Prepared:
    def task(progress: Progress) -> Found:
        def told(history: History) -> bool:
            so_far.history = history.so_far()
            return progress(len(history.values) / runs, 0.0)

        return searching.optimise(model, study, workers=where, told=told)

    views = [FRONT] if study.against else [HISTORY]
    return Prepared(task, f"At most {runs} runs; Stop keeps what was found.", views)
