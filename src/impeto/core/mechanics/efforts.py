"""Efforts along coordinates: springs and stops on freedoms, drives, servos, motors, dry friction.

An effort is a force or torque along a joint coordinate, on B forwards and on A backwards.
"""

from __future__ import annotations

import numpy as np

from impeto.core.geometry.arrays import Floats, Ints, Rows, Vector3
from impeto.core.mechanics.columns import (
    NEXT_SAMPLE,
    Acting,
    Coordinate,
    Curve,
    Effort,
    Friction,
    FrictionValue,
    Motor,
    MotorValue,
    Quick,
    RowValue,
    Rubbing,
    Servo,
    ServoValue,
    Spring,
    Stop,
    Switch,
    Teeth,
)
from impeto.core.mechanics.kernel import inlined, kernel
from impeto.core.mechanics.lines import area
from impeto.core.mechanics.programs import decide, look_up
from impeto.core.mechanics.state import SIDE, extras_at
from impeto.core.mechanics.tables import (
    AVERAGE,
    MOTOR_STATES,
    SERVO_STATES,
    SLIPS_UP,
    STICKS,
    TIMED,
    X_EFFORTS,
    X_FRICTIONS,
    X_MOTORS,
    X_SERVOS,
    X_SPRINGS,
    X_STOPS,
    Tables,
    Workspace,
)

BRAKE = 50.0  # times the motor's own torque: what a self-locking gear holds back while it turns


@kernel
def push(wrench: Rows, bodies: Ints, unit: Floats, effort: float) -> None:
    """Add an effort along a coordinate with Jacobian unit (12,), world, to both bodies."""
    for side in range(2):
        body = bodies[side]
        for k in range(6):
            wrench[body, k] += effort * unit[SIDE * side + k]


@inlined
def set_efforts(T: Tables, S: Workspace, y: Floats) -> None:
    """Add springs, stops and drives on coordinates to S.wrench, with their powers."""
    add_springs(T, S)
    add_stops(T, S)
    states = extras_at(T.mass.shape[0] - 1)
    for index in range(T.effort.shape[0]):
        c, drive = T.effort[index, Effort.COORDINATE], T.effort[index, Effort.DRIVE]
        effort = S.signal[T.effort[index, Effort.PROGRAM]]
        servo, motor = T.effort[index, Effort.SERVO], T.effort[index, Effort.MOTOR]
        if servo >= 0:
            first = T.extra[X_SERVOS] + SERVO_STATES * servo
            effort = servo_effort(
                T.servo[servo], T.servo_value[servo], S.coordinate[c], S.rate[c], effort,
                S.signal, y, states + first, S.power, first, S.held[servo], S.switch, S.guard,
            )  # fmt: skip
        if motor >= 0:
            first = T.extra[X_MOTORS] + MOTOR_STATES * motor
            current = motor_current(
                T.motor_value[motor], effort, S.rate[c], y, states + first, S.power, first
            )
            if S.on[T.effort[index, Effort.ELEMENT]] == 0.0:  # the circuit is open
                current = 0.0
                for k in range(3):
                    S.power[first + k] = 0.0
            S.current[motor] = current
            effort = (
                T.motor_value[motor, MotorValue.TORQUE]
                * T.motor_value[motor, MotorValue.TRANSMISSION]
                * current
            )
        if S.on[T.effort[index, Effort.ELEMENT]] == 0.0:
            effort = 0.0
        S.drive_effort[drive] = effort
        S.power[T.extra[X_EFFORTS] + index] = effort * S.rate[c]
        joint = T.coordinate[c, Coordinate.JOINT]
        push(S.wrench, T.joint_body[joint], S.gradient[c], effort)


@inlined
def add_springs(T: Tables, S: Workspace) -> None:
    for index in range(T.spring.shape[0]):
        c, element = T.spring[index, Spring.COORDINATE], T.spring[index, Spring.ELEMENT]
        stiffness, free, preload, damping = T.spring_value[index]
        q, rate = S.coordinate[c] - free, S.rate[c]
        elastic = preload - stiffness * q
        energy = q * (0.5 * stiffness * q - preload)
        damped = damping * rate
        first, second = T.spring[index, Spring.OVER_POSITION], T.spring[index, Spring.OVER_SPEED]
        if first >= 0:
            elastic -= look_up(T.curve_piece, T.curve[first], q, S.switch, S.guard, S.memory)
            energy += area(
                T.curve_piece, T.curve[first, Curve.FIRST], T.curve[first, Curve.LAST], q
            )
        if second >= 0:
            damped += look_up(T.curve_piece, T.curve[second], rate, S.switch, S.guard, S.memory)
        on = S.on[element]
        for curve in (first, second):
            if on == 0.0 and curve >= 0:
                S.guard[T.curve[curve, Curve.SWITCH]] = 1.0
        S.spring_effort[index, Acting.EFFORT] = on * (elastic - damped)
        S.spring_effort[index, Acting.ENERGY] = on * energy
        S.power[T.extra[X_SPRINGS] + index] = on * damped * rate
        joint = T.coordinate[c, Coordinate.JOINT]
        push(S.wrench, T.joint_body[joint], S.gradient[c], on * (elastic - damped))


