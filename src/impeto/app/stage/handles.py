"""Handles of the selected body: three arrows to move it along, three rings to turn it by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen

from impeto.app.document import Document
from impeto.app.stage import catching
from impeto.app.stage.canvas import Canvas
from impeto.app.stage.feature_signs import polygon
from impeto.app.stage.finding import Finder, pixel_at
from impeto.app.theme import font
from impeto.core.elements import Body
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_rotation_vector
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope
from impeto.core.placing import is_held

Floats = npt.NDArray[np.float64]
MOVE, TURN = "move", "turn"
ARM, RING = 0.16, 0.1  # of the reach
NEAR = 8.0  # px
STEPS = 100  # of the reach, to a step of a moved body
ANGLE = np.radians(5.0)  # to a step of a turned one
CAUGHT, TURNED = 7.0, np.radians(2.0)  # px and rad within which features catch
MOST = 40  # bodies beside it, the nearest, whose features catch
ROUND = np.linspace(0.0, 2.0 * np.pi, 49)


@dataclass(frozen=True, slots=True)
class Handle:
    """kind : to move along or to turn about;  axis : 0, 1, 2 for the world's x, y, z"""

    kind: str
    axis: int


class Handles:
    """Drawn while they are switched on; a drag moves by steps and is caught where features of the
    body come level with those of others, a typed value is exact."""

    def __init__(self, stage: Canvas, document: Document, finder: Finder) -> None:
        self.stage, self.document, self.finder = stage, document, finder
        self.on = False
        self.held: Handle | None = None
        self.value = 0.0  # m or rad, of what is going on
        self.level = ""  # with what it is caught

    @property
    def body(self) -> str:
        """The body that has them, '' for none."""
        name = self.document.selected
        found = self.document.model.elements.get(name)
        shown = self.on and self.document.run is None and len(self.document.chosen) == 1
        return name if shown and isinstance(found, Body) and name != GROUND else ""

    @property
    def shown(self) -> str:
        """That body on the Stage: of what is repeated its first member, where it is drawn."""
        return self.document.unfolded.marked(self.body)[0]

    def at(self, here: QPoint) -> Handle | None:
        """The handle at a pixel."""
        if not self.body:
            return None
        pointer = np.array([here.x(), here.y()], dtype=float)
        best: tuple[float, Handle] | None = None
        for handle in self._all():
            line = self.stage.to_screen(self._line(handle))
            if handle.kind == MOVE:
                line = line[0] + np.linspace(0.3, 1.0, 15)[:, None] * (line[1] - line[0])
            away = float(np.linalg.norm(line - pointer, axis=1).min())
            if away <= NEAR and (best is None or away < best[0]):
                best = away, handle
        return best[1] if best is not None else None

    def begin(self, handle: Handle, here: QPoint) -> None:
        self.held, self.value = handle, 0.0
        self._origin, self._rotation = self.stage.written_place(self.shown)
        self._first = self._along(here)
        self.level, self._catches = "", self._caught_by(handle)

    def to(self, here: QPoint) -> None:
        """Follow the pointer, in steps."""
        assert self.held is not None
        value = self._along(here) - self._first
        turns = self.held.kind == TURN
        reach = TURNED if turns else CAUGHT * pixel_at(self.stage, self._origin)
        caught = self._catches.near(value, reach)
        if caught is not None:
            self.value, self.level = caught
        else:
            step = ANGLE if turns else self._step()
            self.value, self.level = round(value / step) * step, ""
        self.document.previewed.emit({self.shown: self._moved(self.value)})

    def _caught_by(self, handle: Handle) -> catching.Catches:
        """Features of the bodies that lie nearest."""
        place, features = self.stage.body_place, self.finder.features
        own = self.document.unfolded.marked(self.body)
        bodies = [b.name for b in self.document.drawn.of(Body) if b.name not in own]
        away = [float(np.linalg.norm(place(name)[0] - self._origin)) for name in bodies]
        near = [bodies[k] for k in np.argsort(away)[:MOST]]
        others = [feature for name in near for feature in features(name)]
        way = catching.about if handle.kind == TURN else catching.along
        return way(features(self.shown), others, np.eye(3)[handle.axis])

    def end(self) -> None:
        if self.held is not None and self.value:
            self._put(self.value)
        else:
            self.document.previewed.emit(None)
        self.held = None

    def type(self, handle: Handle, text: str) -> None:
        """Move or turn by what is written. Raises ModelError."""
        scope = Scope(self.document.model, self.document.case)
        kind = "angle" if handle.kind == TURN else "length"
        self.held = handle
        self._origin, self._rotation = self.stage.written_place(self.shown)
        try:
            self._put(scope.si(Quantity(text), kind))
        finally:
            self.held = None

    def _put(self, value: float) -> None:
        """One step of undo; a body that joints hold takes the others along."""
        from impeto.core.posing import Posing, with_poses

        assert self.held is not None
        document, body, kind = self.document, self.body, self.held.kind
        origin, rotation = self._moved(value)
        if self.shown != body or not is_held(document.model, body):  # members follow
            model = with_poses(document.model, {body: (origin, rotation)}, document.case)
        elif kind == TURN:
            document.previewed.emit(None)
            document.complained.emit(
                f"{body} is held by joints: drag it with Ctrl, or use the slider of a joint."
            )
            return
        else:
            posing = Posing(document.model, document.case)
            posing.pull(body, np.zeros(3), origin)
            model = posing.posed()
        if model == document.model:
            document.previewed.emit(None)
        document.edit(f"{kind} of {body}", model)

    def _moved(self, value: float) -> tuple[Floats, Floats]:
        assert self.held is not None
        axis = np.eye(3)[self.held.axis]
        if self.held.kind == MOVE:
            return self._origin + value * axis, self._rotation
        return self._origin, from_rotation_vector(value * axis) @ self._rotation

    def _along(self, here: QPoint) -> float:
        """How far along an axis, or round it, a pixel is [m or rad]."""
        assert self.held is not None
        start, way = self.stage.ray(here)
        axis = np.eye(3)[self.held.axis]
        if self.held.kind == MOVE:  # where the axis comes nearest to the line of sight
            normal = way - (way @ axis) * axis
            square = float(normal @ normal)
            across = start - self._origin
            if square < 1e-6:
                return 0.0
            return float(across @ axis) - float(across @ normal) / square * float(way @ axis)
        slope = float(way @ axis)
        if abs(slope) < 1e-3:
            return 0.0
        met = start + float((self._origin - start) @ axis) / slope * way - self._origin
        u, w = np.eye(3)[(self.held.axis + 1) % 3], np.eye(3)[(self.held.axis + 2) % 3]
        return float(np.arctan2(met @ w, met @ u))

    def _step(self) -> float:
        """A round number of metres near to a hundredth of the reach."""
        rough = self.stage.reach / STEPS
        power = 10.0 ** np.floor(np.log10(rough))
        return float(power * min((1.0, 2.0, 5.0, 10.0), key=lambda s: abs(s - rough / power)))

    # painting

    def _all(self) -> list[Handle]:
        return [Handle(kind, axis) for kind in (MOVE, TURN) for axis in range(3)]

    def _line(self, handle: Handle) -> Floats:
        """(N, 3) points of the line that is drawn of it."""
        origin, _ = self.stage.body_place(self.shown)
        axis = np.eye(3)[handle.axis]
        if handle.kind == MOVE:
            return np.array([origin, origin + ARM * self.stage.reach * axis])
        u, w = np.eye(3)[(handle.axis + 1) % 3], np.eye(3)[(handle.axis + 2) % 3]
        ring = np.cos(ROUND)[:, None] * u + np.sin(ROUND)[:, None] * w
        return np.asarray(origin + RING * self.stage.reach * ring)

    def paint(self, painter: QPainter) -> None:
        if not self.body:
            return
        for handle in self._all():
            held = handle == self.held
            colour = QColor(self.stage.look.axes[handle.axis])
            painter.setPen(QPen(colour, 3.2 if held else 1.8))
            painter.setBrush(colour)
            line = self.stage.to_screen(self._line(handle))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(polygon(line))
            if handle.kind == MOVE:
                painter.setBrush(colour)
                painter.drawEllipse(QPointF(*line[1]), 5.0, 5.0)
        if self.held is not None:
            kind = "angle" if self.held.kind == TURN else "length"
            place = self.stage.to_screen(self._line(self.held)[-1:])[0]
            painter.setFont(font(12, QFont.Weight.DemiBold))
            painter.setPen(self.stage.look.colour("ink"))
            box = QRectF(place[0] + 10, place[1] - 10, 340, 20)
            words = units.shown(self.value, kind)
            if self.level:
                words += f", {'along' if self.held.kind == TURN else 'level with'} {self.level}"
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft, words)


def typed_value(handles: Handles, handle: Handle, text: str) -> str:
    """Move or turn by a typed value; a sentence where that is none, else ''."""
    try:
        handles.type(handle, text)
    except ModelError as error:
        return str(error)
    return ""
