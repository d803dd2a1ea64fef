"""The plane that one draws in on the Stage: where the pointer meets it, and its grid."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint

from impeto.app.stage.canvas import Canvas
from impeto.core.bodies.solid_features import GRID, Feature
from impeto.core.model.element import GROUND

Floats = npt.NDArray[np.float64]
FLAT = 0.05  # sine of the angle at which a plane is seen too much from the side
FINE = 10  # steps of a point to a square of the grid
SNAP = 9  # px


class DrawingPlane:
    """A plane square to one of the world's axes, through a point.

    axis : 0, 1, 2 for x, y, z, or None for the one that is seen best, upright ones first
    """

    def __init__(self, stage: Canvas) -> None:
        self.stage = stage
        self.axis: int | None = None
        self.through: Floats = np.zeros(3)

    @property
    def normal(self) -> Floats:
        """(3,) the world's axis that it is square to."""
        if self.axis is not None:
            return np.asarray(np.eye(3)[self.axis])
        way = np.abs(self.stage.looks())
        return np.asarray(np.eye(3)[int(np.argmax(way * (1.0, 1.0, 0.6)))])

    def at(self, here: QPoint) -> Floats | None:
        """(3,) where a pixel meets the plane, on a step of its grid; None seen from the side."""
        start, way = self.stage.ray(here)
        normal = self.normal
        slope = float(way @ normal)
        if abs(slope) < FLAT:
            return None
        met = start + float((self.through - start) @ normal) / slope * way
        step = self.stage.grid_step / FINE
        flat = np.round(met / step) * step
        return np.asarray(np.where(normal > 0.5, met, flat))

    def grid_point(self, here: QPoint) -> Feature | None:
        """Where lines of the grid cross near a pixel, as a feature of the ground."""
        met = self.at(here)
        if met is None:
            return None
        normal, step = self.normal, self.stage.grid_step
        crossing = np.where(normal > 0.5, met, np.round(met / step) * step)
        x, y = self.stage.to_screen(crossing[None])[0]
        if np.hypot(x - here.x(), y - here.y()) > SNAP:
            return None
        across = np.eye(3)[0] if normal[0] < 0.5 else np.eye(3)[1]
        return Feature(GRID, crossing, normal, across, body=GROUND)