@inlined
def add_stops(T: Tables, S: Workspace) -> None:
    """Ends of travel: k·δ·(1 + a·δ̇/v₀), never pulling; v₀ is the speed of this impact. In quick
    mode those that are stiff against the step give what they gave in the step before."""
    for index in range(T.stop.shape[0]):
        stop = T.stop[index]
        c, element = stop[Stop.COORDINATE], stop[Stop.ELEMENT]
        side, switch = stop[Stop.SIDE], stop[Stop.SWITCH]
        limit, stiffness, factor, _, _ = T.stop_value[index]
        depth, closing = side * (S.coordinate[c] - limit), side * S.rate[c]
        touches = decide(S.switch, S.guard, switch, depth)
        effort, energy = 0.0, 0.0
        S.power[T.extra[X_STOPS] + index] = 0.0
        share = 1.0 + factor * closing / S.memory[switch]
        pushes = decide(S.switch, S.guard, switch + 1, share)
        if S.on[element] == 0.0:
            S.guard[switch] = 1.0
        if S.on[element] == 0.0 or not touches:
            S.guard[switch + 1] = 1.0
        else:
            elastic = stiffness * depth
            effort = elastic * share if pushes else 0.0
            energy = 0.5 * elastic * depth
            S.power[T.extra[X_STOPS] + index] = (effort - elastic) * closing
        S.stop_effort[index, Acting.EFFORT], S.stop_effort[index, Acting.ENERGY] = (
            -side * effort,
            energy,
        )
        if S.quick[Quick.MODE] == AVERAGE and S.stop_given[index] != 0.0:
            effort, energy = S.stop_given[index], 0.0
            S.stop_effort[index, Acting.EFFORT], S.stop_effort[index, Acting.ENERGY] = (
                -side * effort,
                energy,
            )
        joint = T.coordinate[c, Coordinate.JOINT]
        push(S.wrench, T.joint_body[joint], S.gradient[c], -side * effort)


@kernel
def servo_effort(
    servo: Ints, value: Floats, q: float, rate: float, reference: float, signal: Floats, y: Floats,
    at: int, power: Floats, first: int, held: Floats, switch: Ints, guard: Floats,
) -> float:  # fmt: skip
    """Effort of a servo; writes the rates of its integral and of the effort behind a rate limit.

    value : gains P I D, limit, rate limit, sample time, on speed, lag of the rate limit
    """
    power[first], power[first + 1] = 0.0, 0.0
    if value[ServoValue.SAMPLE] > 0.0:
        return held[0]
    wanted_rate = signal[servo[Servo.RATE]]
    if value[ServoValue.ON_SPEED] != 0.0:
        error, slope = reference - rate, 0.0
    else:
        error, slope = reference - q, wanted_rate - rate
    asked = (
        value[ServoValue.PROPORTIONAL] * error
        + value[ServoValue.INTEGRAL] * y[at]
        + value[ServoValue.DERIVATIVE] * slope
    )
    if servo[Servo.FORWARD] >= 0:
        asked += signal[servo[Servo.FORWARD]]
    limit = value[ServoValue.LIMIT]
    over = decide(switch, guard, servo[Servo.SWITCH], asked - limit)
    under = decide(switch, guard, servo[Servo.SWITCH] + 1, -limit - asked)
    # Whether the error winds the integral further up is asked only where that matters.
    held_back = (over or under) and value[ServoValue.INTEGRAL] != 0.0
    winding = held_back and decide(switch, guard, servo[Servo.SWITCH] + 2, error)
    if not held_back:
        guard[servo[Servo.SWITCH] + 2] = 1.0
    given = limit if over else (-limit if under else asked)
    if not held_back or over != winding:
        power[first] = error
    if not np.isfinite(value[ServoValue.RATE]):
        return given
    power[first + 1] = min(
        max((given - y[at + 1]) / value[ServoValue.LAG], -value[ServoValue.RATE]),
        value[ServoValue.RATE],
    )
    return y[at + 1]


@kernel
def motor_current(
    value: Floats, duty: float, rate: float, y: Floats, at: int, power: Floats, first: int
) -> float:
    """Current of a motor; writes the rates of its electric states.

    value : supply, R, L, Kt, Ke, transmission, efficiency, efficiency back, friction
    """
    voltage = duty * value[MotorValue.SUPPLY]
    back = value[MotorValue.BACK] * value[MotorValue.TRANSMISSION] * rate
    if value[MotorValue.INDUCTANCE] > 0.0:
        current = y[at]
        power[first] = (voltage - value[MotorValue.RESISTANCE] * current - back) / value[
            MotorValue.INDUCTANCE
        ]
    else:
        current = (voltage - back) / value[MotorValue.RESISTANCE]
        power[first] = 0.0
    power[first + 1] = voltage * current
    power[first + 2] = value[MotorValue.RESISTANCE] * current * current
    return current


