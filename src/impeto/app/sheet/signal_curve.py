"""A small curve of a signal over the time of the run."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from impeto.app.theme import Theme, font
from impeto.core.dynamics.signals import signal_node
from impeto.core.model import units
from impeto.core.model.element import Element
from impeto.core.model.enclosure import of_time_alone, values
from impeto.core.model.scope import Scope

POINTS = 400
HEIGHT = 74  # px
SIDE, FOOT = 4, 14  # px beside and under the curve


class SignalCurve(QWidget):
    """Of a signal of time alone. Raises ModelError where it cannot be evaluated."""

    def __init__(self, scope: Scope, element: Element, look: Theme) -> None:
        super().__init__()
        self.look = look
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName("Curve of the signal")
        self.kind: str = element.signal_kind  # type: ignore[attr-defined]
        node = signal_node(scope, element)
        self.end = scope.si(scope.case.until or scope.written.settings.until, "time")
        self.shown = of_time_alone(node) and self.end > 0.0
        self.time = np.linspace(0.0, self.end, POINTS)
        curve = values(node, self.time) if self.shown else np.zeros(POINTS)
        self.values = np.broadcast_to(np.asarray(curve, dtype=float), (POINTS,))
        self.shown = self.shown and bool(np.isfinite(self.values).all())
        self.setVisible(self.shown)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look, box = self.look, QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(look.colour("line")))
        painter.setBrush(look.colour("field"))
        painter.drawRoundedRect(box, 5, 5)
        least, most = float(self.values.min()), float(self.values.max())
        room = box.adjusted(SIDE, SIDE + FOOT, -SIDE, -SIDE - FOOT)
        share = (self.values - least) / (most - least) if most > least else np.full(POINTS, 0.5)
        across = room.left() + room.width() * self.time / self.end
        up = room.bottom() - room.height() * share
        painter.setPen(QPen(look.colour("accent"), 1.6))
        painter.drawPolyline(QPolygonF([QPointF(*p) for p in zip(across, up, strict=True)]))
        painter.setPen(look.colour("soft"))
        painter.setFont(font(11))
        words = box.adjusted(SIDE + 2, 2, -SIDE - 2, -2)
        left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        top, bottom = Qt.AlignmentFlag.AlignTop, Qt.AlignmentFlag.AlignBottom
        painter.drawText(words, left | top, units.shown(most, self.kind))
        painter.drawText(words, left | bottom, units.shown(least, self.kind))
        painter.drawText(words, right | bottom, f"to {units.shown(self.end, 'time')}")
        painter.end()
