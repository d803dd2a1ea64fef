"""The picture of how finely contact knows meshes and outlines, made off the main thread."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from impeto.app.jobs import Job
from impeto.app.stage.canvas import Canvas
from impeto.app.theme import font
from impeto.core.elements import ContactRule
from impeto.core.model import units
from impeto.core.overlaps import Watched, watched_shapes

MOST_POINTS = 6000  # that are drawn of one shape


class Resolution(QObject):
    """What the selected contact rule watches; asked for anew when model or case change."""

    def __init__(self, stage: Canvas, parent: QObject) -> None:
        super().__init__(parent)
        self.stage = stage
        self.shapes: tuple[Watched, ...] = ()
        self._jobs: set[Job] = set()
        self._asked = 0
        document = stage.document
        for signal in (document.selection_changed, document.model_changed, document.case_changed):
            signal.connect(self.ask)

    def ask(self) -> None:
        """Find out what the selected rule watches, if one is selected."""
        self.shapes = ()
        self._asked += 1
        document = self.stage.document
        model, case, rule = document.model, document.case, document.selected
        if not isinstance(model.elements.get(rule), ContactRule):
            return
        number = self._asked
        job = Job(lambda _progress: watched_shapes(model, case, rule), self)
        job.finished.connect(lambda found: self._take(number, found))
        job.finished.connect(lambda _found: self._jobs.discard(job))
        job.failed.connect(lambda _text: self._jobs.discard(job))  # the Health card tells
        self._jobs.add(job)
        job.start()

    def _take(self, number: int, found: tuple[Watched, ...]) -> None:
        if number == self._asked:
            self.shapes = found
            self.stage.refresh()

    def finish(self) -> None:
        for job in self._jobs:
            job.wait()

    def paint(self, painter: QPainter) -> None:
        """A dot where each place of contact may begin, and the size of the cells of grids."""
        painter.setFont(font(11))
        for shape in self.shapes:
            origin, turned = self.stage.body_place(shape.body)
            stride = max(1, len(shape.points) // MOST_POINTS)
            flat = self.stage.to_screen(origin + shape.points[::stride] @ turned.T)
            dots = QColor(self.stage.look.colour("accent"))
            dots.setAlpha(150)
            painter.setPen(QPen(dots, 2.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawPoints(QPolygonF([QPointF(x, y) for x, y in flat]))
            painter.setPen(self.stage.look.colour("ink"))
            text = "exact" if shape.cell == 0.0 else f"cells {units.shown(shape.cell, 'length', 2)}"
            low = flat[np.argmax(flat[:, 1])]
            painter.drawText(
                QPointF(low[0] - 30, low[1] + 18), f"{text}, {len(shape.points)} points"
            )
