"""Channels of the whole system: energies and their balance, momentum."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from impeto.core.results.channels.base import Channel, Compute, Floats, strain, vector
from impeto.core.results.channels.bodies import kinetic, potential
from impeto.core.results.recording import Recording

STORED = ("kinetic", "potential", "strain")
LOADS, EFFORTS, MOTIONS, LINKS, BEHAVIOURS = range(5)  # groups of accumulated work


def channels(r: Recording) -> Iterator[Channel]:
    bodies = range(1, r.system.moving + 1)
    zero = np.zeros(len(r.time))
    energies: dict[str, Compute] = {
        "kinetic": lambda: sum((kinetic(r, body) for body in bodies), zero),
        "potential": lambda: sum((potential(r, body) for body in bodies), zero),
        "strain": lambda: _strain(r),
        "dissipated": lambda: _accumulated(r, LINKS) + _accumulated(r, BEHAVIOURS),
        "drives": lambda: _accumulated(r, EFFORTS) + _accumulated(r, MOTIONS),
        "loads": lambda: _accumulated(r, LOADS),
        "total": lambda: sum((r[f"system.energy.{name}"] for name in STORED), zero),
        "balance": lambda: _balance(r),
    }
    for name, compute in energies.items():
        yield Channel(f"system.energy.{name}", "energy", compute)
    yield from vector("system.momentum", "momentum", lambda: _momentum(r))
    yield from vector("system.angular_momentum", "angular momentum", lambda: _spin_momentum(r))


def _accumulated(r: Recording, group: int) -> Floats:
    """(N,) J that loads, drives or dampers have put in or taken out since the start."""
    T = r.system.tables
    ends = [*T.extra, T.extra[BEHAVIOURS] + len(T.behaviour)]
    first = 13 * r.system.moving
    return r.state[:, first + ends[group] : first + ends[group + 1]].sum(axis=1)


def _strain(r: Recording) -> Floats:
    T = r.system.tables
    total = np.zeros(len(r.time))
    for link in r.system.mechanism.links:
        if link.is_spring:
            total = total + r[f"{link.name}.energy"]
    for row, (stiffness, free, _) in zip(T.behaviour, T.behaviour_value, strict=True):
        total = total + strain(stiffness, 0.0, r.coordinate[:, row, 0] - free)
    return total


def _balance(r: Recording) -> Floats:
    """What is stored and lost, less what was put in, since the start: zero in a right run."""
    kept = r["system.energy.total"] + r["system.energy.dissipated"]
    rest = kept - r["system.energy.drives"] - r["system.energy.loads"]
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
    for name in ("kinetic", "potential", "strain", "dissipated", "drives", "loads"):
        scale = max(scale, float(np.ptp(r[f"system.energy.{name}"])))
    return float(np.abs(r["system.energy.balance"]).max() / max(scale, 1e-300))
