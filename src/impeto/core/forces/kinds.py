"""All kinds of forces between points. A new one is its own file, and named here: for users, in the
list, and in what a step does."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from impeto.core.bodies.compilation import Compilation, Numbers
from impeto.core.dynamics.channel import Channel
from impeto.core.dynamics.kernel import inlined
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.forces import bushings, drags, lines, loads
from impeto.core.forces.bushings import Bushing
from impeto.core.forces.drags import Drag
from impeto.core.forces.gravity import Gravity
from impeto.core.forces.lines import Actuator, Attraction, Bumper, Damper, Rope, Spring
from impeto.core.forces.loads import Load
from impeto.core.forces.point_force import PointForce

__all__ = [
    "Actuator",
    "Attraction",
    "Bumper",
    "Bushing",
    "Damper",
    "Drag",
    "Gravity",
    "Load",
    "Rope",
    "Spring",
]

POINT_FORCES: tuple[PointForce, ...] = (lines.LINES, bushings.BUSHINGS, drags.DRAGS, loads.LOADS)


@inlined
def add_point_forces(T: Tables, S: Workspace) -> None:
    """Add to S.wrench (force, world; torque about the centre of mass, world) what acts between
    points, but for lines, and write the power it puts in or takes out to the extra state of its
    row, so that the energy audit integrates it."""
    bushings.add_bushings(T, S)
    drags.add_drags(T, S)
    loads.add_loads(T, S)


def compiled(made: Compilation) -> Numbers:
    """Numbers of all forces between points."""
    return {kind.numbers: kind.compiled(made) for kind in POINT_FORCES}


def channels(r: Solution) -> Iterator[Channel]:
    for kind in POINT_FORCES:
        each: tuple[Any, ...] = r.system.mechanism.of(kind.numbers)
        for index, numbers in enumerate(each):
            yield from kind.channels(r, index, numbers)
