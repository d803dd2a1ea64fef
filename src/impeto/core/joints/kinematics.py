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
    TRAVEL,
    TURN_A,
    TURN_B,
    UNUSED,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import cross, dot, turn
from impeto.core.geometry.arrays import Floats, Ints, Matrix3, Rows, Vector3
from impeto.core.joints.columns import (
    ACROSS,
    ALONG_PATH,
    BEND_ALONG,
    BENDS,
    PATH_PACE,
    PATH_RATE,
    PATH_ROW,
    SIDEWAYS,
    TANGENT,
    UP,
    WITHIN,
    Path,
)

# Rows of S.work: of an axis beside a path and its derivatives, of a point, of the path and its
# derivatives.
SIDE_2, SIDE_1, SIDE, POINT, CURVE, CURVE_1, CURVE_2 = 6, 7, 8, 10, 11, 12, 13


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
    set_paths(T, S)
    for index in range(T.coordinate.shape[0]):
        if every == 0 and T.coordinate[index, Coordinate.NEED] == UNUSED:
            continue
        kind = T.coordinate[index, Coordinate.KIND]
        if kind == MESH or kind == RACK:
            continue  # they follow from those of their gears
        joint = T.coordinate[index, Coordinate.JOINT]
        if kind == TRAVEL:
            track = S.track[T.joint_path[joint]]
            S.coordinate[index], S.rate[index] = track[ALONG_PATH], track[PATH_RATE]
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


@inlined
def set_paths(T: Tables, S: Workspace) -> None:
    """Where each path is followed: S.track holds the parameter s, its rate, |c'|, then in the world
    tangent, sideways, up (9), the two residuals across, and the products of sideways, up and
    tangent with c''."""
    q, c, c1, c2 = S.work[POINT], S.work[CURVE], S.work[CURVE_1], S.work[CURVE_2]
    for p in range(T.path.shape[0]):
        joint, first, last = T.path[p, Path.JOINT], T.path[p, Path.FIRST], T.path[p, Path.LAST]
        track, A = S.track[p], S.axes[joint, 0]
        begin, end = T.path_piece[first, 0], T.path_piece[last - 1, 0]
        for k in range(3):
            q[k] = dot(A[:, k], S.gap[joint])
        s = S.along[p]
        for _ in range(30):  # Newton's method for (q − c)·c' = 0
            at = wrapped_onto(s, begin, end, T.path[p, Path.CLOSED])
            row = piece_at(T.path_piece, first, last, at)
            for k in range(3):
                path_value(T.path_piece[row], at, k, c, c1, c2, k)
            f, slope = 0.0, 0.0
            for k in range(3):
                f += (q[k] - c[k]) * c1[k]
                slope += (q[k] - c[k]) * c2[k] - c1[k] * c1[k]
            step = -f / slope
            s += step
            if abs(step) < 1e-15 * (end - begin):
                break
        pace = np.sqrt(dot(c1, c1))
        a = T.joint_body[joint, 0]
        turned = cross(S.spin[a], S.gap[joint])
        # Axes: the tangent itself, sideways and up made square to it.
        across, product = S.work[SIDE], 0.0
        for k in range(3):
            path_value(T.path_piece[row], at, 6 + k, across, S.work[SIDE_1], S.work[SIDE_2], k)
            product += across[k] * c1[k] / pace
        size = 0.0
        for k in range(3):
            across[k] -= product * c1[k] / pace
            size += across[k] * across[k]
        size = np.sqrt(size)
        t = (c1[0] / pace, c1[1] / pace, c1[2] / pace)
        n = (across[0] / size, across[1] / size, across[2] / size)
        u = cross(t, n)
        track[ALONG_PATH], track[PATH_PACE] = s, pace
        track[TANGENT:WITHIN] = 0.0
        for k in range(3):
            track[ACROSS] += n[k] * (q[k] - c[k])
            track[ACROSS + 1] += u[k] * (q[k] - c[k])
            track[BENDS] += n[k] * c2[k]
            track[BENDS + 1] += u[k] * c2[k]
            track[BEND_ALONG] += t[k] * c2[k]
            for i in range(3):
                track[TANGENT + i] += A[i, k] * t[k]
                track[SIDEWAYS + i] += A[i, k] * n[k]
                track[UP + i] += A[i, k] * u[k]
        track[PATH_RATE] = 0.0
        for k in range(3):
            track[PATH_RATE] += track[TANGENT + k] * (S.gap_rate[joint, k] - turned[k]) / pace
        track[WITHIN], track[PATH_ROW] = at, row


@kernel
def wrapped_onto(s: float, begin: float, end: float, closed: int) -> float:
    """A parameter within a closed path; as it is on an open one."""
    return begin + (s - begin) % (end - begin) if closed != 0 else s


@kernel
def piece_at(piece: Rows, first: int, last: int, s: float) -> int:
    """Row of the piece that holds s; the end pieces go on outside."""
    low, high = first, last - 2
    while low < high:
        middle = (low + high + 1) // 2
        if piece[middle, 0] <= s:
            low = middle
        else:
            high = middle - 1
    return low


@kernel
def path_value(
    piece: Floats, s: float, component: int, value: Floats, first: Floats, second: Floats,
    k: int,
) -> None:  # fmt: skip
    """Value and derivatives of one component of a piece (0–2 curve, 3–11 axes) into [k]."""
    d = s - piece[0]
    at = 1 + 4 * component
    c0, c1, c2, c3 = piece[at], piece[at + 1], piece[at + 2], piece[at + 3]
    value[k] = c0 + d * (c1 + d * (c2 + d * c3))
    first[k] = c1 + d * (2.0 * c2 + 3.0 * d * c3)
    second[k] = 2.0 * c2 + 6.0 * d * c3


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
def cardan_axis(A: Matrix3, B: Matrix3, kind: int) -> tuple[float, float, float]:
    """World vector d with angle rate = d · (ω_B − ω_A): the dual of the three turning axes."""
    x, n, z = cardan_axes(A, B)
    volume = dot(x, cross(n, z))
    if kind == CARDAN_1:
        c = cross(n, z)
    elif kind == CARDAN_2:
        c = cross(z, x)
    else:
        c = cross(x, n)
    return c[0] / volume, c[1] / volume, c[2] / volume


@kernel
def cardan_axes(A: Matrix3, B: Matrix3) -> tuple[Vector3, Vector3, Vector3]:
    """The axes that the three angles turn about: x of A, the line of nodes, z of B."""
    x = (A[0, 0], A[1, 0], A[2, 0])
    z = (B[0, 2], B[1, 2], B[2, 2])
    c = cross(z, x)
    size = np.sqrt(dot(c, c))
    return x, (c[0] / size, c[1] / size, c[2] / size), z


@kernel
def wrapped(angle: float) -> float:
    """The same angle between −π and π."""
    return angle - 2.0 * np.pi * np.round(angle / (2.0 * np.pi))
