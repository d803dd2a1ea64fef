"""What charts are made of: curves, axes, the cursor over them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
import pyqtgraph
from PyQt6.QtCore import QEvent, QObject, QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from impeto.app.document import Document, Run
from impeto.app.theme import Theme
from impeto.core.model.looking import AGAINST, AMPLITUDES, DENSITY

WIDE = 3  # px on either side of the cursor's line
DASHES = (
    Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine,
)  # fmt: skip


@dataclass(frozen=True)
class Drawn:
    """A curve. factor : SI units in one of its axis;  told : what the legend says of it, '' for the
    value at the cursor"""

    run: Run
    name: str
    unit: str
    factor: float
    colour: QColor
    dash: Qt.PenStyle
    told: str
    axis: int  # 0 left, others right


class Plotted(Protocol):
    """What the cursor asks of its chart."""

    document: Document
    look: Theme
    look_at: str

    def dots(self) -> list[tuple[Drawn, float, float, Any]]:
        """Curves with where they are at the present instant, and the box they are drawn in."""
        ...


class Cursor(QWidget):
    """The present instant over the plot, so that moving it is cheap: a line over time, with A and B
    where they are set; a dot on each curve of one channel against another."""

    def __init__(self, chart: Plotted, plot: pyqtgraph.PlotWidget) -> None:
        super().__init__(plot)
        self.chart, self.plot = chart, plot
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._drawn_at = 0  # px
        plot.installEventFilter(self)

    def follow(self) -> None:
        """The instant has moved: only where the line was and is now is drawn again."""
        if self.chart.look_at == AGAINST:
            self.update()
            return
        for x in (self._drawn_at, round(self._x_of(self.chart.document.instant))):
            self.update(x - WIDE, 0, 2 * WIDE, self.height())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self.resize(self.parentWidget().size())  # type: ignore[union-attr]
        return False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.chart.look_at in (AMPLITUDES, DENSITY):
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self.plot.mapFromScene(self.plot.getViewBox().sceneBoundingRect()).boundingRect()
        painter.setClipRect(area)
        if self.chart.look_at == AGAINST:
            self._paint_dots(painter)
        else:
            document, look = self.chart.document, self.chart.look
            for letter, moment in (("A", document.span[0]), ("B", document.span[1])):
                if moment is not None:
                    x = self._x_of(moment)
                    painter.setPen(QPen(look.colour("moment"), 1, Qt.PenStyle.DashLine))
                    painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
                    painter.drawText(QPointF(x + 3, area.top() + 11), letter)
            x = self._x_of(document.instant)
            self._drawn_at = round(x)
            painter.setPen(QPen(look.colour("ink"), 1))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        painter.end()

    def _x_of(self, moment: float) -> float:
        """Pixels of an instant [s]."""
        return float(self.plot.getViewBox().mapViewToScene(QPointF(moment, 0.0)).x())

    def _paint_dots(self, painter: QPainter) -> None:
        for curve, x, y, box in self.chart.dots():
            if np.isfinite(x) and np.isfinite(y):
                painter.setPen(QPen(self.chart.look.colour("field"), 1.2))
                painter.setBrush(curve.colour)
                painter.drawEllipse(box.mapViewToScene(QPointF(x, y)), 4.5, 4.5)


class Axis(pyqtgraph.AxisItem):  # type: ignore[misc]
    """An axis whose numbers carry a real minus sign."""

    def tickStrings(self, values: Any, scale: float, spacing: float) -> list[str]:
        plain: list[str] = super().tickStrings(values, scale, spacing)
        return [text.replace("-", "−") for text in plain]
