"""What two figures can be had together: runs of which no other is better in both.

Generalised differential evolution (Kukkonen and Lampinen 2005): all runs of a generation are solved
at once; what misses targets loses against what misses them less (Deb 2000), and of what is left
the least crowded stay (Deb et al. 2002).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.stats import qmc

from impeto.core.errors import ModelError
from impeto.core.studies.optimum import MET, Enough, History, Search, short_of
from impeto.core.studies.point import Answer

Floats = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.intp]
LEAST, EACH = 12, 6  # runs of a generation, and for each parameter
STRIDE, CROSSED = 0.5, 0.7  # of differences, and share of values that are taken from them
LOST = 1e30  # both figures of a run that failed


def together(search: Search, other: str, start: Floats) -> History:
    """Runs about the best that `search.figure` and another one can be had together, everywhere and
    about values (D,). Raises ModelError where all fail."""
    rng = np.random.default_rng(1)
    size = max(LEAST, EACH * len(start))
    within = qmc.Sobol(len(start), rng=rng).random(1 << (size - 1).bit_length())[:size]
    within[0] = np.clip((start - search.low) / (search.high - search.low), 0.0, 1.0)
    figures = (search.figure, other)
    try:
        costs, shorts = _told(search.solve(within), figures)
        while True:
            tried = _varied(within, rng)
            new, missed = _told(search.solve(tried), figures)
            within, costs, shorts = _survivors(within, costs, shorts, tried, new, missed)
    except Enough:
        pass
    if all(answer.problem for answer in search.history.answers):
        why = next((a.problem for a in search.history.answers), "nothing was solved")
        raise ModelError(f"no run of the search succeeded: {why.rstrip('.')}")
    return search.history


def front_of(history: History, figures: tuple[str, str]) -> Numbers:
    """Runs that meet all targets and than which no other such run is better in both figures."""
    costs = [
        [a.figures.get(name, np.nan) if short <= MET else np.nan for name in figures]
        for a, short in zip(history.answers, history.shorts, strict=True)
    ]
    return front(np.array(costs).reshape(-1, 2))


def front(costs: Floats) -> Numbers:
    """Which of points (P, 2) no other is better than in both: their numbers, by the first cost."""
    order = np.lexsort((costs[:, 1], costs[:, 0]))
    best, kept = np.inf, []
    for k in order:
        if np.isfinite(costs[k]).all() and costs[k, 1] < best:
            best = costs[k, 1]
            kept.append(k)
    return np.array(kept, dtype=np.intp)


def _told(answers: list[Answer], figures: tuple[str, str]) -> tuple[Floats, Floats]:
    """Both figures (P, 2) of runs, and by how much they miss targets (P,)."""
    costs = np.array([[a.figures.get(name, np.nan) for name in figures] for a in answers])
    lost = ~np.isfinite(costs).all(axis=1)
    shorts = np.array([short_of(answer) for answer in answers])
    return np.where(lost[:, None], LOST, costs), np.where(lost, np.inf, shorts)


def _varied(within: Floats, rng: np.random.Generator) -> Floats:
    """Each of (P, D) changed by the difference of two others of the generation."""
    count, width = within.shape
    picks = np.array([rng.permutation(np.delete(np.arange(count), k))[:3] for k in range(count)])
    moved = within[picks[:, 0]] + STRIDE * (within[picks[:, 1]] - within[picks[:, 2]])
    crossed = rng.random((count, width)) < CROSSED
    crossed[np.arange(count), rng.integers(width, size=count)] = True
    tried = np.where(crossed, moved, within)
    tried = np.where(tried < 0.0, -tried, tried)  # back from the bounds
    return np.clip(np.where(tried > 1.0, 2.0 - tried, tried), 0.0, 1.0)


def _survivors(
    within: Floats, costs: Floats, shorts: Floats, tried: Floats, new: Floats, missed: Floats
) -> tuple[Floats, Floats, Floats]:
    """As many as there were: each against what it became, both where neither is better, then the
    best and least crowded."""
    stays = np.array([not _beats(b, m, a, s)
                      for a, s, b, m in zip(costs, shorts, new, missed, strict=True)])  # fmt: skip
    comes = np.array([not _beats(a, s, b, m)
                      for a, s, b, m in zip(costs, shorts, new, missed, strict=True)])  # fmt: skip
    within = np.concatenate([within[stays], tried[comes]])
    costs = np.concatenate([costs[stays], new[comes]])
    shorts = np.concatenate([shorts[stays], missed[comes]])
    kept = _best(costs, shorts, len(stays))
    return within[kept], costs[kept], shorts[kept]


def _beats(a: Floats, short_a: float, b: Floats, short_b: float) -> bool:
    """Whether figures (2,) are better in both, or miss targets by less."""
    if short_a > MET or short_b > MET:
        return bool(short_a < short_b)
    return bool((a <= b).all() and (a < b).any())


def _best(costs: Floats, shorts: Floats, count: int) -> Numbers:
    """Front after front of what meets the targets, then what misses them by least."""
    left = np.flatnonzero(shorts <= MET)
    kept: list[int] = []
    while len(left) and len(kept) < count:
        layer = left[front(costs[left])]
        layer = layer if len(layer) else left  # alike in both
        kept += [int(k) for k in layer[np.argsort(-_room(costs[layer]), kind="stable")]]
        left = np.setdiff1d(left, layer)
    missing = np.flatnonzero(shorts > MET)
    kept += [int(k) for k in missing[np.argsort(shorts[missing], kind="stable")]]
    return np.array(kept[:count], dtype=np.intp)


def _room(costs: Floats) -> Floats:
    """How far the neighbours of each point of a front (P, 2) are apart, the ends furthest."""
    found = np.full(len(costs), np.inf)
    if len(costs) > 2:
        spread = np.ptp(costs, axis=0)
        scaled = costs / np.where(spread > 0.0, spread, 1.0)
        found[1:-1] = np.abs(scaled[2:] - scaled[:-2]).sum(axis=1)
    return found
