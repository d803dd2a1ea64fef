"""The discrete state during an integration: switches that change, and what goes with that."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import derivative
from impeto.core.drives.columns import Effort, Servo, ServoValue
from impeto.core.dynamics.columns import Coordinate, Friction, Piece, RowValue, Stop, Switch
from impeto.core.dynamics.integration import (
    CHANGES,
    CROWDED,
    EVALUATIONS,
    LOGGED,
    PROGRESS_AT,
    TIME,
    Integration,
)
from impeto.core.dynamics.programs import piece_at
from impeto.core.dynamics.state import SIDE, all_speeds, extras_at, unknown_at, unknowns
from impeto.core.dynamics.tables import (
    EVENT,
    FEED,
    FRICTION,
    MET,
    OUTLET,
    PIECE,
    SAMPLE,
    SLIPS_DOWN,
    SLIPS_UP,
    STICKS,
    STOP,
    X_EVENTS,
    Tables,
    Workspace,
)
from impeto.core.joints.columns import Rubbing, StopValue
from impeto.core.solvers.projection import project_fresh

Floats = npt.NDArray[np.float64]
MOST_CHANGES = 400  # switches that change without time going on
STANDS = 1e-12  # of the speeds: a joint that slips slower than that is about to begin or to end
BACKWARDS = 1e-10  # of the largest acceleration: from where it is not about to go the way it slips
MOST_FLIPS = 12  # of one switch until all are consistent


def moves_on(state: Integration, end: float) -> bool:
    """Count a change of a switch; whether time goes on between changes."""
    clock, count = state.clock, state.counts
    count[CHANGES] += 1
    count[CROWDED] += 1
    if clock[TIME] - clock[PROGRESS_AT] > 1e-7 * end:
        clock[PROGRESS_AT] = clock[TIME]
        count[CROWDED] = 0
    return bool(count[CROWDED] < MOST_CHANGES)


def change(T: Tables, S: Workspace, state: Integration, first: int, limit: float) -> int:
    """Change a switch and whatever does not hold then; returns the event that was met, or −1.

    Switches may hang on each other, as frictions do that share a body: the least of those that do
    not hold is changed until all do, which ends for the complementarity problems of friction and
    stops (Murty 1974). Leaves the rate of the state in k[0] and the guards as they are now.
    """
    t, event, index = float(state.clock[TIME]), -1, first
    flipped = np.zeros(len(S.switch), dtype=np.int64)
    derivative(T, S, t, state.y, state.k[0])
    for _ in range(MOST_FLIPS * len(S.switch)):
        change_switch(T, S, index)
        flipped[index] += 1
        kind = T.switch[index, Switch.KIND]
        note(state, kind, t, index)
        if kind in (FEED, OUTLET) and event < 0:
            event = index
        if kind == EVENT and event < 0:
            up = S.switch[index] == 1
            if (
                up == (T.switch[index, Switch.DIRECTION] > 0)
                and S.on[T.switch[index, Switch.ELEMENT]] != 0.0
            ):
                event = index
        derivative(T, S, t, state.y, state.k[0])
        state.counts[EVALUATIONS] += 1
        if np.abs(S.residual_rate).max(initial=0.0) > 1e-3 * limit:
            jump(T, S, state, limit)
        # Other events at this instant are left to be met on their own.
        failing = (
            fails(T, S, state) & ~np.isin(T.switch[:, Switch.KIND], MET) & (flipped < MOST_FLIPS)
        )
        failing &= (flipped < 1) | (T.switch[:, Switch.KIND] == FRICTION)
        if not failing.any():
            break
        index = int(np.flatnonzero(failing)[0])
    return event


def fails(T: Tables, S: Workspace, state: Integration) -> npt.NDArray[np.bool_]:
    """(W,) which switches do not hold, by the guards and accelerations as they are now.

    What slips so slowly that its direction is rounding must be about to go in that direction.
    """
    failing = S.guard < 0.0
    for index, (c, _, row, switch, *_) in enumerate(T.friction):
        if S.switch[switch] == STICKS or S.on[T.friction[index, Friction.ELEMENT]] == 0.0:
            continue
        turning = T.row_value[row, RowValue.SCALE] != 1.0
        if abs(S.rate[c]) <= STANDS * state.scale[1 if turning else 0]:
            ahead = _acceleration(T, S, c) * (1.0 if S.switch[switch] == SLIPS_UP else -1.0)
            failing[switch] = (
                ahead < -BACKWARDS * np.abs(S.solution[: unknowns(len(T.mass) - 1)]).max()
            )
    return failing


def _acceleration(T: Tables, S: Workspace, c: int) -> float:
    """Second derivative of a coordinate that something acts along."""
    total = float(S.bias[c])
    for side in range(2):
        body = T.joint_body[T.coordinate[c, Coordinate.JOINT], side]
        if body > 0:
            first, unit = unknown_at(body), S.gradient[c, SIDE * side : SIDE * side + 6]
            total += float(unit[:3] @ S.solution[first : first + 3])
            total += float(unit[3:] @ (S.rotation[body] @ S.solution[first + 3 : first + 6]))
    return total


def jump(T: Tables, S: Workspace, state: Integration, limit: float) -> None:
    """Speeds jump to what the constraints now ask for: what sticks stops, what is driven follows.

    The kinetic energy that this takes or gives goes to the account of events.
    """
    t, n = float(state.clock[TIME]), len(T.mass) - 1
    before = kinetic_energy(T, state.y)
    project_fresh(T, S, t, state.y, limit, 0)
    state.y[extras_at(n) + T.extra[X_EVENTS]] += kinetic_energy(T, state.y) - before
    derivative(T, S, t, state.y, state.k[0])


def present(T: Tables, S: Workspace) -> npt.NDArray[np.bool_]:
    """(n+1,) which bodies are there now."""
    there = np.ones(len(T.mass), dtype=bool)
    going = T.body_on >= 0
    there[going] = S.on[T.body_on[going]] != 0.0
    return there


def kinetic_energy(T: Tables, y: Floats) -> float:
    """J, of all bodies."""
    n = len(T.mass) - 1
    speeds = y[all_speeds(n)].reshape(n, 6)
    linear = (T.mass[1:] * (speeds[:, :3] ** 2).sum(axis=1)).sum()
    turning = np.einsum("bi,bij,bj->", speeds[:, 3:], T.inertia[1:], speeds[:, 3:])
    return float(0.5 * (linear + turning))


def note(state: Integration, kind: int, t: float, index: int) -> None:
    """Log an impact on a stop, sticking or slipping."""
    if kind in (STOP, FRICTION) and state.counts[LOGGED] < len(state.log):
        state.log[state.counts[LOGGED]] = t, index
        state.counts[LOGGED] += 1


def change_switch(T: Tables, S: Workspace, index: int) -> None:
    """The next state of a switch whose guard has failed, and what goes with the change."""
    kind, row = int(T.switch[index, Switch.KIND]), int(T.switch[index, Switch.ROW])
    if kind == FRICTION:
        if S.switch[index] != STICKS:
            S.switch[index] = STICKS
            S.memory[index] = S.coordinate[T.friction[row, Friction.COORDINATE]]
        else:
            S.switch[index] = (
                SLIPS_DOWN if S.friction_effort[row, Rubbing.EFFORT] > 0.0 else SLIPS_UP
            )
    elif kind == SAMPLE:
        sample_servo(T, S, row)
        S.memory[index] += T.servo_value[row, ServoValue.SAMPLE]
    elif kind == PIECE:
        _next_piece(T, S, index)
    elif kind not in (FEED, OUTLET):
        S.switch[index] = 1 - S.switch[index]
        if kind == STOP:
            c, side = T.stop[row, Stop.COORDINATE], T.stop[row, Stop.SIDE]
            S.memory[index] = max(side * S.rate[c], T.stop_value[row, StopValue.SLOW])


def _next_piece(T: Tables, S: Workspace, index: int) -> None:
    """The piece of a curve on the side to which its argument has left the one that held."""
    first, last, _ = T.curve[T.switch[index, Switch.ROW]]
    row, x = int(S.switch[index]), float(S.memory[index])
    there = int(piece_at(T.curve_piece, first, last, x))
    if there != row:  # it may be far: a spring that was off has not been followed
        S.switch[index] = there
        return
    below = x - T.curve_piece[row, Piece.X] if row > first else np.inf
    above = T.curve_piece[row + 1, Piece.X] - x if row + 1 < last else np.inf
    S.switch[index] = row - 1 if below < above else row + 1


def hold_pieces(T: Tables, S: Workspace) -> None:
    """Hold every curve over what moves to the piece on which it is now."""
    for first, last, switch in T.curve:
        if T.switch[switch, Switch.KIND] == PIECE:
            S.switch[switch] = piece_at(T.curve_piece, first, last, S.memory[switch])


def sample_servo(T: Tables, S: Workspace, row: int) -> None:
    """Take a sample of a digital servo: new effort, integral and last error into `held`."""
    value, effort = T.servo_value[row], int(T.servo[row, Servo.EFFORT])
    c, held = T.effort[effort, Effort.COORDINATE], S.held[row]
    gain_p, gain_i, gain_d, limit, rate, sample = value[:6]
    reference, forward = S.signal[T.effort[effort, Effort.PROGRAM]], T.servo[row, Servo.FORWARD]
    if value[ServoValue.ON_SPEED] != 0.0:
        error = reference - S.rate[c]
        slope = (error - held[2]) / sample
    else:
        error = reference - S.coordinate[c]
        slope = S.signal[T.servo[row, Servo.RATE]] - S.rate[c]
    integral = held[1] + sample * error
    asked = gain_p * error + gain_i * integral + gain_d * slope
    asked += S.signal[forward] if forward >= 0 else 0.0
    given = min(max(asked, -limit), limit)
    given = min(max(given, held[0] - rate * sample), held[0] + rate * sample)
    if (asked - given) * error <= 0.0:  # not driven further into its limit
        held[1] = integral
    held[0], held[2] = given, error


def settle(T: Tables, S: Workspace, state: Integration, limit: float, events: bool = False) -> None:
    """Let every switch find its state at the present instant; nothing counts as an event.

    events : whether those of events do so too, or stay for the run to meet
    """
    t, logged = float(state.clock[TIME]), int(state.counts[LOGGED])
    derivative(T, S, t, state.y, state.k[0])
    for _ in range(50):
        waits = np.isin(T.switch[:, Switch.KIND], (FEED, OUTLET) if events else MET)
        failing = np.flatnonzero(fails(T, S, state) & ~waits)
        if not len(failing):
            break
        change(T, S, state, int(failing[0]), limit)
    state.counts[LOGGED] = logged
