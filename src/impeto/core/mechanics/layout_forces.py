"""Rows of forces between points: links, bushings, drags, loads."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from impeto.core.geometry.arrays import Floats, Ints
from impeto.core.mechanics.layout import Layout
from impeto.core.mechanics.mechanism import Mechanism


def force_arrays(layout: Layout, programs: Mapping[str, int]) -> dict[str, Any]:
    """Links, bushings, drags and loads."""
    m, frames = layout.mechanism, layout.mechanism.frames
    loads, load_points = [], []
    for d in m.loads:
        counter = frames[d.counter].body if d.counter >= 0 else -1
        body = frames[d.frame].body
        element = layout.elements[d.name]
        loads.append((body, int(d.is_torque), d.axes, programs[d.name], counter, element))
        other = d.counter if d.counter >= 0 else d.frame
        load_points.append([from_center(m, d.frame), from_center(m, other)])
    bushings, axes, values = [], [], []
    for u in m.bushings:
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
    pairs = [(u.frame_a, u.frame_b) for u in m.bushings]
    links = [(link.frame_a, link.frame_b) for link in m.links]
    return {
        "link": int_rows(layout.link, 8),
        "link_point": float_rows([[from_center(m, f) for f in pair] for pair in links], 2, 3),
        "link_value": float_rows(
            [(d.stiffness, d.free_length, d.preload, d.damping) for d in m.links], 4
        ),
        "bushing": int_rows(bushings, 3),
        "bushing_point": float_rows([[from_center(m, f) for f in pair] for pair in pairs], 2, 3),
        "bushing_axes": float_rows(axes, 2, 3, 3),
        "bushing_value": float_rows(values, 7, 3),
        "drag": int_rows([(frames[d.frame].body, layout.elements[d.name]) for d in m.drags], 2),
        "drag_point": float_rows([from_center(m, d.frame) for d in m.drags], 3),
        "drag_value": float_rows([(d.factor, *d.wind) for d in m.drags], 4),
        "load": int_rows(loads, 6),
        "load_point": float_rows(load_points, 2, 3),
        "load_direction": float_rows([d.direction for d in m.loads], 3),
    }


def from_center(mechanism: Mechanism, frame: int) -> Floats:
    """Origin of a frame from the centre of mass of its body, in body axes."""
    data = mechanism.frames[frame]
    return data.position - mechanism.bodies[data.body].center


def int_rows(values: object, width: int) -> Ints:
    return np.array(values, dtype=np.int64).reshape(-1, width)


def float_rows(values: object, *shape: int) -> Floats:
    return np.array(values, dtype=float).reshape(-1, *shape)
