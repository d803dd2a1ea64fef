"""Paths: smooth curves through points, with a frame of axes along them, as cubic pieces.

The parameter is the length along the chords; the curve is C². The axes along the path (tangent,
sideways, up) are splines too, on a finer grid, so that a body that follows them has continuous
accelerations.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from impeto.core.errors import ModelError
from impeto.core.geometry.arrays import Floats
from impeto.core.model import fields
from impeto.core.model.element import ZERO, Element
from impeto.core.model.fields import Vector
from impeto.core.model.scope import Scope

__all__ = ["Path", "PathPoint"]

FINE = 64  # pieces of the axes for each piece of the curve
COLUMNS = 49  # start, then cubic coefficients of curve, tangent, sideways and up, x y z each


@dataclass(frozen=True, slots=True, kw_only=True)
class PathPoint:
    """One point of a path, in the axes of frame A of the joint that uses it."""

    title: ClassVar[str] = "point"
    position: Vector = fields.vector("length", ZERO)

    def __post_init__(self) -> None:
        fields.coerce_fields(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Path(Element):
    """A smooth curve through points that a point or a body can follow."""

    tag: ClassVar[str] = "path"
    group: ClassVar[str] = "joints"
    points: tuple[PathPoint, ...] = fields.parts(PathPoint)
    closed: bool = fields.switch(False)


@dataclass(frozen=True, slots=True, kw_only=True)
class PathData:
    """Points (N, 3) [m] of a path in the axes of frame A."""

    points: Floats
    closed: bool


def written_points(scope: Scope, path: Path) -> Floats:
    """(N, 3) points of a path [m]; ModelError where there are too few or two are one."""
    points = np.array([scope.vector(point, "position", "length") for point in path.points])
    if len(points) < 3:
        raise ModelError(
            "a path needs three points at least", element=path.name, remedy="Add points"
        )
    if (np.linalg.norm(np.diff(points, axis=0), axis=1) < 1e-9).any():
        raise ModelError(
            "two points of the path are the same", element=path.name, remedy="Remove one"
        )
    return points


def spline(points: Floats, closed: bool) -> Any:
    """Cubic spline (3 components) over the length along the chords; closed ones are periodic."""
    from scipy.interpolate import CubicSpline

    if closed:
        points = np.vstack([points, points[:1]])
    lengths = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    return CubicSpline(lengths, points, bc_type="periodic" if closed else "natural")


def path_points(scope: Scope, path: Path, count: int = 200) -> Floats:
    """(count, 3) points along the curve, for drawing."""
    curve = spline(written_points(scope, path), path.closed)
    return np.asarray(curve(np.linspace(curve.x[0], curve.x[-1], count)))


def axes_along(curve: Any, s: Floats) -> Floats:
    """(N, 3, 3) tangent, sideways (level where it can be) and up, as rows, at parameters s."""
    tangent = curve(s, 1)
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    sideways = np.cross([0.0, 0.0, 1.0], tangent)
    steep = np.linalg.norm(sideways, axis=1) < 1e-3
    sideways[steep] = np.cross([1.0, 0.0, 0.0], tangent[steep])
    sideways /= np.linalg.norm(sideways, axis=1, keepdims=True)
    return np.stack([tangent, sideways, np.cross(tangent, sideways)], axis=1)


def pieces(path: PathData) -> Floats:
    """(M, COLUMNS) cubic pieces of a path and of its axes, for the kernels; the last row holds only
    the end of the parameter."""
    from scipy.interpolate import CubicSpline

    curve = spline(path.points, path.closed)
    grid = np.unique(
        np.concatenate(
            [np.linspace(a, b, FINE + 1) for a, b in zip(curve.x[:-1], curve.x[1:], strict=True)]
        )
    )
    values = axes_along(curve, grid).reshape(-1, 9)
    if path.closed:
        values[-1] = values[0]
    fine = CubicSpline(grid, values, bc_type="periodic" if path.closed else "not-a-knot")
    rows = np.zeros((len(grid), COLUMNS))
    rows[:, 0] = grid
    start = grid[:-1]
    factors = (1.0, 1.0, 0.5, 1.0 / 6.0)
    for order, factor in enumerate(factors):
        middle = start + 1e-9 * np.diff(grid) if order == 3 else start
        rows[:-1, 1 + order : 13 : 4] = factor * curve(middle, order)
    rows[:-1, 13:].reshape(len(start), 9, 4)[:] = np.moveaxis(fine.c[::-1], 0, -1)
    return rows


def nearest(path: PathData, point: Floats) -> float:
    """Parameter of the point of a path nearest to a point in the axes of A, by sampling."""
    curve = spline(path.points, path.closed)
    s = np.linspace(curve.x[0], curve.x[-1], 40 * len(path.points))
    return float(s[np.argmin(((curve(s) - point) ** 2).sum(axis=1))])
