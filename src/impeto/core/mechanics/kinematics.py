"""Positions, velocities and joint coordinates from the state vector."""

from __future__ import annotations

import numpy as np

from impeto.core.mechanics.kernel import copy, inlined, kernel
from impeto.core.mechanics.tables import (
    CARDAN_1,
    CARDAN_2,
    MESH,
    MOTOR_STATES,
    RACK,
    SENSE_COORDINATE,
    SENSE_COUNT,
    SENSE_CURRENT,
    SENSE_LENGTH,
    SENSE_LINK_RATE,
    SENSE_NOW,
    SENSE_POSITION,
    SENSE_RATE,
    SENSE_SPIN,
    SENSE_VELOCITY,
    SLIDE,
    TALLY_COUNT,
    TALLY_NOW,
    TRAVEL,
    TURN_A,
    TURN_B,
    UNUSED,
    X_MOTORS,
)


@kernel
def cross(a, b):
    """a × b as a tuple."""
    return (
        a[1] * b[2] - a[2] * b[1],
        a[2] * b[0] - a[0] * b[2],
        a[0] * b[1] - a[1] * b[0],
    )


@kernel
def dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@kernel
def turn(matrix, a, out):
    """out = matrix · a"""
    for i in range(3):
        out[i] = matrix[i, 0] * a[0] + matrix[i, 1] * a[1] + matrix[i, 2] * a[2]


@kernel
def set_rotation(q, out):
    """Rotation matrix of a quaternion w x y z of any length, divided by its square."""
    w, x, y, z = q[0], q[1], q[2], q[3]
    s = 2.0 / (w * w + x * x + y * y + z * z)
    out[0, 0] = 1.0 - s * (y * y + z * z)
    out[0, 1] = s * (x * y - w * z)
    out[0, 2] = s * (x * z + w * y)
    out[1, 0] = s * (x * y + w * z)
    out[1, 1] = 1.0 - s * (x * x + z * z)
    out[1, 2] = s * (y * z - w * x)
    out[2, 0] = s * (x * z - w * y)
    out[2, 1] = s * (y * z + w * x)
    out[2, 2] = 1.0 - s * (x * x + y * y)


@inlined
def is_away(T, S, body):
    """Whether a body has not come yet or has been taken away."""
    return T.body_on[body] >= 0 and S.on[T.body_on[body]] == 0.0


@inlined
def set_bodies(T, S, y):
    """World position, rotation, velocity and spin of every moving body that is there."""
    n = T.mass.shape[0] - 1
    for body in range(1, n + 1):
        if is_away(T, S, body):
            continue
        p, u = 7 * (body - 1), 7 * n + 6 * (body - 1)
        copy(y[p : p + 3], S.x[body])
        set_rotation(y[p + 3 : p + 7], S.rotation[body])
        copy(y[u : u + 3], S.v[body])
        turn(S.rotation[body], y[u + 3 : u + 6], S.spin[body])


@inlined
def set_joints(T, S, every):
    """Lever arms, axes and gaps of every joint, and coordinates with their rates."""
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
        if every == 0 and T.coordinate[index, 6] == UNUSED:
            continue
        kind = T.coordinate[index, 1]
        if kind == MESH or kind == RACK:
            mesh = T.coordinate[index, 7]
            first, second = T.mesh[mesh, 0], T.mesh[mesh, 1]
            fa, fb = T.mesh_value[mesh, 3], T.mesh_value[mesh, 4]
            S.coordinate[index] = fa * S.coordinate[first] - fb * S.coordinate[second]
            S.rate[index] = fa * S.rate[first] - fb * S.rate[second]
            continue
        joint = T.coordinate[index, 0]
        if kind == TRAVEL:
            track = S.track[T.joint_path[joint]]
            S.coordinate[index], S.rate[index] = track[0], track[1]
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
def set_paths(T, S):
    """Where each path is followed: S.track holds the parameter s, its rate, |c'|, then in the world
    tangent, sideways, up (9), the two residuals across, and the products of sideways, up and
    tangent with c''."""
    q, c, c1, c2 = S.work[10], S.work[11], S.work[12], S.work[13]
    for p in range(T.path.shape[0]):
        joint, first, last = T.path[p, 0], T.path[p, 1], T.path[p, 2]
        track, A = S.track[p], S.axes[joint, 0]
        begin, end = T.path_piece[first, 0], T.path_piece[last - 1, 0]
        for k in range(3):
            q[k] = dot(A[:, k], S.gap[joint])
        s = S.along[p]
        for _ in range(30):  # Newton's method for (q − c)·c' = 0
            at = wrapped_onto(s, begin, end, T.path[p, 3])
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
        across, product = S.work[8], 0.0
        for k in range(3):
            path_value(T.path_piece[row], at, 6 + k, across, S.work[7], S.work[6], k)
            product += across[k] * c1[k] / pace
        size = 0.0
        for k in range(3):
            across[k] -= product * c1[k] / pace
            size += across[k] * across[k]
        size = np.sqrt(size)
        t = (c1[0] / pace, c1[1] / pace, c1[2] / pace)
        n = (across[0] / size, across[1] / size, across[2] / size)
        u = cross(t, n)
        track[0], track[2] = s, pace
        track[12], track[13], track[14], track[15], track[16] = 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(3):
            track[12] += n[k] * (q[k] - c[k])
            track[13] += u[k] * (q[k] - c[k])
            track[14] += n[k] * c2[k]
            track[15] += u[k] * c2[k]
            track[16] += t[k] * c2[k]
            for i in range(3):
                if k == 0:
                    track[3 + i], track[6 + i], track[9 + i] = 0.0, 0.0, 0.0
                track[3 + i] += A[i, k] * t[k]
                track[6 + i] += A[i, k] * n[k]
                track[9 + i] += A[i, k] * u[k]
        track[1] = 0.0
        for k in range(3):
            track[1] += track[3 + k] * (S.gap_rate[joint, k] - turned[k]) / pace
        track[17], track[18] = at, row


