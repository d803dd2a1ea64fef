"""Positions, velocities and joint coordinates from the state vector."""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.columns import Coordinate
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.tables import (
    CARDAN_1,
    CARDAN_2,
    MESH,
    RACK,
    SLIDE,
    TURN_A,
    TURN_B,
    UNUSED,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import cross, dot, turn
from impeto.core.geometry.arrays import Floats, Ints, Vector3
from impeto.core.joints.kinds import OWN_COORDINATES, own_coordinate, update_specials
from impeto.core.joints.rows import cardan_axis


@inlined
def set_joints(T: Tables, S: Workspace, every: int) -> None:
    """Lever arms, axes and gaps of every joint, and coordinates with their rates, but for those of
    teeth."""
    for joint in range(T.joint_body.shape[0]):
        for side in range(2):
            body = T.joint_body[joint, side]
            turn(S.rotation[body], T.joint_point[joint, side], S.arm[joint, side])
            for i in range(3):
                for j in range(3):
                    total = 0.0
                    for k in range(3):
                        total += S.rotation[body, i, k] * T.joint_axes[joint, side, k, j]
                    S.axes[joint, side, i, j] = total
        a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
        swing_a = cross(S.spin[a], S.arm[joint, 0])
        swing_b = cross(S.spin[b], S.arm[joint, 1])
        for i in range(3):
            S.gap[joint, i] = S.x[b, i] + S.arm[joint, 1, i] - S.x[a, i] - S.arm[joint, 0, i]
            S.gap_rate[joint, i] = S.v[b, i] + swing_b[i] - S.v[a, i] - swing_a[i]
    update_specials(T, S)
    for index in range(T.coordinate.shape[0]):
        if every == 0 and T.coordinate[index, Coordinate.NEED] == UNUSED:
            continue
        kind = T.coordinate[index, Coordinate.KIND]
        if kind == MESH or kind == RACK:
            continue  # they follow from those of their gears
        joint = T.coordinate[index, Coordinate.JOINT]
        if kind in OWN_COORDINATES:
            S.coordinate[index], S.rate[index] = own_coordinate(T, S, kind, joint)
            continue
        a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
        S.coordinate[index], S.rate[index] = measure(
            T.coordinate[index],
            S.axes[joint],
            S.gap[joint],
            S.gap_rate[joint],
            S.spin[a],
            S.spin[b],
            S.turned[index],
        )


@kernel
def measure(
    coordinate: Ints, axes: Floats, gap: Vector3, gap_rate: Vector3, wa: Vector3, wb: Vector3,
    seen: float,
) -> tuple[float, float]:  # fmt: skip
    """Value [m or rad] and rate of a joint coordinate; seen is the angle of the last step.

    Slides are along axis i of A. A single free turn k goes from i of A to i of B. With two free
    turns i < j the order is i of A first, then j of B: atan2(±k_A·j_B, j_A·j_B) and
    atan2(±i_A·k_B, i_A·i_B), + where i, j, k is an even permutation. Three free turns are about x
    of A, then y, then z of B (Cardan angles).
    """
    kind, axis = coordinate[Coordinate.KIND], coordinate[Coordinate.AXIS]
    i, j, sign = coordinate[Coordinate.I], coordinate[Coordinate.J], coordinate[Coordinate.SIGN]
    A, B = axes[0], axes[1]
    if kind == SLIDE:
        e = A[:, axis]
        return dot(e, gap), dot(e, gap_rate) + dot(cross(wa, e), gap)
    if kind == TURN_A or kind == TURN_B:
        n = A[:, axis] if kind == TURN_A else B[:, axis]
        rate = dot(n, wb) - dot(n, wa)
        if kind == TURN_A:
            angle = np.arctan2(sign * dot(A[:, j], B[:, i]), dot(A[:, i], B[:, i]))
        else:
            angle = np.arctan2(sign * dot(A[:, i], B[:, j]), dot(A[:, i], B[:, i]))
        return seen + wrapped(angle - seen), rate
    if kind == CARDAN_1:
        angle = np.arctan2(-dot(A[:, 1], B[:, 2]), dot(A[:, 2], B[:, 2]))
    elif kind == CARDAN_2:
        angle = np.arcsin(min(max(dot(A[:, 0], B[:, 2]), -1.0), 1.0))
    else:
        angle = np.arctan2(-dot(A[:, 0], B[:, 1]), dot(A[:, 0], B[:, 0]))
    d = cardan_axis(A, B, kind)
    return seen + wrapped(angle - seen), dot(d, wb) - dot(d, wa)


@kernel
def wrapped(angle: float) -> float:
    """The same angle between −π and π."""
    return angle - 2.0 * np.pi * np.round(angle / (2.0 * np.pi))
