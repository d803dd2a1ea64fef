"""Joints that lead a point or a body along a path.

Rows: the distance across the path, sideways and up; for a body also u(s)·w, products of an axis of
the path with one of B. The coordinate is the parameter of the path, near its length.
"""

from __future__ import annotations

from enum import IntEnum
from typing import Any

import numpy as np

from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.layout import Layout
from impeto.core.dynamics.mechanism import JointData, Mechanism
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import ACROSS_PATH, TRAVEL, WITH_PATH, Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.errors import ModelError
from impeto.core.geometry.arrays import Floats, Rows, Vector3
from impeto.core.joints.locking import add_turns
from impeto.core.joints.paths import (
    COLUMNS,
    PathData,
    axes_along,
    nearest,
    pieces,
    spline,
    written_points,
)
from impeto.core.joints.rows import dot_row, slide_row
from impeto.core.joints.special import Axes, Special, Wrench
from impeto.core.model.freedoms import FREEDOMS, TURNS
from impeto.core.model.scope import Scope

POINT, BODY = "point on path", "body on path"
ALONG = "slide x"  # the freedom that stands for the travel along a path


class Path(IntEnum):
    JOINT = 0
    FIRST = 1  # row of path_piece
    LAST = 2
    CLOSED = 3


# What is kept of a path that is followed: its parameter s, its rate, |c'|; in the world tangent,
# sideways and up; the residuals across; the products of sideways, up and tangent with c''; the
# parameter within a closed path, the row of its piece.
(
    ALONG_PATH, PATH_RATE, PATH_PACE, TANGENT, SIDEWAYS, UP, ACROSS, BENDS, BEND_ALONG, WITHIN,
    PATH_ROW, TRACK_WIDTH,
) = 0, 1, 2, 3, 6, 9, 12, 14, 16, 17, 18, 20  # fmt: skip

# Rows of S.work: of an axis beside a path and its derivatives, of a point, of the path and its
# derivatives; of an axis of the path and its derivatives, where a row is made.
SIDE_2, SIDE_1, SIDE, POINT_AT, CURVE, CURVE_1, CURVE_2 = 6, 7, 8, 10, 11, 12, 13
FOURTH = 3


def path_data(scope: Scope, joint: Any, _apart: Floats) -> PathData:
    """Its path; ModelError where it has none."""
    if joint.path is None:
        raise ModelError("it has no path", element=joint.name, field="path", remedy="Choose one")
    path: Any = scope.model[joint.path]
    return PathData(points=written_points(scope, path), closed=path.closed)


def add_path(layout: Layout, joint: int, data: JointData) -> None:
    """Two rows across the path; three more where the body's axes follow it."""
    element = layout.element(data.name)
    layout.add_coordinate(joint, 0, (TRAVEL, 0, 0, 0, 0))
    for which in (0, 1):
        name = RowName(data.name, FREEDOMS[1 + which], joint)
        layout.add_row(name, (joint, ACROSS_PATH, which, 0), 1.0, element=element)
    if data.free[FREEDOMS.index("turn x")]:
        add_turns(layout, joint, data)
        return
    for freedom, u, w in ((5, 0, 1), (4, 0, 2), (3, 1, 2)):
        name = RowName(data.name, FREEDOMS[freedom], joint)
        layout.add_row(name, (joint, WITH_PATH, u, w), layout.size, element=element)


def path_arrays(layout: Layout) -> dict[str, Any]:
    """Paths that are followed, their pieces, and which joint has which."""
    rows: list[tuple[int, ...]] = []
    tables = [np.zeros((0, COLUMNS))]
    joints = layout.mechanism.joints
    of_joint = np.full(len(joints) + len(layout.pairs), -1, dtype=np.int64)
    for joint, data in enumerate(joints):
        if isinstance(data.own, PathData):
            of_joint[joint] = len(rows)
            first = sum(map(len, tables))
            tables.append(pieces(data.own))
            rows.append((joint, first, first + len(tables[-1]), int(data.own.closed)))
    return {
        "path": np.array(rows, dtype=np.int64).reshape(-1, 4),
        "path_piece": np.concatenate(tables),
        "joint_path": of_joint,
    }


def path_scratch(T: Tables) -> dict[str, Floats]:
    """Where paths are followed, and what is kept of them there."""
    return {"along": np.zeros(len(T.path)), "track": np.zeros((len(T.path), TRACK_WIDTH))}


def along_paths(m: Mechanism) -> list[float]:
    """Parameter of every path that is followed, where its point is drawn."""
    found = []
    for joint in m.joints:
        if isinstance(joint.own, PathData):
            a, b = m.frames[joint.frame_a], m.frames[joint.frame_b]
            first, second = m.bodies[a.body], m.bodies[b.body]
            gap = second.position + second.rotation @ b.position
            gap = gap - first.position - first.rotation @ a.position
            found.append(nearest(joint.own, (first.rotation @ a.rotation).T @ gap))
    return found


@inlined
def set_paths(T: Tables, S: Workspace) -> None:
    """Where each path is followed: S.track holds the parameter s, its rate, |c'|, then in the world
    tangent, sideways, up (9), the two residuals across, and the products of sideways, up and
    tangent with c''."""
    q, c, c1, c2 = S.work[POINT_AT], S.work[CURVE], S.work[CURVE_1], S.work[CURVE_2]
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


@inlined
def travel(T: Tables, S: Workspace, joint: int) -> tuple[float, float]:
    """Value and rate of the parameter."""
    track = S.track[T.joint_path[joint]]
    return track[ALONG_PATH], track[PATH_RATE]


