"""Forces between points, in numbers."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.dynamics.mechanism import Floats
from impeto.core.model.formula import Node
from impeto.core.model.interpolation import Interpolation


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkData:
    """Straight force element between two frames: positive pulls them together."""

    name: str
    kind: str
    frame_a: int
    frame_b: int
    stiffness: float = 0.0
    free_length: float = 0.0
    preload: float = 0.0
    damping: float = 0.0
    length_curve: Interpolation | None = None
    speed_curve: Interpolation | None = None
    pull: Node | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class BushingData:
    """Values (3,) along and about the axes of A: stiffness, damping, then the same for turns, then
    preload force and torque on B."""

    name: str
    frame_a: int
    frame_b: int
    stiffness: Floats
    damping: Floats
    turning_stiffness: Floats
    turning_damping: Floats
    preload: Floats
    turning_preload: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class DragData:
    """factor: force per square of speed [kg/m];  wind: (3,) m/s, world"""

    name: str
    frame: int
    factor: float
    wind: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadData:
    """direction: unit vector in the axes of a body (row `axes`, 0 for the world).

    counter: frame where the opposite acts, or −1
    """

    name: str
    frame: int
    is_torque: bool
    axes: int
    direction: Floats
    value: Node
    counter: int
