"""A camera that goes along with a body: it stands still in the picture, or turns with it too."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.app.stage.camera import stance, take_stance

Floats = npt.NDArray[np.float64]
Pose = tuple[Floats, Floats]


class Following:
    """Which body is followed, '' for none. turns : whether the camera turns with it"""

    def __init__(self, camera: Any) -> None:
        self.camera = camera
        self.body, self.turns = "", False
        self._last: Pose | None = None

    def choose(self, body: str, turns: bool = False, at: Pose | None = None) -> None:
        """From where it is now on, or as if the body had been at a pose when the camera was placed;
        '' to stand still in the world again."""
        self.body, self.turns, self._last = body, turns, at

    def step(self, placed: Mapping[str, Pose]) -> None:
        """Bodies have moved: origins (3,) and axes (3, 3), world."""
        now = placed.get(self.body)
        if now is None:
            self._last = None
            return
        if self._last is not None:
            take_stance(self.camera, carried(stance(self.camera), self._last, now, self.turns))
        self._last = now[0].copy(), now[1].copy()


def carried(numbers: Sequence[float], before: Pose, after: Pose, turns: bool) -> list[float]:
    """Nine numbers of a camera (see `stance`) that has gone along with a body."""
    turn = after[1] @ before[1].T if turns else np.eye(3)
    eye, looked_at, up = np.array(numbers).reshape(3, 3)
    seen = [after[0] + turn @ (point - before[0]) for point in (eye, looked_at)]
    return [*map(float, seen[0]), *map(float, seen[1]), *map(float, turn @ up)]
