"""Rows and numbers of couplers."""

from __future__ import annotations

from impeto.core.couplers.data import GearPairData, RelationData, ThreadData
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import StopData
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.tables import ACTED_ALONG, MESH, PLAIN, RACK, SUM


def add_gear_pair(layout: Layout, index: int, data: GearPairData) -> None:
    """Two gears: a pair of bodies with a coordinate along their teeth, held or with play."""
    element = layout.element(data.name)
    m = layout.mechanism
    frames = m.joints[data.joint_a].frame_b, m.joints[data.joint_b].frame_b
    layout.pairs.append((frames[0], data.freedom_a % 3, frames[1], data.freedom_b % 3))
    pair = len(m.joints) + index
    kind = RACK if data.kind == "rack" else MESH
    first = layout.used(data.joint_a, data.freedom_a)
    second = layout.used(data.joint_b, data.freedom_b)
    flank = layout.new_switch(PLAIN, 0) if data.pressure else -1
    layout.coordinate.append([pair, kind, 0, 0, 0, 0, ACTED_ALONG, index])
    c = len(layout.coordinate) - 1
    row = -1
    if data.backlash is None:
        row = layout.add_along(RowName(data.name, "teeth", pair), c, element=element)
    else:
        for side in (1, -1):
            limit = 0.5 * side * data.backlash
            stop = StopData(
                freedom=0, side=side, limit=limit, stiffness=data.stiffness,
                restitution=data.restitution,
            )  # fmt: skip
            layout.add_stop(c, element, stop)
    layout.gear_pair.append([first, second, flank, row])
    if data.thread is not None:
        sign = 1.0 if data.factor_a > 0.0 else -1.0
        add_thread(layout, data.name, data.joint_a, first, row, data.thread, sign)
    layout.gear_pair_value.append(
        (data.arm, data.tangential, data.along, data.factor_a, data.factor_b, data.pressure)
    )


def add_relation(layout: Layout, group: int, data: RelationData) -> None:
    """A sum of coordinates that stays."""
    name = RowName(data.name, "relation", group)
    factors = [abs(factor) for _, _, factor in data.terms]
    row = layout.add_row(
        name, (0, SUM, 0, 0), 1.0 / max(factors), element=layout.element(data.name)
    )
    for joint, freedom, factor in data.terms:
        layout.term.append((row, layout.used(joint, freedom)))
        layout.term_factor.append(factor)
    if data.thread is not None:
        joint, freedom, factor = data.terms[-1]
        sign = 1.0 if factor > 0.0 else -1.0
        add_thread(layout, data.name, joint, layout.used(joint, freedom), row, data.thread, sign)


def add_thread(
    layout: Layout, owner: str, joint: int, turn: int, row: int, thread: ThreadData, sign: float
) -> None:
    """Friction of a thread along a turn, loaded by the reaction of a row.

    sign : of the effort along the turn where that reaction is positive
    """
    name = RowName(owner, "teeth", joint, "friction")
    value = (thread.lever, thread.lever, 0.0, sign * thread.slope)
    layout.add_friction(turn, layout.element(owner), name, value, [row])
