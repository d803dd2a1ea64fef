"""The grid on the ground, which fades into the background with distance."""

from __future__ import annotations

from itertools import product

import numpy as np
import numpy.typing as npt
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

Floats = npt.NDArray[np.float64]
COUNT = 10  # lines to either side of the middle
PIECES = 20  # of each line


class GroundGrid:
    """actor : its lines;  step : between two of them [m]"""

    def __init__(self) -> None:
        self.actor = vtkActor()
        self.actor.GetProperty().LightingOff()
        self.actor.PickableOff()
        self.step = 0.1
        self._drawn: tuple[object, ...] = ()

    def draw(self, bounds: tuple[float, ...], fore: Floats, back: Floats) -> None:
        """Under everything, as wide as that asks for. fore, back : (3,) colours from 0 to 1"""
        size = max(bounds[1] - bounds[0], bounds[3] - bounds[2], 0.1)
        step = 10.0 ** np.floor(np.log10(size / 2.0))
        self.step = float(step if size / step < 8 else 2.5 * step)
        middle = [round((bounds[k] + bounds[k + 1]) / 2 / self.step) * self.step for k in (0, 2)]
        drawn = (self.step, *middle, min(bounds[4], 0.0), *fore, *back)
        if drawn == self._drawn:
            return
        self._drawn = drawn
        ticks = np.arange(-COUNT, COUNT + 1) * self.step
        along = np.linspace(-COUNT, COUNT, PIECES + 1) * self.step
        flat = np.array([end for t, k in product(ticks, range(PIECES))
                         for end in ((t, along[k]), (t, along[k + 1]))])  # fmt: skip
        flat = np.vstack([flat, flat[:, ::-1]])
        fade = np.minimum(np.hypot(*flat.T) / (COUNT * self.step), 1.0)[:, None]
        colours = np.round(255 * (fore * (1.0 - fade) + back * fade)).astype(np.uint8)
        heights = np.full((len(flat), 1), min(bounds[4], 0.0))
        points = vtkPoints()
        points.SetData(numpy_to_vtk(np.hstack([flat + middle, heights]), deep=True))
        data, lines = vtkPolyData(), vtkCellArray()
        data.SetPoints(points)
        for k in range(0, len(flat), 2):
            lines.InsertNextCell(2)
            lines.InsertCellPoint(k)
            lines.InsertCellPoint(k + 1)
        data.SetLines(lines)
        data.GetPointData().SetScalars(numpy_to_vtk(colours, deep=True))
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(data)
        self.actor.SetMapper(mapper)
