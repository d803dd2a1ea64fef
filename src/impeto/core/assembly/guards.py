"""Guards of the switches that depend on reactions and on the clock."""

from __future__ import annotations

from impeto.core.couplers.columns import GearPair
from impeto.core.drives.columns import NEXT_SAMPLE, Servo, ServoValue
from impeto.core.drives.kernels import gear_of
from impeto.core.dynamics.columns import Friction, RowValue, Switch
from impeto.core.dynamics.kernel import inlined
from impeto.core.dynamics.programs import decide
from impeto.core.dynamics.tables import (
    SLIPS_UP,
    STICKS,
    TIMED,
    X_FRICTIONS,
    Tables,
    Workspace,
)
from impeto.core.joints.columns import Rubbing
from impeto.core.joints.efforts import brake_of, friction_limits


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
    for mesh in range(T.gear_pair.shape[0]):
        switch, r = T.gear_pair[mesh, GearPair.FLANK], T.gear_pair[mesh, GearPair.ROW]
        if switch >= 0 and r >= 0:
            decide(S.switch, S.guard, switch, -S.solution[T.place[r]])
    for servo in range(T.servo.shape[0]):
        if T.servo_value[servo, ServoValue.SAMPLE] > 0.0:
            switch = T.servo[servo, Servo.SWITCH] + NEXT_SAMPLE
            S.guard[switch] = S.memory[switch] - t
    for switch in range(T.switch.shape[0]):
        if T.switch[switch, Switch.KIND] == TIMED:
            S.guard[switch] = 1.0
