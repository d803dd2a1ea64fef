"""Our glyphs, drawn from data at any size: the freedom hexagon and the marks of other kinds."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from impeto.app import theme
from impeto.app.kinds import KINDS
from impeto.app.strokes import outline
from impeto.app.theme import Theme
from impeto.core.drives.model import Powered
from impeto.core.elements import Body, Joint, Load
from impeto.core.model.element import Element
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
        painter.setBrush(QColor(theme.body_colour(element.colour)))
        painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), 3, 3)
    else:
        colour = "accent" if isinstance(element, Powered) else "ink"
        colour = "force" if isinstance(element, Load) else colour
        painter.setPen(QPen(look.colour(colour), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(outline(KINDS[type(element)].strokes, box))
    painter.restore()
