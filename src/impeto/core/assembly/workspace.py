"""Scratch memory of the kernels."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import MARGINS, NEAR_WIDTH, PATCH_WIDTH, POSE_WIDTH, STATES
from impeto.core.contact.features import PLACES
from impeto.core.drives.columns import NEXT_SAMPLE, Servo, ServoValue
from impeto.core.dynamics.columns import Curve, Friction
from impeto.core.dynamics.names import LOCK
from impeto.core.dynamics.programs import FREE
from impeto.core.dynamics.state import unknowns
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import (
    M_CURRENT,
    M_DRIVE,
    M_END,
    M_ON,
    SLIPS_UP,
    TALLY_WIDTH,
    X_BRISTLES,
    X_END,
    Tables,
    Workspace,
)
from impeto.core.flow.data import FeederData
from impeto.core.joints import kinds as special_joints


def new_workspace(T: Tables) -> Workspace:
    """Fresh scratch memory: everything on, all switches down."""
    n1, joints, rows, links = len(T.mass), len(T.joint_body), len(T.row), len(T.link)
    order = unknowns(n1 - 1) + rows
    entries = int(T.factor_column[-1])
    coordinates, switches = len(T.coordinate), len(T.switch)
    elements = int(T.measured[M_END] - T.measured[M_ON])
    slots = int(T.extra[X_BRISTLES + 1] - T.extra[X_BRISTLES]) // STATES
    drives = int(T.measured[M_CURRENT] - T.measured[M_DRIVE])
    return Workspace(
        x=np.zeros((n1, 3)),
        rotation=np.tile(np.eye(3), (n1, 1, 1)),
        v=np.zeros((n1, 3)),
        spin=np.zeros((n1, 3)),
        arm=np.zeros((joints, 2, 3)),
        gap=np.zeros((joints, 3)),
        gap_rate=np.zeros((joints, 3)),
        axes=np.zeros((joints, 2, 3, 3)),
        coordinate=np.zeros(coordinates),
        rate=np.zeros(coordinates),
        turned=np.zeros(coordinates),
        **special_joints.scratch(T),
        gradient=np.zeros((coordinates, 12)),
        bias=np.zeros(coordinates),
        jacobian=np.zeros((rows, 12)),
        term_jacobian=np.zeros((len(T.term), 12)),
        residual=np.zeros(rows),
        residual_rate=np.zeros(rows),
        gamma=np.zeros(rows),
        reached=np.zeros(rows),
        sensed=np.zeros(len(T.sensor)),
        stack=np.zeros(128),
        signal=np.zeros(len(T.program)),
        length=np.zeros((links, 2)),
        line=np.zeros((links, 9)),
        pull=np.zeros((links, 3)),
        spring_effort=np.zeros((len(T.spring), 2)),
        stop_effort=np.zeros((len(T.stop), 2)),
        stop_given=np.zeros(len(T.stop)),
        friction_effort=np.zeros((len(T.friction), 2)),
        bushing_effort=np.zeros((len(T.bushing), 7)),
        drive_effort=np.zeros(drives),
        current=np.zeros(len(T.motor)),
        shape_place=np.zeros((len(T.shape), 12)),
        near=np.zeros((0, NEAR_WIDTH), dtype=np.int64),
        near_gap=np.zeros(0),
        near_start=np.zeros(0),
        near_pose=np.zeros((0, POSE_WIDTH)),
        sample_gap=np.zeros(len(T.sample)),
        near_from=np.zeros((len(T.shape), 12)),
        near_further=np.zeros(len(T.shape)),
        near_turning=np.zeros(len(T.shape)),
        near_margin=np.zeros(MARGINS),
        near_count=np.zeros(4, dtype=np.int64),
        patch=np.zeros((slots, PATCH_WIDTH)),
        contact_energy=np.zeros(len(T.rule)),
        contact_sense=np.zeros((len(T.rule), 3)),
        contact_work=np.zeros((6, 7)),
        contact_found=np.zeros((PLACES, 7)),
        contact_clip=np.zeros((32, 4)),
        deepest=np.zeros(3),
        contact_pool=np.zeros(3),
        inside=np.zeros((len(T.outlet), n1), dtype=np.int64),
        came_from=np.zeros((n1, 3)),
        tally=np.zeros((len(T.feeder) + len(T.outlet), TALLY_WIDTH)),
        quick=np.zeros(2),
        wrench=np.zeros((n1, 6)),
        power=np.zeros(int(T.extra[X_END])),
        on=np.ones(elements),
        switch=np.zeros(switches, dtype=np.int64),
        guard=np.ones(switches),
        memory=np.ones(switches),
        held=np.zeros((len(T.servo), 3)),
        before=np.ones(switches),
        kkt=T.kkt_value.copy(),
        factor=np.zeros(entries),
        factor_row=np.zeros(entries, dtype=np.int64),
        pivot=np.zeros(order),
        filled=np.zeros(order, dtype=np.int64),
        scratch=np.zeros(order),
        base=np.zeros(order),
        right=np.zeros(order),
        solution=np.zeros(order),
        row12=np.zeros(12),
        work=np.zeros((14, 3)),
    )


def workspace_of(system: System) -> Workspace:
    """Fresh scratch memory, with what is switched off at the start."""
    S = new_workspace(system.tables)
    for name, row in system.elements.items():
        S.on[row] = 0.0 if name in system.mechanism.off or name.endswith(LOCK) else 1.0
    S.switch[system.tables.friction[:, Friction.SWITCH]] = (
        SLIPS_UP  # nothing sticks before the start is known
    )
    S.switch[system.tables.curve[:, Curve.SWITCH]] = FREE
    system.timing.at_zero(S.switch)
    special_joints.begin(system.mechanism, S)
    for (switch, _), feeder in zip(
        system.tables.feeder, system.mechanism.of(FeederData), strict=True
    ):
        S.memory[switch] = feeder.first
    for servo, value in zip(system.tables.servo, system.tables.servo_value, strict=True):
        if value[ServoValue.SAMPLE] > 0.0:
            S.memory[servo[Servo.SWITCH] + NEXT_SAMPLE] = 0.0  # the first sample is due at once
    return S
