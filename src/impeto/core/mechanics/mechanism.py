"""A mechanism: numbers only, frozen, in SI units, with names kept for messages and channels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.model.formula import Node

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class BodyData:
    """center [m] and inertia [kg m²] (about the centre) in the body's axes; position and rotation
    of those axes, velocity of the centre [m/s] and spin [rad/s] in the world."""

    name: str
    mass: float
    center: Floats
    inertia: Floats
    position: Floats
    rotation: Floats
    velocity: Floats
    spin: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameData:
    """body: row number; position [m] from the body's origin and rotation, in the body's axes."""

    name: str
    body: int
    position: Floats
    rotation: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class BehaviourData:
    """freedom: 0–5; stiffness, free position and damping along that coordinate."""

    freedom: int
    stiffness: float
    free_position: float
    damping: float


@dataclass(frozen=True, slots=True, kw_only=True)
class JointData:
    """free: six truth values, slides x y z then turns x y z, of frame B in frame A."""

    name: str
    frame_a: int
    frame_b: int
    free: tuple[bool, ...]
    behaviours: tuple[BehaviourData, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkData:
    """Straight spring (damping = 0) or damper (stiffness = 0) between two frames."""

    name: str
    frame_a: int
    frame_b: int
    stiffness: float
    free_length: float
    preload: float
    damping: float
    is_spring: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadData:
    """direction: unit vector in world axes, or in the axes of the frame's body when follows."""

    name: str
    frame: int
    is_torque: bool
    follows: bool
    direction: Floats
    value: Node


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveData:
    name: str
    joint: int
    freedom: int
    prescribes: str
    value: Node


@dataclass(frozen=True, slots=True, kw_only=True)
class Mechanism:
    """bodies[0] is the ground. gravity (3,) [m/s²] in the world."""

    bodies: tuple[BodyData, ...]
    frames: tuple[FrameData, ...]
    joints: tuple[JointData, ...]
    links: tuple[LinkData, ...]
    loads: tuple[LoadData, ...]
    drives: tuple[DriveData, ...]
    gravity: Floats

    @property
    def size(self) -> float:
        """A length [m] typical of the mechanism: scales turns against slides.

        Mean distance of the joints from the centres of mass, at least the mean radius of gyration.
        """
        arms = [
            np.linalg.norm(frame.position - self.bodies[frame.body].center)
            for frame in self.frames
            if frame.body
        ]
        gyration = [np.sqrt(np.trace(b.inertia) / (2.0 * b.mass)) for b in self.bodies[1:]]
        means = [float(np.mean(lengths)) for lengths in (arms, gyration) if lengths]
        return max([*means, 1e-6])
