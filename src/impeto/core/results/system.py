"""Channels of the whole system: energies and their balance, momentum."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import numpy as np

from impeto.core.bodies.channels import kinetic, potential
from impeto.core.contact.channels import dissipated
from impeto.core.contact.data import RuleData
from impeto.core.dynamics.channel import Channel, Compute, Floats, vector
from impeto.core.dynamics.columns import Friction
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import (
    M_BUSHING_ENERGY,
    M_CONTACT_ENERGY,
    M_LINK_ENERGY,
    M_SPRING_ENERGY,
    M_STOP_ENERGY,
    X_BELTS,
    X_EFFORTS,
    X_EVENTS,
    X_FRICTIONS,
    X_LINKS,
    X_MOTIONS,
    X_SPRINGS,
    X_STOPS,
)
from impeto.core.forces.kinds import POINT_FORCES
from impeto.core.forces.lines import LinkData

PARTS = ("kinetic", "potential", "strain", "dissipated", "drives", "loads", "events")


class Energies:
    """Energies of a whole run, (N,) J each, summed when they are asked for."""

    def __init__(self, r: Solution) -> None:
        self.r = r
        self.bodies = range(1, r.system.moving + 1)
        self.zero = np.zeros(len(r.time))

    @cached_property
    def kinetic(self) -> Floats:
        return sum((kinetic(self.r, body) for body in self.bodies), self.zero)

    @cached_property
    def potential(self) -> Floats:
        return sum((potential(self.r, body) for body in self.bodies), self.zero)

    @cached_property
    def strain(self) -> Floats:
        first, total = self.r.system.tables.measured, self.zero
        for group in (M_LINK_ENERGY, M_SPRING_ENERGY, M_STOP_ENERGY, M_BUSHING_ENERGY,
                      M_CONTACT_ENERGY):  # fmt: skip
            total = total + self.r.measured[:, first[group] : first[group + 1]].sum(axis=1)
        return total

    @cached_property
    def dissipated(self) -> Floats:
        """Lost since the start; what gears of motors lose has been taken off their work."""
        r, total = self.r, self._pulls(by_signal=False)
        for group in (X_SPRINGS, X_STOPS, *(g for kind in POINT_FORCES for g in kind.lost)):
            total = total + r.accumulated(group)
        for index, row in enumerate(r.system.tables.friction):
            if row[Friction.MOTOR] < 0:
                total = total + r.extra(X_FRICTIONS, index)
        return total + self._contacts

    @cached_property
    def drives(self) -> Floats:
        """Put in by drives and belts."""
        groups = (X_EFFORTS, X_MOTIONS, X_BELTS)
        return sum((self.r.accumulated(group) for group in groups), self.zero)

    @cached_property
    def loads(self) -> Floats:
        """Put in by loads, pulls by signal and the wind."""
        groups = (group for kind in POINT_FORCES for group in kind.given)
        put = sum((self.r.accumulated(group) for group in groups), self.zero)
        return put - self._pulls(by_signal=True)

    @cached_property
    def events(self) -> Floats:
        return self.r.accumulated(X_EVENTS)

    @cached_property
    def total(self) -> Floats:
        return self.kinetic + self.potential + self.strain

    @cached_property
    def balance(self) -> Floats:
        """What is stored and lost, less what was put in, since the start: zero in a right run."""
        rest = self.total + self.dissipated - self.drives - self.loads - self.events
        return rest - rest[0]

    @cached_property
    def in_play(self) -> float:
        """Largest energy of the run [J].

        A machine at rest has none: there a millionth of its weight times its size is the measure.
        """
        T, r = self.r.system.tables, self.r
        rest = 1e-6 * float(T.mass[1:].sum() * np.linalg.norm(T.gravity)) * r.system.size
        scale = max(rest, float(np.abs(self.kinetic).max()))
        for name in PARTS:
            scale = max(scale, float(np.ptp(getattr(self, name))))
        return max(scale, 1e-300)

    @property
    def error(self) -> float:
        """Largest imbalance over the largest energy in play."""
        return float(np.abs(self.balance).max() / self.in_play)

    @property
    def contact_gain(self) -> float:
        """Most that contacts gave beyond what they had taken in before, over the largest energy in
        play. No contact can; impulses over steps may."""
        lost = self._contacts
        return float((np.maximum.accumulate(lost) - lost).max() / self.in_play)

    @cached_property
    def _contacts(self) -> Floats:
        """Lost in all contacts."""
        rules = range(len(self.r.system.mechanism.of(RuleData)))
        return sum((dissipated(self.r, index) for index in rules), self.zero)

    def _pulls(self, *, by_signal: bool) -> Floats:
        """Taken out by straight elements: those that follow signals, or all others."""
        total = self.zero
        for index, link in enumerate(self.r.system.mechanism.of(LinkData)):
            if (link.pull is not None) == by_signal:
                total = total + self.r.extra(X_LINKS, index)
        return total


def channels(r: Solution) -> Iterator[Channel]:
    energies = Energies(r)

    def shared(name: str) -> Compute:
        return lambda: getattr(energies, name)

    for name in (*PARTS, "total", "balance"):
        yield Channel(f"system.energy.{name}", "energy", shared(name))
    yield from vector("system.momentum", "momentum", lambda: _momentum(r))
    yield from vector("system.angular_momentum", "angular momentum", lambda: _spin_momentum(r))


def _momentum(r: Solution) -> Floats:
    return np.einsum("b,tbi->ti", r.system.tables.mass[1:], r.velocities[:, 1:])


def _spin_momentum(r: Solution) -> Floats:
    """About the world's origin."""
    T, R = r.system.tables, r.rotations[:, 1:]
    local = np.einsum("tbij,tbi->tbj", R, r.spins[:, 1:])
    own = np.einsum("tbij,bjk,tbk->ti", R, T.inertia[1:], local)
    carried = T.mass[1:, None] * r.velocities[:, 1:]
    return own + np.cross(r.centers[:, 1:], carried).sum(axis=1)


def energy_error(r: Solution) -> float:
    """Largest energy imbalance of a run over the largest energy that was in play."""
    return Energies(r).error
