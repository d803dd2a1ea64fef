"""What the painters of the Stage draw on: where things are in the world and on the picture."""

from __future__ import annotations

from typing import Protocol

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF

from impeto.app.document import Document
from impeto.app.stage.places import Places
from impeto.app.stage.scene import Scene
from impeto.app.theme import Theme

Floats = npt.NDArray[np.float64]


class Canvas(Protocol):
    """The Stage as its painters know it."""

    document: Document
    look: Theme
    scene: Scene
    places: Places
    flow_badges: dict[str, QPointF]  # as they were drawn last
    tells: bool  # legends: the first of several views

    @property
    def reach(self) -> float:
        """Largest side [m] of the box around everything."""
        ...

    def frame_place(self, name: str) -> tuple[Floats, Floats] | None:
        """Origin and axes of a frame in the world, or None when it is off."""
        ...

    def written_place(self, name: str) -> tuple[Floats, Floats]:
        """Origin and axes of a body as drawn."""
        ...

    def body_place(self, name: str) -> tuple[Floats, Floats]:
        """Origin and axes of a body in the world."""
        ...

    def mass_centre(self, name: str) -> Floats:
        """(3,) centre of mass of a body, world; its origin where that is not known."""
        ...

    def shows(self, name: str) -> bool:
        """Whether an element is not hidden, nor the bodies that it is on."""
        ...

    def body_middle(self, name: str) -> Floats:
        """A point (3,) to stand for a body."""
        ...

    def to_screen(self, points: Floats) -> Floats:
        """(N, 2) pixels of (N, 3) world points."""
        ...

    def badge_at(self, here: QPoint) -> str:
        """The joint whose badge is at a pixel, or ''."""
        ...

    def looks(self) -> Floats:
        """(3,) unit vector from the viewer into the picture, world."""
        ...

    def ray(self, here: QPoint) -> tuple[Floats, Floats]:
        """(3,) a point and (3,) the unit direction of the line of sight through a pixel, world."""
        ...

    @property
    def grid_step(self) -> float:
        """Between lines of the ground's grid [m]."""
        ...

    def refresh(self, moving: bool = False) -> None:
        """Draw again."""
        ...


def ends_of(stage: Canvas, first: str, second: str) -> tuple[QPointF, QPointF] | None:
    """Pixels of two frames, None where one is not drawn."""
    a, b = stage.frame_place(first), stage.frame_place(second)
    if a is None or b is None:
        return None
    p, q = stage.to_screen(np.vstack([a[0], b[0]]))
    return QPointF(*p), QPointF(*q)
