"""Our glyphs, drawn from data at any size: the freedom hexagon and the marks of other kinds."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from impeto.app import theme
from impeto.app.theme import Theme
from impeto.core.model.couplers import Coupler
from impeto.core.model.elements import (
    Actuator,
    Attraction,
    BeltSurface,
    Body,
    Brake,
    Bumper,
    Bushing,
    ContactRule,
    Damper,
    Dataset,
    Element,
    Event,
    Feeder,
    Frame,
    Gravity,
    Group,
    Joint,
    Load,
    Outlet,
    Parameter,
    Path,
    Pose,
    Powered,
    Rope,
    Spring,
    Surface,
)
from impeto.core.model.freedoms import FREEDOMS

# Clockwise from the top: the three turns, then the three slides.
SECTORS = (*FREEDOMS[3:], *FREEDOMS[:3])


def draw_freedoms(
    painter: QPainter,
    box: QRectF,
    free: tuple[str, ...],
    look: Theme,
    marked: bool = False,
    driven: tuple[str, ...] = (),
) -> None:
    """Hexagon of six sectors: filled = locked, open = free, accent = driven; the whole in accent
    when marked."""
    ink = look.colour("accent" if marked else "ink")
    centre, radius = box.center(), min(box.width(), box.height()) / 2 - 0.5
    corners = [
        QPointF(
            centre.x() + radius * math.sin(math.radians(60 * k - 30)),
            centre.y() - radius * math.cos(math.radians(60 * k - 30)),
        )
        for k in range(7)
    ]
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(look.colour("field"), max(0.6, radius / 11)))
    for k, freedom in enumerate(SECTORS):
        colour = look.colour("field") if freedom in free else ink
        painter.setBrush(look.colour("accent") if freedom in driven else colour)
        painter.drawPolygon(QPolygonF([centre, corners[k], corners[k + 1]]))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(ink, max(1.0, radius / 9)))
    painter.drawPolygon(QPolygonF(corners[:6]))
    painter.restore()


def draw_badge(
    painter: QPainter,
    centre: QPointF,
    free: tuple[str, ...],
    look: Theme,
    marked: bool,
    driven: tuple[str, ...] = (),
) -> None:
    """Round badge of a joint on the Stage and the Map."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(look.colour("accent" if marked else "ink"), 1.2))
    painter.setBrush(look.colour("field"))
    painter.drawEllipse(centre, 11, 11)
    box = QRectF(centre.x() - 8, centre.y() - 8, 16, 16)
    draw_freedoms(painter, box, free, look, marked, driven)


