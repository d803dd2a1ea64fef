"""Where bodies and frames are as drawn, and how that is written."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.model import Body, Frame, Piece
from impeto.core.geometry.rotation import from_roll_pitch_yaw, roll_pitch_yaw
from impeto.core.model import units
from impeto.core.model.fields import Vector
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]


def pose_of(scope: Scope, body: Body | Frame | Piece) -> tuple[Floats, Floats]:
    """Origin (3,) and axes (3, 3) of a body as drawn, world, or of a frame in the axes of its
    body."""
    rotation = from_roll_pitch_yaw(scope.vector(body, "orientation", "angle"))
    return scope.vector(body, "position", "length"), rotation


def written(values: Floats, kind: str) -> Vector:
    """(3,) values of a kind in SI as a person would write them: angles in degrees."""
    unit = "deg" if kind == "angle" else units.KINDS[kind].si
    behind = "" if unit == "1" else f" {unit}"
    numbers = np.degrees(values) if kind == "angle" else values
    x, y, z = (Quantity(f"{_plain(round(float(number), 12))}{behind}") for number in numbers)
    return x, y, z


def placement(origin: Floats, rotation: Floats) -> dict[str, Any]:
    """The fields of what stands at an origin (3,) [m] with axes (3, 3)."""
    return {
        "position": written(origin, "length"),
        "orientation": written(roll_pitch_yaw(rotation), "angle"),
    }


def _plain(number: float) -> str:
    """All digits, but no point behind a whole number."""
    return str(int(number)) if number == int(number) else repr(number)
