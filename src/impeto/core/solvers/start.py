"""A consistent start: positions on the constraints, then velocities."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.errors import GapError
from impeto.core.mechanics.equations import place, project
from impeto.core.mechanics.system import System
from impeto.core.mechanics.tables import Workspace
from impeto.core.model import units

Floats = npt.NDArray[np.float64]
CLOSE = 1e-2  # gaps up to this share of the mechanism's size are closed without asking


@dataclass(frozen=True, slots=True)
class Start:
    """state : consistent state at time zero;  moved [m] : the largest gap that was closed"""

    state: Floats
    moved: float


def row_gaps(system: System, state: Floats, S: Workspace) -> Floats:
    """Residual of every row as written [m; turns times the mechanism's size]."""
    place(system.tables, S, 0.0, state)
    return S.value.copy()


def consistent_start(system: System, S: Workspace) -> Start:
    """Project the start as written; GapError names the joint that stays apart."""
    y = system.start.copy()
    _set_references(system, S, y)
    gaps = np.abs(row_gaps(system, y, S))
    apart = np.flatnonzero(gaps > CLOSE * system.size)
    if len(apart):
        raise _apart(system, int(apart[np.argmax(gaps[apart])]), gaps)
    left = project(system.tables, S, 0.0, y, 1e-14 * system.size, 1e-3, 30, True)
    if not left <= 1e-10 * system.size:
        raise _apart(system, int(np.argmax(np.abs(S.value))), gaps)
    S.turned[:] = S.coordinate
    return Start(y, float(gaps.max(initial=0.0)))


def _set_references(system: System, S: Workspace, y: Floats) -> None:
    """Prescribed speeds and accelerations start from where the drawing has the freedom."""
    place(system.tables, S, 0.0, y)
    first = 13 * system.moving
    for coordinate, kind, program, _, _, state in system.tables.motion:
        if kind >= 1:
            y[first + state] = S.coordinate[coordinate]
        if kind == 2:
            y[first + state + 1] = S.rate[coordinate]
        del program


def _apart(system: System, row: int, gaps: Floats) -> GapError:
    name = system.rows[row]
    turning = name.freedom.startswith("turn")
    if turning:
        amount = units.shown(gaps[row] / system.size, "angle")
    else:
        amount = units.shown(gaps[row], "length")
    return GapError(
        f"its frames are {amount} apart in {name.freedom}",
        element=name.owner,
        remedy="Move a frame or a body so that they meet, or free that motion",
    )
