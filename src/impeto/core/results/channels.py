"""Channels of bodies, frames, joints, links, loads, drives and of the whole system.

A channel is a name, a kind of quantity, and a function that computes it from a recording; nothing
is computed before it is asked for.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from impeto.core.geometry.rotation import roll_pitch_yaw
from impeto.core.model.formula import Value, evaluate
from impeto.core.model.freedoms import FREEDOMS

if TYPE_CHECKING:
    from impeto.core.results.recording import Recording

Floats = npt.NDArray[np.float64]
Compute = Callable[[], Floats]


@dataclass(frozen=True)
class Channel:
    """name : dotted path;  kind : key of units.KINDS"""

    name: str
    kind: str
    compute: Compute = field(repr=False)

    @cached_property
    def values(self) -> Floats:
        """(N,) SI values, read-only."""
        values = np.array(self.compute(), dtype=float)
        values.flags.writeable = False
        return values


def all_channels(recording: Recording) -> dict[str, Channel]:
    """Every channel of a recording by name."""
    groups = (_system, _bodies, _frames, _joints, _links, _loads, _drives)
    return {c.name: c for group in groups for c in group(recording)}


def _vector(name: str, kind: str, compute: Compute, size: bool = True) -> Iterator[Channel]:
    """Three components and, with `size`, the magnitude under the plain name."""
    shared = lru_cache(maxsize=1)(compute)
    if size:
        yield Channel(name, kind, lambda: np.linalg.norm(shared(), axis=1))
    for axis, letter in enumerate("xyz"):
        yield Channel(f"{name}.{letter}", kind, lambda axis=axis: shared()[:, axis])


def _bodies(r: Recording) -> Iterator[Channel]:
    T = r.system.tables
    for row, body in enumerate(r.system.mechanism.bodies):
        if row == 0:
            continue
        name = body.name
        yield from _point(r, name, row, T.origin[row])
        yield from _point(r, f"{name}.center", row, np.zeros(3))
        R = r.rotations[:, row]
        yield from _vector(f"{name}.spin", "angular speed", lambda row=row: r.spins[:, row])
        yield from _vector(
            f"{name}.spin_rate", "angular acceleration", lambda row=row: r.spin_rates[:, row]
        )
        for quantity, kind, values in (
            ("velocity_local", "speed", r.velocities),
            ("acceleration_local", "acceleration", r.accelerations),
            ("spin_local", "angular speed", r.spins),
        ):
            yield from _vector(
                f"{name}.{quantity}",
                kind,
                lambda R=R, v=values[:, row]: np.einsum("tij,ti->tj", R, v),
                size=False,
            )
        for k, angle in enumerate(("roll", "pitch", "yaw")):
            yield Channel(
                f"{name}.{angle}", "angle", lambda R=R, k=k: np.unwrap(roll_pitch_yaw(R)[:, k])
            )
        for k, letter in enumerate("wxyz"):
            yield Channel(
                f"{name}.quaternion.{letter}",
                "number",
                lambda k=k, row=row: r.state[:, 7 * (row - 1) + 3 + k],
            )
        for i, a in enumerate("xyz"):
            for j, b in enumerate("xyz"):
                yield Channel(
                    f"{name}.rotation.{a}{b}", "number", lambda R=R, i=i, j=j: R[:, i, j]
                )
        yield Channel(f"{name}.energy.kinetic", "energy", lambda row=row: kinetic(r, row))
        yield Channel(f"{name}.energy.potential", "energy", lambda row=row: potential(r, row))


def _point(r: Recording, name: str, body: int, offset: Floats) -> Iterator[Channel]:
    kinds = (("position", "length"), ("velocity", "speed"), ("acceleration", "acceleration"))
    for k, (quantity, kind) in enumerate(kinds):
        yield from _vector(
            f"{name}.{quantity}", kind, lambda k=k: r.point(body, offset)[k], size=k > 0
        )


def _frames(r: Recording) -> Iterator[Channel]:
    m = r.system.mechanism
    for frame in m.frames:
        if frame.body:
            offset = frame.position - m.bodies[frame.body].center
            yield from _point(r, frame.name, frame.body, offset)


def joint_frames(r: Recording, joint: int) -> tuple[Floats, Floats]:
    """Axes of frame A and of frame B over time, (N, 3, 3) each, columns in the world."""
    T = r.system.tables
    a, b = T.joint_body[joint]
    axes = T.joint_axes[joint]
    return r.rotations[:, a] @ axes[0], r.rotations[:, b] @ axes[1]


def row_axes(r: Recording, row: int) -> tuple[Floats, bool]:
    """Direction (N, 3), world, in which a unit multiplier of a row acts on B; whether a torque."""
    joint, kind, i, j = r.system.tables.row[row]
    A, B = joint_frames(r, joint)
    if kind == 0:
        return A[:, :, i], False
    if kind == 1:
        return -np.cross(A[:, :, i], B[:, :, j]), True
    return (A if kind == 2 else B)[:, :, i], True


def reaction(r: Recording, joint: int) -> tuple[Floats, Floats]:
    """Force and torque (N, 3), world, of A on B at frame B; prescribed motions are not in it."""
    force, torque = np.zeros((len(r.time), 3)), np.zeros((len(r.time), 3))
    T = r.system.tables
    for row in np.flatnonzero((T.row[:, 0] == joint) & (T.row_motion < 0)):
        axis, turning = row_axes(r, int(row))
        (torque if turning else force)[:] += axis * r.multiplier[:, row, None]
    return force, torque


def _joints(r: Recording) -> Iterator[Channel]:
    for joint, data in enumerate(r.system.mechanism.joints):
        name = data.name
        pair = lru_cache(maxsize=1)(lambda joint=joint: reaction(r, joint))
        for k, quantity in enumerate(("force", "torque")):
            yield from _vector(f"{name}.{quantity}", quantity, lambda k=k, pair=pair: pair()[k])
            yield from _vector(
                f"{name}.{quantity}_local",
                quantity,
                lambda k=k, pair=pair, joint=joint: np.einsum(
                    "tij,ti->tj", joint_frames(r, joint)[0], pair()[k]
                ),
                size=False,
            )
        for (owner, freedom), row in r.system.coordinates.items():
            if owner == joint:
                yield from _coordinate(r, name, freedom, row)


def _coordinate(r: Recording, joint: str, freedom: int, row: int) -> Iterator[Channel]:
    turning = freedom >= 3
    name = f"{joint}.{FREEDOMS[freedom].replace(' ', '_')}"
    kinds = ("angle", "angular speed", "angular acceleration") if turning else (
        "length", "speed", "acceleration")
    yield Channel(f"{name}.position", kinds[0], lambda: r.coordinate[:, row, 0])
    yield Channel(f"{name}.speed", kinds[1], lambda: r.coordinate[:, row, 1])
    yield Channel(f"{name}.acceleration", kinds[2], lambda: coordinate_acceleration(r, row))
    T = r.system.tables
    for b in np.flatnonzero(T.behaviour == row):
        stiffness, free, damping = T.behaviour_value[b]
        yield Channel(
            f"{name}.effort",
            "torque" if turning else "force",
            lambda: -stiffness * (r.coordinate[:, row, 0] - free)
            - damping * r.coordinate[:, row, 1],
        )


def coordinate_acceleration(r: Recording, row: int) -> Floats:
    """(N,) second derivative of a joint coordinate."""
    T = r.system.tables
    joint, kind, axis = T.coordinate[row, :3]
    a, b = T.joint_body[joint]
    A, B = joint_frames(r, joint)
    wa, wb = r.spins[:, a], r.spins[:, b]
    if kind != 0:
        n, carrier = (A[:, :, axis], wa) if kind == 2 else (B[:, :, axis], wb)
        relative = r.spin_rates[:, b] - r.spin_rates[:, a]
        return np.einsum("ti,ti->t", n, relative) + np.einsum(
            "ti,ti->t", np.cross(carrier, n), wb - wa
        )
    e = A[:, :, axis]
    pa = r.point(a, T.joint_point[joint, 0])
    pb = r.point(b, T.joint_point[joint, 1])
    d, dv, da = (second - first for first, second in zip(pa, pb, strict=True))
    de = np.cross(wa, e)
    dde = np.cross(r.spin_rates[:, a], e) + np.cross(wa, de)
    total: Floats = (e * da + 2 * de * dv + dde * d).sum(axis=1)
    return total


def _links(r: Recording) -> Iterator[Channel]:
    T = r.system.tables
    for index, link in enumerate(r.system.mechanism.links):
        name = link.name

        def motion(index: int = index) -> tuple[Floats, Floats]:
            a, b = T.link[index]
            pa, va, _ = r.point(a, T.link_point[index, 0])
            pb, vb, _ = r.point(b, T.link_point[index, 1])
            length = np.linalg.norm(pb - pa, axis=1)
            return length, ((pb - pa) * (vb - va)).sum(axis=1) / length

        shared = lru_cache(maxsize=1)(motion)
        yield Channel(f"{name}.length", "length", lambda s=shared: s()[0])
        yield Channel(f"{name}.rate", "speed", lambda s=shared: s()[1])
        if link.is_spring:
            yield Channel(
                f"{name}.force",
                "force",
                lambda s=shared, d=link: d.preload + d.stiffness * (s()[0] - d.free_length),
            )
            yield Channel(
                f"{name}.energy", "energy", lambda s=shared, d=link: _strain(d.stiffness,
                d.preload, s()[0] - d.free_length)
            )
        else:
            yield Channel(f"{name}.force", "force", lambda s=shared, d=link: d.damping * s()[1])
            yield Channel(
                f"{name}.power", "power", lambda s=shared, d=link: d.damping * s()[1] ** 2
            )
            yield Channel(
                f"{name}.dissipated", "energy", lambda index=index: r.extra(T.extra[3] + index)
            )


def _strain(stiffness: float, preload: float, stretch: Floats) -> Floats:
    return 0.5 * stiffness * stretch**2 + preload * stretch


def _loads(r: Recording) -> Iterator[Channel]:
    T = r.system.tables
    for index, load in enumerate(r.system.mechanism.loads):
        quantity = "torque" if load.is_torque else "force"

        def vector(index: int = index) -> Floats:
            data = r.system.mechanism.loads[index]
            body = r.system.mechanism.frames[data.frame].body
            size = np.broadcast_to(signal_values(r, data.value), r.time.shape)
            direction = np.broadcast_to(data.direction, (len(r.time), 3))
            if data.follows:
                direction = r.rotations[:, body] @ data.direction
            return direction * size[:, None]

        yield from _vector(f"{load.name}.{quantity}", quantity, vector)
        yield Channel(
            f"{load.name}.value",
            quantity,
            lambda d=load: np.broadcast_to(signal_values(r, d.value), r.time.shape),
        )
        yield Channel(
            f"{load.name}.work", "energy", lambda index=index: r.extra(T.extra[0] + index)
        )


def signal_values(r: Recording, node: object) -> Floats:
    """Values of a signal over time, from the channels it refers to."""

    def scope(path: str) -> Value:
        return Value(r.time if path == "t" else r[path])

    return np.asarray(evaluate_freely(node, scope), dtype=float)


def evaluate_freely(node: object, scope: Callable[[str], Value]) -> Floats:
    """A checked formula without dimensions: they were held against each other on resolving."""
    from impeto.core.model.formula import Apply, Name, Number
    from impeto.core.model.functions import FUNCTIONS

    if isinstance(node, Number):
        return np.float64(node.value)  # type: ignore[return-value]
    if isinstance(node, Name):
        return np.asarray(scope(node.path).si)
    assert isinstance(node, Apply)
    arguments = [evaluate_freely(argument, scope) for argument in node.arguments]
    with np.errstate(all="ignore"):
        return np.asarray(FUNCTIONS[node.function].compute(*arguments))


def _drives(r: Recording) -> Iterator[Channel]:
    T, system = r.system.tables, r.system
    for index, drive in enumerate(system.mechanism.drives):
        row = system.coordinates[drive.joint, drive.freedom]
        turning = drive.freedom >= 3
        kind = "torque" if turning else "force"
        if index in system.motions:
            motion = system.motions.index(index)
            constraint = int(np.flatnonzero(T.row_motion == motion)[0])
            work = int(T.extra[2]) + motion
            effort: Compute = lambda c=constraint: r.multiplier[:, c]  # noqa: E731
        else:
            work = int(T.extra[1]) + system.efforts.index(index)
            effort = lambda d=drive: np.broadcast_to(  # noqa: E731
                signal_values(r, d.value), r.time.shape
            )
        rate: Compute = lambda row=row: r.coordinate[:, row, 1]  # noqa: E731
        position = "angle" if turning else "length"
        yield Channel(f"{drive.name}.{kind}", kind, effort)
        yield Channel(
            f"{drive.name}.position", position, lambda row=row: r.coordinate[:, row, 0]
        )
        yield Channel(f"{drive.name}.speed", "angular speed" if turning else "speed", rate)
        yield Channel(f"{drive.name}.power", "power", lambda e=effort, v=rate: e() * v())
        yield Channel(f"{drive.name}.work", "energy", lambda work=work: r.extra(work))


def kinetic(r: Recording, body: int) -> Floats:
    """(N,) J"""
    T = r.system.tables
    local = np.einsum("tij,ti->tj", r.rotations[:, body], r.spins[:, body])
    spin = np.einsum("ti,ij,tj->t", local, T.inertia[body], local)
    total: Floats = 0.5 * (T.mass[body] * (r.velocities[:, body] ** 2).sum(axis=1) + spin)
    return total


def potential(r: Recording, body: int) -> Floats:
    """(N,) J, zero with the centre of mass at the world's origin."""
    T = r.system.tables
    return -T.mass[body] * (r.centers[:, body] @ T.gravity)