@inlined
def slide_along(T: Tables, S: Workspace, joint: int, e: Vector3, out: Floats) -> float:
    """Factors (world) and bias of the gap of a joint along an axis e of A (world)."""
    a, b = T.joint_body[joint, 0], T.joint_body[joint, 1]
    return slide_row(e, S.gap[joint], S.gap_rate[joint], S.arm[joint], S.spin[a], S.spin[b], out)


@kernel
def travel_row(T: Tables, S: Workspace, joint: int, out: Floats) -> float:
    """Factors (world) and bias of the parameter of a path: s̈ = (t·q̈ − t·c'' ṡ²) / |c'|."""
    track = S.track[T.joint_path[joint]]
    bias = slide_along(T, S, joint, track[TANGENT:SIDEWAYS], out)
    for k in range(12):
        out[k] /= track[PATH_PACE]
    return (bias - track[BEND_ALONG] * track[PATH_RATE] * track[PATH_RATE]) / track[PATH_PACE]


@kernel
def across_row(T: Tables, S: Workspace, joint: int, which: int, out: Floats) -> tuple[float, float]:
    """Factors (world), bias and value of the distance across a path, sideways (0) or up (1)."""
    track = S.track[T.joint_path[joint]]
    e = track[SIDEWAYS:UP] if which == 0 else track[UP:ACROSS]
    bias = slide_along(T, S, joint, e, out)
    return bias - track[BENDS + which] * track[PATH_RATE] * track[PATH_RATE], track[ACROSS + which]


@kernel
def with_path_row(
    T: Tables, S: Workspace, joint: int, which: int, j: int, out: Floats
) -> tuple[float, float]:
    """Factors (world), bias and value of u(s)·w, an axis of the path (0 tangent, 1 sideways) and
    axis j of B.

    φ̈ = dot row + 2 (∂(u'·w)/∂t) ṡ + (u''·w) ṡ² + (u'·w) s̈
    """
    track, work = S.track[T.joint_path[joint]], S.work
    piece = T.path_piece[int(track[PATH_ROW])]
    wa, wb = S.spin[T.joint_body[joint, 0]], S.spin[T.joint_body[joint, 1]]
    A, B = S.axes[joint, 0], S.axes[joint, 1]
    local, first, second = work[0], work[1], work[2]
    for k in range(3):
        path_value(piece, track[WITHIN], 3 + 3 * which + k, local, first, second, k)
    u, du, ddu = work[FOURTH], work[FOURTH + 1], work[FOURTH + 2]
    for i in range(3):
        u[i], du[i], ddu[i] = 0.0, 0.0, 0.0
        for k in range(3):
            u[i] += A[i, k] * local[k]
            du[i] += A[i, k] * first[k]
            ddu[i] += A[i, k] * second[k]
    w = B[:, j]
    pace = track[PATH_RATE]
    bias = travel_row(T, S, joint, out)
    share = dot(du, w)
    for k in range(12):
        out[k] *= share
    bias *= share
    bias += dot_row(u, w, wa, wb, 1.0, out)
    bias += 2.0 * pace * (dot(cross(wa, du), w) + dot(du, cross(wb, w)))
    bias += pace * pace * dot(ddu, w)
    return bias, dot(u, w)


def path_axes(r: Solution, joint: int) -> Floats:
    """(N, 3, 3) tangent, sideways and up of a path where it is followed, in the axes of A."""
    path: PathData = r.system.mechanism.joints[joint].own
    curve = spline(path.points, path.closed)
    s = r.coordinate[:, r.system.coordinates[joint, 0], 0]
    if path.closed:
        s = curve.x[0] + (s - curve.x[0]) % (curve.x[-1] - curve.x[0])
    return axes_along(curve, s)


def _turning(r: Solution, joint: int, which: int, j: int, frames: Axes) -> Wrench:
    """Force and torque (N, 3), world, of a unit multiplier of a row that turns a body with a path:
    a torque, and the force along the path that the turning of its axes asks for."""
    A, B = frames
    along = path_axes(r, joint)
    u, w = np.einsum("tij,tj->ti", A, along[:, which]), B[:, :, j]
    path: PathData = r.system.mechanism.joints[joint].own
    curve = spline(path.points, path.closed)
    s = r.coordinate[:, r.system.coordinates[joint, 0], 0]
    h = 1e-6 * float(curve.x[-1] - curve.x[0])
    span = float(curve.x[-1] - curve.x[0])
    ends = [curve.x[0] + (s + k * h - curve.x[0]) % span if path.closed else s + k * h
            for k in (1, -1)]  # fmt: skip
    slope = (axes_along(curve, ends[0]) - axes_along(curve, ends[1]))[:, which] / (2 * h)
    pace = np.linalg.norm(curve(ends[0], 1), axis=1)
    share = (np.einsum("tij,tj->ti", A, slope) * w).sum(axis=1) / pace
    tangent = np.einsum("tij,tj->ti", A, along[:, 0])
    return tangent * share[:, None], -np.cross(u, w)


def _across(r: Solution, joint: int, which: int, _j: int, frames: Axes) -> Wrench:
    return np.einsum("tij,tj->ti", frames[0], path_axes(r, joint)[:, 1 + which]), None


def _travel(r: Solution, joint: int, _i: int, _j: int, frames: Axes) -> Wrench:
    return np.einsum("tij,tj->ti", frames[0], path_axes(r, joint)[:, 0]), None


ACTING = {ACROSS_PATH: _across, TRAVEL: _travel, WITH_PATH: _turning}
POINT_ON_PATH = Special(
    motions=lambda _free: (ALONG, *TURNS),
    add=add_path, fields=("path",), numbers=path_data, acting=ACTING,
)  # fmt: skip
BODY_ON_PATH = Special(
    motions=lambda _free: (ALONG,),
    add=add_path, fields=("path",), numbers=path_data, acting=ACTING,
)  # fmt: skip
