"""What a run keeps: states, accelerations, reactions and measured values at the asked times."""

from __future__ import annotations

from impeto.core.assembly.equations import derivative, normalise, project
from impeto.core.contact.columns import (
    CLOSING,
    DEPTH,
    FIRST_SLOT,
    FORCE,
    FRICTION,
    NORMAL,
    PLACE,
    RULE,
    SHAPE_A,
    SHAPE_B,
    SLIP,
    SLOTS,
)
from impeto.core.dynamics.columns import Coordinate, RowValue
from impeto.core.dynamics.integration import EVALUATIONS, WRITTEN, Integration
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.pack import Pack
from impeto.core.dynamics.state import SIDE, extras_at, speeds_at, unknown_at
from impeto.core.dynamics.tables import (
    ACTED_ALONG,
    M_BUSHING,
    M_BUSHING_ENERGY,
    M_CONTACT_ENERGY,
    M_CURRENT,
    M_DRIVE,
    M_FRICTION,
    M_LINK,
    M_LINK_ENERGY,
    M_ON,
    M_SIGNAL,
    M_SPRING,
    M_SPRING_ENERGY,
    M_STOP,
    M_STOP_ENERGY,
    M_TALLY,
    TALLY_WIDTH,
    TOUCH_A,
    TOUCH_B,
    TOUCH_CLOSING,
    TOUCH_DEPTH,
    TOUCH_FORCE,
    TOUCH_FRICTION,
    TOUCH_NORMAL,
    TOUCH_PLACE,
    TOUCH_POINT,
    TOUCH_RULE,
    TOUCH_SLIP,
    Tables,
    Workspace,
)
from impeto.core.forces.bushings import ENERGY as BUSHING_ENERGY
from impeto.core.forces.line_law import Pull
from impeto.core.geometry.arrays import Floats, Ints, Rows
from impeto.core.joints.columns import Acting, Rubbing
from impeto.core.joints.kinds import coordinate_row
from impeto.core.solvers.runge_kutta import Method, extra_stages, interpolate, set_dense

OUTPUTS_IN_STEP = 50  # at most, with contacts
TORN = 1e-5  # of the size or the largest speed: residual of constraints that contradict
MOVED = 1e-3  # of the size or the speeds: by how much projection may change an output


class Outputs(Pack):
    """What is stored at the asked times."""

    time: Floats  # (N,)
    state: Floats  # (N, size)
    acceleration: Floats  # (N, n, 6) world; angular about world axes of the body's frame
    multiplier: Floats  # (N, m)
    coordinate: Floats  # (N, C, 3) value, rate and acceleration
    measured: Floats  # (N, Q) see tables.M_…
    touch: Floats  # (M, 17) points of contact, one output after the other, see TOUCH_…
    touch_end: Ints  # (N,) end of each output in them


@kernel
def store(
    T: Tables, S: Workspace, y: Floats, out: Outputs, index: int, rate: Floats, moment: float
) -> None:
    """Evaluate the equations at a consistent state and keep it."""
    derivative(T, S, moment, y, rate)
    n = T.mass.shape[0] - 1
    copy(y[: out.state.shape[1]], out.state[index])
    for body in range(n):
        R = S.rotation[body + 1]
        for k in range(3):
            out.acceleration[index, body, k] = S.solution[unknown_at(body + 1) + k]
            total = 0.0
            for j in range(3):
                total += R[k, j] * S.solution[unknown_at(body + 1) + 3 + j]
            out.acceleration[index, body, 3 + k] = total
    for r in range(T.row.shape[0]):
        out.multiplier[index, r] = -S.solution[T.place[r]] * T.row_value[r, RowValue.SCALE]
    for c in range(T.coordinate.shape[0]):
        out.coordinate[index, c, 0] = S.coordinate[c]
        out.coordinate[index, c, 1] = S.rate[c]
        out.coordinate[index, c, 2] = coordinate_acceleration(T, S, c, out.acceleration[index])
    measure_all(T, S, out.measured[index])
    first = out.touch_end[index - 1] if index > 0 else 0
    out.touch_end[index] = first
    for pair in range(S.near_count[0]):
        row = S.near[pair]
        for slot in range(row[FIRST_SLOT], row[FIRST_SLOT] + row[SLOTS]):
            if S.patch[slot, FORCE] > 0.0 and out.touch_end[index] < out.touch.shape[0]:
                keep_touch(row, slot, S.patch[slot], out.touch[out.touch_end[index]])
                out.touch_end[index] += 1


@kernel
def keep_touch(row: Ints, slot: int, patch: Floats, out: Floats) -> None:
    """One point of contact: see TOUCH_…"""
    out[TOUCH_A], out[TOUCH_B], out[TOUCH_RULE] = row[SHAPE_A], row[SHAPE_B], row[RULE]
    out[TOUCH_POINT] = slot - row[FIRST_SLOT]
    copy(patch[PLACE : PLACE + 3], out[TOUCH_PLACE:])
    copy(patch[NORMAL : NORMAL + 3], out[TOUCH_NORMAL:])
    out[TOUCH_FORCE] = patch[FORCE]
    copy(patch[FRICTION : FRICTION + 3], out[TOUCH_FRICTION:])
    out[TOUCH_DEPTH], out[TOUCH_SLIP], out[TOUCH_CLOSING] = (
        patch[DEPTH], patch[SLIP], patch[CLOSING]
    )  # fmt: skip


