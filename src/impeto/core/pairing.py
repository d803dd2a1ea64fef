"""Which freedoms two features leave each other."""

from __future__ import annotations

from impeto.core.bodies.solid_features import (
    AXIS,
    CIRCLE,
    EDGE,
    FRAME,
    GRID,
    HOLE,
    PLANE,
    Feature,
)
from impeto.core.model.freedoms import PRESETS

JOINT = "joint"  # what two features are connected by, beside elements that are strung
ROUND = (AXIS, HOLE, CIRCLE)


def proposal(a: Feature, b: Feature) -> tuple[str, ...]:
    """The freedoms that two features leave each other, about and along the z axis of the first that
    has one: those of two axes a pin, of two faces sliding, of two centres a ball."""
    lines = [f for f in (a, b) if f.kind in ROUND or f.kind == EDGE]
    faces = [f for f in (a, b) if f.kind == PLANE]
    if len(faces) == 2:
        return PRESETS["planar"]
    if len(lines) + len(faces) == 2:  # two lines, or one that stands on a face
        return PRESETS["revolute"]
    if {FRAME, GRID} & {a.kind, b.kind} and not (a.is_point or b.is_point):
        return PRESETS["revolute"]
    if faces:
        return PRESETS["point on plane"]
    if lines and lines[0].kind != CIRCLE:
        return PRESETS["point on line"]
    return PRESETS["spherical"]  # a circle has a centre
