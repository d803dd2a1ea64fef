"""Axes on the Stage: those of frames, of the world in its corner, and the sticks of a skeleton."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen

from impeto.app.stage.canvas import Canvas
from impeto.app.theme import body_colour, font
from impeto.core.elements import Body, Frame
from impeto.core.model.element import GROUND

Floats = npt.NDArray[np.float64]


def paint_frame(painter: QPainter, stage: Canvas, name: str, chosen: bool) -> None:
    """Three axes; longer and thicker for a selected frame."""
    place = stage.frame_place(name)
    if place is None:
        return
    origin, axes = place
    length = (0.06 if chosen else 0.025) * stage.reach
    points = stage.to_screen(np.vstack([origin, origin + length * axes.T]))
    start = QPointF(*points[0])
    for axis in range(3):
        painter.setPen(QPen(QColor(stage.look.axes[axis]), 2.4 if chosen else 1.3))
        painter.drawLine(start, QPointF(*points[1 + axis]))


def paint_triad(painter: QPainter, stage: Canvas, height: int) -> None:
    """The world's axes in the lower left corner."""
    matrix = stage.scene.camera.GetViewTransformMatrix()
    corner = QPointF(44, height - 44)
    painter.setFont(font(11, QFont.Weight.DemiBold))
    for axis, letter in enumerate("xyz"):
        tip = QPointF(matrix.GetElement(0, axis), -matrix.GetElement(1, axis)) * 26
        painter.setPen(QPen(QColor(stage.look.axes[axis]), 2))
        painter.drawLine(corner, corner + tip)
        label = corner + tip * 1.35
        box = QRectF(label.x() - 8, label.y() - 8, 16, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, letter)


def paint_skeleton(painter: QPainter, stage: Canvas) -> None:
    """Bodies as sticks from their middle to their frames, with a dot for the centre of mass."""
    frames: dict[str, list[str]] = {}
    for frame in stage.document.drawn.of(Frame):
        frames.setdefault(frame.body, []).append(frame.name)
    for body in stage.document.drawn.of(Body):
        if body.name == GROUND or not stage.shows(body.name):
            continue
        centre = stage.mass_centre(body.name)
        ends = [place[0] for name in frames.get(body.name, ())
                if (place := stage.frame_place(name)) is not None]  # fmt: skip
        flat = stage.to_screen(np.array([centre, *ends]))
        painter.setPen(QPen(QColor(body_colour(body.colour)), 3.0, Qt.PenStyle.SolidLine,
                            Qt.PenCapStyle.RoundCap))  # fmt: skip
        for end in flat[1:]:
            painter.drawLine(QPointF(*flat[0]), QPointF(*end))
        painter.setPen(QPen(stage.look.colour("ink"), 1.2))
        painter.setBrush(stage.look.colour("field"))
        painter.drawEllipse(QPointF(*flat[0]), 4.0, 4.0)


def paint_centre(painter: QPainter, stage: Canvas, point: Floats) -> None:
    """A centre of mass: a ring with crossed hairs."""
    x, y = stage.to_screen(point[None])[0]
    at = QPointF(x, y)
    for colour, wide in ((stage.look.colour("field"), 4.0), (stage.look.colour("accent"), 1.8)):
        painter.setPen(QPen(colour, wide))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 7.0, 7.0)
        for way in (QPointF(12.0, 0.0), QPointF(0.0, 12.0)):
            painter.drawLine(at - way, at + way)


def paint_band(painter: QPainter, stage: Canvas, band: QRect) -> None:
    """The rectangle in which bodies are being selected."""
    colour = stage.look.colour("accent")
    painter.setPen(QPen(colour, 1.2, Qt.PenStyle.DashLine))
    colour.setAlpha(28)
    painter.setBrush(colour)
    painter.drawRect(band.normalized())
