"""What a run begins with: how long a first step may be, also after a change of a switch, and which
errors of currents and servo states matter."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import derivative
from impeto.core.contact.columns import NEARING
from impeto.core.drives.columns import Effort, MotorValue, Servo, ServoValue
from impeto.core.dynamics.columns import Coordinate
from impeto.core.dynamics.integration import EVALUATIONS, TIME, Integration
from impeto.core.dynamics.state import all_bodies, all_poses, extras_at, speeds_at
from impeto.core.dynamics.tables import (
    MOTOR_STATES,
    SERVO_STATES,
    SLIDE,
    X_BRISTLES,
    X_END,
    X_MOTORS,
    X_SERVOS,
    Tables,
    Workspace,
)
from impeto.core.solvers import switching as sw

Floats = npt.NDArray[np.float64]
BRISTLE = 0.1  # of the size: what errors of bristles are held against


def fitting_step(
    T: Tables, S: Workspace, state: Integration, size: float, end: float, tolerance: float
) -> float:
    """A step [s] by how fast the state changes and how that bends (after Hairer, Nørsett, Wanner
    1993, II.4). Leaves the evaluation at the present state in S and state.k[0].

    size : m, of the mechanism;  end : s, of the run;  tolerance : relative error per step
    """
    n = len(T.mass) - 1
    S.near_margin[NEARING] = np.inf  # whatever was fast before
    if n == 0:
        return end
    scale = np.empty(extras_at(n))
    scale[all_poses(n)] = np.tile([size] * 3 + [1.0] * 4, n)
    scale[speeds_at(n) :] = np.tile([float(state.scale[0])] * 3 + [float(state.scale[1])] * 3, n)
    rate = state.k[0][all_bodies(n)] / scale
    share = max(float(sw.present(T, S)[1:].mean()), 1.0 / n)  # the others are at rest
    first = float(np.sqrt((rate**2).mean() / share))
    h = min(0.01 / max(first, 1e-12 / end), 0.1 * end)
    now = float(state.clock[TIME])
    state.trial[:] = state.y + h * state.k[0]
    derivative(T, S, now + h, state.trial, state.rate)
    bend = (state.rate[all_bodies(n)] - state.k[0][all_bodies(n)]) / (h * scale)
    second = float(np.sqrt((bend**2).mean() / share))
    derivative(T, S, now, state.y, state.k[0])  # back to where we are
    S.before[:] = S.guard
    state.counts[EVALUATIONS] += 2
    pace = max(first, float(np.sqrt(second)), 1e-3 / end)
    return float(min(end, (0.01 * tolerance) ** 0.125 / pace))


def floors(T: Tables, size: float) -> Floats:
    """(extras,) sizes below which errors of currents, servo states and bristles do not matter;
    infinite where no error does.

    size : m, of the mechanism
    """
    floor = np.full(int(T.extra[X_END]), np.inf)
    for motor, value in enumerate(T.motor_value):
        if value[MotorValue.INDUCTANCE] > 0.0:
            largest = abs(value[MotorValue.SUPPLY]) / value[MotorValue.RESISTANCE]
            floor[T.extra[X_MOTORS] + MOTOR_STATES * motor] = largest + 1e-12
    for servo, value in enumerate(T.servo_value):
        first = T.extra[X_SERVOS] + SERVO_STATES * servo
        coordinate = T.coordinate[T.effort[T.servo[servo, Servo.EFFORT], Effort.COORDINATE]]
        floor[first] = 1e-2 * (size if coordinate[Coordinate.KIND] == SLIDE else 1.0)
        rate, limit = value[ServoValue.RATE], value[ServoValue.LIMIT]
        if np.isfinite(rate):
            floor[first + 1] = limit if np.isfinite(limit) else rate
    floor[T.extra[X_BRISTLES] : T.extra[X_BRISTLES + 1]] = BRISTLE * size
    return floor
