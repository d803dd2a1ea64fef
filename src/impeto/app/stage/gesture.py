"""What can be made by pointing on the Stage: what each gesture asks for, and what it is given."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.solid_features import Feature

Floats = npt.NDArray[np.float64]
FEATURES, PLACES, JOINTS = "features", "places", "joints"


@dataclass(frozen=True, slots=True)
class Gesture:
    """makes : what comes of it, by which the window knows what to do
    asks : a sentence for each thing to point at;  takes : features of bodies, places (features or
    points of the drawing plane) or joints
    goes_on : until Enter or Escape, with the last sentence again;  apart : each of another body
    extra : what else can be typed, with what stands there first ('section', '20 mm'), or ''
    """

    makes: str
    asks: tuple[str, ...]
    takes: str = FEATURES
    goes_on: bool = False
    apart: bool = False
    extra: str = ""
    typed: str = ""

    def ask(self, number: int) -> str:
        """What to point at after so many picks."""
        return self.asks[min(number, len(self.asks) - 1)]

    def is_done(self, picks: int) -> bool:
        return not self.goes_on and picks >= len(self.asks)


@dataclass(frozen=True, slots=True)
class Pick:
    """point : (3,) m, world;  feature : what of a body lies there, None for a bare place
    out : (3,) the way out of the face that was hit, zeros where none was
    shifted : whether Shift was held;  joint : where joints are asked for
    name : that was typed for what is made, or ''
    """

    point: Floats
    feature: Feature | None = None
    out: Floats | None = None
    shifted: bool = False
    joint: str = ""
    name: str = ""

    @property
    def body(self) -> str:
        return self.feature.body if self.feature is not None else ""
