"""Channels of the whole system: energies and their balance, momentum."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from impeto.core.mechanics.tables import (
    M_BUSHING_ENERGY,
    M_CONTACT_ENERGY,
    M_LINK_ENERGY,
    M_SPRING_ENERGY,
    M_STOP_ENERGY,
    X_BELTS,
    X_BUSHINGS,
    X_EFFORTS,
    X_EVENTS,
    X_FRICTIONS,
    X_LINKS,
    X_LOADS,
    X_MOTIONS,
    X_SPRINGS,
    X_STOPS,
)
from impeto.core.results.channels.base import Channel, Compute, Floats, vector
from impeto.core.results.channels.bodies import kinetic, potential
from impeto.core.results.channels.contacts import dissipated
from impeto.core.results.recording import Recording

STORED = ("kinetic", "potential", "strain")


def channels(r: Recording) -> Iterator[Channel]:
    bodies = range(1, r.system.moving + 1)
    zero = np.zeros(len(r.time))
    energies: dict[str, Compute] = {
        "kinetic": lambda: sum((kinetic(r, body) for body in bodies), zero),
        "potential": lambda: sum((potential(r, body) for body in bodies), zero),
        "strain": lambda: _strain(r),
        "dissipated": lambda: _dissipated(r),
        "drives": lambda: _driven(r),
        "loads": lambda: r.accumulated(X_LOADS) - _pulls(r, by_signal=True),
        "events": lambda: r.accumulated(X_EVENTS),
        "total": lambda: sum((r[f"system.energy.{name}"] for name in STORED), zero),
        "balance": lambda: _balance(r),
    }
    for name, compute in energies.items():
        yield Channel(f"system.energy.{name}", "energy", compute)
    yield from vector("system.momentum", "momentum", lambda: _momentum(r))
    yield from vector("system.angular_momentum", "angular momentum", lambda: _spin_momentum(r))


def _driven(r: Recording) -> Floats:
    """(N,) J that drives and belts have put in."""
    return r.accumulated(X_EFFORTS) + r.accumulated(X_MOTIONS) + r.accumulated(X_BELTS)


def _pulls(r: Recording, *, by_signal: bool) -> Floats:
    """(N,) J that straight elements have taken out: those that follow signals, or all others."""
    total = np.zeros(len(r.time))
    for index, link in enumerate(r.system.mechanism.links):
        if (link.pull is not None) == by_signal:
            total = total + r.extra(X_LINKS, index)
    return total


def _dissipated(r: Recording) -> Floats:
    """(N,) J lost since the start; what gears of motors lose has been taken off their work."""
    total = _pulls(r, by_signal=False)
    for group in (X_SPRINGS, X_STOPS, X_BUSHINGS):
        total = total + r.accumulated(group)
    for index, row in enumerate(r.system.tables.friction):
        if row[7] < 0:
            total = total + r.extra(X_FRICTIONS, index)
    for index in range(len(r.system.mechanism.rules)):
        total = total + dissipated(r, index)
    return total


def _strain(r: Recording) -> Floats:
    first = r.system.tables.measured
    total = np.zeros(len(r.time))
    for group in (M_LINK_ENERGY, M_SPRING_ENERGY, M_STOP_ENERGY, M_BUSHING_ENERGY,
                  M_CONTACT_ENERGY):  # fmt: skip
        total = total + r.measured[:, first[group] : first[group + 1]].sum(axis=1)
    return total


def _balance(r: Recording) -> Floats:
    """What is stored and lost, less what was put in, since the start: zero in a right run."""
    kept = r["system.energy.total"] + r["system.energy.dissipated"]
    rest = kept - r["system.energy.drives"] - r["system.energy.loads"]
    rest = rest - r["system.energy.events"]
    return rest - rest[0]


def _momentum(r: Recording) -> Floats:
    return np.einsum("b,tbi->ti", r.system.tables.mass[1:], r.velocities[:, 1:])


def _spin_momentum(r: Recording) -> Floats:
    """About the world's origin."""
    T, R = r.system.tables, r.rotations[:, 1:]
    local = np.einsum("tbij,tbi->tbj", R, r.spins[:, 1:])
    own = np.einsum("tbij,bjk,tbk->ti", R, T.inertia[1:], local)
    carried = T.mass[1:, None] * r.velocities[:, 1:]
    return own + np.cross(r.centers[:, 1:], carried).sum(axis=1)


def energy_error(r: Recording) -> float:
    """Largest energy imbalance against the largest energy that was in play.

    A machine at rest has none: there a millionth of its weight times its size is the measure.
    """
    T = r.system.tables
    rest = 1e-6 * float(T.mass[1:].sum() * np.linalg.norm(T.gravity)) * r.system.size
    scale = max(rest, float(np.abs(r["system.energy.kinetic"]).max()))
    for name in ("kinetic", "potential", "strain", "dissipated", "drives", "loads", "events"):
        scale = max(scale, float(np.ptp(r[f"system.energy.{name}"])))
    return float(np.abs(r["system.energy.balance"]).max() / max(scale, 1e-300))
