"""All that acts between points, in order."""

from __future__ import annotations

from impeto.core.assembly.sensors import run_programs
from impeto.core.dynamics.columns import Sensor
from impeto.core.dynamics.kernel import inlined
from impeto.core.dynamics.tables import (
    AFTER_LINKS,
    SENSE_PULL,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import is_away
from impeto.core.forces.kinds import add_point_forces
from impeto.core.forces.line_law import Pull, add_links


@inlined
def set_forces(T: Tables, S: Workspace, t: float) -> None:
    """Fill S.wrench with everything that acts between points, and the powers of that."""
    for body in range(T.mass.shape[0]):
        away = is_away(T, S, body)
        for k in range(3):
            S.wrench[body, k] = 0.0 if away else T.mass[body] * T.gravity[k]
            S.wrench[body, 3 + k] = 0.0
    add_links(T, S)
    forced = False
    for index in range(T.sensor.shape[0]):
        if T.sensor[index, Sensor.KIND] == SENSE_PULL:
            S.sensed[index] = S.pull[T.sensor[index, Sensor.ROW], Pull.FORCE]
            forced = True
    if forced:
        run_programs(T, S, t, AFTER_LINKS)
    add_point_forces(T, S)
