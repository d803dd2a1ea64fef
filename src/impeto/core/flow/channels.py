"""Channels of feeders and outlets: how many, how much mass, how fast; and who is there."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from impeto.core.dynamics.channel import Channel, Floats
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import M_TALLY, TALLY_COUNT, TALLY_MASS, TALLY_NOW, TALLY_WIDTH
from impeto.core.flow.data import FeederData, OutletData


def channels(r: Solution) -> Iterator[Channel]:
    m = r.system.mechanism
    for row, feeder in enumerate(m.of(FeederData)):
        yield Channel(f"{feeder.name}.count", "number", partial(tally, r, row, TALLY_COUNT))
        yield Channel(f"{feeder.name}.waiting", "number", partial(tally, r, row, TALLY_NOW))
        yield Channel(f"{feeder.name}.mass", "mass", partial(tally, r, row, TALLY_MASS))
        yield Channel(f"{feeder.name}.population", "number", partial(population, r, feeder.copies))
    for index, outlet in enumerate(m.of(OutletData)):
        row = len(m.of(FeederData)) + index
        yield Channel(f"{outlet.name}.count", "number", partial(tally, r, row, TALLY_COUNT))
        yield Channel(f"{outlet.name}.inside", "number", partial(tally, r, row, TALLY_NOW))
        yield Channel(f"{outlet.name}.mass", "mass", partial(tally, r, row, TALLY_MASS))
        for name, kind, column in (
            ("throughput", "count rate", TALLY_COUNT),
            ("mass_rate", "mass flow", TALLY_MASS),
        ):
            compute = partial(throughput, r, row, column, outlet.window)
            yield Channel(f"{outlet.name}.{name}", kind, compute)
    if len(m.of(FeederData)) or len(m.of(OutletData)):
        everyone = tuple(range(1, len(m.bodies)))
        yield Channel("system.population", "number", partial(population, r, everyone))


def tally(r: Solution, row: int, column: int) -> Floats:
    """(N,) what a feeder or outlet has counted so far, or has now."""
    return r.measure(M_TALLY, TALLY_WIDTH * row + column)


def population(r: Solution, rows: tuple[int, ...]) -> Floats:
    """(N,) how many of these bodies are there."""
    return r.present[:, list(rows)].sum(axis=1).astype(float)


def throughput(r: Solution, row: int, column: int, window: float) -> Floats:
    """(N,) 1/s or kg/s: what was counted in the window [s] before each instant, over the part of it
    that the run has reached."""
    counted = tally(r, row, column)
    begin = np.maximum(r.time - window, r.time[0])
    before = counted[np.searchsorted(r.time, begin, side="right") - 1]
    passed = r.time - begin
    out = np.zeros(len(r.time))
    np.divide(counted - before, passed, out=out, where=passed > 0.0)
    return out
