"""From a mechanism to arrays: the tables that the kernels work on, and the names of their rows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from impeto.core.assembly.equations import place
from impeto.core.assembly.matrix import matrix, regularised, slots
from impeto.core.assembly.workspace import new_workspace
from impeto.core.contact.data import BeltData, RuleData, ShapeData
from impeto.core.contact.layout import contact_arrays, offer_rules
from impeto.core.couplers.data import GearPairData, RelationData
from impeto.core.couplers.layout import add_gear_pair, add_relation
from impeto.core.drives.data import BrakeData, DriveData
from impeto.core.drives.layout import add_brake, add_drive, offer_motors
from impeto.core.dynamics import tables
from impeto.core.dynamics.columns import (
    Coordinate,
    Curve,
    Row,
    RowValue,
    Term,
)
from impeto.core.dynamics.layout import Layout, float_rows, from_center, int_rows
from impeto.core.dynamics.mechanism import Mechanism
from impeto.core.dynamics.programs import FREE, Timing
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import (
    AFTER_FORCES,
    AFTER_LINKS,
    ALONG,
    AT_ONCE,
    LAST_SENSED,
    M_CONTACT_ENERGY,
    M_CURRENT,
    M_DRIVE,
    M_FRICTION,
    M_ON,
    M_SIGNAL,
    M_SPRING,
    M_SPRING_ENERGY,
    M_STOP,
    M_STOP_ENERGY,
    M_TALLY,
    MOTOR_STATES,
    SENSE_PULL,
    SERVO_STATES,
    SUM,
    TALLY_WIDTH,
    X_BELTS,
    X_BRISTLES,
    X_CONTACTS,
    X_EFFORTS,
    X_EVENTS,
    X_FRICTIONS,
    X_MOTIONS,
    X_MOTORS,
    X_REFERENCES,
    X_SERVOS,
    X_SPRINGS,
    X_STOPS,
    Tables,
    Workspace,
)
from impeto.core.events.data import EventData
from impeto.core.events.layout import add_event
from impeto.core.flow.data import FeederData, OutletData
from impeto.core.flow.layout import flow_arrays, offer_counts
from impeto.core.forces.kinds import POINT_FORCES
from impeto.core.forces.lines import LinkData, add_link, offer_links
from impeto.core.geometry.arrays import Floats, Ints
from impeto.core.geometry.rotation import to_quaternion
from impeto.core.joints import kinds as special_joints
from impeto.core.joints.layout import add_behaviours, add_joint
from impeto.core.model.element import SYSTEM
from impeto.core.model.functions import Op

ENERGY_SENSORS = {
    "energy.kinetic": tables.SENSE_KINETIC,
    "energy.potential": tables.SENSE_POTENTIAL,
    "energy.strain": tables.SENSE_STRAIN,
    "energy.total": tables.SENSE_TOTAL,
}


def build_system(mechanism: Mechanism, starts: bool = False) -> System:
    """Number everything and lay out the arrays.

    starts : with rows that bring coordinates to their start values, for finding the start
    """
    layout = Layout(mechanism)
    for offer in (offer_energies, offer_links, offer_rules, offer_counts, offer_motors):
        offer(layout)
    m = mechanism
    for joint, data in enumerate(m.joints):
        add_joint(layout, joint, data)
    for index, mesh in enumerate(m.of(GearPairData)):
        add_gear_pair(layout, index, mesh)
    for index, relation in enumerate(m.of(RelationData)):
        add_relation(layout, len(m.joints) + len(m.of(GearPairData)) + index, relation)
    for joint, data in enumerate(m.joints):
        add_behaviours(layout, joint, data)
    for link in m.of(LinkData):
        add_link(layout, link)
    programs = {}
    for drive, drive_data in enumerate(m.of(DriveData)):
        programs[drive_data.name] = len(layout.programs.spans)
        add_drive(layout, drive, drive_data)
    for brake in m.of(BrakeData):
        programs[brake.name] = len(layout.programs.spans)
        add_brake(layout, brake)
    for kind in POINT_FORCES:
        forces: tuple[Any, ...] = m.of(kind.numbers)
        if kind.signal is not None:
            for force in forces:
                programs[force.name] = layout.programs.add(kind.signal(force))
    for belt in m.of(BeltData):
        programs[belt.name] = layout.programs.add(belt.value)
    for rule in m.of(RuleData):
        layout.element(rule.name)
    events = tuple(add_event(layout, index, event) for index, event in enumerate(m.of(EventData)))
    if starts:
        for start in m.starts:
            layout.add_start(start)
    for kind in POINT_FORCES:
        for force in m.of(kind.numbers):
            layout.element(force.name)
    T = _tables(layout, programs)
    extras = int(T.extra[-1])
    state = np.concatenate([_start(m), np.zeros(extras)])
    S = new_workspace(T)
    S.switch[T.curve[:, Curve.SWITCH]] = FREE
    special_joints.begin(m, S)
    T = regularised(_with_targets(T, state, S), state, S)
    return System(
        m,
        T,
        tuple(layout.rows),
        layout.coordinates,
        tuple(layout.efforts),
        layout.elements,
        programs,
        events,
        state,
        layout.size,
        Timing(tuple(layout.programs.timed), tuple(layout.programs.moving)),
        np.array([shape.body for shape in m.of(ShapeData)], dtype=np.int64),
    )


def offer_energies(layout: Layout) -> None:
    """Energies of all bodies together, for what events watch."""
    layout.offer(SYSTEM, 0, ENERGY_SENSORS)


def _tables(layout: Layout, programs: Mapping[str, int]) -> Tables:
    m = layout.mechanism
    inertia = np.stack([b.inertia if i else np.eye(3) for i, b in enumerate(m.bodies)])
    mass = np.array([b.mass if i else 1.0 for i, b in enumerate(m.bodies)])
    inverse: Floats = np.linalg.inv(inertia).astype(float)
    joint_body, joint_point, joint_axes = _joint_arrays(layout)
    row, term, coordinate = int_rows(layout.row, 8), int_rows(layout.term, 2), layout.coordinate
    entries: list[list[int]] = []
    for r, (joint, kind, *_) in enumerate(layout.row):
        owners = [joint]
        if kind == SUM:
            owners = [coordinate[c][0] for q, c in layout.term if q == r]
        found = [int(b) for o in owners for b in joint_body[o] if b > 0]
        entries.append(list(dict.fromkeys(found)))
    parts = matrix(mass, inertia, layout.group, entries)
    first = parts.pop("first")
    nothing = [-1] * 12
    slot = [
        nothing if kind == SUM else slots(first[r], joint_body[joint])
        for r, (joint, kind, *_) in enumerate(layout.row)
    ]
    term_slot = [slots(first[r], joint_body[coordinate[c][0]]) for r, c in layout.term]
    flow = flow_arrays(layout)
    T = Tables(
        mass=mass,
        inertia=inertia,
        inverse_inertia=inverse,
        origin=np.stack([-b.center for b in m.bodies]),
        gravity=m.gravity,
        joint_body=joint_body,
        joint_point=joint_point,
        joint_axes=joint_axes,
        coordinate=int_rows(layout.coordinate, 8),
        gear_pair=int_rows(layout.gear_pair, 4),
        gear_pair_value=float_rows(layout.gear_pair_value, 6),
        row=row,
        row_value=float_rows(layout.row_value, 4),
        term=term,
        term_factor=np.array(layout.term_factor, dtype=float),
        **special_joints.arrays(layout),
        spring=int_rows(layout.spring, 4),
        spring_value=float_rows(layout.spring_value, 4),
        stop=int_rows(layout.stop, 4),
        stop_value=float_rows(layout.stop_value, 5),
        friction=int_rows(layout.friction, 9),
        friction_value=float_rows(layout.friction_value, 4),
        effort=int_rows(layout.effort, 6),
        servo=int_rows(layout.servo, 4),
        servo_value=float_rows(layout.servo_value, 8),
        motor=int_rows(layout.motor, 4),
        motor_value=float_rows(layout.motor_value, 9),
        motion=int_rows(layout.motion, 6),
        motion_drive=int_rows(layout.motion_drive, 2),
        sensor=int_rows(layout.sensor, 3),
        sensor_point=float_rows(layout.sensor_point, 3),
        program=_programs(layout),
        instruction=int_rows(layout.programs.instructions, 2),
        constant=np.array(layout.programs.constants, dtype=float),
        curve=int_rows(layout.curve, 3),
        curve_piece=float_rows(np.concatenate([np.zeros((0, 5)), *layout.curve_piece]), 5),
        switch=int_rows(layout.switch, 4),
        extra=_extras(layout),
        measured=_measured(layout),
        slot=int_rows(slot, 12),
        term_slot=int_rows(term_slot, 12),
        **{k: v for f in POINT_FORCES for k, v in f.arrays(layout, programs).items()},
        **contact_arrays(m, layout.elements, programs),
        **flow,
        **parts,
    )
    return T.replaced(**{n: np.ascontiguousarray(a) for n, a in T.arrays().items()})


def _joint_arrays(layout: Layout) -> tuple[Ints, Floats, Floats]:
    """Bodies, frame origins and axes of joints, then of pairs of meshing gears, whose z is the
    axis of the gear or the direction of the rack."""
    m = layout.mechanism
    bodies, points, axes = [], [], []
    sides = [((j.frame_a, 2), (j.frame_b, 2)) for j in m.joints]
    sides += [((a, p), (b, q)) for a, p, b, q in layout.pairs]
    for pair in sides:
        bodies.append([m.frames[f].body for f, _ in pair])
        points.append([from_center(m, f) for f, _ in pair])
        axes.append([m.frames[f].rotation[:, [(z + 1) % 3, (z + 2) % 3, z]] for f, z in pair])
    return int_rows(bodies, 2), float_rows(points, 2, 3), float_rows(axes, 2, 3, 3)


def _programs(layout: Layout) -> Ints:
    """First and last instruction of each program, and when it runs."""
    listed = []
    for first, last in layout.programs.spans:
        paths = [a for code, a in layout.programs.instructions[first:last] if code == Op.SENSOR]
        kinds = {layout.sensor[a][0] for a in paths}
        when = AFTER_LINKS if SENSE_PULL in kinds else AT_ONCE
        when = AFTER_FORCES if kinds & LAST_SENSED else when
        listed.append((first, last, when))
    return int_rows(listed, 3)


def _extras(layout: Layout) -> Ints:
    m = layout.mechanism
    counts = {
        X_REFERENCES: layout.references, X_EFFORTS: len(layout.effort),
        X_MOTIONS: len(layout.motion), X_SPRINGS: len(layout.spring), X_STOPS: len(layout.stop),
        X_FRICTIONS: len(layout.friction), X_SERVOS: SERVO_STATES * len(layout.servo),
        X_MOTORS: MOTOR_STATES * len(layout.motor), X_EVENTS: 1, X_CONTACTS: len(m.of(RuleData)),
        X_BELTS: len(m.of(BeltData)), X_BRISTLES: 0,
    }  # fmt: skip
    for kind in POINT_FORCES:
        for group in (*kind.lost, *kind.given, *kind.works):
            counts[group] = len(m.of(kind.numbers))
    return bounds(counts)


def _measured(layout: Layout) -> Ints:
    m = layout.mechanism
    springs, stops = len(layout.spring), len(layout.stop)
    counted = len(m.of(FeederData)) + len(m.of(OutletData))
    counts = {
        M_SPRING: springs, M_SPRING_ENERGY: springs, M_STOP: stops, M_STOP_ENERGY: stops,
        M_FRICTION: len(layout.friction), M_DRIVE: len(m.of(DriveData)),
        M_CURRENT: len(layout.motor), M_CONTACT_ENERGY: len(m.of(RuleData)),
        M_TALLY: TALLY_WIDTH * counted, M_SIGNAL: len(layout.programs.spans),
        M_ON: len(layout.elements),
    }  # fmt: skip
    for kind in POINT_FORCES:
        for group, width in kind.measured.items():
            counts[group] = width * len(m.of(kind.numbers))
    return bounds(counts)


def bounds(counts: Mapping[int, int]) -> Ints:
    """First index of each group, and one behind the last, from how many each has."""
    sizes = [counts[group] for group in range(len(counts))]
    return np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)


def _start(mechanism: Mechanism) -> Floats:
    """State of the bodies as written: the ground stays at rest at its own placement."""
    poses, speeds = [], []
    for body in mechanism.bodies[1:]:
        q = to_quaternion(body.rotation)
        poses += [*(body.position + body.rotation @ body.center), *q]
        speeds += [*body.velocity, *(body.rotation.T @ body.spin)]
    return np.array(poses + speeds, dtype=float)


def _with_targets(T: Tables, state: Floats, S: Workspace) -> Tables:
    """Couplers keep what they measure as drawn."""
    place(T, S, 0.0, state)
    value = T.row_value.copy()
    for r, row in enumerate(T.row):
        c = row[Row.COORDINATE]
        if row[Row.KIND] == ALONG and T.coordinate[c, Coordinate.GEAR_PAIR] >= 0:
            value[r, RowValue.TARGET] = S.coordinate[c]
        elif row[Row.KIND] == SUM:
            terms = T.term[:, Term.ROW] == r
            value[r, RowValue.TARGET] = (
                T.term_factor[terms] @ S.coordinate[T.term[terms, Term.COORDINATE]]
            )
    return T.replaced(row_value=value)


def without_drives(mechanism: Mechanism) -> Mechanism:
    """The mechanism with nothing that prescribes a motion."""
    kept = tuple(
        d for d in mechanism.of(DriveData) if d.servo or d.motor or d.prescribes == "effort"
    )
    return mechanism.having(DriveData, kept)
