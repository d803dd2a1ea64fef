"""What formulas read of the mechanism, at an evaluation."""

from __future__ import annotations

from impeto.core.dynamics.columns import Program, Sensor
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.programs import run_program
from impeto.core.dynamics.state import extras_at
from impeto.core.dynamics.tables import (
    AFTER_FORCES,
    MOTOR_STATES,
    SENSE_COORDINATE,
    SENSE_COUNT,
    SENSE_CURRENT,
    SENSE_GAP,
    SENSE_KINETIC,
    SENSE_LENGTH,
    SENSE_LINK_RATE,
    SENSE_NOW,
    SENSE_POSITION,
    SENSE_POTENTIAL,
    SENSE_RATE,
    SENSE_SLIP,
    SENSE_SPIN,
    SENSE_STRAIN,
    SENSE_TENSION,
    SENSE_TOTAL,
    SENSE_VELOCITY,
    TALLY_COUNT,
    TALLY_NOW,
    X_MOTORS,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import cross, dot, is_away, turn
from impeto.core.forces.bushings import ENERGY as BUSHING_ENERGY
from impeto.core.forces.line_law import Pull
from impeto.core.geometry.arrays import Floats
from impeto.core.joints.columns import Acting


@inlined
def set_sensors(T: Tables, S: Workspace, y: Floats) -> None:
    """Channels that formulas refer to, but for forces."""
    work = S.row12
    for index in range(T.sensor.shape[0]):
        kind, row, component = (
            T.sensor[index, Sensor.KIND],
            T.sensor[index, Sensor.ROW],
            T.sensor[index, Sensor.COMPONENT],
        )
        if kind == SENSE_COORDINATE:
            S.sensed[index] = S.coordinate[row]
        elif kind == SENSE_RATE:
            S.sensed[index] = S.rate[row]
        elif kind == SENSE_SPIN:
            S.sensed[index] = S.spin[row, component]
        elif kind == SENSE_LENGTH:
            S.sensed[index] = S.length[row, 0]
        elif kind == SENSE_LINK_RATE:
            S.sensed[index] = S.length[row, 1]
        elif kind == SENSE_CURRENT:
            first = extras_at(T.mass.shape[0] - 1) + T.extra[X_MOTORS]
            S.sensed[index] = y[first + MOTOR_STATES * row]
        elif kind == SENSE_COUNT:
            S.sensed[index] = S.tally[row, TALLY_COUNT]
        elif kind == SENSE_NOW:
            S.sensed[index] = S.tally[row, TALLY_NOW]
        elif kind == SENSE_POSITION or kind == SENSE_VELOCITY:
            turn(S.rotation[row], T.sensor_point[index], work)
            if kind == SENSE_POSITION:
                S.sensed[index] = S.x[row, component] + work[component]
            else:
                S.sensed[index] = S.v[row, component] + cross(S.spin[row], work)[component]


@inlined
def run_programs(T: Tables, S: Workspace, t: float, group: int) -> None:
    """Values of the programs that run now: tables.AT_ONCE, AFTER_LINKS, AFTER_FORCES."""
    for program in range(T.program.shape[0]):
        if T.program[program, Program.WHEN] == group:
            S.signal[program] = run_program(
                T.program[program, Program.FIRST], T.program[program, Program.LAST], T.instruction,
                T.constant, S.sensed, t, S.stack, S.switch, S.guard, S.memory, T.curve,
                T.curve_piece,
            )  # fmt: skip


@inlined
def sense_forces(T: Tables, S: Workspace, t: float) -> None:
    """Contact rules, tensions and energies that events watch, and the programs that use them."""
    sensed = False
    for index in range(T.sensor.shape[0]):
        kind = T.sensor[index, Sensor.KIND]
        if SENSE_GAP <= kind <= SENSE_SLIP:
            S.sensed[index] = S.contact_sense[T.sensor[index, Sensor.ROW], kind - SENSE_GAP]
        elif kind == SENSE_TENSION:
            S.sensed[index] = S.pull[T.sensor[index, Sensor.ROW], Pull.TENSION]
        elif SENSE_KINETIC <= kind <= SENSE_TOTAL:
            S.sensed[index] = energy_of_all(T, S, kind)
        else:
            continue
        sensed = True
    if sensed:
        run_programs(T, S, t, AFTER_FORCES)


@kernel
def energy_of_all(T: Tables, S: Workspace, kind: int) -> float:
    """Kinetic, potential, strain energy [J], or their sum, from the evaluation that was made."""
    total = 0.0
    for body in range(1, T.mass.shape[0]):
        if is_away(T, S, body):
            continue
        if kind == SENSE_KINETIC or kind == SENSE_TOTAL:
            R, J, w = S.rotation[body], T.inertia[body], S.spin[body]
            u = (
                R[0, 0] * w[0] + R[1, 0] * w[1] + R[2, 0] * w[2],
                R[0, 1] * w[0] + R[1, 1] * w[1] + R[2, 1] * w[2],
                R[0, 2] * w[0] + R[1, 2] * w[1] + R[2, 2] * w[2],
            )
            momentum = (dot(J[0], u), dot(J[1], u), dot(J[2], u))
            total += 0.5 * (T.mass[body] * dot(S.v[body], S.v[body]) + dot(u, momentum))
        if kind == SENSE_POTENTIAL or kind == SENSE_TOTAL:
            total -= T.mass[body] * dot(S.x[body], T.gravity)
    if kind == SENSE_STRAIN or kind == SENSE_TOTAL:
        total += (
            S.pull[:, Pull.ENERGY].sum()
            + S.spring_effort[:, Acting.ENERGY].sum()
            + S.stop_effort[:, Acting.ENERGY].sum()
        )
        total += S.bushing_effort[:, BUSHING_ENERGY].sum() + S.contact_energy.sum()
    return total