@kernel
def friction_limits(
    value: Floats, load: float, brake: float, motor: Vector3, efforts: float, static: bool
) -> tuple[float, float]:
    """Largest friction against motion upwards and downwards along the coordinate.

    Dry friction is a coefficient times the load, a constant, and what a brake gives. The load of a
    thread has the sign of the effort along the coordinate: against it the thread presses harder,
    1/(1 − slope), with it less, 1/(1 + slope), so that torques are those of lead and friction angle
    (Shigley 1956). A gear adds a share of the motor's torque T at the output: (1 − η)|T| where the
    motor drives, (1/η' − 1)|T| where the load drives; a self-locking gear (η' = 0) holds any load
    while it stands.
    """
    base = value[0 if static else 1] * abs(load) + value[FrictionValue.CONSTANT] + max(brake, 0.0)
    up, down = base, base
    if value[FrictionValue.SLOPE] != 0.0:
        steep = abs(value[FrictionValue.SLOPE]) if load > 0.0 else -abs(value[FrictionValue.SLOPE])
        up, down = up / (1.0 + steep), down / (1.0 - steep)
    if motor[0] >= 0.0:
        torque, efficiency, back = efforts, motor[1], motor[2]
        forwards = (1.0 - efficiency) * abs(torque)
        backwards = (1.0 / back - 1.0) * abs(torque) if back > 0.0 else BRAKE * abs(torque)
        if back <= 0.0 and static:
            backwards = np.inf
        up += forwards if torque > 0.0 else backwards
        down += forwards if torque < 0.0 else backwards
    return up, down


@inlined
def gear_of(T: Tables, S: Workspace, index: int) -> tuple[Vector3, float]:
    """(is a gear, efficiency, efficiency back) and motor torque of a friction row."""
    motor = T.friction[index, Friction.MOTOR]
    if motor < 0:
        return (-1.0, 1.0, 1.0), 0.0
    value = T.motor_value[motor]
    return (1.0, value[MotorValue.EFFICIENCY], value[MotorValue.EFFICIENCY_BACK]), S.drive_effort[
        T.effort[T.motor[motor, Motor.EFFORT], Effort.DRIVE]
    ]


@inlined
def brake_of(T: Tables, S: Workspace, index: int) -> float:
    """Friction that a brake gives now, by its signal."""
    program = T.friction[index, Friction.PROGRAM]
    return S.signal[program] if program >= 0 else 0.0


@inlined
def friction_load(T: Tables, S: Workspace, index: int) -> float:
    """Size of the reaction across a coordinate, from the present multipliers; of a thread, its
    reaction with the sign of the effort along the coordinate."""
    if T.friction_value[index, FrictionValue.SLOPE] != 0.0:
        r = T.friction[index, Friction.LOAD]
        along = -S.solution[T.place[r]] * T.row_value[r, RowValue.SCALE]
        return along * np.sign(T.friction_value[index, FrictionValue.SLOPE])
    total = 0.0
    for k in range(4, 7):
        r = T.friction[index, k]
        if r >= 0:
            part = S.solution[T.place[r]] * T.row_value[r, RowValue.SCALE]
            total += part * part
    return np.sqrt(total)


@inlined
def set_guards(T: Tables, S: Workspace, t: float) -> None:
    """Guards of friction: what sticks must bear its effort, what slips must keep its direction;
    and those of sampled servos, which hold until the next sample."""
    for index in range(T.friction.shape[0]):
        c, r, switch = (
            T.friction[index, Friction.COORDINATE],
            T.friction[index, Friction.ROW],
            T.friction[index, Friction.SWITCH],
        )
        motor, torque = gear_of(T, S, index)
        state = S.switch[switch]
        if S.on[T.friction[index, Friction.ELEMENT]] == 0.0:
            S.guard[switch] = 1.0
        elif state == STICKS:
            up, down = friction_limits(
                T.friction_value[index],
                S.friction_effort[index, Rubbing.LOAD],
                brake_of(T, S, index),
                motor,
                torque,
                True,
            )
            effort = -S.solution[T.place[r]] * T.row_value[r, RowValue.SCALE]
            S.friction_effort[index, Rubbing.EFFORT] = effort
            S.guard[switch] = min(effort + up, down - effort)
        else:
            S.guard[switch] = S.rate[c] if state == SLIPS_UP else -S.rate[c]
        S.power[T.extra[X_FRICTIONS] + index] = (
            -S.friction_effort[index, Rubbing.EFFORT] * S.rate[c]
        )
    for mesh in range(T.mesh.shape[0]):
        switch, r = T.mesh[mesh, Teeth.FLANK], T.mesh[mesh, Teeth.ROW]
        if switch >= 0 and r >= 0:
            decide(S.switch, S.guard, switch, -S.solution[T.place[r]])
    for servo in range(T.servo.shape[0]):
        if T.servo_value[servo, ServoValue.SAMPLE] > 0.0:
            switch = T.servo[servo, Servo.SWITCH] + NEXT_SAMPLE
            S.guard[switch] = S.memory[switch] - t
    for switch in range(T.switch.shape[0]):
        if T.switch[switch, Switch.KIND] == TIMED:
            S.guard[switch] = 1.0
