"""Channels of contact: in total per rule, per pair of bodies, per point; belts.

Points of contact are kept as one long list with the end of each output in it; what touched at
some instant has a channel, which is zero (or not a number, for places) while it does not touch.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from impeto.core.contact.data import BeltData, RuleData
from impeto.core.dynamics.channel import Channel, Floats, Once, signal_values, vector
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import M_CONTACT_ENERGY, X_BELTS, X_CONTACTS
from impeto.core.dynamics.touching import Ints, Touching


def channels(r: Solution) -> Iterator[Channel]:
    m, touching = r.system.mechanism, r.touching
    for row, rule in enumerate(m.of(RuleData)):
        yield from _sums(touching, rule.name, touching.of_rule(row))
        yield Channel(f"{rule.name}.dissipated", "energy", partial(dissipated, r, row))
        yield Channel(f"{rule.name}.energy", "energy", partial(r.measure, M_CONTACT_ENERGY, row))
    for row, belt in enumerate(m.of(BeltData)):
        yield Channel(f"{belt.name}.work", "energy", partial(r.extra, X_BELTS, row))
        yield Channel(f"{belt.name}.speed", "speed", partial(signal_values, r, belt.name))
    for a, b in touching.pairs:
        name = f"{m.bodies[a].name}.touch.{m.bodies[b].name}"
        rows, signs = touching.of_pair(a, b)
        yield from _sums(touching, name, rows)
        yield from vector(f"{name}.force", "force", partial(touching.force, rows, signs))
        yield from vector(f"{name}.center", "length", partial(touching.center, rows), size=False)
        points = touching.points_of(a, b)
        for number, one in enumerate(points if len(points) > 1 else (), start=1):
            yield from _sums(touching, f"{name}.point_{number}", one)
            place = partial(touching.center, one)
            yield from vector(f"{name}.point_{number}.center", "length", place, size=False)


def dissipated(r: Solution, row: int) -> Floats:
    """(N,) J lost in the contacts of a rule: what they took in, less what is stored."""
    return r.extra(X_CONTACTS, row) - r.measure(M_CONTACT_ENERGY, row)


def _sums(touching: Touching, name: str, rows: Ints) -> Iterator[Channel]:
    """Sums and extremes over points of contact at every instant."""
    yield Channel(f"{name}.normal", "force", partial(touching.normal, rows))
    yield Channel(f"{name}.friction", "force", partial(touching.friction, rows))
    yield Channel(f"{name}.depth", "length", partial(touching.depth, rows))
    yield Channel(f"{name}.slip", "speed", partial(touching.slip, rows))
    yield Channel(f"{name}.points", "number", partial(touching.count, rows))
    impulse = Once(partial(touching.impulse, rows))
    yield Channel(f"{name}.impulse", "momentum", impulse)
