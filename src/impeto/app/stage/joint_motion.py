"""A short motion of a body along what a joint lets go, to show it."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QElapsedTimer, QObject, QTimer

from impeto.app.stage.view import StageView
from impeto.core.elements import Joint
from impeto.core.geometry.rotation import from_rotation_vector
from impeto.core.model.element import GROUND
from impeto.core.model.freedoms import FREEDOMS

Floats = npt.NDArray[np.float64]
EACH = 500  # ms for a freedom, there and back
TURN = 0.3  # rad
SLIDE = 0.05  # of the reach of everything


class JointMotion(QObject):
    """Moves the body of frame B, or that of frame A where B is the ground's."""

    def __init__(self, stage: StageView) -> None:
        super().__init__(stage)
        self.stage = stage
        self.joint: Joint | None = None
        self.clock = QElapsedTimer()
        self.timer = QTimer(self)
        self.timer.setInterval(16)
        self.timer.timeout.connect(self._go_on)

    def show(self, joint: Joint) -> None:
        """Begin; a new one ends the one before."""
        self.joint = joint
        self.clock.start()
        self.timer.start()

    def stop(self) -> None:
        if self.timer.isActive():
            self.timer.stop()
            self.stage.show_present()

    def _go_on(self) -> None:
        joint, elapsed = self.joint, self.clock.elapsed()
        model = self.stage.document.model
        if joint is None or elapsed >= EACH * len(joint.free) or joint.name not in model.elements:
            self.stop()
            return
        freedom = joint.free[elapsed // EACH]
        share = np.sin(2.0 * np.pi * (elapsed % EACH) / EACH)
        frame = self.stage.frame_place(joint.frame_a)
        names = [model[f].body for f in (joint.frame_b, joint.frame_a)]
        moved, sign = (names[0], 1.0) if names[0] != GROUND else (names[1], -1.0)
        if frame is None or moved == GROUND:
            self.stop()
            return
        self.stage.place_bodies({moved: self._moved(moved, frame, freedom, sign * float(share))})

    def _moved(
        self, body: str, frame: tuple[Floats, Floats], freedom: str, share: float
    ) -> tuple[Floats, Floats]:
        origin, rotation = self.stage.written_place(body)
        at, axes = frame
        index = FREEDOMS.index(freedom)
        axis = axes[:, index % 3]
        if index < 3:
            return origin + share * SLIDE * self.stage.reach * axis, rotation
        turn = from_rotation_vector(share * TURN * axis)
        return at + turn @ (origin - at), turn @ rotation
