"""Quick mode: forces that are stiff against the step, taken at its end.

Every spring, damper, stop, servo and motor, what acts between points (`PointForce.implicit`), and
the gyroscopic torque of bodies that hang on others, has rows G of velocities u = G v along which it
acts. Its effort at the end of the step is f + δ − k h u⁺ − c (u⁺ − u), with the slopes k over
position and c over speed and what the clock and its own states add, δ: a linearly implicit step,
which no stiffness makes unstable (Hairer and Wanner 1996, IV.7). The equations of motion keep their
factor; the few rows are solved on top of it (Woodbury 1950).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.contact.impulses import BOUNCES
from impeto.core.drives.columns import Effort, Servo, ServoValue
from impeto.core.dynamics.columns import Coordinate, Row, Stop
from impeto.core.dynamics.integration import TIME, Integration
from impeto.core.dynamics.state import SIDE, all_speeds, extras_at, unknown_at, unknowns
from impeto.core.dynamics.tables import (
    BUMPER,
    BY_PROGRAM,
    MOTOR_STATES,
    ROPE,
    SERVO_STATES,
    STOP,
    X_EFFORTS,
    X_LINKS,
    X_MOTORS,
    X_SERVOS,
    X_SPRINGS,
    X_STOPS,
    Tables,
    Workspace,
)
from impeto.core.forces.kinds import POINT_FORCES
from impeto.core.forces.line_law import Line
from impeto.core.geometry.rotation import cross_matrix
from impeto.core.solvers.implicit_rows import (
    coordinate_accelerations,
    curve_slope,
    effort_of,
    solve_rows,
)
from impeto.core.solvers.switching import note

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
SLOW = 0.01  # rad in a step: the torque of what turns less is taken as it is
KINDS = tuple(kind for kind in POINT_FORCES if kind.implicit)
LINES, SPRINGS, STOPS, POINTS = range(4)  # groups of rows, then one for each of KINDS
DRIVES = POINTS + len(KINDS)
GYROSCOPES = DRIVES + 1
GYROSCOPIC = 0.55  # where within the step that torque is taken: a little behind its middle
STIFF_STOP = 0.1  # k h² / m from which an impact on a stop is shorter than ten steps: an impulse
RESTS = 1e-6  # of the least speed of an impact: depth up to which a stop is held by impulses
HARD = 1e5  # times the mass: how an impulse is held to its end speed


class ImplicitForces:
    """The rows of a mechanism, filled anew for every step.

    row : (K, 6n) G, velocities in the world, angular velocities in body axes
    stiffness, damping : (K,) slopes k and c;  added : (K,) δ;  damped : (K,) effort of dampers now
    """

    def __init__(self, T: Tables) -> None:
        n = len(T.mass) - 1
        self.links = np.flatnonzero(T.link[:, Line.LAW] != BY_PROGRAM)
        self.efforts = [
            e for e, row in enumerate(T.effort) if max(row[Effort.SERVO], row[Effort.MOTOR]) >= 0
        ]
        self.kinds = [kind.implicit(T) for kind in KINDS if kind.implicit]
        points = [kind.width * kind.count for kind in self.kinds]
        counts = (len(self.links), len(T.spring), len(T.stop), *points, len(self.efforts))
        pairs = (T.joint_body[T.row[:, Row.JOINT]], T.link[:, :2], T.bushing[:, :2])
        self.turning = sorted({int(b) for pair in pairs for b in pair.ravel()} - {0})
        self.first = np.concatenate([[0], np.cumsum(counts)]).astype(int)
        forces = int(self.first[-1])
        total = forces + 3 * len(self.turning)
        self.free = np.ones(n + 1, dtype=np.int64)
        self.free[self.turning] = 0
        self.row = np.zeros((total, unknowns(n)))
        self.stiffness, self.damping = np.zeros(total), np.zeros(total)
        self.added, self.damped = np.zeros(total), np.zeros(total)
        self.gyroscopic = np.zeros((len(self.turning), 3, 3))
        self.answer, self.gain = np.zeros((0, unknowns(n))), np.zeros((0, 0))
        self.speed = np.zeros(0)
        self.active = np.zeros(0, dtype=np.int64)  # rows that count in the step
        # Stops that are met: the speed along the coordinate that they leave; in the step before.
        self.struck: dict[int, float] = {}
        self.before: dict[int, float] = {}

    def take(self, T: Tables, S: Workspace, y: Floats, rate: Floats, h: float) -> None:
        """Fill the rows at a state that was evaluated; change the accelerations in `rate` to what
        leads to the implicit velocities after h seconds."""
        if not len(self.row):
            return
        n = len(T.mass) - 1
        self._fill(T, S, y, h)
        self._strike(T, S, rate, h)
        damping = self._damping()
        slope = h * (np.diag(h * self.stiffness) + damping)
        self.active = np.flatnonzero(np.abs(slope).any(axis=1) | (self.added != 0.0))
        pick = self.active
        row = np.ascontiguousarray(self.row[pick])
        self.answer = np.zeros_like(row)
        solve_rows(T, S, row, self.answer)
        mobility = row @ self.answer.T
        damping, slope = damping[np.ix_(pick, pick)], slope[np.ix_(pick, pick)]
        self.speed = row @ y[all_speeds(n)]
        given = h * (self.added[pick] + damping @ self.speed)
        predicted = self.speed + h * (row @ rate[all_speeds(n)])
        # u⁺ = u* + W (given − B u⁺), with B what the efforts take back per speed.
        self.gain = slope @ np.linalg.inv(np.eye(len(pick)) + mobility @ slope)
        impulse = given - self.gain @ (predicted + mobility @ given)
        rate[all_speeds(n)] += (impulse @ self.answer) / h

    def hold_stops(self, T: Tables, S: Workspace, state: Integration, new: Floats) -> None:
        """Keep what stops give over a step that ends with velocities `new` (6n,); log impacts."""
        S.stop_given[:] = 0.0
        n, first = len(T.mass) - 1, int(self.first[STOPS])
        for stop in self.struck:
            index, side = first + stop, T.stop[stop, Stop.SIDE]
            change = float(self.row[index] @ (new - state.y[all_speeds(n)]))
            effort = self.added[index] - self.damping[index] * change
            S.stop_given[stop] = max(-side * effort, 0.0)
            if stop not in self.before:
                note(state, STOP, float(state.clock[TIME]), int(T.stop[stop, Stop.SWITCH]))

    def _mobility(self, T: Tables, S: Workspace, index: int) -> float:
        """Speed along a row that an impulse of one along it gives."""
        row = np.ascontiguousarray(self.row[index : index + 1])
        answer = np.zeros_like(row)
        solve_rows(T, S, row, answer)
        return float(row[0] @ answer[0])

    def _damping(self) -> Floats:
        """(K, K) c, with the gyroscopic torques' blocks."""
        matrix = np.diag(self.damping)
        first = int(self.first[-1])
        for block in self.gyroscopic:
            matrix[first : first + 3, first : first + 3] = block
            first += 3
        return matrix

    def book(self, T: Tables, S: Workspace, y: Floats, new: Floats, rate: Floats, h: float) -> None:
        """Powers of the step that ends with velocities `new` (6n,), into the extra states' rates;
        states of motors and servos as they go on implicitly."""
        if not len(self.active):
            return
        n, extra, bounds = len(T.mass) - 1, T.extra, self.first
        first = extras_at(n)
        before, after = self.row @ y[all_speeds(n)], self.row @ new
        change = self.damping * (after - before)
        given = self.damped - change
        given[bounds[STOPS] : bounds[POINTS]] += self.added[bounds[STOPS] : bounds[POINTS]]
        lost = -given * 0.5 * (before + after)
        rate[first + extra[X_LINKS] + self.links] = lost[: bounds[SPRINGS]]
        rate[first + extra[X_SPRINGS] : first + extra[X_SPRINGS + 1]] = lost[
            bounds[SPRINGS] : bounds[STOPS]
        ]
        rate[first + extra[X_STOPS] : first + extra[X_STOPS + 1]] = lost[
            bounds[STOPS] : bounds[POINTS]
        ]
        for number, kind in enumerate(self.kinds):
            rows = slice(bounds[POINTS + number], bounds[POINTS + number + 1])
            kind.book(T, rate[first:], given[rows], lost[rows])
        added = self.added - h * self.stiffness * after - change
        for k, e in enumerate(self.efforts):
            index = int(bounds[DRIVES]) + k
            S.drive_effort[T.effort[e, Effort.DRIVE]] += added[index]
            rate[first + extra[X_EFFORTS] + e] = (
                S.drive_effort[T.effort[e, Effort.DRIVE]] * before[index]
            )
            self._states(T, S, y, rate, h, e, float(after[index]))

    def _states(
        self, T: Tables, S: Workspace, y: Floats, rate: Floats, h: float, e: int, speed: float
    ) -> None:
        """The current of a motor and the lagging effort of a servo at the end of the step."""
        first, motor, servo = (
            extras_at(len(T.mass) - 1),
            int(T.effort[e, Effort.MOTOR]),
            int(T.effort[e, Effort.SERVO]),
        )
        if motor >= 0 and S.on[T.effort[e, Effort.ELEMENT]] != 0.0:
            at = first + int(T.extra[X_MOTORS]) + MOTOR_STATES * motor
            supply, resistance, inductance, _, back, ratio = T.motor_value[motor, :6]
            voltage = supply * S.signal[T.effort[e, Effort.PROGRAM]]
            pushed = voltage - back * ratio * speed
            current = pushed / resistance
            if inductance > 0.0:
                current = (inductance * y[at] + h * pushed) / (inductance + h * resistance)
                rate[at] = (current - y[at]) / h
            rate[at + 1 : at + 3] = voltage * current, resistance * current**2
        if servo < 0:
            return
        if (
            servo >= 0
            and T.servo_value[servo, ServoValue.SAMPLE] == 0.0
            and np.isfinite(T.servo_value[servo, ServoValue.RATE])
        ):
            at = first + int(T.extra[X_SERVOS]) + SERVO_STATES * servo + 1
            most, lag = T.servo_value[servo, ServoValue.RATE], T.servo_value[servo, ServoValue.LAG]
            if abs(rate[at]) < most:
                rate[at] *= lag / (lag + h)

    def _fill(self, T: Tables, S: Workspace, y: Floats, h: float) -> None:
        self.row[:] = 0.0
        for values in (self.stiffness, self.damping, self.added, self.damped):
            values[:] = 0.0
        for k, link in enumerate(self.links):
            self._link(T, S, k, int(link))
        for group, listed, fill in (
            (SPRINGS, T.spring, self._spring), (STOPS, T.stop, self._stop),
        ):  # fmt: skip
            for k in range(len(listed)):
                fill(T, S, int(self.first[group]) + k, k)
        for number, kind in enumerate(self.kinds):
            first = int(self.first[POINTS + number])
            for k in range(kind.count):
                kind.fill(self, T, S, first + kind.width * k, k)
        first = int(self.first[DRIVES])
        for k, e in enumerate(self.efforts):
            self._drive(T, S, y, first + k, e, h)
        first = int(self.first[GYROSCOPES])
        for k, body in enumerate(self.turning):
            self._gyroscope(T, S, first + 3 * k, k, body, h)

    def put(self, S: Workspace, index: int, body: int, force: Floats, torque: Floats) -> None:
        """What an effort of one does to a body: force and torque about its centre, world."""
        if body > 0:
            at = unknown_at(body)
            self.row[index, at : at + 3] += force
            self.row[index, at + 3 : at + 6] += S.rotation[body].T @ torque

    def _coordinate(self, T: Tables, S: Workspace, index: int, c: int) -> None:
        for side in range(2):
            body = int(T.joint_body[T.coordinate[c, Coordinate.JOINT], side])
            unit = S.gradient[c, SIDE * side : SIDE * side + 6]
            self.put(S, index, body, unit[:3], unit[3:])

    def _link(self, T: Tables, S: Workspace, index: int, link: int) -> None:
        law, element, over_length, over_speed, _, switch = T.link[link, 2:]
        if S.on[element] == 0.0:
            return
        a, b = T.link[link, :2]
        line, length = S.line[link], S.length[link, 0]
        along = line[6:9] / length
        self.put(S, index, int(a), -along, -np.cross(line[:3], along))
        self.put(S, index, int(b), along, np.cross(line[3:6], along))
        stiffness, _, _, damping = T.link_value[link]
        if law in (ROPE, BUMPER):
            if not (S.switch[switch] and S.switch[switch + 1]):
                return
        else:
            stiffness += curve_slope(T, S, int(over_length))
            damping += curve_slope(T, S, int(over_speed))
        self.stiffness[index], self.damping[index] = max(stiffness, 0.0), max(damping, 0.0)
        power = S.power[T.extra[X_LINKS] + link]
        self.damped[index] = effort_of(power, S.length[link, 1])

    def _spring(self, T: Tables, S: Workspace, index: int, spring: int) -> None:
        c, element, over_position, over_speed = T.spring[spring]
        if S.on[element] == 0.0:
            return
        self._coordinate(T, S, index, int(c))
        stiffness, _, _, damping = T.spring_value[spring]
        power = S.power[T.extra[X_SPRINGS] + spring]
        self.stiffness[index] = max(stiffness + curve_slope(T, S, int(over_position)), 0.0)
        self.damping[index] = max(damping + curve_slope(T, S, int(over_speed)), 0.0)
        self.damped[index] = effort_of(power, S.rate[c])

    def _stop(self, T: Tables, S: Workspace, index: int, stop: int) -> None:
        c, element, side, switch = T.stop[stop]
        if S.on[element] == 0.0 or not (S.switch[switch] and S.switch[switch + 1]):
            return
        self._coordinate(T, S, index, int(c))
        limit, stiffness, factor, _, _ = T.stop_value[stop]
        depth, closing = side * (S.coordinate[c] - limit), side * S.rate[c]
        self.stiffness[index] = stiffness * max(1.0 + factor * closing / S.memory[switch], 0.0)
        self.damping[index] = stiffness * max(depth, 0.0) * factor / S.memory[switch]
        self.damped[index] = -self.damping[index] * S.rate[c]

    def _strike(self, T: Tables, S: Workspace, rate: Floats, h: float) -> None:
        """Stops that are met in this step and stiff against it: an impulse along the coordinate
        leaves the speed that the restitution asks for, and holds what rests at the end."""
        self.before, self.struck = self.struck, {}
        if not len(T.stop):
            return
        c, side, first = T.stop[:, Stop.COORDINATE], T.stop[:, Stop.SIDE], int(self.first[STOPS])
        limit, stiffness, _, slow, restitution = T.stop_value.T
        gap, closing = side * (limit - S.coordinate[c]), side * S.rate[c]
        coming = closing + h * side * coordinate_accelerations(T, S, c, rate)
        meets = (S.on[T.stop[:, Stop.ELEMENT]] != 0.0) & (gap < h * coming) & (gap > -RESTS * slow)
        for stop in map(int, np.flatnonzero(meets)):
            index = first + stop
            self.row[index] = 0.0
            self._coordinate(T, S, index, int(c[stop]))
            mobility = self._mobility(T, S, index)
            if stiffness[stop] * h * h * mobility < STIFF_STOP:
                if not S.switch[T.stop[stop, Stop.SWITCH]]:
                    self.row[index] = 0.0
                continue
            falls = BOUNCES * max(coming[stop] - closing[stop], 0.0)
            leaves = max(gap[stop], 0.0) / h
            if closing[stop] > falls:
                leaves = -restitution[stop] * closing[stop]
            speed = float(side[stop] * leaves)
            self.struck[stop] = speed
            self.stiffness[index], self.damping[index] = 0.0, HARD / (mobility * h)
            self.damped[index] = 0.0
            self.added[index] = self.damping[index] * (speed - float(S.rate[c[stop]]))

    def _drive(self, T: Tables, S: Workspace, y: Floats, index: int, e: int, h: float) -> None:
        c, program, element, _, servo, motor = (int(value) for value in T.effort[e])
        if S.on[element] == 0.0:
            return
        self._coordinate(T, S, index, c)
        if motor >= 0:
            supply, resistance, inductance, torque, back, ratio = T.motor_value[motor, :6]
            eased = inductance + h * resistance
            self.damping[index] = torque * back * ratio**2 * h / eased
            pushed = supply * S.signal[program] - back * ratio * S.rate[c]
            now = S.current[motor]
            later = (inductance * now + h * pushed) / eased
            self.added[index] = torque * ratio * (later - now)
            return
        value, switch = T.servo_value[servo], int(T.servo[servo, Servo.SWITCH])
        if (
            value[ServoValue.SAMPLE] > 0.0
            or np.isfinite(value[ServoValue.RATE])
            or S.switch[switch]
            or S.switch[switch + 1]
        ):
            return
        coming = S.signal[T.servo[servo, Servo.RATE]]
        gain = value[ServoValue.PROPORTIONAL] + h * value[ServoValue.INTEGRAL]
        if value[ServoValue.ON_SPEED] != 0.0:
            error = S.signal[program] - S.rate[c]
            self.damping[index], self.added[index] = gain, h * value[ServoValue.INTEGRAL] * error
            return
        error = S.signal[program] - S.coordinate[c]
        self.stiffness[index], self.damping[index] = gain, value[ServoValue.DERIVATIVE]
        self.added[index] = h * value[ServoValue.INTEGRAL] * error + h * gain * coming

    def _gyroscope(self, T: Tables, S: Workspace, index: int, k: int, body: int, h: float) -> None:
        """Three rows of the angular velocity in body axes; slope of ω × J ω."""
        at = unknown_at(body) + 3
        w, J = S.rotation[body].T @ S.spin[body], T.inertia[body]
        self.gyroscopic[k] = 0.0
        if h * float(np.linalg.norm(w)) < SLOW:
            return
        self.row[index : index + 3, at : at + 3] = np.eye(3)
        self.gyroscopic[k] = GYROSCOPIC * (cross_matrix(w) @ J - cross_matrix(J @ w))