@inlined
def coordinate_acceleration(T: Tables, S: Workspace, c: int, acceleration: Rows) -> float:
    """Second derivative of a coordinate from the accelerations (n, 6) of the bodies, world."""
    joint = T.coordinate[c, Coordinate.JOINT]
    unit, bias = S.gradient[c], S.bias[c]
    if T.coordinate[c, Coordinate.NEED] != ACTED_ALONG:
        unit = S.row12
        bias = coordinate_row(T, S, c, unit)
    total = bias
    for side in range(2):
        body = T.joint_body[joint, side]
        if body > 0:
            for k in range(6):
                total += unit[SIDE * side + k] * acceleration[body - 1, k]
    return total


@inlined
def measure_all(T: Tables, S: Workspace, row: Floats) -> None:
    """Forces, energies, signals and switched states in the order of tables.M_…"""
    first = T.measured
    for i in range(S.pull.shape[0]):
        row[first[M_LINK] + i] = S.pull[i, Pull.FORCE]
        row[first[M_LINK_ENERGY] + i] = S.pull[i, Pull.ENERGY]
    for i in range(S.spring_effort.shape[0]):
        row[first[M_SPRING] + i] = S.spring_effort[i, Acting.EFFORT]
        row[first[M_SPRING_ENERGY] + i] = S.spring_effort[i, Acting.ENERGY]
    for i in range(S.stop_effort.shape[0]):
        row[first[M_STOP] + i] = S.stop_effort[i, Acting.EFFORT]
        row[first[M_STOP_ENERGY] + i] = S.stop_effort[i, Acting.ENERGY]
    for i in range(S.friction_effort.shape[0]):
        row[first[M_FRICTION] + i] = S.friction_effort[i, Rubbing.EFFORT]
    for i in range(S.bushing_effort.shape[0]):
        for k in range(6):
            row[first[M_BUSHING] + SIDE * i + k] = S.bushing_effort[i, k]
        row[first[M_BUSHING_ENERGY] + i] = S.bushing_effort[i, BUSHING_ENERGY]
    for i in range(S.drive_effort.shape[0]):
        row[first[M_DRIVE] + i] = S.drive_effort[i]
    for i in range(S.current.shape[0]):
        row[first[M_CURRENT] + i] = S.current[i]
    for i in range(S.contact_energy.shape[0]):
        row[first[M_CONTACT_ENERGY] + i] = S.contact_energy[i]
    for i in range(S.tally.shape[0]):
        for k in range(TALLY_WIDTH):
            row[first[M_TALLY] + TALLY_WIDTH * i + k] = S.tally[i, k]
    for i in range(S.signal.shape[0]):
        row[first[M_SIGNAL] + i] = S.signal[i]
    for i in range(S.on.shape[0]):
        row[first[M_ON] + i] = S.on[i]


@inlined
def write_outputs(
    T: Tables, S: Workspace, M: Method, state: Integration, out: Outputs, t: float, h: float,
    limit: float, end: float, size: float,
) -> None:  # fmt: skip
    """Interpolate, project and store every output time within the step."""
    index = state.counts[WRITTEN]
    if index >= out.time.shape[0] or (out.time[index] > t + h and t + h < end):
        return
    extra_stages(T, S, M, state, t, h)
    set_dense(state.dense, state, M, h)
    while index < out.time.shape[0] and (out.time[index] <= t + h or t + h >= end):
        moment = out.time[index]
        hold_output(T, S, state, moment, (moment - t) / h, limit, size)
        store(T, S, state.trial, out, index, state.rate, moment)
        state.counts[EVALUATIONS] += 1
        index += 1
    state.counts[WRITTEN] = index


@inlined
def hold_output(
    T: Tables, S: Workspace, state: Integration, moment: float, share: float, limit: float,
    size: float,
) -> None:  # fmt: skip
    """The state at an instant within the step into state.trial, on the constraints.

    Near a singular pose the last factor may point anywhere: then a fresh one is tried, and where
    that moves the state by more than a step's errors do, it stays as interpolated.
    """
    for attempt in range(3):
        interpolate(state.trial, state.y, state.dense, share)
        if attempt == 2:
            normalise(state.trial, T.mass.shape[0] - 1)
            return
        if attempt == 1:
            derivative(T, S, moment, state.trial, state.rate)
        gap = project(T, S, moment, state.trial, limit, state.scale[1])
        interpolate(state.rate, state.y, state.dense, share)
        if gap <= TORN * size and stays(state, T.mass.shape[0] - 1, size):
            return


@kernel
def stays(state: Integration, n: int, size: float) -> bool:
    """Whether state.trial is where state.rate is, but for small errors."""
    for i in range(extras_at(n)):
        scale = 1.0
        if i < speeds_at(n):
            scale = size if i % 7 < 3 else 1.0
        else:
            scale = state.scale[0] if (i - speeds_at(n)) % 6 < 3 else state.scale[1]
        if not abs(state.trial[i] - state.rate[i]) <= MOVED * scale:
            return False
    return True
