"""Sliders in a joint's Sheet: its free motions by hand, the mechanism follows."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QSlider, QWidget

from impeto.app.document import Document
from impeto.app.sheet.line import Line
from impeto.app.widgets import label
from impeto.core.elements import Joint
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

if TYPE_CHECKING:
    from impeto.core.posing import Posing

TICKS = 720  # from one end to the other


class PoseSliders(QWidget):
    """A slider and a value for each free motion, between its stops; one step of undo for a pull."""

    def __init__(self, document: Document, joint: Joint) -> None:
        super().__init__()
        self.document, self.joint = document, joint
        self._posing: Posing | None = None
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 6, 0, 0)
        grid.addWidget(label("Drawn at", "caption"), 0, 0, 1, 3)
        for row, freedom in enumerate(joint.coordinates, start=1):
            self._add(grid, row, freedom)

    def _begin(self) -> Posing:
        """The mechanism as drawn, made when a slider is first moved."""
        from impeto.core.posing import Posing

        if self._posing is None:
            self._posing = Posing(self.document.model, self.document.case)
        return self._posing

    def _add(self, grid: QGridLayout, row: int, freedom: str) -> None:
        from impeto.core.posing import drawn_value, range_of

        kind = "angle" if freedom.startswith("turn") else "length"
        model, case = self.document.model, self.document.case
        now = round(drawn_value(model, self.joint.name, freedom, case), 12)
        least, most = range_of(model, self.joint.name, freedom, case)
        around = max(1.0, 2.0 * abs(now))  # of slides without ends
        least, most = (max(least, now - around), min(most, now + around))
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setAccessibleName(f"Pose of {freedom}")
        slider.setRange(0, TICKS)
        slider.setValue(round((now - least) / max(most - least, 1e-12) * TICKS))
        line = Line(units.shown(now, kind))
        line.setAccessibleName(f"Drawn {freedom}")
        line.setFixedWidth(84)
        grid.addWidget(label(freedom, "soft"), row, 0)
        grid.addWidget(slider, row, 1)
        grid.addWidget(line, row, 2)

        def follow(tick: int) -> None:
            value = least + (most - least) * tick / TICKS
            if self._set(freedom, value):
                line.setText(units.shown(value, kind))

        def take() -> None:
            try:
                value = Scope(model, case).si(Quantity(line.text().strip()), kind)
            except ModelError as error:
                self.document.complained.emit(str(error))
                return
            if line.isModified() and np.isfinite(value) and self._set(freedom, value):
                self._keep()

        def stepped(_action: int) -> None:
            """By a key, the wheel or a click beside it."""
            if not slider.isSliderDown():
                follow(slider.sliderPosition())
                self._keep()

        slider.sliderMoved.connect(follow)
        slider.actionTriggered.connect(stepped)
        slider.sliderReleased.connect(self._keep)
        line.editingFinished.connect(take)
        line.escaped.connect(lambda: line.setText(units.shown(now, kind)))

    def _set(self, freedom: str, value: float) -> bool:
        """Move the mechanism on the Stage, not yet in the model."""
        try:
            posing = self._begin()
        except ModelError as error:
            self.document.complained.emit(str(error))
            return False
        if not posing.set(self.joint.name, freedom, value):
            kind = "angle" if freedom.startswith("turn") else "length"
            self.document.complained.emit(
                f"{freedom} of {self.joint.name} cannot come to {units.shown(value, kind)}: other "
                "joints hold it."
            )
            return False
        self.document.previewed.emit(posing.poses())
        return True

    def _keep(self) -> None:
        """Draw the bodies where they are now."""
        posing, self._posing = self._posing, None
        if posing is None:
            return
        model = posing.posed()
        if model == self.document.model:
            self.document.previewed.emit(None)
        self.document.edit(f"pose of {self.joint.name}", model)
