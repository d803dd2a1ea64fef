"""What a channel is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Generic, TypeVar

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.columns import Friction
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import (
    M_FRICTION,
    M_SIGNAL,
    X_FRICTIONS,
)

Floats = npt.NDArray[np.float64]
Compute = Callable[[], Floats]
Shared = TypeVar("Shared")


@dataclass(frozen=True)
class Channel:
    """name : dotted path;  kind : key of units.KINDS"""

    name: str
    kind: str
    compute: Compute = field(repr=False)

    @cached_property
    def values(self) -> Floats:
        """(N,) SI values, read-only."""
        values = np.array(self.compute(), dtype=float)
        values.flags.writeable = False
        return values


class Once(Generic[Shared]):
    """What several channels share, worked out when one of them is first asked for."""

    __slots__ = ("compute", "known")

    def __init__(self, compute: Callable[[], Shared]) -> None:
        self.compute = compute
        self.known: Shared | None = None

    def __call__(self) -> Shared:
        if self.known is None:
            self.known = self.compute()
        return self.known


def vector(name: str, kind: str, compute: Compute, *, size: bool = True) -> Iterator[Channel]:
    """Three components of (N, 3) values and, with `size`, the magnitude under the plain name."""
    shared = Once(compute)
    if size:
        yield Channel(name, kind, lambda: np.linalg.norm(shared(), axis=1))
    for axis, letter in enumerate("xyz"):
        yield component(f"{name}.{letter}", kind, shared, axis)


def component(name: str, kind: str, compute: Compute, axis: int) -> Channel:
    """One column of (N, k) values."""
    return Channel(name, kind, lambda: compute()[:, axis])


def signal_values(r: Solution, name: str) -> Floats:
    """(N,) values of the signal of a load or drive."""
    return r.measure(M_SIGNAL, r.system.programs[name])


def friction_channels(r: Solution, name: str, effort: str, kind: str) -> Iterator[Channel]:
    """Effort of the friction of a brake or thread along its coordinate, and what is lost in it."""
    T = r.system.tables
    (index,) = np.flatnonzero(T.friction[:, Friction.ELEMENT] == r.system.elements[name])
    c = int(T.friction[index, Friction.COORDINATE])

    def acting() -> Floats:
        return r.measure(M_FRICTION, int(index))

    yield Channel(f"{name}.{effort}", kind, acting)
    yield Channel(f"{name}.loss_power", "power", lambda: -acting() * r.coordinate[:, c, 1])
    yield Channel(f"{name}.loss", "energy", lambda: r.extra(X_FRICTIONS, int(index)))
