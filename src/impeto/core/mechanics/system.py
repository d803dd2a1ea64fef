"""From a mechanism to arrays: which row is whose, decided once; nothing looks up names later."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.rotation import to_quaternion
from impeto.core.mechanics import kkt, tables
from impeto.core.mechanics.mechanism import DriveData, JointData, Mechanism
from impeto.core.mechanics.programs import ProgramBuilder
from impeto.core.mechanics.tables import DOT, SLIDE, TURN_A, TURN_B, Tables, Workspace
from impeto.core.model.calculus import ZERO, derivative
from impeto.core.model.freedoms import FREEDOMS

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
# ε against the mean of the diagonal of J M⁻¹ Jᵀ. The way through singular poses errs in proportion
# to it, reactions of redundant rows by 1e-16 / ε: measured on the four-bar loops and slider-crank.
REGULARISATION = 1e-9

MOTION_KINDS = {
    "position": tables.BY_POSITION,
    "speed": tables.BY_SPEED,
    "acceleration": tables.BY_ACCELERATION,
}
BODY_SENSORS = {
    "position": tables.SENSE_POSITION,
    "velocity": tables.SENSE_VELOCITY,
    "spin": tables.SENSE_SPIN,
}


@dataclass(frozen=True, slots=True)
class RowName:
    """What a constraint row stands for."""

    owner: str  # the joint, or the drive that prescribes it
    freedom: str  # 'slide x' … 'turn z'
    joint: int


@dataclass(frozen=True, slots=True)
class System:
    """Arrays of a mechanism and the names of their rows."""

    mechanism: Mechanism
    tables: Tables
    rows: tuple[RowName, ...]
    coordinates: dict[tuple[int, int], int]  # (joint, freedom) -> row
    motions: tuple[int, ...]  # drive of each prescribed motion
    efforts: tuple[int, ...]  # drive of each effort
    start: Floats  # state as written, before it is made consistent

    @property
    def moving(self) -> int:
        return len(self.mechanism.bodies) - 1

    @property
    def size(self) -> float:
        return self.mechanism.size

    def workspace(self) -> Workspace:
        """Fresh scratch memory."""
        return new_workspace(self.tables)


def build_system(mechanism: Mechanism) -> System:
    """Number everything and lay out the arrays."""
    layout = _Layout(mechanism)
    for joint, data in enumerate(mechanism.joints):
        layout.add_joint(joint, data)
    for drive, drive_data in enumerate(mechanism.drives):
        layout.add_drive(drive, drive_data)
    return layout.system()


class _Layout:
    """Lists that become the tables."""

    def __init__(self, mechanism: Mechanism) -> None:
        self.mechanism = mechanism
        self.body_row = {body.name: row for row, body in enumerate(mechanism.bodies)}
        self.joint_row = {joint.name: row for row, joint in enumerate(mechanism.joints)}
        self.rows: list[RowName] = []
        self.row: list[tuple[int, int, int, int]] = []
        self.row_scale: list[float] = []
        self.row_motion: list[int] = []
        self.coordinate: list[tuple[int, int, int, int, int, int]] = []
        self.coordinates: dict[tuple[int, int], int] = {}
        self.behaviour: list[int] = []
        self.behaviour_value: list[tuple[float, float, float]] = []
        self.sensor: list[tuple[int, int, int]] = []
        self.sensors: dict[str, int] = {}
        self.programs = ProgramBuilder(self.sensor_row)
        self.motion: list[tuple[int, int, int, int, int, int]] = []
        self.motions: list[int] = []
        self.effort: list[tuple[int, int]] = []
        self.efforts: list[int] = []
        self.reference_states = 0

    def add_joint(self, joint: int, data: JointData) -> None:
        name = data.name
        for axis in range(3):
            if data.free[axis]:
                self.add_coordinate(joint, axis, (SLIDE, axis, 0, 0, 0))
            else:
                self.add_row(RowName(name, FREEDOMS[axis], joint), (joint, SLIDE, axis, 0), 1.0)
        free = [axis for axis in range(3) if data.free[3 + axis]]
        locked = [axis for axis in range(3) if not data.free[3 + axis]]
        scale = self.mechanism.size
        if len(free) == 2:
            i, j, k = (*free, *locked)
            sign = 1 if (i, j, k) in ((0, 1, 2), (1, 2, 0)) else -1
            self.add_row(RowName(name, FREEDOMS[3 + k], joint), (joint, DOT, i, j), scale)
            self.add_coordinate(joint, 3 + i, (TURN_A, i, j, k, sign))
            self.add_coordinate(joint, 3 + j, (TURN_B, j, i, k, sign))
        elif len(free) == 1:
            k = free[0]
            i, j = (k + 1) % 3, (k + 2) % 3
            # x_A·z_B changes with a turn about y, so each row carries the name of the other axis.
            self.add_row(RowName(name, FREEDOMS[3 + j], joint), (joint, DOT, i, k), scale)
            self.add_row(RowName(name, FREEDOMS[3 + i], joint), (joint, DOT, j, k), scale)
            self.add_coordinate(joint, 3 + k, (TURN_A, k, i, j, 1))
        elif not free:
            for axis, (i, j) in enumerate(((1, 2), (0, 2), (0, 1))):
                self.add_row(RowName(name, FREEDOMS[3 + axis], joint), (joint, DOT, i, j), scale)
        for behaviour in data.behaviours:
            row = self.coordinates.get((joint, behaviour.freedom))
            if row is not None:
                self.behaviour.append(row)
                self.behaviour_value.append(
                    (behaviour.stiffness, behaviour.free_position, behaviour.damping)
                )

    def add_row(self, name: RowName, row: tuple[int, int, int, int], scale: float) -> None:
        self.rows.append(name)
        self.row.append(row)
        self.row_scale.append(scale)
        self.row_motion.append(-1)

    def add_coordinate(
        self, joint: int, freedom: int, measure: tuple[int, int, int, int, int]
    ) -> None:
        self.coordinates[joint, freedom] = len(self.coordinate)
        self.coordinate.append((joint, *measure))

    def add_drive(self, drive: int, data: DriveData) -> None:
        coordinate = self.coordinates[data.joint, data.freedom]
        program = self.programs.add(data.value)
        if data.prescribes == "effort":
            self.effort.append((coordinate, program))
            self.efforts.append(drive)
            return
        first = derivative(data.value)
        second = derivative(first) if data.prescribes == "position" else ZERO
        kind = MOTION_KINDS[data.prescribes]
        rates = self.programs.add(first), self.programs.add(second)
        self.row_motion.append(len(self.motion))
        self.motion.append((coordinate, kind, program, *rates, self.reference_states))
        self.motions.append(drive)
        self.reference_states += kind
        _, measure, axis, *_ = self.coordinate[coordinate]
        self.rows.append(RowName(data.name, FREEDOMS[data.freedom], data.joint))
        self.row.append((data.joint, measure, axis, 0))
        self.row_scale.append(1.0 if measure == SLIDE else self.mechanism.size)

    def sensor_row(self, path: str) -> int:
        if path not in self.sensors:
            name, quantity, component = path.split(".")
            if name in self.joint_row:
                freedom = FREEDOMS.index(quantity.replace("_", " "))
                kind = tables.SENSE_COORDINATE if component == "position" else tables.SENSE_RATE
                entry = (kind, self.coordinates[self.joint_row[name], freedom], 0)
            else:
                kind = BODY_SENSORS[quantity]
                entry = (kind, self.body_row[name], "xyz".index(component))
            self.sensors[path] = len(self.sensor)
            self.sensor.append(entry)
        return self.sensors[path]

    def system(self) -> System:
        m = self.mechanism
        frames = m.frames
        loads = [
            (frames[d.frame].body, int(d.is_torque), int(d.follows), self.programs.add(d.value))
            for d in m.loads
        ]
        counts = (len(m.loads), len(self.effort), len(self.motion), len(m.links))
        first = np.cumsum([self.reference_states, *counts])
        extras = int(first[-1]) + len(self.behaviour)
        pairs = [(j.frame_a, j.frame_b) for j in m.joints]
        links = [(link.frame_a, link.frame_b) for link in m.links]
        joint_body = _ints([[frames[f].body for f in pair] for pair in pairs], 2)
        inertia = np.stack([b.inertia if i else np.eye(3) for i, b in enumerate(m.bodies)])
        mass = np.array([b.mass if i else 1.0 for i, b in enumerate(m.bodies)])
        inverse: Floats = np.linalg.inv(inertia).astype(float)
        T = Tables(
            mass=mass,
            inertia=inertia,
            inverse_inertia=inverse,
            origin=np.stack([-b.center for b in m.bodies]),
            gravity=m.gravity,
            joint_body=joint_body,
            joint_point=self.points(pairs),
            joint_axes=_floats([[frames[f].rotation for f in pair] for pair in pairs], 2, 3, 3),
            row=_ints(self.row, 4),
            row_scale=np.array(self.row_scale, dtype=float),
            row_motion=np.array(self.row_motion, dtype=np.int64),
            coordinate=_ints(self.coordinate, 6),
            behaviour=np.array(self.behaviour, dtype=np.int64),
            behaviour_value=_floats(self.behaviour_value, 3),
            link=_ints([[frames[f].body for f in pair] for pair in links], 2),
            link_point=self.points(links),
            link_value=_floats(
                [(d.stiffness, d.free_length, d.preload, d.damping) for d in m.links], 4
            ),
            load=_ints(loads, 4),
            load_point=self.points([(d.frame,) for d in m.loads])[:, 0],
            load_direction=_floats([d.direction for d in m.loads], 3),
            effort=_ints(self.effort, 2),
            motion=_ints(self.motion, 6),
            sensor=_ints(self.sensor, 3),
            program=_ints(self.programs.spans, 2),
            instruction=_ints(self.programs.instructions, 2),
            constant=np.array(self.programs.constants, dtype=float),
            extra=first.astype(np.int64),
            **_matrix(mass, inertia, _ints(self.row, 4), joint_body),
        )
        T = T._replace(**{n: np.ascontiguousarray(a) for n, a in T._asdict().items()})
        start = np.concatenate([_start(m), np.zeros(extras)])
        T = _with_regularisation(T, start)
        return System(
            m,
            T,
            tuple(self.rows),
            self.coordinates,
            tuple(self.motions),
            tuple(self.efforts),
            start,
        )

    def points(self, tuples: Sequence[tuple[int, ...]]) -> Floats:
        """Frame origins from the centres of mass of their bodies, in body axes."""
        frames, bodies = self.mechanism.frames, self.mechanism.bodies
        width = len(tuples[0]) if tuples else 2
        listed = [
            [frames[f].position - bodies[frames[f].body].center for f in group] for group in tuples
        ]
        return _floats(listed, width, 3)


def _ints(values: object, width: int) -> Ints:
    return np.array(values, dtype=np.int64).reshape(-1, width)


def _floats(values: object, *shape: int) -> Floats:
    return np.array(values, dtype=float).reshape(-1, *shape)


def _start(mechanism: Mechanism) -> Floats:
    """State of the bodies as written: the ground stays at rest at its own placement."""
    poses, speeds = [], []
    for body in mechanism.bodies[1:]:
        q = to_quaternion(body.rotation)
        poses += [*(body.position + body.rotation @ body.center), *q]
        speeds += [*body.velocity, *(body.rotation.T @ body.spin)]
    return np.array(poses + speeds, dtype=float)


def _matrix(mass: Floats, inertia: Floats, row: Ints, joint_body: Ints) -> dict[str, Any]:
    """Sparse layout of the KKT matrix, its constant part, and the structure of its factor."""
    n6 = 6 * (len(mass) - 1)
    joints = sorted(set(row[:, 0].tolist()))
    groups = [[b for b in joint_body[j] if b > 0] for j in joints]
    rank = {joints[g]: position for position, g in enumerate(kkt.elimination_order(groups))}
    order = sorted(range(len(row)), key=lambda r: (rank[row[r, 0]], r))
    place = np.empty(len(row), dtype=np.int64)
    place[order] = n6 + np.arange(len(row))
    columns, rows, values = [0], [], []
    for body in range(1, len(mass)):
        base = 6 * (body - 1)
        for k in range(6):
            if k < 3:
                rows.append(base + k)
                values.append(mass[body])
            else:
                rows += [base + i for i in range(3, k + 1)]
                values += [inertia[body, i - 3, k - 3] for i in range(3, k + 1)]
            columns.append(len(rows))
    slot = np.full((len(row), 12), -1, dtype=np.int64)
    for r in order:
        for side in range(2):
            body = int(joint_body[row[r, 0], side])
            if body > 0:
                slot[r, 6 * side : 6 * side + 6] = len(rows) + np.arange(6)
                rows += [6 * (body - 1) + k for k in range(6)]
                values += [0.0] * 6
        rows.append(int(place[r]))
        values.append(0.0)
        columns.append(len(rows))
    kkt_column, kkt_row = np.array(columns, np.int64), np.array(rows, np.int64)
    factor_column, pattern_start, pattern = kkt.symbolic(kkt_column, kkt_row)
    return {
        "kkt_column": kkt_column,
        "kkt_row": kkt_row,
        "kkt_value": np.array(values, dtype=float),
        "slot": slot,
        "place": place,
        "factor_column": factor_column,
        "pattern_start": pattern_start,
        "pattern": pattern,
    }


def _with_regularisation(T: Tables, start: Floats) -> Tables:
    """Put −ε on the diagonal of the rows, ε relative to the mean of J M⁻¹ Jᵀ at the start."""
    from impeto.core.mechanics.equations import place

    if not len(T.row):
        return T
    S = new_workspace(T)
    place(T, S, 0.0, start)
    diagonal = np.zeros(len(T.row))
    for side in range(2):
        body = T.joint_body[T.row[:, 0], side]
        J = S.jacobian[:, 6 * side : 6 * side + 6]
        part = (J[:, :3] ** 2).sum(axis=1) / T.mass[body]
        part += np.einsum("ri,rij,rj->r", J[:, 3:], T.inverse_inertia[body], J[:, 3:])
        diagonal += np.where(body > 0, part, 0.0)
    value = T.kkt_value.copy()
    value[T.kkt_column[T.place + 1] - 1] = -REGULARISATION * (diagonal.mean() or 1.0)
    return T._replace(kkt_value=value)


def new_workspace(T: Tables) -> Workspace:
    n1, joints, rows = len(T.mass), len(T.joint_body), len(T.row)
    unknowns = 6 * (n1 - 1) + rows
    extras = int(T.extra[4]) + len(T.behaviour)
    entries = int(T.factor_column[-1])
    return Workspace(
        x=np.zeros((n1, 3)),
        rotation=np.tile(np.eye(3), (n1, 1, 1)),
        v=np.zeros((n1, 3)),
        spin=np.zeros((n1, 3)),
        arm=np.zeros((joints, 2, 3)),
        gap=np.zeros((joints, 3)),
        gap_rate=np.zeros((joints, 3)),
        axes=np.zeros((joints, 2, 3, 3)),
        coordinate=np.zeros(len(T.coordinate)),
        rate=np.zeros(len(T.coordinate)),
        turned=np.zeros(len(T.coordinate)),
        jacobian=np.zeros((rows, 12)),
        value=np.zeros(rows),
        speed=np.zeros(rows),
        gamma=np.zeros(rows),
        sensed=np.zeros(len(T.sensor)),
        stack=np.zeros(128),
        signal=np.zeros(len(T.program)),
        wrench=np.zeros((n1, 6)),
        power=np.zeros(extras),
        kkt=T.kkt_value.copy(),
        factor=np.zeros(entries),
        factor_row=np.zeros(entries, dtype=np.int64),
        pivot=np.zeros(unknowns),
        filled=np.zeros(unknowns, dtype=np.int64),
        scratch=np.zeros(unknowns),
        right=np.zeros(unknowns),
        solution=np.zeros(unknowns),
        row12=np.zeros(12),
    )
