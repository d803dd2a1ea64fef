"""The drawing of an outline: points that are dragged, on a grid that they snap to."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from impeto.app.theme import Theme, font

Floats = npt.NDArray[np.float64]
NEAR = 9.0  # px
LEAST = 12.0  # px between lines of the grid
ROOM = 1.25  # times what is drawn


class OutlineCanvas(QWidget):
    """points (P, 2) m;  line (N, 2) m, as it is drawn with its arcs;  closed : else a profile"""

    moved = pyqtSignal(int, float, float)  # a point, to x and y [m]
    added = pyqtSignal(int, float, float)  # before which
    chosen_changed = pyqtSignal(int)

    def __init__(self, look: Theme, closed: bool) -> None:
        super().__init__()
        self.setAccessibleName("Drawing of the outline")
        self.setMinimumSize(380, 320)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.look, self.closed = look, closed
        self.points, self.line = np.zeros((0, 2)), np.zeros((0, 2))
        self.chosen = -1
        self._held = False
        self.middle, self.span = np.zeros(2), 0.2

    def show_points(self, points: Floats) -> None:
        self.points = points
        self.update()

    def show_line(self, line: Floats) -> None:
        self.line = line
        self.update()

    def fit(self) -> None:
        """Everything in sight."""
        if len(self.line):
            low, high = self.line.min(axis=0), self.line.max(axis=0)
            self.middle = 0.5 * (low + high)
            shape = np.array([self.width(), self.height()]) / max(self.width(), 1)
            self.span = max(ROOM * float(((high - low) / shape).max()), 1e-3)
        self.update()

    @property
    def scale(self) -> float:
        """px of a metre."""
        return self.width() / self.span

    @property
    def step(self) -> float:
        """Between lines of the grid [m]: 1, 2 or 5 of a power of ten."""
        rough = LEAST / self.scale
        power = 10.0 ** np.floor(np.log10(rough))
        return float(power * next(s for s in (1.0, 2.0, 5.0, 10.0) if s * power >= rough))

    def to_screen(self, points: Floats) -> Floats:
        centre = np.array([self.width() / 2, self.height() / 2])
        return np.asarray(centre + (points - self.middle) * self.scale * np.array([1.0, -1.0]))

    def to_plane(self, here: QPointF) -> Floats:
        """(2,) m, on the grid."""
        centre = np.array([self.width() / 2, self.height() / 2])
        off = (np.array([here.x(), here.y()]) - centre) * np.array([1.0, -1.0]) / self.scale
        return np.asarray(np.round((self.middle + off) / self.step) * self.step)

    def point_at(self, here: QPointF) -> int:
        """The point at a pixel, −1 for none."""
        if not len(self.points):
            return -1
        away = np.linalg.norm(self.to_screen(self.points) - (here.x(), here.y()), axis=1)
        nearest = int(np.argmin(away))
        return nearest if away[nearest] <= NEAR else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        found = self.point_at(event.position())
        if found < 0 and event.button() == Qt.MouseButton.LeftButton:
            place = self.to_plane(event.position())
            found = self._before(place)
            self.added.emit(found, *map(float, place))
        self.chosen, self._held = found, found >= 0
        self.chosen_changed.emit(found)
        self.update()

    def _before(self, place: Floats) -> int:
        """Between which points a new one goes: where it lengthens the way least."""
        if len(self.points) < 2:
            return len(self.points)
        if not self.closed:
            return int(np.searchsorted(self.points[:, 0], place[0]))
        after = np.roll(self.points, -1, axis=0)
        detour = (
            np.linalg.norm(self.points - place, axis=1) + np.linalg.norm(after - place, axis=1)
            - np.linalg.norm(after - self.points, axis=1)
        )  # fmt: skip
        return int(np.argmin(detour)) + 1

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held and self.chosen >= 0:
            place = self.to_plane(event.position())
            if np.abs(place - self.points[self.chosen]).max() > 0.0:
                self.moved.emit(self.chosen, *map(float, place))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, look = QPainter(self), self.look
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.colour("field"))
        self._paint_grid(painter)
        if len(self.line) > 1:
            shape = QPolygonF([QPointF(*p) for p in self.to_screen(self.line)])
            painter.setPen(QPen(look.colour("ink"), 1.6))
            if self.closed:
                painter.setBrush(look.colour("wash"))
                painter.drawPolygon(shape)
            else:
                painter.drawPolyline(shape)
        painter.setFont(font(11))
        for number, place in enumerate(self.to_screen(self.points)):
            chosen = number == self.chosen
            painter.setPen(QPen(look.colour("accent"), 1.6))
            painter.setBrush(look.colour("accent" if chosen else "field"))
            painter.drawEllipse(QPointF(*place), 4.5, 4.5)
            painter.setPen(look.colour("soft"))
            painter.drawText(QPointF(place[0] + 7, place[1] - 6), str(number + 1))
        painter.end()

    def _paint_grid(self, painter: QPainter) -> None:
        step, look = 5 * self.step, self.look
        half = np.array([self.width(), self.height()]) / 2 / self.scale
        for axis in (0, 1):
            ticks = np.arange(
                np.ceil((self.middle[axis] - half[axis]) / step),
                np.floor((self.middle[axis] + half[axis]) / step) + 1,
            )
            for tick in ticks * step:
                at = self.to_screen(np.array([tick, tick]))[axis]
                pen = QPen(look.colour("soft" if tick == 0.0 else "line"), 1.0)
                painter.setPen(pen)
                if axis == 0:
                    painter.drawLine(QPointF(at, 0), QPointF(at, self.height()))
                else:
                    painter.drawLine(QPointF(0, at), QPointF(self.width(), at))
        painter.setPen(look.colour("soft"))
        painter.setFont(font(11))
        told = f"{1e3 * self.step:g} mm steps"
        box = QRectF(8, 6, 200, 16)
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft, told)
