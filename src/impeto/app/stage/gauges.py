"""Gauges between two frames as drawn on the Stage: a dashed line with what it measures."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen

from impeto.app.stage.canvas import Canvas, ends_of
from impeto.app.theme import font
from impeto.core.elements import Gauge
from impeto.core.gauges.model import DISTANCE, VALUE
from impeto.core.model import units
from impeto.core.results.poses import value_at

PAD = 5.0  # px around a value


def paint_gauges(painter: QPainter, stage: Canvas) -> None:
    """The gauges between frames, with their values at the present instant, before a run the
    distances as drawn."""
    document, marked = stage.document, stage.document.marked
    painter.setFont(font(11))
    for gauge in document.drawn.of(Gauge):
        if gauge.missing or not document.is_on(gauge):
            continue
        if gauge.frame_a is None or gauge.frame_b is None:
            continue
        ends = ends_of(stage, gauge.frame_a, gauge.frame_b)
        if ends is None:
            continue
        colour = stage.look.colour("accent" if gauge.name in marked else "moment")
        painter.setPen(QPen(colour, 1.4, Qt.PenStyle.DashLine))
        painter.drawLine(*ends)
        painter.setPen(QPen(colour, 1.4))
        for end in ends:
            painter.drawEllipse(end, 2.5, 2.5)
        _paint_value(painter, stage, gauge, 0.5 * (ends[0] + ends[1]))


def _paint_value(painter: QPainter, stage: Canvas, gauge: Gauge, at: QPointF) -> None:
    text = _value(stage, gauge)
    if not text:
        return
    box = QFontMetricsF(painter.font()).boundingRect(text)
    place = QRectF(0.0, 0.0, box.width() + 2 * PAD, box.height() + 2.0)
    place.moveCenter(at)
    pen = painter.pen()
    painter.setBrush(stage.look.colour("field"))
    painter.drawRoundedRect(place, 4.0, 4.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(stage.look.colour("ink"))
    painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)
    painter.setPen(pen)


def _value(stage: Canvas, gauge: Gauge) -> str:
    run, name = stage.document.run, f"{gauge.name}.{VALUE}"
    if run is not None and run.recording.has(name):
        channel = run.recording.channel(name)
        value = float(value_at(run.recording, channel.values, stage.document.instant))
        return units.shown(value, channel.kind)
    if gauge.quantity != DISTANCE or gauge.frame_a is None or gauge.frame_b is None:
        return ""
    a, b = stage.frame_place(gauge.frame_a), stage.frame_place(gauge.frame_b)
    if a is None or b is None:
        return ""
    return units.shown(float(np.linalg.norm(b[0] - a[0])), "length")
