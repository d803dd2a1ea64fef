"""What many runs came to: arrays over the points, with what failed and why."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
from scipy.stats import binomtest

from impeto.core.errors import ModelError
from impeto.core.model.model import Model
from impeto.core.studies.point import Answer, Asked
from impeto.core.studies.sampling import Points

Floats = npt.NDArray[np.float64]
CONFIDENCE = 0.95


@dataclass(frozen=True, slots=True)
class Share:
    """share : of the runs that meet all that is asked;  low, high : its interval of confidence of
    95 % (Wilson 1927), where points are drawn by chance;  met, solved : runs"""

    share: float
    low: float
    high: float
    met: int
    solved: int


@dataclass(frozen=True)
class Solved:
    """A sweep as far as it is solved.

    points : that were asked for, SI;  answers : by number of the point
    """

    asked: Asked
    points: Points
    answers: Mapping[int, Answer]

    @property
    def names(self) -> list[str]:
        """Of the parameters that vary."""
        return [spread.name for spread in self.points.varied]

    @property
    def values(self) -> Floats:
        """(P, D) SI, a row for each point."""
        return self.points.values

    @cached_property
    def figures(self) -> dict[str, Floats]:
        """(P,) SI by name; not a number where a point is not solved or failed."""
        return self._by_name("figures")

    @cached_property
    def margins(self) -> dict[str, Floats]:
        """(P,) by how much each target and check is met, over its limit; below zero: missed."""
        return self._by_name("margins")

    @cached_property
    def meets(self) -> npt.NDArray[np.bool_]:
        """(P,) which points are solved and meet all targets and checks."""
        found = np.zeros(len(self.values), dtype=bool)
        for number, answer in self.answers.items():
            found[number] = answer.meets_all
        return found

    @property
    def problems(self) -> dict[int, str]:
        """Why points have no figures, by number."""
        return {n: a.problem for n, a in sorted(self.answers.items()) if a.problem}

    @property
    def is_even(self) -> bool:
        """Whether points lie on a grid: how many of them meet targets says nothing of chance."""
        return self.points.even

    @property
    def is_whole(self) -> bool:
        return len(self.answers) == len(self.values)

    def share_met(self) -> Share:
        """How many of the runs meet all targets; failed ones do not. Raises ModelError where none
        is solved."""
        solved, met = len(self.answers), int(self.meets.sum())
        if not solved:
            raise ModelError("no point is solved yet", remedy="Run the sweep")
        between = binomtest(met, solved).proportion_ci(CONFIDENCE, "wilson")
        return Share(met / solved, between.low, between.high, met, solved)

    def model_at(self, number: int) -> Model:
        """The model whose case has the values of a point, to be solved in full."""
        return self.asked.model_at(self.values[number])

    def _by_name(self, part: str) -> dict[str, Floats]:
        found: dict[str, Floats] = {}
        for number, answer in self.answers.items():
            for name, value in getattr(answer, part).items():
                if name not in found:
                    found[name] = np.full(len(self.values), np.nan)
                found[name][number] = value
        return found