def _system(r: Recording) -> Iterator[Channel]:
    T = r.system.tables
    bodies = range(1, r.system.moving + 1)
    zero = np.zeros(len(r.time))

    def extras(group: int) -> Floats:
        ends = [*T.extra, T.extra[4] + len(T.behaviour)]
        return sum((r.extra(k) for k in range(ends[group], ends[group + 1])), zero)

    def strain() -> Floats:
        total = zero.copy()
        for link in r.system.mechanism.links:
            if link.is_spring:
                total = total + r[f"{link.name}.energy"]
        for b, (stiffness, free, _) in enumerate(T.behaviour_value):
            total = total + _strain(stiffness, 0.0, r.coordinate[:, T.behaviour[b], 0] - free)
        return total

    parts: dict[str, Compute] = {
        "kinetic": lambda: sum((kinetic(r, b) for b in bodies), zero),
        "potential": lambda: sum((potential(r, b) for b in bodies), zero),
        "strain": strain,
        "dissipated": lambda: extras(3) + extras(4),
        "drives": lambda: extras(1) + extras(2),
        "loads": lambda: extras(0),
    }
    for name, compute in parts.items():
        yield Channel(f"system.energy.{name}", "energy", compute)

    def total() -> Floats:
        return sum((r[f"system.energy.{k}"] for k in ("kinetic", "potential", "strain")), zero)

    def balance() -> Floats:
        kept = r["system.energy.total"] + r["system.energy.dissipated"]
        rest: Floats = kept - r["system.energy.drives"] - r["system.energy.loads"]
        return rest - rest[0]

    yield Channel("system.energy.total", "energy", total)
    yield Channel("system.energy.balance", "energy", balance)
    masses = T.mass[1:]
    yield from _vector(
        "system.momentum", "momentum", lambda: np.einsum("b,tbi->ti", masses, r.velocities[:, 1:])
    )

    def angular() -> Floats:
        inertia = np.einsum(
            "tbij,bjk,tblk->tbil", r.rotations[:, 1:], T.inertia[1:], r.rotations[:, 1:]
        )
        own = np.einsum("tbij,tbj->ti", inertia, r.spins[:, 1:])
        orbit = np.cross(r.centers[:, 1:], masses[:, None] * r.velocities[:, 1:]).sum(axis=1)
        both: Floats = own + orbit
        return both

    yield from _vector("system.angular_momentum", "angular momentum", angular)


def energy_error(r: Recording) -> float:
    """Largest energy imbalance against the largest energy that was in play."""
    scale = 1e-300
    for name in ("kinetic", "potential", "strain", "dissipated", "drives", "loads"):
        values = r[f"system.energy.{name}"]
        scale = max(scale, float(np.ptp(values)), float(np.abs(r["system.energy.kinetic"]).max()))
    return float(np.abs(r["system.energy.balance"]).max() / scale)
