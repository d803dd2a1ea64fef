"""Rows and coordinates of joints, and what acts on their free motions."""

from __future__ import annotations

from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import JointData
from impeto.core.dynamics.names import LOCK, RowName
from impeto.core.dynamics.tables import HOLD, SLIDE
from impeto.core.joints.kinds import SPECIALS
from impeto.core.model.freedoms import FREEDOMS


def add_joint(layout: Layout, joint: int, data: JointData) -> None:
    """Rows of what is locked, coordinates of what is free."""
    SPECIALS[data.special].add(layout, joint, data)


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
