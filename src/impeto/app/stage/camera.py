"""Driving the camera: orbit, pan, zoom, the standard views and fit."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

# Direction from the scene to the camera, and what is up.
VIEWS: dict[str, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    "front": ((0.0, -1.0, 0.0), (0.0, 0.0, 1.0)),
    "back": ((0.0, 1.0, 0.0), (0.0, 0.0, 1.0)),
    "left": ((-1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "right": ((1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "top": ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0)),
    "bottom": ((0.0, 0.0, -1.0), (0.0, 1.0, 0.0)),
    "oblique": ((0.42, -0.86, 0.28), (0.0, 0.0, 1.0)),
}


def look_from(camera: Any, view: str, bounds: tuple[float, ...], aspect: float) -> None:
    """One of the standard views, with everything in sight."""
    direction, up = (np.array(v) for v in VIEWS[view])
    direction = direction / np.linalg.norm(direction)
    camera.SetViewUp(*up)
    fit(camera, bounds, aspect, direction)


def fit(
    camera: Any, bounds: tuple[float, ...], aspect: float, direction: Floats | None = None
) -> None:
    """Move the camera back or forth so that the bounds fill the picture."""
    low, high = np.array(bounds[0::2]), np.array(bounds[1::2])
    centre = (low + high) / 2
    if direction is None:
        direction = np.array(camera.GetPosition()) - np.array(camera.GetFocalPoint())
        direction = direction / np.linalg.norm(direction)
    up = np.array(camera.GetViewUp())
    right = np.cross(up, direction)
    right /= np.linalg.norm(right)
    up = np.cross(direction, right)
    corners = np.array([[x, y, z] for x in bounds[:2] for y in bounds[2:4] for z in bounds[4:6]])
    corners = corners - centre
    half = np.tan(np.radians(camera.GetViewAngle() / 2))
    tall = np.abs(corners @ up) / half
    wide = np.abs(corners @ right) / (half * aspect)
    distance = float((np.maximum(tall, wide) + corners @ direction).max()) * 1.12
    camera.SetFocalPoint(*centre)
    camera.SetPosition(*(centre + direction * max(distance, 1e-3)))


def stance(camera: Any) -> list[float]:
    """Nine numbers [m]: where the camera is, what it looks at, and its way up."""
    return [*camera.GetPosition(), *camera.GetFocalPoint(), *camera.GetViewUp()]


def take_stance(camera: Any, numbers: Sequence[float]) -> None:
    """As `stance` told."""
    camera.SetPosition(*numbers[:3])
    camera.SetFocalPoint(*numbers[3:6])
    camera.SetViewUp(*numbers[6:])


def orbit(camera: Any, dx: float, dy: float) -> None:
    """Turn around the focal point, z staying up [degrees]."""
    focal = np.array(camera.GetFocalPoint())
    arm = np.array(camera.GetPosition()) - focal
    distance = np.linalg.norm(arm)
    azimuth = np.arctan2(arm[1], arm[0]) - np.radians(dx)
    height = np.arcsin(np.clip(arm[2] / distance, -1, 1)) + np.radians(dy)
    height = np.clip(height, -1.55, 1.55)
    flat = distance * np.cos(height)
    arm = np.array([flat * np.cos(azimuth), flat * np.sin(azimuth), distance * np.sin(height)])
    camera.SetPosition(*(focal + arm))
    camera.SetViewUp(0.0, 0.0, 1.0)


def pan(camera: Any, dx: float, dy: float, height: int) -> None:
    """Shift by pixels of a picture of this height."""
    focal, position = np.array(camera.GetFocalPoint()), np.array(camera.GetPosition())
    forward = focal - position
    distance = np.linalg.norm(forward)
    right = np.cross(forward, np.array(camera.GetViewUp()))
    right /= np.linalg.norm(right)
    up = np.cross(right, forward / distance)
    pixel = 2 * distance * np.tan(np.radians(camera.GetViewAngle() / 2)) / height
    shift = (-dx * right + dy * up) * pixel
    camera.SetFocalPoint(*(focal + shift))
    camera.SetPosition(*(position + shift))


def zoom(camera: Any, factor: float) -> None:
    focal, position = np.array(camera.GetFocalPoint()), np.array(camera.GetPosition())
    camera.SetPosition(*(focal + (position - focal) / factor))
