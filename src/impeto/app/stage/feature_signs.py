"""How features look on the Stage, and what they are called there."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from impeto.app.stage.canvas import Canvas
from impeto.core.bodies.solid_features import (
    AXIS,
    CENTRE,
    CIRCLE,
    CORNER,
    EDGE,
    FRAME,
    GRID,
    HOLE,
    MASS,
    MIDDLE,
    PLANE,
    Feature,
)
from impeto.core.model import units

Floats = npt.NDArray[np.float64]
WORDS = {
    PLANE: "face", AXIS: "axis", HOLE: "hole axis", CIRCLE: "circle", EDGE: "edge",
    CORNER: "corner", CENTRE: "centre", MASS: "centre of mass", FRAME: "frame",
    MIDDLE: "middle of an edge", GRID: "grid point",
}  # fmt: skip
ROUND = np.linspace(0.0, 2.0 * np.pi, 41)


def told(feature: Feature) -> str:
    """A feature in a few words: 'hole axis, ⌀ 24 mm, rod'."""
    words = [WORDS[feature.kind] + (f" {feature.name}" if feature.name else "")]
    if feature.radius > 0.0:
        words.append(f"⌀ {units.shown(2.0 * feature.radius, 'length')}")
    return ", ".join([*words, feature.body])


def draw_feature(painter: QPainter, stage: Canvas, feature: Feature, colour: QColor) -> None:
    """Axes with both rims, circles and edges as they are, faces by a square, points by a ring."""
    pen = QPen(colour, 2.2)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if feature.kind in (AXIS, HOLE):
        middle = feature.point
        reach = 1.35 * max(feature.half, feature.radius)
        ends = np.array([middle - reach * feature.direction, middle + reach * feature.direction])
        painter.setPen(QPen(colour, 1.6, Qt.PenStyle.DashDotLine))
        painter.drawPolyline(polygon(stage.to_screen(ends)))
        painter.setPen(pen)
        for side in (-feature.half, feature.half):
            painter.drawPolyline(
                polygon(stage.to_screen(rim(feature, middle + side * feature.direction)))
            )
        return
    painter.setPen(pen)
    points = stage.to_screen(_shown(stage, feature))
    if len(points) == 1:
        painter.drawEllipse(QPointF(*points[0]), 5.0, 5.0)
    else:
        painter.drawPolyline(polygon(points))


def _shown(stage: Canvas, feature: Feature) -> Floats:
    """What is drawn of a feature: of a face a square at its middle, with the way out."""
    if feature.kind != PLANE:
        return outline(feature)
    side = 0.035 * stage.reach
    u, w = feature.across, np.cross(feature.direction, feature.across)
    corners = [feature.point + side * (a * u + b * w)
               for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1))]  # fmt: skip
    return np.array([*corners, feature.point, feature.point + side * feature.direction])


def rim(feature: Feature, middle: Floats) -> Floats:
    """(41, 3) points of a circle about the direction of a feature."""
    u, w = feature.across, np.cross(feature.direction, feature.across)
    ring = np.cos(ROUND)[:, None] * u + np.sin(ROUND)[:, None] * w
    return np.asarray(middle + feature.radius * ring)


def outline(feature: Feature) -> Floats:
    """(N, 3) points of the line that a feature is on the picture, one for points."""
    if feature.kind == CIRCLE:
        return rim(feature, feature.point)
    if feature.kind == EDGE:
        way = feature.half * feature.direction
        return np.array([feature.point - way, feature.point + way])
    return feature.point[None]


def polygon(points: Floats) -> QPolygonF:
    return QPolygonF([QPointF(float(x), float(y)) for x, y in points])
