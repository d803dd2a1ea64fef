"""Our glyphs, drawn from data at any size: the freedom hexagon and the marks of other kinds."""

from __future__ import annotations

import math
from dataclasses import dataclass

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


# Strokes of glyphs, in shares of a square: from its left and its top; boxes are left, top, width,
# height.
class Line(tuple[tuple[float, float], ...]):
    """A line through points."""


@dataclass(frozen=True, slots=True)
class Oval:
    box: tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Rounded:
    box: tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Arc:
    """Degrees, counted as Qt does."""

    box: tuple[float, float, float, float]
    begin: float
    sweep: float


@dataclass(frozen=True, slots=True)
class Bend:
    """A cubic curve from a point (the first two of its box)."""

    box: tuple[float, float, float, float]
    through: tuple[tuple[float, float], ...]


Stroke = Line | Oval | Rounded | Arc | Bend


def _lines(*lines: tuple[tuple[float, float], ...]) -> tuple[Stroke, ...]:
    return tuple(Line(line) for line in lines)


_TRAY = ((0.12, 0.5), (0.12, 0.95), (0.88, 0.95), (0.88, 0.5))
_PULL = _lines(
    ((0.05, 0.5), (0.35, 0.5)), ((0.22, 0.32), (0.38, 0.5), (0.22, 0.68)),
    ((0.95, 0.5), (0.65, 0.5)), ((0.78, 0.32), (0.62, 0.5), (0.78, 0.68)),
)  # fmt: skip
_ON_GROUND = (Oval((0.2, 0.05, 0.6, 0.6)), Line(((0.05, 0.68), (0.95, 0.68))))
_DOWN = _lines(((0.5, 0.05), (0.5, 0.95)), ((0.22, 0.62), (0.5, 0.95), (0.78, 0.62)))
STROKES: tuple[tuple[type[Element] | tuple[type[Element], ...], tuple[Stroke, ...]], ...] = (
    (Spring, _lines(((0.5, 0.02), (0.5, 0.18), (0.8, 0.26), (0.2, 0.42), (0.8, 0.58), (0.2, 0.74),
                     (0.5, 0.82), (0.5, 0.98)))),
    (Damper, _lines(((0.5, 0.02), (0.5, 0.5)), ((0.25, 0.5), (0.75, 0.5)),
                    ((0.18, 0.28), (0.18, 0.75), (0.82, 0.75), (0.82, 0.28)),
                    ((0.5, 0.75), (0.5, 0.98)))),
    (Rope, _lines(((0.1, 0.15), (0.35, 0.75), (0.6, 0.8), (0.9, 0.1)))),
    (Bumper, _lines(((0.2, 0.2), (0.8, 0.2)), ((0.2, 0.8), (0.8, 0.8)),
                    ((0.5, 0.32), (0.5, 0.68)))),
    (Bushing, (Oval((0.07, 0.07, 0.86, 0.86)), Oval((0.3, 0.3, 0.4, 0.4)))),
    ((Attraction, Actuator), _PULL),
    (Coupler, (Oval((0.02, 0.3, 0.4, 0.4)), Oval((0.44, 0.18, 0.56, 0.64)))),
    (ContactRule, _ON_GROUND),
    (Surface, (*_ON_GROUND, *_lines(((0.15, 0.95), (0.4, 0.68)), ((0.55, 0.95), (0.8, 0.68))))),
    (Group, tuple(Oval((x - 0.18, y - 0.18, 0.36, 0.36))
                  for x, y in ((0.28, 0.3), (0.72, 0.3), (0.5, 0.72)))),
    (Feeder, _lines(_TRAY, ((0.5, 0.05), (0.5, 0.72)), ((0.28, 0.5), (0.5, 0.72), (0.72, 0.5)))),
    (Outlet, _lines(((0.12, 0.95), (0.12, 0.4), (0.3, 0.4)),
                    ((0.7, 0.4), (0.88, 0.4), (0.88, 0.95), (0.12, 0.95)),
                    ((0.5, 0.75), (0.5, 0.05)), ((0.3, 0.25), (0.5, 0.05), (0.7, 0.25)))),
    (BeltSurface, (Rounded((0.03, 0.42, 0.94, 0.4)),
                   *_lines(((0.2, 0.2), (0.75, 0.2)), ((0.6, 0.08), (0.77, 0.2), (0.6, 0.32))))),
    (Event, _lines(((0.25, 0.98), (0.25, 0.05), (0.85, 0.25), (0.25, 0.48)))),
    (Pose, (Line(((0.12, 0.85), (0.45, 0.2), (0.85, 0.55))), Oval((0.35, 0.1, 0.2, 0.2)))),
    (Path, (Bend((0.05, 0.8, 0.0, 0.0), ((0.4, -0.4), (0.6, 1.4), (0.95, 0.2))),)),
    (Dataset, _lines(((0.12, 0.1), (0.12, 0.9), (0.95, 0.9)),
                     ((0.2, 0.7), (0.4, 0.4), (0.6, 0.6), (0.9, 0.2)))),
    ((Load, Gravity), _DOWN),
    (Brake, (Oval((0.05, 0.2, 0.6, 0.6)),
             *_lines(((0.72, 0.2), (0.72, 0.8)), ((0.72, 0.5), (0.98, 0.5))))),
    (Powered, (Arc((0.14, 0.14, 0.72, 0.72), 60.0, 280.0),
               Line(((0.62, 0.02), (0.72, 0.22), (0.5, 0.3))))),
    (Frame, _lines(((0.2, 0.1), (0.2, 0.8), (0.95, 0.8)), ((0.2, 0.8), (0.6, 0.45)))),
    (Parameter, _lines(((0.15, 0.36), (0.85, 0.36)), ((0.15, 0.64), (0.85, 0.64)))),
)  # fmt: skip
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
    """The strokes of the first kind in STROKES that an element is of."""
    path, x, y, w = QPainterPath(), box.left(), box.top(), box.width()
    for stroke in next((strokes for kind, strokes in STROKES if isinstance(element, kind)), ()):
        if isinstance(stroke, Line):
            path.moveTo(x + stroke[0][0] * w, y + stroke[0][1] * w)
            for across, down in stroke[1:]:
                path.lineTo(x + across * w, y + down * w)
            continue
        left, top, wide, high = stroke.box
        area = QRectF(x + left * w, y + top * w, wide * w, high * w)
        if isinstance(stroke, Oval):
            path.addEllipse(area)
        elif isinstance(stroke, Rounded):
            path.addRoundedRect(area, 3, 3)
        elif isinstance(stroke, Arc):
            path.arcMoveTo(area, stroke.begin)
            path.arcTo(area, stroke.begin, stroke.sweep)
        else:
            path.moveTo(x + left * w, y + top * w)
            path.cubicTo(*(v for a, b in stroke.through for v in (x + a * w, y + b * w)))
    return path
