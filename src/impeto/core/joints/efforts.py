"""What acts along the freedoms of joints: springs, stops, dry friction."""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.columns import Coordinate, Curve, Friction, Quick, RowValue, Stop
from impeto.core.dynamics.efforts import push
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.programs import area, decide, look_up
from impeto.core.dynamics.tables import (
    AVERAGE,
    X_SPRINGS,
    X_STOPS,
    Tables,
    Workspace,
)
from impeto.core.geometry.arrays import Floats, Vector3
from impeto.core.joints.columns import Acting, FrictionValue, Spring

BRAKE = 50.0  # times the motor's own torque: what a self-locking gear holds back while it turns


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
