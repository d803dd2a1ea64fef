"""Identification: values of parameters with which a channel follows a measured curve."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.optimize import least_squares
from scipy.stats import t as student

from impeto.core.errors import ModelError
from impeto.core.studies.sensitivity import Evaluate
from impeto.core.studies.spread import Spread

Floats = npt.NDArray[np.float64]
STEP = 1e-3  # of the bounds, for differences
CLOSE = 1e-8  # change of values, over the bounds, and of the sum of squares at which it ends
CONFIDENCE = 0.95
Told = Callable[[int, float], bool]  # rounds, and root mean square of what is left


@dataclass(frozen=True, slots=True)
class Fitted:
    """What was found. values, deviations : (D,) SI, and their half intervals of confidence (95 %)
    correlation : (D, D);  left : root mean square of what the curve is off
    curve, measured : (M,);  rounds : runs of the curve
    at_bounds : names of parameters that stopped at one
    """

    names: tuple[str, ...]
    values: Floats
    deviations: Floats
    correlation: Floats
    left: float
    curve: Floats
    measured: Floats
    rounds: int
    at_bounds: tuple[str, ...]


class _Stopped(Exception):
    pass


class _Curves:
    """Curves at shares (D,) of the bounds, the best one kept."""

    def __init__(self, varied: Sequence[Spread], measured: Floats, evaluate: Evaluate,
                 told: Told | None) -> None:  # fmt: skip
        self.low, self.high = np.array([spread.ends for spread in varied]).T
        self.measured, self.evaluate, self.told = measured, evaluate, told
        self.rounds, self.best, self.least = 0, np.full(len(self.low), 0.5), np.inf

    def solved(self, within: Floats) -> list[Floats]:
        """Curves (M,) at points (P, D) of the unit cube. Raises ModelError where one fails."""
        answers = list(self.evaluate(self.low + (self.high - self.low) * within))
        if len(answers) < len(within):
            raise _Stopped
        failed = next((a.problem for a in answers if a.problem and not len(a.curve)), "")
        if failed:
            raise ModelError(
                f"a run within the bounds fails: {failed.rstrip('.')}", remedy="Narrow the bounds"
            )
        return [answer.curve for answer in answers]

    def off(self, x: Floats) -> Floats:
        """(M,) what the curve is off at shares (D,)."""
        found = self.solved(x[None])[0] - self.measured
        self.rounds += 1
        size = float(np.sqrt(np.mean(found**2)))
        if size < self.least:
            self.least, self.best = size, x.copy()
        if self.told is not None and not self.told(self.rounds, self.least):
            raise _Stopped
        return found

    def slopes(self, x: Floats) -> Floats:
        """(M, D) by central differences, one-sided at a bound; all runs of it at once."""
        moved = np.repeat(x[None], 2 * len(x), axis=0)
        for k in range(len(x)):
            moved[2 * k, k] = min(x[k] + STEP, 1.0)
            moved[2 * k + 1, k] = max(x[k] - STEP, 0.0)
        curves = self.solved(moved)
        return np.stack([
            (curves[2 * k] - curves[2 * k + 1]) / (moved[2 * k, k] - moved[2 * k + 1, k])
            for k in range(len(x))
        ], axis=1)  # fmt: skip


def fit(
    varied: Sequence[Spread], start: Floats, measured: Floats, evaluate: Evaluate,
    told: Told | None = None,
) -> Fitted:  # fmt: skip
    """Least squares within bounds by trust regions (Branch et al. 1999) from values (D,) to a curve
    (M,). Raises ModelError where runs fail and where values do not matter for the curve."""
    curves = _Curves(varied, measured, evaluate, told)
    first = np.clip((start - curves.low) / (curves.high - curves.low), 0.01, 0.99)
    try:
        least_squares(curves.off, first, jac=curves.slopes, bounds=(0.0, 1.0), xtol=CLOSE,
                      ftol=CLOSE, gtol=1e-12, x_scale="jac")  # fmt: skip
    except _Stopped:
        if not np.isfinite(curves.least):
            raise ModelError("it was stopped before a run had ended") from None
    curves.told = None
    return _fitted(varied, curves)


def _fitted(varied: Sequence[Spread], curves: _Curves) -> Fitted:
    names, x = tuple(spread.name for spread in varied), curves.best
    slopes, off = curves.slopes(x), curves.off(x)
    free = max(len(off) - len(x), 1)
    idle = [name for name, column in zip(names, slopes.T, strict=True) if not column.any()]
    if idle:
        raise ModelError("it makes no difference to the curve", element=idle[0],
                         remedy="Fit without it")  # fmt: skip
    spread_of = np.linalg.pinv(slopes.T @ slopes) * float(off @ off) / free
    deviation = np.sqrt(np.diag(spread_of))
    half = deviation * float(student.ppf(0.5 + CONFIDENCE / 2.0, free)) * (curves.high - curves.low)
    outer = np.outer(deviation, deviation)
    correlation = np.divide(spread_of, outer, out=np.eye(len(x)), where=outer > 0.0)
    edge = [n for n, share in zip(names, x, strict=True) if not 1e-6 < share < 1.0 - 1e-6]
    return Fitted(names, curves.low + (curves.high - curves.low) * x, half, correlation,
                  float(np.sqrt(np.mean(off**2))), off + curves.measured, curves.measured,
                  curves.rounds, tuple(edge))  # fmt: skip
