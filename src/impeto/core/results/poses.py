"""Where everything is at any instant of a recording, for drawing."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.state import all_poses
from impeto.core.elements import BodyState, Pose
from impeto.core.geometry.rotation import from_quaternion, roll_pitch_yaw
from impeto.core.model.fields import Vector, as_quantity
from impeto.core.results.recording import Recording

Floats = npt.NDArray[np.float64]


def between(recording: Recording, time: float) -> tuple[int, float]:
    """Index of the stored instant before `time` and the share of the way to the next."""
    index = int(np.searchsorted(recording.time, time, side="right")) - 1
    index = min(max(index, 0), max(len(recording.time) - 2, 0))
    if len(recording.time) < 2:
        return 0, 0.0
    span = recording.time[index + 1] - recording.time[index]
    return index, float(np.clip((time - recording.time[index]) / span, 0.0, 1.0))


def value_at(recording: Recording, values: Floats, time: float) -> Floats:
    """Linear interpolation of stored values (N, …) at an instant."""
    index, share = between(recording, time)
    if len(values) < 2:
        return np.asarray(values[0])
    return np.asarray((1.0 - share) * values[index] + share * values[index + 1])


def poses(recording: Recording, time: float) -> tuple[Floats, Floats]:
    """Origins (n+1, 3) and rotations (n+1, 3, 3) of the bodies' axes in the world; row 0 ground."""
    n = recording.system.moving
    index, share = between(recording, time)
    pair = recording.state[index : index + 2, all_poses(n)].reshape(-1, n, 7)
    first, second = pair[0], pair[-1]
    mixed = (1.0 - share) * first + share * second  # quaternions of neighbours differ little
    rotations = np.tile(np.eye(3), (n + 1, 1, 1))
    origins = np.zeros((n + 1, 3))
    if n:
        rotations[1:] = from_quaternion(mixed[:, 3:])
        origins[1:] = mixed[:, :3]
    origins += np.einsum("bij,bj->bi", rotations, recording.system.tables.origin)
    return origins, rotations


def present_at(recording: Recording, time: float) -> dict[str, bool]:
    """Whether each moving body is there at an instant."""
    there = recording.present[between(recording, time)[0]]
    if time >= recording.time[-1]:
        there = recording.present[-1]
    return {name: bool(there[row]) for name, row in recording.bodies.items() if row}


def pose_at(recording: Recording, time: float, name: str) -> Pose:
    """A start pose with placements and velocities of all bodies at the stored instant nearest."""
    index = int(np.argmin(np.abs(recording.time - time)))
    origins, rotations = poses(recording, float(recording.time[index]))
    states = []
    m = recording.system.mechanism
    for row, body in enumerate(m.bodies):
        if row and body.name not in m.masters:  # copies come in by their feeders
            states.append(
                BodyState(
                    body=body.name,
                    position=_three(origins[row], "length"),
                    orientation=_three(roll_pitch_yaw(rotations[row]), "angle"),
                    velocity=_three(recording.velocities[index, row], "speed"),
                    angular_velocity=_three(recording.spins[index, row], "angular speed"),
                )
            )
    return Pose(name=name, bodies=tuple(states))


def _three(values: Floats, kind: str) -> Vector:
    x, y, z = (as_quantity(float(value), kind) for value in values)
    return x, y, z
