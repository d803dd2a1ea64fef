"""Sensitivities, optimisation and fits of a model, their runs solved where workers are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from impeto.core.elements import Dataset
from impeto.core.errors import ModelError
from impeto.core.model.cases import Case
from impeto.core.model.fields import Written
from impeto.core.model.judging import FigureOf
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope, find_case
from impeto.core.model.studies import GLOBAL, Fit, Optimisation, Varied
from impeto.core.studies import fitting, optimum, sensitivity, trading
from impeto.core.studies.point import Answer, Asked
from impeto.core.studies.sampling import check_count
from impeto.core.studies.sensitivity import Evaluate, Indices, Slope
from impeto.core.studies.spread import LIST, Spread, spreads
from impeto.services.studies.tasks import PointRuns
from impeto.services.workers.task import Wanted, Workers
from impeto.services.workers.where import at

Floats = npt.NDArray[np.float64]
Vary = Sequence[Varied] | Mapping[str, str]


@dataclass(frozen=True)
class Found:
    """What a search led to. values : SI by parameter;  history : of all runs;  figure : that was
    made least;  against : the other one of a trade-off, or ''"""

    asked: Asked
    history: optimum.History
    figure: str
    against: str = ""

    @property
    def best(self) -> Answer:
        return self.history.answers[self.history.best]

    @property
    def values(self) -> dict[str, float]:
        return dict(zip(self.history.names, self.history.values[self.history.best].tolist(),
                        strict=True))  # fmt: skip

    @property
    def missed(self) -> list[str]:
        """Targets and checks that the best values miss."""
        margins = self.best.margins.items()
        return [name for name, margin in margins if not margin >= -optimum.MET]

    @property
    def front(self) -> list[int]:
        """Numbers of the runs that meet all targets and than which none is better in both figures
        of a trade-off, by the first."""
        figures = (self.figure, self.against or self.figure)
        return [int(number) for number in trading.front_of(self.history, figures)]

    @property
    def front_told(self) -> list[list[str]]:
        """Both figures, then the values, of each run on the front, in their units."""
        rows = []
        for number in self.front:
            answer, values = self.history.answers[number], self.history.values[number]
            told = [s.told(v) for s, v in zip(self.asked.varied, values, strict=True)]
            rows.append([answer.told(self.figure), answer.told(self.against), *told])
        return rows

    def with_case(self, name: str) -> Model:
        """The model with the best values as a new case."""
        return with_case(self.asked, self.history.values[self.history.best], name)


def with_case(asked: Asked, values: Floats, name: str) -> Model:
    """The model with values (D,) of what varies as a new case, built on the one that was varied, of
    a name that is free."""
    found = {s.name: s.written(v) for s, v in zip(asked.varied, values, strict=True)}
    taken, number = name, 2
    while taken in asked.model.cases:
        taken, number = f"{name} {number}", number + 1
    return asked.model.with_case(Case(name=taken, values=found, built_on=asked.case))


def as_varied(vary: Vary) -> tuple[Varied, ...]:
    """From a mapping of names to values as they are typed, or as they are."""
    if isinstance(vary, Mapping):
        return tuple(Varied(parameter=name, values=values) for name, values in vary.items())
    return tuple(vary)


def evaluator(where: Workers, asked: Asked, wanted: Wanted) -> Evaluate:
    """Answers of points (P, D) in their order; fewer where it was stopped."""
    task = PointRuns(asked)

    def evaluate(points: Floats) -> list[Answer]:
        found = dict(task.answers(where, dict(enumerate(points)), wanted))
        whole = next((k for k in range(len(points)) if k not in found), len(points))
        return [found[k] for k in range(whole)]

    return evaluate


def _begun(
    model: Model, vary: Vary, case: str | None, until: Written | None, tol: float | str | None
) -> tuple[Asked, Floats]:
    """What is asked of each run, and the present values (D,)."""
    scope = Scope(model, find_case(model, case).name)
    varied = spreads(scope, as_varied(vary))
    start = np.array([float(scope.parameter(spread.name).si) for spread in varied])
    return Asked(model, scope.case.name, varied, until, tol), start


def sensitivities(
    model: Model, parameters: Sequence[str] | Mapping[str, str], case: str | None = None,
    until: Written | None = None, tol: float | str | None = None,
    workers: Workers | str | None = None, wanted: Wanted = lambda: True,
) -> list[Slope]:  # fmt: skip
    """Slopes and elasticities of all figures to parameters about their present values.

    parameters : names, or names with ranges that say how far they may be moved
    Raises ModelError for what cannot vary and where the run as it is fails.
    """
    _check_figures(model)
    if not isinstance(parameters, Mapping):
        parameters = {name: name for name in parameters}  # its own value: a list of one
    asked, start = _begun(model, parameters, case, until, tol)
    with at(workers) as where:
        return sensitivity.slopes(asked.varied, start, _whole(evaluator(where, asked, wanted)))


def variance(
    model: Model, vary: Vary, runs: int = 64, case: str | None = None,
    until: Written | None = None, tol: float | str | None = None,
    workers: Workers | str | None = None, wanted: Wanted = lambda: True, seed: int = 1,
) -> list[Indices]:  # fmt: skip
    """Which parameter the scatter of each figure comes from. runs : a power of two; (2 + D) times
    as many are solved. Raises ModelError."""
    _check_figures(model)
    asked, _ = _begun(model, vary, case, until, tol)
    with at(workers) as where:
        return sensitivity.indices(
            asked.varied, runs, seed, _whole(evaluator(where, asked, wanted))
        )


def _whole(evaluate: Evaluate) -> Evaluate:
    def evaluated(points: Floats) -> Sequence[Answer]:
        answers = evaluate(points)
        if len(answers) < len(points):
            raise ModelError("it was stopped before all runs had ended")
        return answers

    return evaluated


def optimise(
    model: Model, study: Optimisation, until: Written | None = None,
    tol: float | str | None = None, workers: Workers | str | None = None,
    told: optimum.Told | None = None,
) -> Found:  # fmt: skip
    """Values within bounds that make a figure least while all targets are met; where they cannot
    be, what is missed of them, by weight. Of a study against another figure, its trade-off.

    told : gets the history after each run or generation; False stops, which keeps the best
    Raises ModelError for what cannot be varied and where no run succeeds.
    """
    if study.against:
        return trade_off(model, study, study.against, until, tol, workers, told)
    asked, start = _begun(model, study.vary, study.case or None, until, tol)
    _check_bounds(asked.varied)
    _check_figure(model, study.figure)
    runs = check_count(int(Scope(model, asked.case).si(study.runs, "number")))
    with at(workers) as where:
        search = optimum.Search(
            asked.varied, study.figure, evaluator(where, asked, lambda: True), runs, told
        )
        history = optimum.optimise(search, start, study.method == GLOBAL)
    return Found(asked, _kept(history), study.figure)


def trade_off(
    model: Model, study: Optimisation, other: str, until: Written | None = None,
    tol: float | str | None = None, workers: Workers | str | None = None,
    told: optimum.Told | None = None,
) -> Found:  # fmt: skip
    """What of another figure has to be given for less of the study's: runs of which no other is
    better in both, `front` of what is found. Raises ModelError."""
    asked, start = _begun(model, study.vary, study.case or None, until, tol)
    _check_bounds(asked.varied)
    for figure in (study.figure, other):
        _check_figure(model, figure)
    runs = check_count(int(Scope(model, asked.case).si(study.runs, "number")))
    with at(workers) as where:
        evaluate = evaluator(where, asked, lambda: True)
        search = optimum.Search(asked.varied, study.figure, evaluate, runs, told)
        history = trading.together(search, other, start)
        return Found(asked, _kept(history), study.figure, other)


def _kept(history: optimum.History) -> optimum.History:
    _ = history.best  # complains where all failed
    return history


def fit(
    model: Model, study: Fit, tol: float | str | None = None,
    workers: Workers | str | None = None, told: fitting.Told | None = None,
) -> tuple[Asked, fitting.Fitted]:  # fmt: skip
    """Values within bounds with which a channel follows a column of a data set. Raises ModelError.

    told : gets how many curves were solved and what is left (root mean square); False stops, which
    keeps the best
    """
    times, measured = _measured(model, study)
    asked, start = _begun(model, study.vary, study.case or None, None, tol)
    _check_bounds(asked.varied)
    if not study.channel:
        raise ModelError("no channel is named", element=study.name, field="channel")
    asked = replace(asked, channel=study.channel, times=times)
    with at(workers) as where:
        evaluate = evaluator(where, asked, lambda: True)
        return asked, fitting.fit(asked.varied, start, measured, evaluate, told)


def _measured(model: Model, study: Fit) -> tuple[Floats, Floats]:
    """Times (M,) [s] and values of the column. Raises ModelError."""
    dataset = model.elements.get(study.dataset)
    if not isinstance(dataset, Dataset):
        raise ModelError("there is no such data set", element=study.name, field="dataset",
                         remedy="Read one from a CSV file")  # fmt: skip
    titles = list(dataset.columns)
    names = {title.partition("[")[0].strip(): title for title in titles[1:]}
    title = names.get(study.column, study.column)
    if title not in titles[1:]:
        raise ModelError(f"'{study.column}' is no column of {study.dataset}", element=study.name,
                         field="column", remedy=f"There are {', '.join(names)}")  # fmt: skip
    times, values = (np.array(dataset.columns[t]) for t in (titles[0], title))
    rising = np.diff(times, prepend=-np.inf) > 0.0
    if len(times) < 3 or not rising.all() or times[0] < 0.0:
        raise ModelError("its times must rise from zero on", element=study.dataset)
    return times, values


def _check_bounds(varied: Sequence[Spread]) -> None:
    for spread in varied:
        if spread.how == LIST:
            raise ModelError(
                "it needs two bounds", element=spread.name, field="values",
                remedy="Write 60 mm : 200 mm",
            )  # fmt: skip


def _check_figures(model: Model) -> None:
    if not model.of(FigureOf):
        raise ModelError(
            "there is no figure to look at", remedy="Add one, such as a peak or a period"
        )


def _check_figure(model: Model, name: str) -> None:
    if not isinstance(model.elements.get(name), FigureOf):
        known = ", ".join(figure.name for figure in model.of(FigureOf)) or "none"
        raise ModelError(f"there is no figure '{name}'", remedy=f"Figures are {known}")
