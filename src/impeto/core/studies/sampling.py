"""The points of a sweep: grids, Latin hypercubes, Sobol points."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import prod

import numpy as np
import numpy.typing as npt
from scipy.stats import qmc

from impeto.core.errors import ModelError
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope, find_case
from impeto.core.model.studies import GRID, HYPERCUBE, ParameterSweep
from impeto.core.studies.spread import Spread, spreads

Floats = npt.NDArray[np.float64]
MOST_POINTS = 20_000_000
PER_POINT = 300  # bytes that the figures of a point take on disk, about


@dataclass(frozen=True, slots=True)
class Points:
    """varied : D parameters;  values : (P, D) SI, a row for each run;  even : on a grid"""

    varied: tuple[Spread, ...]
    values: Floats
    even: bool = False


def points_of(model: Model, sweep: ParameterSweep) -> Points:
    """The points of a sweep, the same at every call. Raises ModelError for what cannot vary and for
    more points than can be solved."""
    scope = Scope(model, find_case(model, sweep.case or None).name)
    varied = spreads(scope, sweep.vary)
    if sweep.sampling == GRID:
        check_count(prod(spread.count for spread in varied))
        axes = np.meshgrid(*(spread.grid() for spread in varied), indexing="ij")
        return Points(varied, np.stack([axis.ravel() for axis in axes], axis=1), True)
    count = check_count(_whole(scope, sweep, "points"))
    seed = _whole(scope, sweep, "seed")
    return Points(varied, spread_out(varied, shares(sweep.sampling, len(varied), count, seed)))


def shares(sampling: str, width: int, count: int, seed: int) -> Floats:
    """(count, width) points in the unit cube, by Latin hypercube (McKay et al. 1979) or scrambled
    Sobol sequence (Owen 1998)."""
    make = qmc.LatinHypercube if sampling == HYPERCUBE else qmc.Sobol
    engine = make(width, rng=np.random.default_rng(seed))
    if sampling == HYPERCUBE:
        return np.asarray(engine.random(count))
    whole = engine.random_base2(int(np.ceil(np.log2(max(count, 2)))))
    return np.asarray(whole[:count])


def spread_out(varied: Sequence[Spread], within: Floats) -> Floats:
    """(P, D) values at points (P, D) of the unit cube."""
    return np.stack([s.at(within[:, k]) for k, s in enumerate(varied)], axis=1)


def check_count(count: int) -> int:
    """A number of runs that can be solved, or ModelError."""
    if not 1 <= count <= MOST_POINTS:
        raise ModelError(
            f"{count:,} runs are asked for", field="points",
            remedy=f"Ask for 1 to {MOST_POINTS:,}, for example by a Latin hypercube",
        )  # fmt: skip
    return count


def effort(count: int, seconds: float, workers: int) -> str:
    """How long so many runs take and what they leave on disk, in words."""
    whole = count * seconds / max(workers, 1)
    size = count * PER_POINT
    return f"{count:,} runs: about {told_time(whole)}, {max(size / 1e6, 0.1):.1f} MB"


def told_time(seconds: float) -> str:
    """A duration for people."""
    for limit, unit in ((90.0, 1.0), (5400.0, 60.0), (129600.0, 3600.0)):
        if seconds < limit:
            return f"{max(seconds / unit, 1.0):.0f} {({1.0: 's', 60.0: 'min', 3600.0: 'h'})[unit]}"
    return f"{seconds / 86400.0:.0f} days"


def _whole(scope: Scope, sweep: ParameterSweep, field: str) -> int:
    value = scope.si(getattr(sweep, field), "number")
    if value != round(value) or value < 0.0:
        raise ModelError("it must be a whole number", element=sweep.name, field=field)
    return int(value)
