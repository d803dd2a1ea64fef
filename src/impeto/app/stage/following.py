"""A camera that goes along with a body: it stands still in the picture, or turns with it too."""

from __future__ import annotations

from collections.abc import Mapping
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

    def choose(self, body: str, turns: bool = False) -> None:
        """From where it is now on; '' to stand still in the world again."""
        self.body, self.turns, self._last = body, turns, None

    def step(self, placed: Mapping[str, Pose]) -> None:
        """Bodies have moved: origins (3,) and axes (3, 3), world."""
        now = placed.get(self.body)
        if now is None:
            self._last = None
            return
        if self._last is not None:
            turn = now[1] @ self._last[1].T if self.turns else np.eye(3)
            numbers = np.array(stance(self.camera)).reshape(3, 3)
            seen = [now[0] + turn @ (point - self._last[0]) for point in numbers[:2]]
            take_stance(self.camera, [*seen[0], *seen[1], *(turn @ numbers[2])])
        self._last = now[0].copy(), now[1].copy()
