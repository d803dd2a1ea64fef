"""How two features lie to each other, in a sentence."""

from __future__ import annotations

import numpy as np

from impeto.app.stage.feature_signs import told
from impeto.core.bodies.solid_features import AXIS, CIRCLE, EDGE, HOLE, PLANE, Feature
from impeto.core.model import units

LINES = (AXIS, HOLE, EDGE, CIRCLE)
PARALLEL = 1e-9  # of the sine of the angle between two directions


def measured(a: Feature, b: Feature) -> str:
    """Distance, angle, and the gap along the axes of the world."""
    away, angle = apart(a, b)
    words = [f"{told(a)} to {told(b)}: {units.shown(away, 'length')}"]
    if angle is not None:
        words.append(f"{units.shown(angle, 'angle')} between them")
    gap = b.point - a.point
    along = ", ".join(
        f"{axis} {units.shown(float(value), 'length')}"
        for axis, value in zip("xyz", gap, strict=True)
    )
    return f"{', '.join(words)}; {along}"


def apart(a: Feature, b: Feature) -> tuple[float, float | None]:
    """Least distance [m] of two points, straight lines or planes without end, and the angle [rad]
    between their directions, None where one has none."""
    gap = b.point - a.point
    first, second = (None if f.is_point else f.direction for f in (a, b))
    angle = None
    if first is not None and second is not None:
        sine = float(np.linalg.norm(np.cross(first, second)))
        angle = float(np.arctan2(sine, abs(float(first @ second))))
        both = {a.kind, b.kind}
        if PLANE in both and len(both) > 1:  # a line and a face
            angle = np.pi / 2 - angle
    for feature, sign in ((a, 1.0), (b, -1.0)):
        if feature.kind == PLANE:
            other = b if feature is a else a
            parallel = other.kind not in (*LINES, PLANE) or (
                angle is not None and angle <= PARALLEL
            )
            if parallel:
                return abs(float(gap @ feature.direction * sign)), angle
            return 0.0, angle
    lines = [f.direction for f in (a, b) if f.kind in LINES]
    if len(lines) == 2:
        normal = np.cross(lines[0], lines[1])
        size = float(np.linalg.norm(normal))
        if size > PARALLEL:
            return abs(float(gap @ normal)) / size, angle
    if lines:
        gap = gap - (gap @ lines[0]) * lines[0]
    return float(np.linalg.norm(gap)), angle
