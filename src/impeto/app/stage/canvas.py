"""What the painters of the Stage draw on: where things are in the world and on the picture."""

from __future__ import annotations

from typing import Protocol

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF

from impeto.app.document import Document
from impeto.app.stage.scene import Scene
from impeto.app.theme import Theme

Floats = npt.NDArray[np.float64]


class Canvas(Protocol):
    """The Stage as its painters know it."""

    document: Document
    look: Theme
    scene: Scene
    flow_badges: dict[str, QPointF]  # as they were drawn last

    @property
    def reach(self) -> float:
        """Largest side [m] of the box around everything."""
        ...

    def frame_place(self, name: str) -> tuple[Floats, Floats] | None:
        """Origin and axes of a frame in the world, or None when it is off."""
        ...

    def body_place(self, name: str) -> tuple[Floats, Floats]:
        """Origin and axes of a body in the world."""
        ...

    def body_middle(self, name: str) -> Floats:
        """A point (3,) to stand for a body."""
        ...

    def to_screen(self, points: Floats) -> Floats:
        """(N, 2) pixels of (N, 3) world points."""
        ...

    def refresh(self, moving: bool = False) -> None:
        """Draw again."""
        ...