@kernel
def wrapped_onto(s, begin, end, closed):
    """A parameter within a closed path; as it is on an open one."""
    return begin + (s - begin) % (end - begin) if closed != 0 else s


@kernel
def piece_at(piece, first, last, s):
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
def path_value(piece, s, component, value, first, second, k):
    """Value and derivatives of one component of a piece (0–2 curve, 3–11 axes) into [k]."""
    d = s - piece[0]
    at = 1 + 4 * component
    c0, c1, c2, c3 = piece[at], piece[at + 1], piece[at + 2], piece[at + 3]
    value[k] = c0 + d * (c1 + d * (c2 + d * c3))
    first[k] = c1 + d * (2.0 * c2 + 3.0 * d * c3)
    second[k] = 2.0 * c2 + 6.0 * d * c3


@kernel
def measure(coordinate, axes, gap, gap_rate, wa, wb, seen):
    """Value [m or rad] and rate of a joint coordinate; seen is the angle of the last step.

    Slides are along axis i of A. A single free turn k goes from i of A to i of B. With two free
    turns i < j the order is i of A first, then j of B: atan2(±k_A·j_B, j_A·j_B) and
    atan2(±i_A·k_B, i_A·i_B), + where i, j, k is an even permutation. Three free turns are about x
    of A, then y, then z of B (Cardan angles).
    """
    kind, axis = coordinate[1], coordinate[2]
    i, j, sign = coordinate[3], coordinate[4], coordinate[5]
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
def cardan_axis(A, B, kind):
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
def cardan_axes(A, B):
    """The axes that the three angles turn about: x of A, the line of nodes, z of B."""
    x = (A[0, 0], A[1, 0], A[2, 0])
    z = (B[0, 2], B[1, 2], B[2, 2])
    c = cross(z, x)
    size = np.sqrt(dot(c, c))
    return x, (c[0] / size, c[1] / size, c[2] / size), z


@kernel
def wrapped(angle):
    """The same angle between −π and π."""
    return angle - 2.0 * np.pi * np.round(angle / (2.0 * np.pi))


@inlined
def set_links(T, S):
    """Lever arms, line, length and its rate of every straight force element."""
    for index in range(T.link.shape[0]):
        a, b = T.link[index, 0], T.link[index, 1]
        line = S.line[index]
        turn(S.rotation[a], T.link_point[index, 0], line[0:3])
        turn(S.rotation[b], T.link_point[index, 1], line[3:6])
        va, vb = cross(S.spin[a], line[0:3]), cross(S.spin[b], line[3:6])
        square, product = 0.0, 0.0
        for k in range(3):
            d = S.x[b, k] + line[3 + k] - S.x[a, k] - line[k]
            line[6 + k] = d
            square += d * d
            product += d * (S.v[b, k] + vb[k] - S.v[a, k] - va[k])
        length = np.sqrt(square)
        S.length[index, 0] = length
        S.length[index, 1] = product / length


@inlined
def set_sensors(T, S, y):
    """Channels that formulas refer to, but for forces."""
    work = S.row12
    for index in range(T.sensor.shape[0]):
        kind, row, component = T.sensor[index, 0], T.sensor[index, 1], T.sensor[index, 2]
        if kind == SENSE_COORDINATE:
            S.sensed[index] = S.coordinate[row]
        elif kind == SENSE_RATE:
            S.sensed[index] = S.rate[row]
        elif kind == SENSE_SPIN:
            S.sensed[index] = S.spin[row, component]
        elif kind == SENSE_LENGTH:
            S.sensed[index] = S.length[row, 0]
        elif kind == SENSE_LINK_RATE:
            S.sensed[index] = S.length[row, 1]
        elif kind == SENSE_CURRENT:
            first = 13 * (T.mass.shape[0] - 1) + T.extra[X_MOTORS]
            S.sensed[index] = y[first + MOTOR_STATES * row]
        elif kind == SENSE_COUNT:
            S.sensed[index] = S.tally[row, TALLY_COUNT]
        elif kind == SENSE_NOW:
            S.sensed[index] = S.tally[row, TALLY_NOW]
        elif kind == SENSE_POSITION or kind == SENSE_VELOCITY:
            turn(S.rotation[row], T.sensor_point[index], work)
            if kind == SENSE_POSITION:
                S.sensed[index] = S.x[row, component] + work[component]
            else:
                S.sensed[index] = S.v[row, component] + cross(S.spin[row], work)[component]
