"""A mechanism: numbers only, frozen, in SI units, with names kept for messages and channels."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.solids import Solid
from impeto.core.mechanics.drives import BrakeData, DriveData
from impeto.core.model.formula import Node
from impeto.core.model.interpolation import Interpolation

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


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
class PathData:
    """Points (N, 3) [m] of a path in the axes of frame A."""

    points: Floats
    closed: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class JointData:
    """free: six truth values, slides x y z then turns x y z, of frame B in frame A.

    distance: of a joint that keeps its frames apart by so much [m]
    """

    name: str
    frame_a: int
    frame_b: int
    free: tuple[bool, ...]
    special: str = "none"
    distance: float = 0.0
    path: PathData | None = None
    springs: tuple[SpringData, ...] = ()
    stops: tuple[StopData, ...] = ()
    frictions: tuple[FrictionData, ...] = ()
    lockable: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ThreadData:
    """Friction of a thread on the turn of its worm or screw.

    lever : m, friction torque over axial force;  slope : how much friction adds to that force
    """

    lever: float
    slope: float


@dataclass(frozen=True, slots=True, kw_only=True)
class MeshData:
    """Teeth of gear A on gear B (bodies B of their joints).

    arm : m, from axis A to the pitch point, positive towards B;  along : share of the tooth
    direction along axis A (worm), beside the tangential one;  factor_a, factor_b : pitch travel
    per unit of the coordinates, so that factor_a·q_a − factor_b·q_b stays;
    backlash : None, or play [m] with stiffness [N/m] and restitution of the teeth
    """

    name: str
    kind: str
    joint_a: int
    freedom_a: int
    joint_b: int
    freedom_b: int
    arm: float
    tangential: float
    along: float
    factor_a: float
    factor_b: float
    pressure: float
    backlash: float | None
    stiffness: float
    restitution: float
    thread: ThreadData | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RelationData:
    """Σ factor · coordinate stays. terms: joint, freedom, factor; a thread turns with the last."""

    name: str
    kind: str
    terms: tuple[tuple[int, int, float], ...]
    thread: ThreadData | None = None


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


@dataclass(frozen=True, slots=True, kw_only=True)
class ShapeData:
    """A shape that may touch something; position [m] and rotation in the axes of its body.

    kind : contact.fields.BALL …;  size : half extents, radii, half lengths [m] by kind
    rounding : m, of its edges;  bound : m, radius of the ball around it
    thickness : m, how deep its middle lies;  profile : (P, 2) m, outline
    belt : row of a belt surface, −1 for none;  solid : field and samples of SOLID and DRAWN
    """

    body: int
    kind: int
    position: Floats
    rotation: Floats
    size: tuple[float, ...]
    rounding: float
    bound: float
    thickness: float
    profile: Floats | None = None
    belt: int = -1
    solid: Solid | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleData:
    """Values of contact: N/m at 1 mm depth, exponent, restitution, friction, rolling arm [m]."""

    name: str
    stiffness: float
    exponent: float
    restitution: float
    static: float
    kinetic: float
    rolling: float


@dataclass(frozen=True, slots=True, kw_only=True)
class BeltData:
    """direction : unit vector in body axes;  value : speed [m/s]"""

    name: str
    body: int
    direction: Floats
    value: Node


@dataclass(frozen=True, slots=True, kw_only=True)
class FeederData:
    """copies : rows of the bodies it brings in, in order;  first, interval : s, infinite where
    events ask for copies;  frame : that copies start at, or −1 where they are drawn
    velocity [m/s], spin [rad/s] : at the start, in the axes of the frame or of the world"""

    name: str
    copies: tuple[int, ...]
    first: float
    interval: float
    frame: int
    velocity: Floats
    spin: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class OutletData:
    """frame : of the middle of the region;  half : (3,) m, half sizes;  takes : rows of bodies
    window : s, over which the throughput is taken"""

    name: str
    frame: int
    half: Floats
    takes: tuple[int, ...]
    removes: bool
    window: float


@dataclass(frozen=True, slots=True, kw_only=True)
class EventData:
    """value crosses zero upwards (direction 1) or downwards (−1)."""

    name: str
    value: Node
    direction: int
    action: str
    target: str
    again: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Mechanism:
    """bodies[0] is the ground. gravity (3,) [m/s²] in the world.

    pairing : (H, H) row of the rule of each pair of shapes, −1 where they may not touch
    off : names of elements that take part in the layout but start switched off
    masters : of copies, the body that each is a copy of
    """

    bodies: tuple[BodyData, ...]
    frames: tuple[FrameData, ...]
    joints: tuple[JointData, ...]
    meshes: tuple[MeshData, ...] = ()
    relations: tuple[RelationData, ...] = ()
    links: tuple[LinkData, ...] = ()
    bushings: tuple[BushingData, ...] = ()
    drags: tuple[DragData, ...] = ()
    loads: tuple[LoadData, ...] = ()
    drives: tuple[DriveData, ...] = ()
    brakes: tuple[BrakeData, ...] = ()
    starts: tuple[StartData, ...] = ()
    events: tuple[EventData, ...] = ()
    shapes: tuple[ShapeData, ...] = ()
    rules: tuple[RuleData, ...] = ()
    belts: tuple[BeltData, ...] = ()
    feeders: tuple[FeederData, ...] = ()
    outlets: tuple[OutletData, ...] = ()
    pairing: Ints = field(default_factory=lambda: np.zeros((0, 0), dtype=np.int64))
    gravity: Floats
    off: frozenset[str] = frozenset()
    masters: Mapping[str, str] = field(default_factory=dict)

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
