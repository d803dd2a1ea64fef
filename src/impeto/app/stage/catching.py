"""Where a body that is moved or turned by a handle comes level with features of others."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.app.stage.feature_signs import told
from impeto.core.bodies.solid_features import AXIS, CENTRE, CIRCLE, FRAME, HOLE, PLANE, Feature

Floats = npt.NDArray[np.float64]
SQUARE = 1e-9  # of cosines of directions that are square or parallel
ALIKE = 1e-9  # m or rad: places that are one
FACES, MIDDLES = "faces", "middles"
ROUND = (AXIS, HOLE, CIRCLE)


@dataclass(frozen=True, slots=True)
class Catches:
    """values : (K,) m or rad, by which to move or turn, ascending;  words : what lies there
    period : after which they come again, 0 for never
    """

    values: Floats
    words: list[str]
    period: float = 0.0

    def near(self, value: float, reach: float) -> tuple[float, str] | None:
        """The nearest one within reach of a value, with what it is level with."""
        if not len(self.values):
            return None
        around = self.values
        if self.period:
            around = around + self.period * np.round((value - around) / self.period)
        best = int(np.argmin(np.abs(around - value)))
        found = float(around[best])
        return (found, self.words[best]) if abs(found - value) <= reach else None


def along(own: Iterable[Feature], others: Iterable[Feature], axis: Floats) -> Catches:
    """Moves along a world axis (3,) that bring faces level with faces and middles with middles."""
    return _apart(_levels(own, axis), _levels(others, axis))


def about(own: Iterable[Feature], others: Iterable[Feature], axis: Floats) -> Catches:
    """Turns about a world axis (3,) that make directions parallel."""
    return _apart(_angles(own, axis), _angles(others, axis), np.pi)


Places = dict[str, dict[float, str]]  # by class: where, and what is there


def _apart(own: Places, others: Places, period: float = 0.0) -> Catches:
    found: dict[float, str] = {}
    for sort, places in others.items():
        for here in own.get(sort, ()):
            for there, words in places.items():
                found.setdefault(_rounded(there - here), words)
    values = sorted(found)
    return Catches(np.array(values), [found[v] for v in values], period)


def _levels(features: Iterable[Feature], axis: Floats) -> Places:
    places: Places = {FACES: {}, MIDDLES: {}}
    for feature in features:
        slope = 1.0 if feature.is_point else abs(float(feature.direction @ axis))
        if feature.kind == PLANE and slope > 1.0 - SQUARE:
            sort = FACES
        elif feature.kind in (CENTRE, CIRCLE, FRAME) or (feature.kind in ROUND and slope < SQUARE):
            sort = MIDDLES
        else:
            continue
        places[sort].setdefault(_rounded(float(feature.point @ axis)), told(feature))
    return places


def _angles(features: Iterable[Feature], axis: Floats) -> Places:
    u = np.roll(axis, 1)  # of a world axis, so that u, w, axis are right-handed
    w = np.cross(axis, u)
    places: Places = {FACES: {}}
    for feature in features:
        if feature.kind in (PLANE, *ROUND) and abs(float(feature.direction @ axis)) < SQUARE:
            angle = float(np.arctan2(feature.direction @ w, feature.direction @ u)) % np.pi
            places[FACES].setdefault(_rounded(angle), told(feature))
    return places


def _rounded(value: float) -> float:
    return round(value / ALIKE) * ALIKE
