"""Where bodies and frames are: as drawn, and as shown at present."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from impeto.app.kept import Kept
from impeto.core.assembly.resolve import body_mass
from impeto.core.elements import Body, Frame
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.model.element import Element
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
Place = tuple[Floats, Floats]  # origin (3,) [m] and axes (3, 3)


class Places:
    """written : of bodies as drawn;  placed : of bodies as shown;  frames : the body of each frame
    that is on, and its place there"""

    def __init__(self) -> None:
        self.written: dict[str, Place] = {}
        self.placed: dict[str, Place] = {}
        self.frames: dict[str, tuple[str, Floats, Floats]] = {}
        self._centres: dict[str, Floats] = {}  # of mass, in the body's axes, for skeletons
        self._kept: Kept[Place] = Kept(_place)

    def read(self, model: Model, scope: Scope) -> None:
        """Take over where a model draws everything. Raises ModelError, keeping what was read."""
        self.written, self.frames, self._centres = {}, {}, {}
        self._kept.begin(scope)
        for body in model.of(Body):
            self.written[body.name] = self._kept.of(body)
        for frame in model.of(Frame):
            if scope.on(frame) and frame.body in self.written:
                self.frames[frame.name] = frame.body, *self._kept.of(frame)
        self.back()

    def back(self) -> None:
        """Everything to where it is drawn."""
        self.placed = dict(self.written)

    def frame(self, name: str) -> Place | None:
        """Origin and axes of a frame in the world, or None when it is off."""
        if name not in self.frames:
            return None
        body, position, rotation = self.frames[name]
        origin, turned = self.placed[body]
        return origin + turned @ position, turned @ rotation

    def frame_points(self, names: Sequence[str]) -> Floats:
        """(N, 3) origins of frames that are on, world."""
        held = [self.frames[name] for name in names]
        if not held:
            return np.zeros((0, 3))
        origins = np.array([self.placed[body][0] for body, _, _ in held])
        turned = np.array([self.placed[body][1] for body, _, _ in held])
        at = np.array([position for _, position, _ in held])
        return np.asarray(origins + np.einsum("nij,nj->ni", turned, at))

    def mass_centre(self, model: Model, case: str, name: str) -> Floats:
        """(3,) centre of mass of a body, world; its origin where that is not known."""
        origin, rotation = self.placed[name]
        if name not in self._centres:
            self._centres[name] = np.zeros(3)
            with contextlib.suppress(ModelError):  # the Health card tells
                self._centres[name] = body_mass(Scope(model, case), model[name]).center
        return np.asarray(origin + rotation @ self._centres[name])


def _place(element: Element, scope: Scope) -> Place:
    """Origin and axes of a body or frame in what carries it."""
    rotation = from_roll_pitch_yaw(scope.vector(element, "orientation", "angle"))
    return scope.vector(element, "position", "length"), rotation
