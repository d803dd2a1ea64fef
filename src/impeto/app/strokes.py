"""Strokes of glyphs as data, drawn at any size."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainterPath


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


def lines(*lines: tuple[tuple[float, float], ...]) -> tuple[Stroke, ...]:
    return tuple(Line(line) for line in lines)


def outline(strokes: tuple[Stroke, ...], box: QRectF) -> QPainterPath:
    """The strokes within a square."""
    path, x, y, w = QPainterPath(), box.left(), box.top(), box.width()
    for stroke in strokes:
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


@dataclass(frozen=True, slots=True)
class Strand:
    """Part of what is strung between two points of the picture.

    points : share of the way, pixels aside, pixels further on
    width : pixels, None as what is chosen or not has it;  dashes : "", "dots" or "dashes"
    """

    points: tuple[tuple[float, float, float], ...]
    width: float | None = None
    dashes: str = ""


@dataclass(frozen=True, slots=True)
class Knot:
    """A circle at a share of the way; radius in pixels."""

    share: float
    radius: float


def strand(*points: tuple[float, float], width: float | None = None) -> Strand:
    return Strand(tuple((share, aside, 0.0) for share, aside in points), width)
