"""The plane that cuts a picture open."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from vtkmodules.vtkCommonDataModel import vtkPlane


def through_middle(bounds: Sequence[float], axis: int, seen: npt.NDArray[np.float64]) -> vtkPlane:
    """Square to an axis of the world, cutting off the viewer's side.

    bounds : (6,) of everything, world;  seen : (3,) direction of view
    """
    normal = np.zeros(3)
    normal[axis] = 1.0 if seen[axis] >= 0.0 else -1.0
    plane = vtkPlane()
    plane.SetOrigin(*((bounds[2 * k] + bounds[2 * k + 1]) / 2 for k in range(3)))
    plane.SetNormal(*normal)
    return plane


def shift(plane: vtkPlane, bounds: Sequence[float], share: float) -> None:
    """Along its normal by a share of the size of everything."""
    size = max(bounds[2 * k + 1] - bounds[2 * k] for k in range(3))
    plane.SetOrigin(*(np.array(plane.GetOrigin()) + share * size * np.array(plane.GetNormal())))
