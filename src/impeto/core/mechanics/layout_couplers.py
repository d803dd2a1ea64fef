"""Rows and numbers of couplers."""

from __future__ import annotations

from impeto.core.mechanics.layout import Layout
from impeto.core.mechanics.mechanism import MeshData, RelationData, StopData
from impeto.core.mechanics.names import RowName
from impeto.core.mechanics.tables import ACTED_ALONG, MESH, PLAIN, RACK, SUM


def add_mesh(layout: Layout, index: int, data: MeshData) -> None:
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
    layout.mesh.append([first, second, flank, row])
    layout.mesh_value.append(
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
