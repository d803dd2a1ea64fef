"""Values between points: straight lines or a smooth curve, as cubic pieces."""

from __future__ import annotations

import numpy as np

from impeto.core.errors import FormulaError
from impeto.core.geometry.arrays import Floats

LINEAR, CUBIC, SHAPE_KEEPING = "linear", "cubic", "shape-keeping"


class Interpolation:
    """Cubic pieces over x: value = c0 + c1 s + c2 s² + c3 s³ with s from the start of the piece.

    x : (N,) increasing;  pieces : (N−1, 4)
    Outside, `held` keeps the end values; otherwise the end slopes go on.
    """

    def __init__(self, x: Floats, y: Floats, way: str = LINEAR, held: bool = False) -> None:
        if len(x) < 2 or (np.diff(x) <= 0.0).any():
            raise FormulaError(
                "the first values of a curve must increase from point to point",
                remedy="Sort the points and remove doubles",
            )
        if not (np.isfinite(x).all() and np.isfinite(y).all()):
            raise FormulaError("a value of the curve is not a number")
        self.x, self.held = x, held
        if way == LINEAR or len(x) == 2:
            slope = np.diff(y) / np.diff(x)
            zero = np.zeros_like(slope)
            self.pieces = np.stack([y[:-1], slope, zero, zero], axis=1)
        else:
            from scipy.interpolate import CubicSpline, PchipInterpolator

            spline = CubicSpline(x, y) if way == CUBIC else PchipInterpolator(x, y)
            self.pieces = np.ascontiguousarray(spline.c[::-1].T)
        self.end_slopes = (0.0, 0.0) if held else (self.pieces[0, 1], self._slope_at_end())
        self.end_value = float(y[-1])

    def _slope_at_end(self) -> float:
        s = self.x[-1] - self.x[-2]
        _, c1, c2, c3 = self.pieces[-1]
        return float(c1 + s * (2 * c2 + 3 * s * c3))

    def table(self) -> Floats:
        """(N+1, 5) rows x, c0 … c3 with a straight piece before and after: for the kernels."""
        first = [self.x[0], self.pieces[0, 0], self.end_slopes[0], 0.0, 0.0]
        last = [self.x[-1], self.end_value, self.end_slopes[1], 0.0, 0.0]
        inner = np.column_stack([self.x[:-1], self.pieces])
        return np.vstack([first, inner, last])

    def values(self, at: Floats, order: int = 0) -> Floats:
        """Value or derivative of that order."""
        table = self.table()
        index = np.searchsorted(self.x, at, side="right")
        s = at - table[index, 0]
        c0, c1, c2, c3 = np.moveaxis(table[index, 1:], -1, 0)
        if order == 0:
            return np.asarray(c0 + s * (c1 + s * (c2 + s * c3)))
        if order == 1:
            return np.asarray(c1 + s * (2 * c2 + 3 * s * c3))
        return np.asarray(2 * (c2 + 3 * s * c3))
