"""What is drawn over the solids: force elements, loads, couplers, paths, arrows, traces."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from impeto.app import glyphs
from impeto.app.kinds import KINDS
from impeto.app.stage import flow, gauges
from impeto.app.stage.canvas import Canvas, ends_of
from impeto.app.strokes import Knot
from impeto.core.couplers.model import Meshing
from impeto.core.elements import (
    Bushing,
    Gauge,
    Joint,
    Load,
)
from impeto.core.errors import ModelError
from impeto.core.forces.lines import Straight
from impeto.core.joints.paths import path_points
from impeto.core.model.element import Element
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
NEAR = 7.0  # pixels within which a click means a line
BESIDE = 24.0  # pixels between elements that join the same frames
DRAWN = (Straight, Bushing, Load, Meshing)  # beside paths, and what has a badge
BADGED = tuple(kind for kind in KINDS.values() if kind.badge_at is not None)
DASHES = {
    "": Qt.PenStyle.SolidLine, "dots": Qt.PenStyle.DotLine, "dashes": Qt.PenStyle.DashLine,
}  # fmt: skip


def paint_elements(painter: QPainter, stage: Canvas) -> None:
    """Everything between frames, as the present case has it."""
    document, marked = stage.document, stage.document.marked
    beside: dict[frozenset[str], int] = {}
    whole = document.drawn
    drawn = [e for kind in DRAWN for e in whole.of(kind)]
    drawn += [joint for joint in whole.of(Joint) if joint.path is not None]
    for element in drawn:
        if not document.is_on(element):
            continue
        chosen = element.name in marked
        if isinstance(element, Straight):
            ends = ends_of(stage, element.frame_a, element.frame_b)
            pair = frozenset((element.frame_a, element.frame_b))
            beside[pair] = beside.get(pair, -1) + 1
            if ends is not None:
                aside = _across(*ends) * (beside[pair] * BESIDE)
                _paint_straight(painter, stage, element, ends[0] + aside, ends[1] + aside, chosen)
        elif isinstance(element, Bushing):
            ends = ends_of(stage, element.frame_a, element.frame_b)
            if ends is not None:
                _ring(painter, stage, ends[1], "accent" if chosen else "ink")
        elif isinstance(element, Load):
            _paint_load(painter, stage, element, chosen)
        elif isinstance(element, Meshing):
            _paint_mesh(painter, stage, element, chosen)
        elif isinstance(element, Joint) and element.followed in whole.elements:
            chosen = chosen or element.followed in marked
            _paint_joint_path(painter, stage, element, chosen)
    for kind in BADGED:
        for element in whole.of(kind.cls):
            if kind.badge_at is not None and document.is_on(element):
                _paint_badge(painter, stage, element, kind.badge_at(element))
    flow.paint_flow(painter, stage)
    gauges.paint_gauges(painter, stage)


def _across(a: QPointF, b: QPointF) -> QPointF:
    """Unit vector across a line on the picture."""
    along = b - a
    length = float(np.hypot(along.x(), along.y())) or 1.0
    return QPointF(-along.y() / length, along.x() / length)


def element_near(stage: Canvas, here: QPoint) -> str:
    """The straight force element or gauge whose line passes a pixel, or ''."""
    beside: dict[frozenset[str], int] = {}
    drawn = stage.document.drawn
    strung: list[Straight | Gauge] = [*drawn.of(Straight), *drawn.of(Gauge)]
    for element in strung:
        if stage.document.is_on(element) and element.frame_a and element.frame_b:
            ends = ends_of(stage, element.frame_a, element.frame_b)
            pair = frozenset((element.frame_a, element.frame_b))
            beside[pair] = beside.get(pair, -1) + 1
            if ends is None:
                continue
            aside = _across(*ends) * (beside[pair] * BESIDE)
            if _distance(QPointF(here), ends[0] + aside, ends[1] + aside) < NEAR:
                return element.name
    return ""


def _distance(point: QPointF, a: QPointF, b: QPointF) -> float:
    along, there = b - a, point - a
    length = along.x() ** 2 + along.y() ** 2
    share = 0.0
    if length > 0.0:
        share = min(max((along.x() * there.x() + along.y() * there.y()) / length, 0.0), 1.0)
    rest = there - along * share
    return float(np.hypot(rest.x(), rest.y()))


def _paint_straight(
    painter: QPainter, stage: Canvas, element: Straight, a: QPointF, b: QPointF, chosen: bool
) -> None:
    colour = stage.look.colour("accent" if chosen else "ink")
    painter.setPen(QPen(colour, 2.2 if chosen else 1.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    along = b - a
    length = float(np.hypot(along.x(), along.y()))
    if length < 4.0:
        painter.drawEllipse(a, 3, 3)
        return
    u = along / length
    n = QPointF(-u.y(), u.x())

    def at(share: float, aside: float = 0.0) -> QPointF:
        return a + along * share + n * aside

    for part in KINDS[type(element)].strung:
        if isinstance(part, Knot):
            painter.drawEllipse(at(part.share), part.radius, part.radius)
            continue
        if part.width is not None:
            painter.setPen(QPen(colour, part.width, DASHES[part.dashes]))
        points = [at(share, aside) + u * ahead for share, aside, ahead in part.points]
        painter.drawPolyline(QPolygonF(points))


def _ring(painter: QPainter, stage: Canvas, at: QPointF, colour: str) -> None:
    painter.setBrush(stage.look.colour("field"))
    painter.setPen(QPen(stage.look.colour(colour), 1.4))
    for radius in (9, 4):
        painter.drawEllipse(at, radius, radius)


def _paint_load(painter: QPainter, stage: Canvas, load: Load, chosen: bool) -> None:
    """An arrow at the frame, of the same length whatever the size of the load."""
    place = stage.frame_place(load.frame)
    if place is None:
        return
    try:
        scope = Scope(stage.document.drawn, stage.document.case)
        direction = scope.vector(load, "direction", "number")
    except ModelError:
        return  # the Health card tells
    axes = np.eye(3)
    if load.axes == "body":
        axes = stage.body_place(stage.document.drawn[load.frame].body)[1]
    elif load.axes == "other" and load.axes_frame:
        other = stage.frame_place(load.axes_frame)
        axes = axes if other is None else other[1]
    length = float(np.linalg.norm(direction))
    if length == 0.0:
        return
    tip = place[0] + 0.12 * stage.reach * (axes @ direction) / length
    a, b = (QPointF(*p) for p in stage.to_screen(np.vstack([place[0], tip])))
    colour = stage.look.colour("accent" if chosen else "force")
    arrow(painter, a, b, colour, 2)
    if load.applies == "torque":
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(a, 6, 6)


def _paint_badge(painter: QPainter, stage: Canvas, element: Element, frame: str) -> None:
    """The sign above the frame, where the badge of a joint leaves room for it."""
    place = stage.frame_place(frame)
    if place is not None:
        at = QPointF(*stage.to_screen(place[0][None])[0]) - QPointF(0.0, BESIDE)
        chosen = element.name in stage.document.marked
        glyphs.draw_element_badge(painter, at, element, stage.look, chosen)


def _paint_mesh(painter: QPainter, stage: Canvas, mesh: Meshing, chosen: bool) -> None:
    """A dashed line between the centres of two toothed parts with the coupler's glyph on it."""
    joints = [stage.document.drawn.elements.get(n) for n in (mesh.joint_a, mesh.joint_b)]
    frames = [joint.frame_b for joint in joints if isinstance(joint, Joint)]
    ends = ends_of(stage, *frames) if len(frames) == 2 else None
    if ends is None:
        return
    colour = stage.look.colour("accent" if chosen else "soft")
    painter.setPen(QPen(colour, 1.4, Qt.PenStyle.DashLine))
    painter.drawLine(*ends)
    middle = (ends[0] + ends[1]) / 2
    glyphs.draw_element_badge(painter, middle, mesh, stage.look, chosen)


def _paint_joint_path(painter: QPainter, stage: Canvas, joint: Joint, chosen: bool) -> None:
    place = stage.frame_place(joint.frame_a)
    if place is None or joint.followed is None:
        return
    try:
        scope = Scope(stage.document.drawn, stage.document.case)
        points = path_points(scope, stage.document.drawn[joint.followed])
    except ModelError:
        return  # the Health card tells
    flat = stage.to_screen(place[0] + points @ place[1].T)
    painter.setPen(QPen(stage.look.colour("accent" if chosen else "ink"), 1.8))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in flat]))


def arrow(painter: QPainter, a: QPointF, b: QPointF, colour: QColor, width: float) -> None:
    """A line with a filled head at b."""
    painter.setPen(QPen(colour, width))
    painter.drawLine(a, b)
    along = b - a
    length = float(np.hypot(along.x(), along.y()))
    if length > 6:
        along /= length
        across = QPointF(-along.y(), along.x())
        painter.setBrush(colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(
            QPolygonF([b, b - along * 12 + across * 5, b - along * 12 - across * 5])
        )
    painter.setPen(QPen(colour, width))
