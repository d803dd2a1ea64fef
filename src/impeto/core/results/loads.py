"""Everything that acts on one body at a recorded instant: with the forces of inertia it sums to
zero (d'Alembert), which is a check of its own."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import place
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact.law import ROLLING
from impeto.core.contact.touch import ROLLING_AT
from impeto.core.drives.columns import Effort
from impeto.core.drives.data import DriveData
from impeto.core.dynamics.columns import Coordinate, Friction, Row, RowValue, Stop
from impeto.core.dynamics.state import SIDE
from impeto.core.dynamics.tables import (
    M_DRIVE,
    M_FRICTION,
    M_ON,
    M_SPRING,
    M_STOP,
    TOUCH_FORCE,
    TOUCH_NORMAL,
    TOUCH_PLACE,
    TOUCH_RULE,
    Workspace,
)
from impeto.core.errors import ChannelError
from impeto.core.forces.kinds import POINT_FORCES
from impeto.core.forces.point_force import about
from impeto.core.joints.columns import Spring
from impeto.core.results.recording import Recording

Floats = npt.NDArray[np.float64]
GRAVITY, INERTIA = "gravity", "inertia"


@dataclass(frozen=True, eq=False, slots=True)
class Acting:
    """force [N] and torque [N m] about the centre of mass (3,), world, of an element on a body."""

    element: str
    force: Floats
    torque: Floats


def loads_on(r: Recording, body: str, time: float) -> tuple[Acting, ...]:
    """What acts on a body at the recorded instant nearest to a time [s], one entry for each
    element; 'inertia' is what its acceleration asks for, with the sign that balances the rest.

    The reaction of a joint and what acts along its free motions (springs, stops, friction) are one
    entry. Raises ChannelError.
    """
    if body not in r.bodies:
        raise ChannelError(f"There is no body '{body}' in this run.")
    at, row = int(np.argmin(np.abs(r.time - time))), r.bodies[body]
    if not row:
        raise ChannelError("The ground does not move: ask for a body that does.")
    totals: dict[str, Floats] = {}
    for element, wrench in _all(r, row, at):
        totals[element] = totals.get(element, np.zeros(6)) + wrench
    return tuple(Acting(name, w[:3], w[3:]) for name, w in totals.items() if w.any())


def _all(r: Recording, body: int, at: int) -> Iterator[tuple[str, Floats]]:
    """Wrenches (6,) about the centre of mass, world, by element."""
    if not r.present[at, body]:
        return
    S = placed_at(r, at)
    yield INERTIA, _inertia(r, body, at)
    yield from _rows(r, S, body, at)
    yield from applied(r, S, body, at)


def applied(r: Recording, S: Workspace, body: int, at: int) -> Iterator[tuple[str, Floats]]:
    """Wrenches (6,) on a body about its centre of mass, world, of all but joints that hold and
    inertia, by element; S : `placed_at` that instant"""
    T = r.system.tables
    yield GRAVITY, np.concatenate([T.mass[body] * T.gravity, np.zeros(3)])
    yield from _along_coordinates(r, S, body, at)
    for kind in POINT_FORCES:
        yield from kind.acting(r, body, at)
    yield from _contacts(r, body, at)


def placed_at(r: Recording, at: int) -> Workspace:
    """A workspace with all bodies, rows and coordinates where they are at an instant."""
    system, T = r.system, r.system.tables
    S = workspace_of(system)
    on = int(T.measured[M_ON])
    S.on[:] = r.measured[at, on : on + len(S.on)]
    S.along[:] = _followed(r, at)
    S.turned[:] = r.coordinate[at, :, 0]
    for _, _, flank, pair in T.gear_pair:  # which flank of the teeth bears
        if flank >= 0 and pair >= 0:
            S.switch[flank] = int(r.multiplier[at, pair] > 0.0)
    place(T, S, float(r.time[at]), np.asarray(r.state[at]))
    return S


def _followed(r: Recording, at: int) -> Floats:
    """Where on their paths joints are."""
    rows = [r.system.coordinates[int(joint), 0] for joint in r.system.tables.path[:, 0]]
    return np.array([r.coordinate[at, row, 0] for row in rows])


def _inertia(r: Recording, body: int, at: int) -> Floats:
    T, R = r.system.tables, r.rotations[at, body]
    inertia = R @ T.inertia[body] @ R.T
    spin = r.spins[at, body]
    turning = inertia @ r.spin_rates[at, body] + np.cross(spin, inertia @ spin)
    return -np.concatenate([T.mass[body] * r.accelerations[at, body], turning])


def _rows(r: Recording, S: Workspace, body: int, at: int) -> Iterator[tuple[str, Floats]]:
    """Reactions of constraint rows, Jᵀλ; rotors belong to the effort of their drive."""
    T, R = r.system.tables, r.rotations[at, body]
    parts = [(k, T.row[k, Row.JOINT], S.jacobian[k]) for k in range(len(T.row))]
    parts += [
        (int(k), T.coordinate[c, Coordinate.JOINT], S.term_jacobian[q])
        for q, (k, c) in enumerate(T.term)
    ]
    for k, joint, jacobian in parts:
        name = r.system.rows[k]
        if name.role == "rotor":
            continue
        for side in range(2):
            if T.joint_body[joint, side] == body:
                part = jacobian[SIDE * side : SIDE * side + 6] * (
                    r.multiplier[at, k] / T.row_value[k, RowValue.SCALE]
                )
                yield name.owner, np.concatenate([part[:3], R @ part[3:]])


def _along_coordinates(
    r: Recording, S: Workspace, body: int, at: int
) -> Iterator[tuple[str, Floats]]:
    """Springs, stops and friction of joints, efforts of drives that prescribe no motion."""
    system, T = r.system, r.system.tables
    names = {row: name for name, row in system.elements.items()}
    listed = [
        (T.spring[k, Spring.COORDINATE], M_SPRING, k, names[T.spring[k, Spring.ELEMENT]])
        for k in range(len(T.spring))
    ]
    listed += [
        (T.stop[k, Stop.COORDINATE], M_STOP, k, names[T.stop[k, Stop.ELEMENT]])
        for k in range(len(T.stop))
    ]
    listed += [
        (T.friction[k, Friction.COORDINATE], M_FRICTION, k, names[T.friction[k, Friction.ELEMENT]])
        for k in range(len(T.friction))
        if T.friction[k, Friction.MOTOR] < 0  # that of a motor is in the effort of the drive
    ]
    drives = system.mechanism.of(DriveData)
    listed += [
        (c, M_DRIVE, drive, drives[drive].name)
        for c, drive in T.effort[:, [Effort.COORDINATE, Effort.DRIVE]]
    ]
    for c, group, index, name in listed:
        joint, effort = T.coordinate[c, Coordinate.JOINT], r.measure(group, int(index))[at]
        for side in range(2):
            if T.joint_body[joint, side] == body:
                yield name, effort * S.gradient[c, SIDE * side : SIDE * side + 6]


def _contacts(r: Recording, body: int, at: int) -> Iterator[tuple[str, Floats]]:
    """Normal forces, friction and rolling resistance, by the other body."""
    m, touching = r.system.mechanism, r.touching
    resisting = r.system.tables.rule_value[:, ROLLING]
    for a, b in touching.pairs:
        if body not in (a, b):
            continue
        rows, signs = touching.of_pair(a, b)
        now = touching.instant[rows] == at
        forces = touching.forces(rows[now]) * signs[now, None]
        other = b if body == a else a
        turning = r.spins[at, body] - r.spins[at, other]
        sign = 1.0 if body == a else -1.0
        for force, point in zip(forces, touching.touch[rows[now]], strict=True):
            wrench = about(r.centers[at, body], point[TOUCH_PLACE : TOUCH_PLACE + 3], sign * force)
            normal = point[TOUCH_NORMAL : TOUCH_NORMAL + 3]
            rolls = turning - (turning @ normal) * normal
            arm = resisting[int(point[TOUCH_RULE])] * point[TOUCH_FORCE]
            wrench[3:] -= arm * rolls / np.hypot(np.linalg.norm(rolls), ROLLING_AT)
            yield f"contact with {m.bodies[other].name}", wrench
