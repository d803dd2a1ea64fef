"""Poses in the window: kept from an instant of a run or from the drawing, and drawn again."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from impeto.app.document import Document
from impeto.core.errors import ModelError
from impeto.core.model.names import free_name
from impeto.core.results.poses import pose_at


class Poses(QObject):
    """Each is one step of undo."""

    told = pyqtSignal(str)

    def __init__(self, document: Document, window: QWidget) -> None:
        super().__init__(window)
        self.document = document

    def keep_instant(self) -> None:
        """The shown instant as a pose of the model, to start from."""
        run = self.document.run
        assert run is not None
        name = free_name(self.document.model, "pose")
        pose = pose_at(run.recording, self.document.instant, name)
        self.document.edit(f"new pose {name}", self.document.model.with_element(pose))
        self.document.select(name)
        self.told.emit(
            f"Kept as {name}. Choose it as the start pose in the run settings or a case."
        )

    def keep_drawing(self) -> None:
        """The bodies as they are drawn, as a pose of the model."""
        from impeto.core.posing import as_drawn

        model = self.document.model
        name = free_name(model, "pose")
        pose = as_drawn(model, name, self.document.case)
        self.document.make(f"new pose {name}", model.with_element(pose), name)

    def draw(self) -> None:
        """The bodies where the selected pose has them."""
        from impeto.core.posing import drawn_as

        name = self.document.selected
        try:
            model = drawn_as(self.document.model, name, self.document.case)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        self.document.edit(f"drawing of {name}", model)
        self.told.emit(f"Drawn as {name}.")
