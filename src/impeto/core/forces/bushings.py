"""Elastic connections of two frames in all six directions."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from enum import IntEnum
from typing import Any, ClassVar

import numpy as np

from impeto.core.bodies.compilation import Compilation
from impeto.core.dynamics.channel import Channel, vector
from impeto.core.dynamics.efforts import add_force
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.layout import Layout, float_rows, from_center, int_rows
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.state import SIDE
from impeto.core.dynamics.tables import (
    M_BUSHING,
    M_BUSHING_ENERGY,
    X_BUSHINGS,
    Tables,
    Workspace,
)
from impeto.core.dynamics.vectors import cross, dot, turn
from impeto.core.errors import ModelError
from impeto.core.forces.point_force import ImplicitRows, PointForce, Wrenches, about
from impeto.core.geometry.arrays import Floats, Matrix3, Rows, Vector3
from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Vector
from impeto.core.model.scope import Scope

NOTHING: Vector = ("0 N", "0 N", "0 N")  # type: ignore[assignment]


# What the user writes, and its numbers


@dataclass(frozen=True, slots=True, kw_only=True)
class Bushing(Element):
    """An elastic connection in all six directions of frame A, relaxed as drawn.

    Turns are small angles about the axes of A; preload is the force and torque on B at rest.
    """

    tag: ClassVar[str] = "bushing"
    group: ClassVar[str] = "forces"
    switchable: ClassVar[bool] = True
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")
    stiffness: Vector = fields.vector("stiffness", ("1 MN/m",) * 3)
    damping: Vector = fields.vector("damping", ("1 kN*s/m",) * 3)
    turning_stiffness: Vector = fields.vector("torsional stiffness", ("1 kN*m/rad",) * 3)
    turning_damping: Vector = fields.vector("torsional damping", ("1 N*m*s/rad",) * 3)
    preload: Vector = fields.vector("force", NOTHING)
    turning_preload: Vector = fields.vector("torque", ("0 N*m",) * 3)


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


def _compiled(made: Compilation) -> tuple[BushingData, ...]:
    return made.each(Bushing, _numbers, made.frame_row)


def _numbers(scope: Scope, bushing: Bushing, frame_row: Mapping[str, int]) -> BushingData:
    if bushing.frame_a == bushing.frame_b:
        raise ModelError(
            "it joins a frame to itself", element=bushing.name, field="frame_b",
            remedy="Choose a frame on another body",
        )  # fmt: skip
    kinds = {
        "stiffness": "stiffness",
        "damping": "damping",
        "turning_stiffness": "torsional stiffness",
        "turning_damping": "torsional damping",
        "preload": "force",
        "turning_preload": "torque",
    }
    return BushingData(
        name=bushing.name,
        frame_a=frame_row[bushing.frame_a],
        frame_b=frame_row[bushing.frame_b],
        **{field: scope.vector(bushing, field, kind) for field, kind in kinds.items()},
    )


# Its rows in the arrays, and what it does in a step


class BushingRow(IntEnum):
    A = 0
    B = 1
    ELEMENT = 2


ENERGY = 6  # behind force and torque of bushing_effort
# Rows of bushing_value, each (3,).
(
    STIFFNESS, DAMPING, TURNING_STIFFNESS, TURNING_DAMPING, PRELOAD, TURNING_PRELOAD, OFFSET,
) = range(7)  # fmt: skip


def _arrays(layout: Layout, programs: Mapping[str, int]) -> dict[str, Any]:
    m, frames = layout.mechanism, layout.mechanism.frames
    bushings, axes, values = [], [], []
    for u in m.of(BushingData):
        a, b = frames[u.frame_a], frames[u.frame_b]
        bushings.append((a.body, b.body, layout.elements[u.name]))
        first, second = m.bodies[a.body], m.bodies[b.body]
        world = first.rotation @ a.rotation
        gap = second.position + second.rotation @ b.position
        gap = gap - first.position - first.rotation @ a.position
        axes.append([a.rotation, second.rotation.T @ world])  # relaxed as drawn
        values.append(
            [u.stiffness, u.damping, u.turning_stiffness, u.turning_damping, u.preload,
             u.turning_preload, world.T @ gap]
        )  # fmt: skip
    pairs = [(u.frame_a, u.frame_b) for u in m.of(BushingData)]
    return {
        "bushing": int_rows(bushings, 3),
        "bushing_point": float_rows([[from_center(m, f) for f in pair] for pair in pairs], 2, 3),
        "bushing_axes": float_rows(axes, 2, 3, 3),
        "bushing_value": float_rows(values, 7, 3),
    }


@inlined
def add_bushings(T: Tables, S: Workspace) -> None:
    """Elastic connections: force along the axes of A, torque from the rotation vector of B in A."""
    sa, sb, lever = S.work[0], S.work[1], S.work[2]
    A, B = S.work[3:6], S.work[6:9]
    for index in range(T.bushing.shape[0]):
        a, b = T.bushing[index, BushingRow.A], T.bushing[index, BushingRow.B]
        power = T.extra[X_BUSHINGS] + index
        S.bushing_effort[index, :] = 0.0
        S.power[power] = 0.0
        if S.on[T.bushing[index, BushingRow.ELEMENT]] == 0.0:
            continue
        turn(S.rotation[a], T.bushing_point[index, 0], sa)
        turn(S.rotation[b], T.bushing_point[index, 1], sb)
        A[:] = 0.0
        B[:] = 0.0
        for i in range(3):
            for j in range(3):
                for k in range(3):
                    A[i, j] += S.rotation[a, i, k] * T.bushing_axes[index, 0, k, j]
                    B[i, j] += S.rotation[b, i, k] * T.bushing_axes[index, 1, k, j]
        for k in range(3):
            lever[k] = S.x[b, k] + sb[k] - S.x[a, k]  # force on A acts at the point of B
        va, vb = cross(S.spin[a], lever), cross(S.spin[b], sb)
        gap = (lever[0] - sa[0], lever[1] - sa[1], lever[2] - sa[2])
        rate = (
            S.v[b, 0] + vb[0] - S.v[a, 0] - va[0],
            S.v[b, 1] + vb[1] - S.v[a, 1] - va[1],
            S.v[b, 2] + vb[2] - S.v[a, 2] - va[2],
        )
        spin = (
            S.spin[b, 0] - S.spin[a, 0],
            S.spin[b, 1] - S.spin[a, 1],
            S.spin[b, 2] - S.spin[a, 2],
        )
        S.power[power] = bushing_law(
            T.bushing_value[index], A, B, gap, rate, spin, S.bushing_effort[index], S.work[9:]
        )
        effort = S.bushing_effort[index]
        add_force(S.wrench[a], lever, effort[0:3], -1.0)
        add_force(S.wrench[b], sb, effort[0:3], 1.0)
        for k in range(3):
            S.wrench[a, 3 + k] -= effort[3 + k]
            S.wrench[b, 3 + k] += effort[3 + k]


@kernel
def bushing_law(
    value: Rows, A: Matrix3, B: Matrix3, gap: Vector3, rate: Vector3, spin: Vector3, out: Floats,
    work: Rows,
) -> float:  # fmt: skip
    """Force and torque on B (world) and stored energy into out (7,); returns the power lost.

    work (5, 3) : scratch
    """
    lost = 0.0
    local, torque = work[0], work[1]
    turned = rotation_vector(A, B, work[2:5])
    for k in range(3):
        axis = A[:, k]
        displacement, speed = dot(axis, gap) - value[OFFSET, k], dot(axis, rate)
        damped = value[DAMPING, k] * speed
        local[k] = value[PRELOAD, k] - value[STIFFNESS, k] * displacement - damped
        lost += damped * speed
        out[ENERGY] += displacement * (0.5 * value[STIFFNESS, k] * displacement - value[PRELOAD, k])
        out[ENERGY] += turned[k] * (
            0.5 * value[TURNING_STIFFNESS, k] * turned[k] - value[TURNING_PRELOAD, k]
        )
        torque[k] = value[TURNING_PRELOAD, k] - value[TURNING_STIFFNESS, k] * turned[k]
    conservative = _from_rotation_vector(turned, torque)
    for k in range(3):
        damped = value[TURNING_DAMPING, k] * dot(A[:, k], spin)
        lost += damped * dot(A[:, k], spin)
        for i in range(3):
            out[i] += A[i, k] * local[k]
            out[3 + i] += A[i, k] * (conservative[k] - damped)
    return lost


@kernel
def rotation_vector(A: Matrix3, B: Matrix3, R: Matrix3) -> tuple[float, float, float]:
    """Rotation vector of R = Aᵀ B (3,), in the axes of A, up to half a turn; R is scratch."""
    for i in range(3):
        for j in range(3):
            R[i, j] = dot(A[:, i], B[:, j])
    v = (0.5 * (R[2, 1] - R[1, 2]), 0.5 * (R[0, 2] - R[2, 0]), 0.5 * (R[1, 0] - R[0, 1]))
    sine = np.sqrt(dot(v, v))
    cosine = 0.5 * (R[0, 0] + R[1, 1] + R[2, 2] - 1.0)
    if sine < 1e-7 and cosine > 0.0:
        return v
    factor = np.arctan2(sine, cosine) / max(sine, 1e-300)
    return v[0] * factor, v[1] * factor, v[2] * factor


@kernel
def _from_rotation_vector(turned: Vector3, moment: Vector3) -> tuple[float, float, float]:
    """Torque (axes of A) whose power is moment · rate of the rotation vector.

    The rate is J⁻¹ ω with J the left Jacobian of rotations; the torque is J⁻ᵀ moment.
    """
    square = dot(turned, turned)
    half = cross(turned, moment)
    twice = cross(turned, half)
    if square < 1e-8:
        share = 1.0 / 12.0
    else:
        angle = np.sqrt(square)
        share = 1.0 / square - (1.0 + np.cos(angle)) / (2.0 * angle * np.sin(angle))
    return (
        moment[0] + 0.5 * half[0] + share * twice[0],
        moment[1] + 0.5 * half[1] + share * twice[1],
        moment[2] + 0.5 * half[2] + share * twice[2],
    )


class _BushingRows:
    """Of each bushing: slides of the point on B along the axes of A, and turns about them."""

    width = SIDE

    def __init__(self, T: Tables) -> None:
        self.count = len(T.bushing)

    def fill(self, rows: ImplicitRows, T: Tables, S: Workspace, index: int, element: int) -> None:
        a, b, switch = (int(value) for value in T.bushing[element])
        if S.on[switch] == 0.0:
            return
        arm = S.rotation[b] @ T.bushing_point[element, 1]
        lever = S.x[b] + arm - S.x[a]
        axes = S.rotation[a] @ T.bushing_axes[element, 0]
        relative = (
            S.v[b] + np.cross(S.spin[b], arm) - S.v[a] - np.cross(S.spin[a], lever),
            S.spin[b] - S.spin[a],
        )
        for part in range(2):
            values = T.bushing_value[element, 2 * part : 2 * part + 2]
            for k in range(3):
                axis, at, none = axes[:, k], index + 3 * part + k, np.zeros(3)
                force, turn_a, turn_b = none, axis, axis
                if part == 0:
                    force, turn_a, turn_b = axis, np.cross(lever, axis), np.cross(arm, axis)
                rows.put(S, at, a, -force, -turn_a)
                rows.put(S, at, b, force, turn_b)
                rows.stiffness[at], rows.damping[at] = values[0, k], values[1, k]
                rows.damped[at] = -values[1, k] * float(axis @ relative[part])

    def book(self, T: Tables, power: Floats, given: Floats, lost: Floats) -> None:
        power[T.extra[X_BUSHINGS] : T.extra[X_BUSHINGS + 1]] = lost.reshape(-1, SIDE).sum(axis=1)


# What can be read afterwards


def _channels(r: Solution, index: int, bushing: BushingData) -> Iterator[Channel]:
    first = SIDE * index

    def part(start: int) -> Floats:
        return np.stack([r.measure(M_BUSHING, first + start + k) for k in range(3)], axis=1)

    name = bushing.name
    yield from vector(f"{name}.force", "force", lambda: part(0))
    yield from vector(f"{name}.torque", "torque", lambda: part(3))
    yield Channel(f"{name}.energy", "energy", lambda: r.measure(M_BUSHING_ENERGY, index))
    yield Channel(f"{name}.dissipated", "energy", lambda: r.extra(X_BUSHINGS, index))


def _acting(r: Solution, body: int, at: int) -> Wrenches:
    m, T = r.system.mechanism, r.system.tables
    center = r.centers[at, body]
    for k, bushing in enumerate(m.of(BushingData)):
        effort = np.array([r.measure(M_BUSHING, SIDE * k + i)[at] for i in range(6)])
        point = r.point(int(T.bushing[k, BushingRow.B]), T.bushing_point[k, 1])[0][at]
        for side, sign in ((0, -1.0), (1, 1.0)):
            if T.bushing[k, side] == body:
                wrench = about(center, point, sign * effort[:3])
                wrench[3:] += sign * effort[3:]
                yield bushing.name, wrench


BUSHINGS = PointForce(
    numbers=BushingData, compiled=_compiled, arrays=_arrays, channels=_channels, acting=_acting,
    lost=(X_BUSHINGS,), measured={M_BUSHING: SIDE, M_BUSHING_ENERGY: 1}, implicit=_BushingRows,
)  # fmt: skip
