"""What lies under the pointer on the Stage: features of bodies, drawn and named, to be picked."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from impeto.app.stage.canvas import Canvas
from impeto.app.theme import font
from impeto.core.bodies.features import features_of
from impeto.core.bodies.solid_features import (
    AXIS,
    CENTRE,
    CIRCLE,
    CORNER,
    EDGE,
    FRAME,
    HOLE,
    MASS,
    MIDDLE,
    PLANE,
    Feature,
    placed,
)
from impeto.core.connecting import proposal
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.freedoms import kind_title
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
WORDS = {
    PLANE: "face", AXIS: "axis", HOLE: "hole axis", CIRCLE: "circle", EDGE: "edge",
    CORNER: "corner", CENTRE: "centre", MASS: "centre of mass", FRAME: "frame",
    MIDDLE: "middle of an edge",
}  # fmt: skip
# What is smaller goes before what is larger: class of each kind, and how near [px] it must be.
NEAR = {CORNER: (0, 9), FRAME: (0, 9), MIDDLE: (0, 8), CIRCLE: (2, 6), EDGE: (3, 6), MASS: (6, 9)}
JOINT = "joint"
MOUTH, WALL, FACE = 1, 4, 5  # classes of holes that are looked into, of walls and faces
WITHIN = (MASS, FRAME)  # they lie inside of bodies; all else is hidden by what is before it
STEEP = 4.0  # times as far on the surface as on the picture, where that is seen at a slant
ON = 2e-3  # of the reach: how far the point that was hit may be off a face or wall
ROUND = np.linspace(0.0, 2.0 * np.pi, 41)


class Pointing(QObject):
    """Finds features under the pointer; Tab goes through them, and while features are connected
    clicks pick two."""

    picked = pyqtSignal(object, object, bool)  # two features; whether a body is to come along
    ended = pyqtSignal()

    def __init__(self, stage: Canvas, widget: QWidget) -> None:
        super().__init__(widget)
        self.stage, self.widget = stage, widget
        widget.installEventFilter(self)
        self.found: list[Feature] = []
        self.index = 0
        self.first: Feature | None = None
        self.connecting = False
        self.makes = JOINT  # what is made of two features
        self.here = QPoint()
        self._known: dict[str, list[Feature]] = {}
        self._last = ""  # the body that was hit last: its holes are looked into

    def forget(self) -> None:
        """The model has changed."""
        self._known.clear()
        self.found, self.first, self._last = [], None, ""

    @property
    def current(self) -> Feature | None:
        return self.found[self.index % len(self.found)] if self.found else None

    def look(self, here: QPoint) -> None:
        """Find what lies at a pixel, while the model and no run is shown."""
        if self.stage.document.run is not None:
            return
        size = self.widget.width(), self.widget.height()
        body, hit = self.stage.scene.hit(here.x(), here.y(), *size)
        before, self.here = self.current, here
        self.found = self._at(here, body, hit)
        self._last = body or self._last
        same = (k for k, feature in enumerate(self.found) if _alike(feature, before))
        self.index = next(same, 0)
        if before is not None or self.found:
            self.widget.update()

    def set_connecting(self, on: bool) -> None:
        """Whether clicks pick features to connect."""
        if on == self.connecting:
            return
        self.connecting, self.first = on, None
        self.widget.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        if not on:
            self.makes = JOINT
            self.ended.emit()
        self.widget.update()

    def clicked(self, here: QPoint, shifted: bool) -> bool:
        """Take what is shown as the first feature or the second; False where clicks select."""
        if not self.connecting:
            return False
        if not self.found:
            self.look(here)
        current = self.current
        if self.first is None or current is None:
            self.first = current or self.first
        else:
            pair, self.first = (self.first, current), None
            self.picked.emit(*pair, not shifted)
        self.widget.update()
        return True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Tab: the next of those that lie there; Escape: no connecting."""
        if event is not None and event.type() == QEvent.Type.Leave:
            self.found = []
            self.widget.update()
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        if event.key() == Qt.Key.Key_Tab and self.found:
            self.index = (self.index + 1) % len(self.found)
            self.widget.update()
            return True
        if event.key() == Qt.Key.Key_Escape and self.connecting:
            self.set_connecting(False)
            return True
        return False

    def _features(self, body: str) -> list[Feature]:
        """Of a body, in the world where it is shown; none of no body."""
        if not body:
            return []
        if body not in self._known:
            document = self.stage.document
            try:
                scope = Scope(document.model, document.case)
                self._known[body] = features_of(scope, document.model[body])
            except ModelError:  # the Roster tells
                self._known[body] = []
        origin, rotation = self.stage.body_place(body)
        return [placed(feature, origin, rotation) for feature in self._known[body]]

    def _at(self, here: QPoint, body: str, hit: Floats) -> list[Feature]:
        candidates: list[tuple[int, float, int, Feature]] = []
        pixel = self._pixel_at(hit)
        pointer, off = np.array([here.x(), here.y()], dtype=float), ON * self.stage.reach
        around = [f for f in self._features(self._last) if f.kind == HOLE and f.body != body]
        for number, feature in enumerate([*self._features(body), *around]):
            if feature.kind == HOLE and self._looks_into(feature, here):
                candidates.append((MOUTH, 0.0, number, feature))
            elif feature.body != body:
                continue
            elif feature.kind in NEAR:
                rank, least = NEAR[feature.kind]
                away = _beside(self.stage.to_screen(_outline(feature)), pointer)
                hidden = feature.kind not in WITHIN and _beside(_outline(feature), hit) > (
                    STEEP * (away + 2.0) * pixel
                )
                if away <= least and not hidden:
                    candidates.append((rank, away, number, feature))
            else:
                away = _off_surface(feature, hit)
                if away <= off:
                    rank = FACE if feature.kind == PLANE else WALL
                    candidates.append((rank, away, number, feature))
        return [feature for *_, feature in sorted(candidates, key=lambda c: c[:3])]

    def _looks_into(self, hole: Feature, here: QPoint) -> bool:
        """Whether a pixel lies within one of the mouths of a hole."""
        ends = (hole.point + side * hole.half * hole.direction for side in (-1.0, 1.0))
        rims = (_polygon(self.stage.to_screen(_rim(hole, end))) for end in ends)
        return any(rim.containsPoint(QPointF(here), Qt.FillRule.WindingFill) for rim in rims)

    def _pixel_at(self, point: Floats) -> float:
        """How many metres a pixel is at the depth of a point, about."""
        step = 1e-3 * self.stage.reach
        flat = self.stage.to_screen(np.vstack([point, point + step * np.eye(3)]))
        most = float(np.linalg.norm(flat[1:] - flat[0], axis=1).max())
        return step / max(most, 1e-9)

    # painting

    def paint(self, painter: QPainter) -> None:
        """The picked feature, what is under the pointer, and its name beside it."""
        look, current = self.stage.look, self.current
        if self.first is not None:
            self._draw(painter, self.first, look.colour("force"))
        if current is None:
            return
        self._draw(painter, current, look.colour("accent"))
        text = told(current)
        if self.connecting and self.first is not None and self.first.body != current.body:
            kind = kind_title(proposal(self.first, current))
            text += f"  →  {kind if self.makes == JOINT else self.makes}"
        if len(self.found) > 1:
            text += f"   {self.index % len(self.found) + 1} of {len(self.found)}, Tab"
        painter.setFont(font(11))
        width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 14
        box = QRectF(self.here.x() + 14, self.here.y() + 16, width, 22)
        painter.setPen(QPen(look.colour("line")))
        painter.setBrush(look.colour("field"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(look.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _draw(self, painter: QPainter, feature: Feature, colour: QColor) -> None:
        pen = QPen(colour, 2.2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if feature.kind in (AXIS, HOLE):
            middle = feature.point
            reach = 1.35 * max(feature.half, feature.radius)
            ends = np.array(
                [middle - reach * feature.direction, middle + reach * feature.direction]
            )
            painter.setPen(QPen(colour, 1.6, Qt.PenStyle.DashDotLine))
            painter.drawPolyline(_polygon(self.stage.to_screen(ends)))
            painter.setPen(pen)
            for side in (-feature.half, feature.half):
                painter.drawPolyline(
                    _polygon(self.stage.to_screen(_rim(feature, middle + side * feature.direction)))
                )
            return
        painter.setPen(pen)
        points = self.stage.to_screen(self._shown(feature))
        if len(points) == 1:
            painter.drawEllipse(QPointF(*points[0]), 5.0, 5.0)
        else:
            painter.drawPolyline(_polygon(points))

    def _shown(self, feature: Feature) -> Floats:
        """What is drawn of a feature: of a face a square at its middle, with the way out."""
        if feature.kind != PLANE:
            return _outline(feature)
        side = 0.035 * self.stage.reach
        u, w = feature.across, np.cross(feature.direction, feature.across)
        corners = [feature.point + side * (a * u + b * w)
                   for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1))]  # fmt: skip
        return np.array([*corners, feature.point, feature.point + side * feature.direction])


def told(feature: Feature) -> str:
    """A feature in a few words: 'hole axis, ⌀ 24 mm, rod'."""
    words = [WORDS[feature.kind] + (f" {feature.name}" if feature.name else "")]
    if feature.radius > 0.0:
        words.append(f"⌀ {units.shown(2.0 * feature.radius, 'length')}")
    return ", ".join([*words, feature.body])


def _alike(a: Feature | None, b: Feature | None) -> bool:
    if a is None or b is None:
        return a is b
    return (a.kind, a.body) == (b.kind, b.body) and np.array_equal(a.point, b.point)


def _rim(feature: Feature, middle: Floats) -> Floats:
    """(41, 3) points of a circle about the direction of a feature."""
    u, w = feature.across, np.cross(feature.direction, feature.across)
    ring = np.cos(ROUND)[:, None] * u + np.sin(ROUND)[:, None] * w
    return np.asarray(middle + feature.radius * ring)


def _outline(feature: Feature) -> Floats:
    """(N, 3) points of the line that a feature is on the picture, one for points."""
    if feature.kind == CIRCLE:
        return _rim(feature, feature.point)
    if feature.kind == EDGE:
        way = feature.half * feature.direction
        return np.array([feature.point - way, feature.point + way])
    return feature.point[None]


def _beside(line: Floats, place: Floats) -> float:
    """How far a place is off a line of points (N, 2) or (N, 3)."""
    if len(line) == 1:
        return float(np.linalg.norm(line[0] - place))
    a, way = line[:-1], line[1:] - line[:-1]
    length = np.maximum((way**2).sum(axis=1), 1e-300)
    share = np.clip(((place - a) * way).sum(axis=1) / length, 0.0, 1.0)
    return float(np.linalg.norm(a + share[:, None] * way - place, axis=1).min())


def _off_surface(feature: Feature, hit: Floats) -> float:
    """How far a point is off the face, wall or ball that a feature belongs to [m]."""
    to = hit - feature.point
    if feature.kind == PLANE:
        return abs(float(to @ feature.direction))
    if feature.kind in (AXIS, HOLE):
        along = float(to @ feature.direction)
        beyond = max(abs(along) - feature.half, 0.0)
        away = abs(float(np.linalg.norm(to - along * feature.direction)) - feature.radius)
        return max(away, beyond)
    return abs(float(np.linalg.norm(to)) - feature.radius) if feature.radius else np.inf


def _polygon(points: Floats) -> QPolygonF:
    return QPolygonF([QPointF(float(x), float(y)) for x, y in points])
