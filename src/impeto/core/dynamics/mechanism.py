"""A mechanism: numbers only, frozen, in SI units, with names kept for messages and channels."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from impeto.core.model.interpolation import Interpolation

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
D = TypeVar("D")


@dataclass(frozen=True, slots=True, kw_only=True)
class BodyData:
    """center [m] and inertia [kg m²] (about the centre) in the body's axes; position and rotation
    of those axes, velocity of the centre [m/s] and spin [rad/s] in the world. kept: others move
    first when joints are brought together."""

    name: str
    mass: float
    center: Floats
    inertia: Floats
    position: Floats
    rotation: Floats
    velocity: Floats
    spin: Floats
    kept: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameData:
    """body: row number; position [m] from the body's origin and rotation, in the body's axes."""

    name: str
    body: int
    position: Floats
    rotation: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class SpringData:
    """On a coordinate; the curves give resistance over displacement and over speed."""

    freedom: int
    stiffness: float
    free_position: float
    preload: float
    damping: float
    position_curve: Interpolation | None
    speed_curve: Interpolation | None


@dataclass(frozen=True, slots=True, kw_only=True)
class StopData:
    """One end of the travel of a coordinate. side: +1 upper, −1 lower."""

    freedom: int
    side: int
    limit: float
    stiffness: float
    restitution: float


@dataclass(frozen=True, slots=True, kw_only=True)
class FrictionData:
    """Coefficients times lever [m; 1 for slides], and parts that need no load."""

    freedom: int
    static: float
    kinetic: float
    constant: float


@dataclass(frozen=True, slots=True, kw_only=True)
class StartData:
    """Start position and speed of a coordinate, None where free."""

    joint: int
    freedom: int
    position: float | None
    speed: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class JointData:
    """free: six truth values, slides x y z then turns x y z, of frame B in frame A.

    own: numbers of a special joint, as it makes them
    """

    name: str
    frame_a: int
    frame_b: int
    free: tuple[bool, ...]
    special: str = "none"
    own: Any = None
    springs: tuple[SpringData, ...] = ()
    stops: tuple[StopData, ...] = ()
    frictions: tuple[FrictionData, ...] = ()
    lockable: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Mechanism:
    """bodies[0] is the ground. gravity (3,) [m/s²] in the world.

    numbers : of all other elements, by their kind of numbers (LinkData, ShapeData …)
    off : names of elements that take part in the layout but start switched off
    masters : of copies, the body that each is a copy of
    """

    bodies: tuple[BodyData, ...]
    frames: tuple[FrameData, ...]
    joints: tuple[JointData, ...]
    starts: tuple[StartData, ...] = ()
    numbers: Mapping[type, tuple[Any, ...]] = field(default_factory=dict)
    gravity: Floats
    off: frozenset[str] = frozenset()
    masters: Mapping[str, str] = field(default_factory=dict)

    def of(self, kind: type[D]) -> tuple[D, ...]:
        """Numbers of all elements of a kind, in their order."""
        return self.numbers.get(kind, ())

    def having(self, kind: type[D], numbers: Iterable[D]) -> Mechanism:
        """The mechanism with other elements of a kind."""
        return replace(self, numbers={**self.numbers, kind: tuple(numbers)})

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
