"""What a figure owes to each parameter: slopes by differences, indices of variance by chance."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy.stats import sobol_indices

from impeto.core.errors import ModelError
from impeto.core.model.studies import SOBOL
from impeto.core.studies.point import Answer
from impeto.core.studies.sampling import shares, spread_out
from impeto.core.studies.spread import Spread

Floats = npt.NDArray[np.float64]
Evaluate = Callable[[Floats], Sequence[Answer]]  # points (P, D) to their answers, in order
FIRST_STEP = 0.05  # of the value, or of what a parameter varies by
HALVINGS = 4
BOOTSTRAPS = 200


@dataclass(frozen=True, slots=True)
class Slope:
    """How a figure changes with a parameter. slope : of SI values;  error : about how far it may be
    off;  elasticity : percent of the figure for a percent of the parameter"""

    figure: str
    parameter: str
    slope: float
    error: float
    elasticity: float


@dataclass(frozen=True, slots=True)
class Indices:
    """Shares of the variance of a figure (Sobol 1993) by parameter (D,): `first` of it alone,
    `total` with all that it does together with others;  low, high : of each, (2, D), 95 %"""

    figure: str
    parameters: tuple[str, ...]
    first: Floats
    total: Floats
    low: Floats
    high: Floats


def slopes(varied: Sequence[Spread], start: Floats, evaluate: Evaluate) -> list[Slope]:
    """Central differences about values (D,), with steps that are halved and extrapolated to none
    (Ridders 1982): the estimate is taken where two such differ least, and that is its error.

    Raises ModelError where the run at the start fails.
    """
    steps = np.array([_first_step(s, v) for s, v in zip(varied, start, strict=True)])
    points = [start]
    for k, step in enumerate(steps):
        for halving in range(HALVINGS):
            for sign in (1.0, -1.0):
                moved = start.copy()
                moved[k] += sign * step / 2.0**halving
                points.append(moved)
    answers = evaluate(np.array(points))
    if answers[0].problem:
        raise ModelError(f"the run that is looked at fails: {answers[0].problem.rstrip('.')}")
    found = []
    for name, value in answers[0].figures.items():
        read = np.array([a.figures.get(name, np.nan) for a in answers[1:]])
        for k, (spread, rows) in enumerate(zip(varied, read.reshape(len(varied), HALVINGS, 2),
                                               strict=True)):  # fmt: skip
            halved = steps[k] / 2.0 ** np.arange(HALVINGS)
            slope, error = extrapolated((rows[:, 0] - rows[:, 1]) / (2.0 * halved))
            share = slope * start[k] / value if value else np.nan
            found.append(Slope(name, spread.name, slope, error, share))
    return found


def _first_step(spread: Spread, value: float) -> float:
    low, high = spread.ends
    width = high - low
    if width > 0.0:
        return FIRST_STEP * width
    if value == 0.0:
        raise ModelError(
            "it is zero, which says nothing of its size", element=spread.name,
            remedy="Give it a range, such as -1 mm : 1 mm",
        )  # fmt: skip
    return FIRST_STEP * abs(value)


def extrapolated(differences: Floats) -> tuple[float, float]:
    """The limit of central differences (K,) with halved steps, and about its error; not a number
    where none can be told."""
    column, best, error = list(differences), float(differences[0]), np.inf
    for order in range(1, len(differences)):
        factor = 4.0**order
        above = [(factor * b - a) / (factor - 1.0) for a, b in pairwise(column)]
        for k, value in enumerate(above):
            off = max(abs(value - column[k]), abs(value - column[k + 1]))
            if off < error:
                best, error = float(value), float(off)
        column = above
    return (best, error) if np.isfinite(error) else (np.nan, np.nan)


def indices(varied: Sequence[Spread], count: int, seed: int, evaluate: Evaluate) -> list[Indices]:
    """Indices of variance over what parameters may be: (2 + D) count runs, count a power of two
    (Saltelli et al. 2010). Raises ModelError for another count and where runs fail."""
    width = len(varied)
    if count < 2 or count & (count - 1):
        raise ModelError(f"{count} is no power of two", field="points", remedy="Ask for 64 or 128")
    both = shares(SOBOL, 2 * width, count, seed)
    first, second = both[:, :width], both[:, width:]
    blocks = [first, second]
    for k in range(width):
        mixed = first.copy()
        mixed[:, k] = second[:, k]
        blocks.append(mixed)
    answers = evaluate(np.concatenate([spread_out(varied, block) for block in blocks]))
    failed = next((a.problem for a in answers if a.problem), "")
    if failed:
        raise ModelError(f"shares of variance need all runs, and one failed: {failed.rstrip('.')}")
    names = tuple(spread.name for spread in varied)
    return [_indices(figure, names, answers, count, seed) for figure in answers[0].figures]


def _indices(
    figure: str, names: tuple[str, ...], answers: Sequence[Answer], count: int, seed: int
) -> Indices:
    values = np.array([answer.figures[figure] for answer in answers]).reshape(-1, count)
    if not np.ptp(values[:2]) > 0.0:  # nothing varies
        none = np.zeros(len(names))
        return Indices(
            figure, names, none, none, np.zeros((2, len(none))), np.zeros((2, len(none)))
        )
    given = {"f_A": values[:1], "f_B": values[1:2], "f_AB": values[2:, None, :]}
    found = sobol_indices(func=given, n=count, rng=np.random.default_rng(seed))
    sure = found.bootstrap(n_resamples=BOOTSTRAPS)
    parts = (sure.first_order.confidence_interval, sure.total_order.confidence_interval)
    low, high = (np.array([getattr(p, end).ravel() for p in parts]) for end in ("low", "high"))
    return Indices(figure, names, found.first_order.ravel(), found.total_order.ravel(), low, high)
