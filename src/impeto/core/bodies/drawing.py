"""What an imported drawing holds: parts with their names and places, and the solids they are of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.triangles import Triangles

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class DrawnPart:
    """name : in the file, of no other;  title, product : as written there
    solid : of those of the drawing;  colour : #rrggbb or ''
    origin, axes : (3,) m and (3, 3), a rotation, world
    """

    name: str
    title: str
    product: str
    solid: str
    colour: str
    origin: Floats
    axes: Floats


@dataclass(frozen=True, slots=True)
class Drawing:
    """parts in the order of the file;  solids [m] by name, each in its own axes;  source : the file
    that it was read from"""

    parts: tuple[DrawnPart, ...]
    solids: Mapping[str, Triangles]
    source: str = ""
