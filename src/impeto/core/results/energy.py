"""Where the energy of a machine comes from and goes to over a span of time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from impeto.core.bodies.channels import kinetic, potential
from impeto.core.dynamics.channel import Floats
from impeto.core.errors import ModelError
from impeto.core.model.element import SYSTEM
from impeto.core.results.poses import value_at
from impeto.core.results.recording import Recording
from impeto.core.results.system import Energies

WORK, STORE, LOSS, REST = "work", "store", "loss", "not accounted for"
MOST_BODIES = 6  # whose motion and height are told one by one
# Channels of elements: what they tell, its sign, and in a word.
TOLD = {"work": (WORK, 1.0, "work"), "energy": (STORE, -1.0, "spring"),
        "dissipated": (LOSS, -1.0, "loss")}  # fmt: skip
Change = Callable[[Floats], float]
SMALL = 1e-9  # of what goes through: less is no part


@dataclass(frozen=True, slots=True)
class Part:
    """role : WORK, STORE, LOSS or REST;  amount : J given to the others, below zero what was
    taken"""

    name: str
    role: str
    amount: float


@dataclass(frozen=True, slots=True)
class EnergyFlow:
    """begin, end : s;  parts : largest first; their amounts add up to zero with the one that is
    not accounted for"""

    begin: float
    end: float
    parts: tuple[Part, ...]

    @property
    def given(self) -> dict[str, float]:
        """J by what gave it."""
        return self._sums(1.0)

    @property
    def taken(self) -> dict[str, float]:
        """J by what took it."""
        return self._sums(-1.0)

    def _sums(self, sign: float) -> dict[str, float]:
        """By name: what is both driven and lost in one element has two parts."""
        sums: dict[str, float] = {}
        for part in self.parts:
            if sign * part.amount > 0.0:
                sums[part.name] = sums.get(part.name, 0.0) + sign * part.amount
        return sums

    @property
    def missing(self) -> float:
        """J that came from nowhere, below zero what went nowhere: the error of the balance."""
        return sum(part.amount for part in self.parts if part.role == REST)


def energy_flow(r: Recording, begin: float = 0.0, end: float = np.inf) -> EnergyFlow:
    """What drives, loads, springs, dampers, contacts and bodies gave and took between two instants
    [s]. Raises ModelError where the run has no such span."""
    begin, end = max(begin, float(r.time[0])), min(end, float(r.time[-1]))
    if not end > begin:
        raise ModelError("the run has no such span", remedy="Choose a longer one within its time")

    def change(values: Floats) -> float:
        return float(value_at(r, values, end)) - float(value_at(r, values, begin))

    energies = Energies(r)
    parts = [*_elements(r, change), *_bodies(r, energies, change)]
    roles = {
        WORK: energies.drives + energies.loads + energies.events,
        STORE: -energies.total,
        LOSS: -energies.dissipated,
    }
    for role, total in roles.items():  # what no element tells of itself
        rest = change(total) - sum(part.amount for part in parts if part.role == role)
        parts.append(Part(_OTHERS[role], role, rest))
    scale = max(abs(part.amount) for part in parts)
    parts.append(Part(REST, REST, change(energies.balance)))
    kept = [part for part in parts if abs(part.amount) > SMALL * scale]
    return EnergyFlow(begin, end, tuple(sorted(kept, key=lambda part: -abs(part.amount))))


_OTHERS = {WORK: "events", STORE: "stops of joints", LOSS: "friction and stops of joints"}


def _elements(r: Recording, change: Change) -> Iterator[Part]:
    """Drives, loads, belts by their work; springs by what they hold; what dampers, friction and
    contacts lose. What an element has several of is told apart."""
    names = {name for name in r.channels() if name.count(".") == 1}
    for element in dict.fromkeys(name.split(".")[0] for name in r.channels()):
        own = [quantity for quantity in TOLD if f"{element}.{quantity}" in names]
        for quantity in own if element != SYSTEM else ():
            role, sign, word = TOLD[quantity]
            title = f"{element}, {word}" if len(own) > 1 else element
            yield Part(title, role, sign * change(r[f"{element}.{quantity}"]))


def _bodies(r: Recording, energies: Energies, change: Change) -> Iterator[Part]:
    """Their motion and height, one by one where they are few."""
    moving = {name: row for name, row in r.bodies.items() if row}
    if len(moving) > MOST_BODIES:
        yield Part(f"motion of {len(moving)} bodies", STORE, -change(energies.kinetic))
        yield Part(f"height of {len(moving)} bodies", STORE, -change(energies.potential))
        return
    for name, row in moving.items():
        yield Part(f"motion of {name}", STORE, -change(kinetic(r, row)))
        yield Part(f"height of {name}", STORE, -change(potential(r, row)))
