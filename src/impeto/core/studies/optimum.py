"""The best values of parameters within bounds: least of a figure while all targets are met."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt
from scipy.optimize import Bounds, NonlinearConstraint, differential_evolution, minimize

from impeto.core.errors import ModelError
from impeto.core.results.judging import shortfall
from impeto.core.studies.point import Answer
from impeto.core.studies.sensitivity import Evaluate
from impeto.core.studies.spread import Spread

Floats = npt.NDArray[np.float64]
FIRST_RADIUS, LAST_RADIUS = 0.15, 1e-5  # of the bounds: trust region
MET = 1e-6  # margin that is short of nothing
FAILS = 1e3  # cost of a run that fails, over that of the first one
POPULATION = 6  # times the parameters
LEFT = 0.3  # of the runs, for going on from the best of a global search
Told = Callable[["History"], bool]


class Enough(Exception):
    """All runs are used, or it was stopped: what was found counts."""


@dataclass(slots=True)
class History:
    """Every run, in order. values : (D,) SI;  costs : of the figure;  shorts : by how much targets
    are missed, by weight, 0 where all are met"""

    names: tuple[str, ...]
    values: list[Floats] = field(default_factory=list)
    answers: list[Answer] = field(default_factory=list)
    costs: list[float] = field(default_factory=list)
    shorts: list[float] = field(default_factory=list)

    def so_far(self) -> History:
        """As it is now, for who looks at it while it grows."""
        return History(self.names, list(self.values), list(self.answers), list(self.costs),
                       list(self.shorts))  # fmt: skip

    @property
    def best(self) -> int:
        """The run that costs least of those that meet all targets; where none does, that which
        misses them by least, by weight. Raises ModelError where all failed."""
        costs, shorts = np.array(self.costs), np.array(self.shorts)
        fine = np.isfinite(costs)
        if not fine.any():
            why = next((a.problem for a in self.answers if a.problem), "nothing was solved")
            raise ModelError(f"no run of the search succeeded: {why.rstrip('.')}")
        met = fine & (shorts <= MET)
        wanted = np.where(met, costs, np.inf) if met.any() else np.where(fine, shorts, np.inf)
        return int(np.argmin(wanted))

    @property
    def meets(self) -> bool:
        """Whether a run meets all targets."""
        return bool((np.array(self.shorts) <= MET).any())


class Unmet(Exception):
    """After most of the runs none meets all targets."""


class Search:
    """Runs for values (D,) given as shares (D,) of their bounds, counted and kept."""

    def __init__(
        self, varied: Sequence[Spread], figure: str, evaluate: Evaluate, runs: int,
        told: Told | None = None,
    ) -> None:  # fmt: skip
        self.low, self.high = np.array([spread.ends for spread in varied]).T
        self.figure, self.evaluate, self.runs, self.told = figure, evaluate, runs, told
        self.history = History(tuple(spread.name for spread in varied))

    def solve(self, within: Floats) -> list[Answer]:
        """Answers at points (P, D) of the unit cube. Raises Enough."""
        room = self.runs - len(self.history.values)
        if room <= 0:
            raise Enough
        points = self.low + (self.high - self.low) * np.clip(within[:room], 0.0, 1.0)
        answers = list(self.evaluate(points))
        for values, answer in zip(points, answers, strict=False):
            self.history.values.append(values)
            self.history.answers.append(answer)
            self.history.costs.append(answer.figures.get(self.figure, np.nan))
            self.history.shorts.append(short_of(answer))
        stopped = self.told is not None and not self.told(self.history)
        if stopped or len(answers) < len(within):
            raise Enough
        return answers

    @property
    def scale(self) -> float:
        """The size of the first cost that is one."""
        return next((abs(c) for c in self.history.costs if np.isfinite(c) and c), 1.0)

    def cost(self, answer: Answer) -> float:
        """Over that of the first run; much where there is none."""
        value = answer.figures.get(self.figure, np.nan)
        return value / self.scale if np.isfinite(value) else FAILS


def short_of(answer: Answer) -> float:
    """By how much targets are missed, by weight; a run that failed misses all there is."""
    return np.inf if answer.problem else shortfall(answer.margins, answer.weights)


def optimise(search: Search, start: Floats, is_global: bool) -> History:
    """Search from values (D,) by trust regions without derivatives (COBYQA, Ragonneau and Zhang
    2024; of one value COBYLA, Powell 1994, as the other may leave its target there), or before that
    everywhere by differential evolution (Storn and Price 1997). Where the targets cannot all be
    met, what is missed of them, by weight, is made least. Raises ModelError where the run at the
    start fails, or everywhere all do."""
    try:
        first = (start - search.low) / (search.high - search.low)
        if is_global:
            whole, search.runs = search.runs, max(int((1.0 - LEFT) * search.runs), 1)
            try:
                _everywhere(search, len(start))
            except Enough:
                if search.told is not None and not search.told(search.history):
                    raise
            search.runs = whole
            best = search.history.values[search.history.best]
            first = (best - search.low) / (search.high - search.low)
        with suppress(Unmet):
            _nearby(search, np.clip(first, 0.0, 1.0))
        if not search.history.meets:
            best = search.history.values[search.history.best]
            _least_missed(search, (best - search.low) / (search.high - search.low))
    except Enough:
        pass
    return search.history


def _nearby(search: Search, first: Floats) -> None:
    known: dict[bytes, Answer] = {}

    last = search.runs - int(LEFT * (search.runs - len(search.history.values)))

    def answer(x: Floats) -> Answer:
        if x.tobytes() not in known:
            known[x.tobytes()] = search.solve(x[None])[0]
            if len(search.history.values) >= last and not search.history.meets:
                raise Unmet
        return known[x.tobytes()]

    begun = answer(first)
    if begun.problem:
        raise ModelError(
            f"the run that the search begins from fails: {begun.problem.rstrip('.')}",
            remedy="Change the values in the case, or search everywhere",
        )
    names = list(begun.margins)

    def margins(x: Floats) -> Floats:
        found = answer(x)
        values = np.array([found.margins.get(name, np.nan) for name in names])
        return np.where(np.isfinite(values), values, -1.0)

    limits = [NonlinearConstraint(margins, 0.0, np.inf)] if names else []
    _by_trust(search, lambda x: search.cost(answer(x)), first, limits)


def _least_missed(search: Search, first: Floats) -> None:
    """From where targets are missed by least on."""

    def missed(x: Floats) -> float:
        return float(min(short_of(search.solve(x[None])[0]) ** 2, FAILS))  # smooth where it ends

    _by_trust(search, missed, first, [])


def _by_trust(
    search: Search, cost: Callable[[Floats], float], first: Floats,
    limits: list[NonlinearConstraint],
) -> None:  # fmt: skip
    many = {"initial_tr_radius": FIRST_RADIUS, "final_tr_radius": LAST_RADIUS,
            "maxfev": search.runs}  # fmt: skip
    one = {"rhobeg": FIRST_RADIUS, "tol": LAST_RADIUS, "maxiter": search.runs}
    minimize(
        cost, first, constraints=limits, bounds=Bounds(np.zeros(len(first)), np.ones(len(first))),
        method="COBYQA" if len(first) > 1 else "COBYLA", options=many if len(first) > 1 else one,
    )  # fmt: skip


def _everywhere(search: Search, width: int) -> None:
    """All of a generation at once; what misses targets counts as worse than all that meets them
    (Deb 2000)."""

    def costs(x: Floats) -> Floats:
        answers = search.solve(x.T)
        shorts = [min(short_of(answer), FAILS) for answer in answers]
        return np.array([
            search.cost(a) if short <= MET else FAILS + short
            for a, short in zip(answers, shorts, strict=True)
        ])  # fmt: skip

    differential_evolution(
        costs, [(0.0, 1.0)] * width, vectorized=True, updating="deferred", polish=False,
        popsize=POPULATION, init="sobol", rng=np.random.default_rng(1), maxiter=10_000, tol=1e-3,
    )  # fmt: skip
