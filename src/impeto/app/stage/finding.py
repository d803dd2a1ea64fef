"""Which features of a body lie under a pixel of the Stage."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF, Qt

from impeto.app.stage.canvas import Canvas
from impeto.app.stage.feature_signs import outline, polygon, rim
from impeto.core.bodies.features import features_of
from impeto.core.bodies.solid_features import (
    AXIS,
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
from impeto.core.elements import Frame
from impeto.core.errors import ModelError
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
# What is smaller goes before what is larger: class of each kind, and how near [px] it must be.
NEAR = {CORNER: (0, 9), FRAME: (0, 9), MIDDLE: (0, 8), CIRCLE: (2, 6), EDGE: (3, 6), MASS: (6, 9)}
MOUTH, WALL, FACE = 1, 4, 5  # classes of holes that are looked into, of walls and faces
WITHIN = (MASS, FRAME)  # they lie inside of bodies; all else is hidden by what is before it
STEEP = 4.0  # times as far on the surface as on the picture, where that is seen at a slant
ON = 2e-3  # of the reach: how far the point that was hit may be off a face or wall


class Finder:
    """Features of the bodies as they are shown, kept until the model changes."""

    def __init__(self, stage: Canvas) -> None:
        self.stage = stage
        self._known: dict[str, list[Feature]] = {}
        self._last = ""  # the body that was hit last: its holes are looked into

    def forget(self) -> None:
        """The model has changed."""
        self._known.clear()
        self._last = ""

    def features(self, body: str) -> list[Feature]:
        """Of a body, in the world where it is shown; none of no body."""
        if not body:
            return []
        if body not in self._known:
            document = self.stage.document
            try:
                scope = Scope(document.drawn, document.case)
                self._known[body] = features_of(scope, document.drawn[body])
            except ModelError:  # the Roster tells
                self._known[body] = []
        origin, rotation = self.stage.body_place(body)
        return [placed(feature, origin, rotation) for feature in self._known[body]]

    def at(self, here: QPoint, body: str, hit: Floats) -> list[Feature]:
        """Those that lie at a pixel where a body is hit at a point (3,) [m], the smallest first."""
        candidates: list[tuple[int, float, int, Feature]] = []
        pixel = pixel_at(self.stage, hit)
        pointer, off = np.array([here.x(), here.y()], dtype=float), ON * self.stage.reach
        around = [f for f in self.features(self._last) if f.kind == HOLE and f.body != body]
        for number, feature in enumerate([*self.features(body), *around]):
            if feature.kind == HOLE and self._looks_into(feature, here):
                candidates.append((MOUTH, 0.0, number, feature))
            elif feature.body != body:
                continue
            elif feature.kind in NEAR:
                rank, least = NEAR[feature.kind]
                away = _beside(self.stage.to_screen(outline(feature)), pointer)
                hidden = feature.kind not in WITHIN and _beside(outline(feature), hit) > (
                    STEEP * (away + 2.0) * pixel
                )
                if away <= least and not hidden:
                    candidates.append((rank, away, number, feature))
            else:
                away = _off_surface(feature, hit)
                if away <= off:
                    rank = FACE if feature.kind == PLANE else WALL
                    candidates.append((rank, away, number, feature))
        self._last = body or self._last
        return [feature for *_, feature in sorted(candidates, key=lambda c: c[:3])]

    def frames_near(self, here: QPoint) -> list[Feature]:
        """Frames at a pixel where no solid is: of the ground, of bodies without shapes there."""
        stage = self.stage
        placed_frames = [
            (frame, place)
            for frame in stage.document.drawn.of(Frame)
            if (place := stage.frame_place(frame.name)) is not None
        ]
        if not placed_frames:
            return []
        flat = stage.to_screen(np.array([place[0] for _, place in placed_frames]))
        away = np.hypot(flat[:, 0] - here.x(), flat[:, 1] - here.y())
        near = [int(k) for k in np.argsort(away) if away[k] <= NEAR[FRAME][1]]
        found = []
        for frame, (origin, axes) in (placed_frames[k] for k in near):
            found.append(
                Feature(FRAME, origin, axes[:, 2], axes[:, 0], body=frame.body, name=frame.name)
            )
        return found

    def _looks_into(self, hole: Feature, here: QPoint) -> bool:
        """Whether a pixel lies within one of the mouths of a hole."""
        ends = (hole.point + side * hole.half * hole.direction for side in (-1.0, 1.0))
        rims = (polygon(self.stage.to_screen(rim(hole, end))) for end in ends)
        return any(r.containsPoint(QPointF(here), Qt.FillRule.WindingFill) for r in rims)


def pixel_at(stage: Canvas, point: Floats) -> float:
    """How many metres a pixel is at the depth of a point, about."""
    step = 1e-3 * stage.reach
    flat = stage.to_screen(np.vstack([point, point + step * np.eye(3)]))
    most = float(np.linalg.norm(flat[1:] - flat[0], axis=1).max())
    return step / max(most, 1e-9)


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
