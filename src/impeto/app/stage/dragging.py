"""Bodies dragged on the Stage: what is held by joints follows along its free motions."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint

from impeto.app.document import Document
from impeto.app.stage.canvas import Canvas
from impeto.core.elements import Body
from impeto.core.errors import ModelError
from impeto.core.model.element import GROUND
from impeto.core.placing import is_held

if TYPE_CHECKING:
    from impeto.core.posing import Posing

Floats = npt.NDArray[np.float64]


class Dragging:
    """One body from the press of a button to its release; one step of undo."""

    def __init__(self, stage: Canvas, document: Document) -> None:
        self.stage, self.document = stage, document
        self.body = ""
        self.posing: Posing | None = None

    def begin(self, body: str, hit: Floats) -> bool:
        """Take hold of a body at a point (3,) of the world; False where it cannot be dragged."""
        from impeto.core.posing import Posing

        if not isinstance(self.document.model.elements.get(body), Body) or body == GROUND:
            return False
        try:
            self.posing = Posing(self.document.model, self.document.case)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return False
        origin, rotation = self.posing.pose(body)
        self.body, self.hit, self.normal = body, hit, self.stage.looks()
        self.point, self.from_here = rotation.T @ (hit - origin), (origin, rotation)
        self.held = is_held(self.document.model, body)
        return True

    def to(self, here: QPoint) -> None:
        """Follow the pointer in the plane of the picture."""
        assert self.posing is not None
        start, way = self.stage.ray(here)
        target = start + float((self.hit - start) @ self.normal) / float(way @ self.normal) * way
        self.to_point(target)

    def to_point(self, target: Floats) -> None:
        """Bring the point that is held to one of the world, as far as the joints let it."""
        assert self.posing is not None
        origin, rotation = self.from_here
        if self.held:
            self.posing.pull(self.body, self.point, target)
        else:
            self.posing.put(self.body, origin + target - self.hit, rotation)
        self.document.previewed.emit(self.posing.poses())

    def end(self) -> None:
        """Draw the bodies where they are now."""
        posing, self.posing = self.posing, None
        if posing is not None:
            model = posing.posed()
            if model == self.document.model:
                self.document.previewed.emit(None)
            self.document.edit(f"drag of {self.body}", model)
