"""A mechanism as arrays, and the names of their rows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from impeto.core.dynamics.mechanism import Mechanism
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.programs import Timing
from impeto.core.dynamics.tables import (
    Tables,
)
from impeto.core.geometry.arrays import Floats, Ints


@dataclass(frozen=True, slots=True)
class System:
    """Arrays of a mechanism and the names of their rows."""

    mechanism: Mechanism
    tables: Tables
    rows: tuple[RowName, ...]
    coordinates: dict[tuple[int, int], int]  # (joint, freedom) -> row
    efforts: tuple[int, ...]  # drive of each effort
    elements: Mapping[str, int]  # name -> row of `on`
    programs: Mapping[str, int]  # program of a load's or drive's signal
    events: tuple[int, ...]  # switch of each event
    start: Floats  # state as written, before it is made consistent
    size: float  # m, typical of the mechanism
    timing: Timing  # what formulas do by the clock
    shape_body: Ints  # (H,) body of every shape that may touch something

    @property
    def moving(self) -> int:
        return len(self.mechanism.bodies) - 1

    @property
    def motions(self) -> tuple[int, ...]:
        """Drive of each prescribed motion."""
        return tuple(int(drive) for drive, _ in self.tables.motion_drive)

    @property
    def constraints(self) -> list[int]:
        """Rows that count as constraints: not those of friction, locks and rotors."""
        return [r for r, name in enumerate(self.rows) if not name.role]
