"""Rows of forces between points: links, bushings, drags, loads."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from impeto.core.dynamics import tables
from impeto.core.dynamics.layout import Layout, float_rows, from_center, int_rows
from impeto.core.forces.data import BushingData, DragData, LinkData, LoadData

LINK_SENSORS = {
    "length": tables.SENSE_LENGTH,
    "rate": tables.SENSE_LINK_RATE,
    "force": tables.SENSE_PULL,
    "tension": tables.SENSE_TENSION,
}
LAWS = {"rope": tables.ROPE, "bumper": tables.BUMPER}


def offer_links(layout: Layout) -> None:
    """Length, rate and force of straight force elements, for formulas."""
    for row, link in enumerate(layout.mechanism.of(LinkData)):
        layout.offer(link.name, row, LINK_SENSORS)


def add_link(layout: Layout, data: LinkData) -> None:
    """The row of a straight force element, with its program and curves."""
    law = LAWS.get(data.kind, tables.LINEAR if data.pull is None else tables.BY_PROGRAM)
    switch = layout.plain_switches(2) if data.kind in LAWS else -1
    bodies = [layout.mechanism.frames[f].body for f in (data.frame_a, data.frame_b)]
    program = -1 if data.pull is None else layout.programs.add(data.pull)
    curves = layout.curve_row(data.length_curve), layout.curve_row(data.speed_curve)
    # Columns: bodies, law, element, two curves, program, switch.
    layout.link.append((*bodies, law, layout.element(data.name), *curves, program, switch))


def force_arrays(layout: Layout, programs: Mapping[str, int]) -> dict[str, Any]:
    """Links, bushings, drags and loads."""
    m, frames = layout.mechanism, layout.mechanism.frames
    loads, load_points = [], []
    for d in m.of(LoadData):
        counter = frames[d.counter].body if d.counter >= 0 else -1
        body = frames[d.frame].body
        element = layout.elements[d.name]
        loads.append((body, int(d.is_torque), d.axes, programs[d.name], counter, element))
        other = d.counter if d.counter >= 0 else d.frame
        load_points.append([from_center(m, d.frame), from_center(m, other)])
    bushings, axes, values = [], [], []
    for u in m.of(BushingData):
        a, b = frames[u.frame_a], frames[u.frame_b]
        bushings.append((a.body, b.body, layout.elements[u.name]))
        first, second = m.bodies[a.body], m.bodies[b.body]
        world = first.rotation @ a.rotation
        gap = second.position + second.rotation @ b.position
        gap = gap - first.position - first.rotation @ a.position
        axes.append([a.rotation, second.rotation.T @ world])  # relaxed as drawn
        values.append(
            [u.stiffness, u.damping, u.turning_stiffness, u.turning_damping, u.preload,
             u.turning_preload, world.T @ gap]
        )  # fmt: skip
    pairs = [(u.frame_a, u.frame_b) for u in m.of(BushingData)]
    links = [(link.frame_a, link.frame_b) for link in m.of(LinkData)]
    return {
        "link": int_rows(layout.link, 8),
        "link_point": float_rows([[from_center(m, f) for f in pair] for pair in links], 2, 3),
        "link_value": float_rows(
            [(d.stiffness, d.free_length, d.preload, d.damping) for d in m.of(LinkData)], 4
        ),
        "bushing": int_rows(bushings, 3),
        "bushing_point": float_rows([[from_center(m, f) for f in pair] for pair in pairs], 2, 3),
        "bushing_axes": float_rows(axes, 2, 3, 3),
        "bushing_value": float_rows(values, 7, 3),
        "drag": int_rows(
            [(frames[d.frame].body, layout.elements[d.name]) for d in m.of(DragData)], 2
        ),
        "drag_point": float_rows([from_center(m, d.frame) for d in m.of(DragData)], 3),
        "drag_value": float_rows([(d.factor, *d.wind) for d in m.of(DragData)], 4),
        "load": int_rows(loads, 6),
        "load_point": float_rows(load_points, 2, 3),
        "load_direction": float_rows([d.direction for d in m.of(LoadData)], 3),
    }