def draw_element_badge(
    painter: QPainter, centre: QPointF, element: Element, look: Theme, marked: bool = False
) -> None:
    """The glyph of an element on a round ground, for the Stage and the Map."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(look.colour("accent" if marked else "ink"), 1.2))
    painter.setBrush(look.colour("field"))
    painter.drawEllipse(centre, 11, 11)
    draw_element(painter, QRectF(centre.x() - 7, centre.y() - 7, 14, 14), element, look)


def draw_element(painter: QPainter, box: QRectF, element: Element, look: Theme) -> None:
    """Glyph of any element in a square of about 16 pixels."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if isinstance(element, Joint):
        draw_freedoms(painter, box, element.motions, look)
    elif isinstance(element, Body):
        painter.setPen(QPen(look.colour("ink"), 0.6))
        painter.setBrush(QColor(theme.BODY_COLOURS[element.colour]))
        painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), 3, 3)
    else:
        colour = "accent" if isinstance(element, Powered) else "ink"
        colour = "force" if isinstance(element, Load) else colour
        painter.setPen(QPen(look.colour(colour), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(_outline(element, box))
    painter.restore()


def _outline(element: Element, box: QRectF) -> QPainterPath:
    path = QPainterPath()
    x, y, w = box.left(), box.top(), box.width()

    def line(*points: tuple[float, float]) -> None:
        path.moveTo(x + points[0][0] * w, y + points[0][1] * w)
        for px, py in points[1:]:
            path.lineTo(x + px * w, y + py * w)

    if isinstance(element, Spring):
        line((0.5, 0.02), (0.5, 0.18), (0.8, 0.26), (0.2, 0.42), (0.8, 0.58), (0.2, 0.74),
             (0.5, 0.82), (0.5, 0.98))  # fmt: skip
    elif isinstance(element, Damper):
        line((0.5, 0.02), (0.5, 0.5))
        line((0.25, 0.5), (0.75, 0.5))
        line((0.18, 0.28), (0.18, 0.75), (0.82, 0.75), (0.82, 0.28))
        line((0.5, 0.75), (0.5, 0.98))
    elif isinstance(element, Rope):
        line((0.1, 0.15), (0.35, 0.75), (0.6, 0.8), (0.9, 0.1))
    elif isinstance(element, Bumper):
        line((0.2, 0.2), (0.8, 0.2))
        line((0.2, 0.8), (0.8, 0.8))
        line((0.5, 0.32), (0.5, 0.68))
    elif isinstance(element, Bushing):
        path.addEllipse(box.adjusted(1, 1, -1, -1))
        path.addEllipse(box.adjusted(0.3 * w, 0.3 * w, -0.3 * w, -0.3 * w))
    elif isinstance(element, (Attraction, Actuator)):
        line((0.05, 0.5), (0.35, 0.5))
        line((0.22, 0.32), (0.38, 0.5), (0.22, 0.68))
        line((0.95, 0.5), (0.65, 0.5))
        line((0.78, 0.32), (0.62, 0.5), (0.78, 0.68))
    elif isinstance(element, Coupler):
        path.addEllipse(QRectF(x + 0.02 * w, y + 0.3 * w, 0.4 * w, 0.4 * w))
        path.addEllipse(QRectF(x + 0.44 * w, y + 0.18 * w, 0.56 * w, 0.64 * w))
    elif isinstance(element, (ContactRule, Surface)):
        path.addEllipse(QRectF(x + 0.2 * w, y + 0.05 * w, 0.6 * w, 0.6 * w))
        line((0.05, 0.68), (0.95, 0.68))
        if isinstance(element, Surface):
            line((0.15, 0.95), (0.4, 0.68))
            line((0.55, 0.95), (0.8, 0.68))
    elif isinstance(element, Group):
        for cx, cy in ((0.28, 0.3), (0.72, 0.3), (0.5, 0.72)):
            path.addEllipse(QRectF(x + (cx - 0.18) * w, y + (cy - 0.18) * w, 0.36 * w, 0.36 * w))
    elif isinstance(element, Feeder):
        line((0.12, 0.5), (0.12, 0.95), (0.88, 0.95), (0.88, 0.5))
        line((0.5, 0.05), (0.5, 0.72))
        line((0.28, 0.5), (0.5, 0.72), (0.72, 0.5))
    elif isinstance(element, Outlet):
        line((0.12, 0.95), (0.12, 0.4), (0.3, 0.4))
        line((0.7, 0.4), (0.88, 0.4), (0.88, 0.95), (0.12, 0.95))
        line((0.5, 0.75), (0.5, 0.05))
        line((0.3, 0.25), (0.5, 0.05), (0.7, 0.25))
    elif isinstance(element, BeltSurface):
        path.addRoundedRect(QRectF(x + 0.03 * w, y + 0.42 * w, 0.94 * w, 0.4 * w), 3, 3)
        line((0.2, 0.2), (0.75, 0.2))
        line((0.6, 0.08), (0.77, 0.2), (0.6, 0.32))
    elif isinstance(element, Event):
        line((0.25, 0.98), (0.25, 0.05), (0.85, 0.25), (0.25, 0.48))
    elif isinstance(element, Pose):
        line((0.12, 0.85), (0.45, 0.2), (0.85, 0.55))
        path.addEllipse(QRectF(x + 0.35 * w, y + 0.1 * w, 0.2 * w, 0.2 * w))
    elif isinstance(element, Path):
        path.moveTo(x + 0.05 * w, y + 0.8 * w)
        path.cubicTo(x + 0.4 * w, y - 0.4 * w, x + 0.6 * w, y + 1.4 * w, x + 0.95 * w, y + 0.2 * w)
    elif isinstance(element, Dataset):
        line((0.12, 0.1), (0.12, 0.9), (0.95, 0.9))
        line((0.2, 0.7), (0.4, 0.4), (0.6, 0.6), (0.9, 0.2))
    elif isinstance(element, (Load, Gravity)):
        line((0.5, 0.05), (0.5, 0.95))
        line((0.22, 0.62), (0.5, 0.95), (0.78, 0.62))
    elif isinstance(element, Brake):
        path.addEllipse(QRectF(x + 0.05 * w, y + 0.2 * w, 0.6 * w, 0.6 * w))
        line((0.72, 0.2), (0.72, 0.8))
        line((0.72, 0.5), (0.98, 0.5))
    elif isinstance(element, Powered):
        path.arcMoveTo(box.adjusted(2, 2, -2, -2), 60)
        path.arcTo(box.adjusted(2, 2, -2, -2), 60, 280)
        line((0.62, 0.02), (0.72, 0.22), (0.5, 0.3))
    elif isinstance(element, Frame):
        line((0.2, 0.1), (0.2, 0.8), (0.95, 0.8))
        line((0.2, 0.8), (0.6, 0.45))
    elif isinstance(element, Parameter):
        line((0.15, 0.36), (0.85, 0.36))
        line((0.15, 0.64), (0.85, 0.64))
    return path
