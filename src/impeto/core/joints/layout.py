"""Rows and coordinates of joints, and what acts on their free motions."""

from __future__ import annotations

from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import JointData, Mechanism
from impeto.core.dynamics.names import LOCK, RowName
from impeto.core.dynamics.tables import (
    ACROSS_PATH,
    CARDAN_1,
    CARDAN_2,
    CARDAN_3,
    DISTANCE,
    DOT,
    HOLD,
    SLIDE,
    TRAVEL,
    TURN_A,
    TURN_B,
    TWIST,
    WITH_PATH,
)
from impeto.core.joints.model import CONSTANT_VELOCITY
from impeto.core.joints.model import DISTANCE as KEEPS_DISTANCE
from impeto.core.joints.paths import nearest, pieces
from impeto.core.model.freedoms import FREEDOMS


def add_joint(layout: Layout, joint: int, data: JointData) -> None:
    """Rows of what is locked, coordinates of what is free."""
    element = layout.element(data.name)
    if data.path is not None:
        _add_path(layout, joint, data, element)
        return
    for axis in range(3):
        if data.free[axis]:
            layout.add_coordinate(joint, axis, (SLIDE, axis, 0, 0, 0))
        else:
            name = RowName(data.name, FREEDOMS[axis], joint)
            layout.add_row(name, (joint, SLIDE, axis, 0), 1.0, element=element)
    if data.special == CONSTANT_VELOCITY:
        name = RowName(data.name, "turn z", joint)
        layout.add_row(name, (joint, TWIST, 0, 0), layout.size, element=element)
    else:
        _add_turns(layout, joint, data, element)
    if data.special == KEEPS_DISTANCE:
        name = RowName(data.name, KEEPS_DISTANCE, joint)
        target = (data.distance, 0.0)
        layout.add_row(name, (joint, DISTANCE, 0, 0), 1.0, element=element, target=target)


def _add_path(layout: Layout, joint: int, data: JointData, element: int) -> None:
    """Two rows across the path; three more where the body's axes follow it."""
    assert data.path is not None
    table = pieces(data.path)
    first = sum(len(piece) for piece in layout.path_piece)
    layout.path_piece.append(table)
    layout.path.append((joint, first, first + len(table), int(data.path.closed)))
    layout.add_coordinate(joint, 0, (TRAVEL, 0, 0, 0, 0))
    for which in (0, 1):
        name = RowName(data.name, FREEDOMS[1 + which], joint)
        layout.add_row(name, (joint, ACROSS_PATH, which, 0), 1.0, element=element)
    if data.free[FREEDOMS.index("turn x")]:
        _add_turns(layout, joint, data, element)
        return
    for freedom, u, w in ((5, 0, 1), (4, 0, 2), (3, 1, 2)):
        name = RowName(data.name, FREEDOMS[freedom], joint)
        layout.add_row(name, (joint, WITH_PATH, u, w), layout.size, element=element)


def _add_turns(layout: Layout, joint: int, data: JointData, element: int) -> None:
    free = [axis for axis in range(3) if data.free[3 + axis]]
    locked = [axis for axis in range(3) if not data.free[3 + axis]]

    def lock(freedom: int, i: int, j: int) -> None:
        name = RowName(data.name, FREEDOMS[3 + freedom], joint)
        layout.add_row(name, (joint, DOT, i, j), layout.size, element=element)

    if len(free) == 3:
        for axis, kind in enumerate((CARDAN_1, CARDAN_2, CARDAN_3)):
            layout.add_coordinate(joint, 3 + axis, (kind, axis, 0, 0, 1))
    elif len(free) == 2:
        i, j, k = (*free, *locked)
        sign = 1 if (i, j, k) in ((0, 1, 2), (1, 2, 0)) else -1
        lock(k, i, j)
        layout.add_coordinate(joint, 3 + i, (TURN_A, i, j, k, sign))
        layout.add_coordinate(joint, 3 + j, (TURN_B, j, i, k, sign))
    elif len(free) == 1:
        k = free[0]
        i, j = (k + 1) % 3, (k + 2) % 3
        # x_A·z_B changes with a turn about y, so each row carries the name of the other axis.
        lock(j, i, k)
        lock(i, j, k)
        layout.add_coordinate(joint, 3 + k, (TURN_A, k, i, j, 1))
    else:
        for axis, (i, j) in enumerate(((1, 2), (0, 2), (0, 1))):
            lock(axis, i, j)


def add_behaviours(layout: Layout, joint: int, data: JointData) -> None:
    """Springs, stops, friction and locks of a joint's freedoms."""
    element = layout.element(data.name)
    for spring in data.springs:
        c = layout.used(joint, spring.freedom)
        curves = layout.curve_row(spring.position_curve), layout.curve_row(spring.speed_curve)
        layout.spring.append((c, element, *curves))
        layout.spring_value.append(
            (spring.stiffness, spring.free_position, spring.preload, spring.damping)
        )
    for stop in data.stops:
        layout.add_stop(layout.used(joint, stop.freedom), element, stop)
    for friction in data.frictions:
        c = layout.used(joint, friction.freedom)
        across = [
            r
            for r, row in enumerate(layout.row)
            if row[0] == joint and row[1] == SLIDE and row[2] != friction.freedom % 3
        ]
        value = (friction.static, friction.kinetic, friction.constant, 0.0)
        name = RowName(data.name, FREEDOMS[friction.freedom], joint, "friction")
        layout.add_friction(c, element, name, value, across)
    if data.lockable:
        held = layout.element(data.name + LOCK)
        for (owner, freedom), c in list(layout.coordinates.items()):
            if owner == joint:
                switch = layout.new_switch(HOLD, 0)
                name = RowName(data.name, FREEDOMS[freedom], joint, "lock")
                layout.add_along(name, c, element=held, switch=switch)


def along_paths(m: Mechanism) -> list[float]:
    """Parameter of every path that is followed, where its point is drawn."""
    found = []
    for joint in m.joints:
        if joint.path is not None:
            a, b = m.frames[joint.frame_a], m.frames[joint.frame_b]
            first, second = m.bodies[a.body], m.bodies[b.body]
            gap = second.position + second.rotation @ b.position
            gap = gap - first.position - first.rotation @ a.position
            found.append(nearest(joint.path, (first.rotation @ a.rotation).T @ gap))
    return found
