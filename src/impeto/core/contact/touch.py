"""The force at one point where two shapes touch, and what it does to both bodies."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    AGE,
    AXES,
    BACKED,
    BELT,
    BELT_AXIS,
    BEYOND,
    BODY,
    CLOSING,
    CORE_X,
    CORE_Y,
    CORE_Z,
    DEPTH,
    ELASTIC,
    FEATURE_ROUNDING,
    FORCE,
    FOUND,
    FRICTION,
    GX,
    GY,
    GZ,
    IMPACT,
    MASS,
    NORMAL,
    PLACE,
    PROGRAM,
    REST,
    ROUNDING,
    RULE,
    SHAPE_A,
    SHAPE_B,
    SLIP,
    SLOPE,
    STATES,
    STORED,
    TAKEN,
    THICKNESS,
)
from impeto.core.contact.faces import held_face
from impeto.core.contact.law import (
    DAMPING_LIMIT,
    EXPONENT,
    IMPACT_DAMPING,
    KINETIC,
    ROLLING,
    STATIC,
    STIFFNESS,
    bristle,
    elastic,
    normal_force,
)
from impeto.core.dynamics.columns import Quick
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Ints, Rows, Vector3

SPARE = 1e-4  # of the energy of an impact: what a point may give beyond that
ROLLING_AT = 0.01  # rad/s where rolling resistance is nearly whole
TOUCHES = 1e-9  # m
HALFWAY = 1e-6  # slope of a distance between two opposite sides
ZETA = 0.5  # damping ratio of the bristles
APART = -1e30  # depth of what is too far to be looked at


@kernel
def set_apart(patch: Rows, first: int, count: int) -> None:
    for slot in range(first, first + count):
        patch[slot, DEPTH] = APART
        patch[slot, FORCE] = 0.0
        patch[slot, STORED] = 0.0


@kernel
def touch(
    T: Tables, S: Workspace, row: Ints, f: int, slot: int, weight: float, pooled: int,
    bristles: Floats, rates: Floats, absorbed: Floats, belts: Floats,
) -> None:  # fmt: skip
    """Force at one point where a feature may touch; what was found there is in
    S.contact_work[FOUND].

    pooled : 1 where S.contact_pool has what all points of the pair have taken in, and store, and
    the sum of the weights of those that touch"""
    a, b = row[SHAPE_A], row[SHAPE_B]
    body_a, body_b = T.shape[a, BODY], T.shape[b, BODY]
    x, v, spin, place, rule = S.x, S.v, S.spin, S.shape_place, T.rule_value[row[RULE]]
    rounding_a, rounding_b = T.feature_value[f, FEATURE_ROUNDING], T.shape_value[b, ROUNDING]
    found, out, sense = S.contact_work[FOUND], S.patch[slot], S.contact_sense[row[RULE]]
    thick = T.shape_value[b, THICKNESS]
    if found[0] <= thick and pooled == 0:
        thick = held_face(T, b, normal_before(S, slot, b), found)
    depth = rounding_a + rounding_b - found[0]
    out[FORCE], out[STORED], out[SLIP] = 0.0, 0.0, 0.0
    within = S.near_margin[BEYOND] > 0.0  # a step, at whose ends everything is asked for
    if within and depth <= out[REST]:
        out[DEPTH] = depth
        return
    middle = 0.5 * (rounding_a + found[0] - rounding_b)
    steep = np.sqrt(found[GX] ** 2 + found[GY] ** 2 + found[GZ] ** 2)
    n = (found[GX], found[GY], found[GZ])
    if steep < HALFWAY:  # through a body: no side is nearer, and it goes on as before
        n, steep = in_axes(place[b], out[NORMAL : NORMAL + 3]), 1.0
        if dot(n, n) == 0.0:
            n = (0.0, 0.0, 1.0)
    n = (n[0] / steep, n[1] / steep, n[2] / steep)
    p = (
        found[CORE_X] - middle * n[0],
        found[CORE_Y] - middle * n[1],
        found[CORE_Z] - middle * n[2],
    )
    normal, point = in_world(place[b], n), in_world(place[b], p)
    point = (point[0] + place[b, 0], point[1] + place[b, 1], point[2] + place[b, 2])
    arm_a = (point[0] - x[body_a, 0], point[1] - x[body_a, 1], point[2] - x[body_a, 2])
    arm_b = (point[0] - x[body_b, 0], point[1] - x[body_b, 1], point[2] - x[body_b, 2])
    turn_a, turn_b = cross(spin[body_a], arm_a), cross(spin[body_b], arm_b)
    u = (
        v[body_a, 0] + turn_a[0] - v[body_b, 0] - turn_b[0],
        v[body_a, 1] + turn_a[1] - v[body_b, 1] - turn_b[1],
        v[body_a, 2] + turn_a[2] - v[body_b, 2] - turn_b[2],
    )
    closing = -dot(normal, u)
    out[DEPTH], out[CLOSING] = depth, closing
    for k in range(3):
        out[NORMAL + k], out[PLACE + k], out[FRICTION + k] = normal[k], point[k], 0.0
    if not within or out[MASS] == 0.0:  # it changes little within a step
        out[MASS] = 1.0 / (
            effective_mass(T, S, body_a, arm_a, normal)
            + effective_mass(T, S, body_b, arm_b, normal)
        )
    stiffness = weight * rule[STIFFNESS]
    out[SLOPE] = stiffness
    if S.quick[Quick.MODE] > 0.0:
        near = max(depth, TOUCHES)
        force, _, stored = elastic(stiffness, rule[EXPONENT], near, rounding_a + thick)
        if near > 0.5 * (rounding_a + thick):  # a step takes it as a straight spring
            stored = 0.5 * force * near
        out[SLOPE], out[ELASTIC] = force / near, stored if depth > 0.0 else 0.0
        pressed = bristles[STATES * slot + 3]
        sense[1] += pressed / S.quick[Quick.STEP]
        if pressed > 0.0:  # impulses may stop a body just short of the other
            sense[0] = min(sense[0], -TOUCHES)
            vt, _ = bristle_input(T, S, a, b, u, normal, closing, bristles[STATES * slot :])
            sense[2] = max(sense[2], np.sqrt(dot(vt, vt)))
        if S.quick[Quick.MODE] > 1.0:
            give_average(T, S, row, slot, arm_a, arm_b, u, bristles, absorbed, belts)
        return
    depth -= out[REST]
    out[BACKED] = 1.0
    if depth <= 0.0:
        return
    spring, slope, stored = elastic(stiffness, rule[EXPONENT], depth, rounding_a + thick)
    spring *= steep
    whole = max(S.contact_pool[2], weight) if pooled > 0 else 1.0  # a place alone stops all of it
    force = normal_force(
        spring,
        slope,
        weight / whole * out[MASS],
        rule[IMPACT_DAMPING],
        rule[DAMPING_LIMIT],
        out[IMPACT],
        closing,
        out[AGE],
    )
    # What a point gives back is not to exceed what it took in: where it moves along its shape, the
    # depth can grow without work.
    first, spare = STATES * slot, SPARE * out[MASS] * out[IMPACT] ** 2
    taken, held = max(bristles[first + 3], 0.0), stored
    if pooled > 0:
        taken, held = max(S.contact_pool[0], 0.0), S.contact_pool[1]
    backed = min((taken + spare) / (held + spare), 1.0)
    force *= backed
    out[BACKED] = backed
    out[ELASTIC] = stored
    out[FORCE], out[STORED], out[SLOPE] = force, backed * stored, slope
    rates[first + 3] = force * closing
    s = (bristles[first], bristles[first + 1], bristles[first + 2])
    vt, st = bristle_input(T, S, a, b, u, normal, closing, s)
    damping = 2.0 * ZETA * weight * np.sqrt(rule[STIFFNESS] * out[MASS])
    out[SLIP], friction, rate = bristle(
        stiffness, damping, force, rule[STATIC], rule[KINETIC], st, vt
    )
    roll = 0.5 * (dot(spin[body_a], normal) + dot(spin[body_b], normal))
    turning = cross(normal, st)
    for k in range(3):
        out[FRICTION + k] = friction[k]
        rates[first + k] = rate[k] + roll * turning[k]
    out[STORED] += 0.5 * stiffness * dot(st, st)
    S.contact_energy[row[RULE]] += out[STORED]
    sense[1] += force
    sense[2] = max(sense[2], out[SLIP])
    give(T, S, row, arm_a, arm_b, normal, force, friction, closing, vt, absorbed, belts)


@kernel
def in_world(place: Floats, u: Vector3) -> tuple[float, float, float]:
    """A vector in the axes of a shape at that place (12,), turned into those of the world."""
    return (
        place[AXES] * u[0] + place[AXES + 1] * u[1] + place[AXES + 2] * u[2],
        place[AXES + 3] * u[0] + place[AXES + 4] * u[1] + place[AXES + 5] * u[2],
        place[AXES + 6] * u[0] + place[AXES + 7] * u[1] + place[AXES + 8] * u[2],
    )


@kernel
def in_axes(place: Floats, u: Vector3) -> tuple[float, float, float]:
    """A vector of the world, turned into the axes of a shape at that place (12,)."""
    return (
        place[AXES] * u[0] + place[AXES + 3] * u[1] + place[AXES + 6] * u[2],
        place[AXES + 1] * u[0] + place[AXES + 4] * u[1] + place[AXES + 7] * u[2],
        place[AXES + 2] * u[0] + place[AXES + 5] * u[1] + place[AXES + 8] * u[2],
    )


@kernel
def normal_before(S: Workspace, slot: int, b: int) -> tuple[float, float, float]:
    """The way out of shape B, in its axes, where a point was last seen near it; zeros where it was
    not."""
    if S.patch[slot, DEPTH] <= APART:
        return 0.0, 0.0, 0.0
    return in_axes(S.shape_place[b], S.patch[slot, NORMAL : NORMAL + 3])


@kernel
def give_average(
    T: Tables, S: Workspace, row: Ints, slot: int, arm_a: Vector3, arm_b: Vector3, u: Vector3,
    bristles: Floats, absorbed: Floats, belts: Floats,
) -> None:  # fmt: skip
    """Mean force over the last step of quick mode, from the impulses that are kept as states."""
    out, kept = S.patch[slot], bristles[STATES * slot : STATES * slot + STATES]
    normal = (out[NORMAL], out[NORMAL + 1], out[NORMAL + 2])
    vt, _ = bristle_input(T, S, row[SHAPE_A], row[SHAPE_B], u, normal, out[CLOSING], kept)
    h = S.quick[Quick.STEP]
    out[FORCE], out[SLIP] = kept[TAKEN] / h, np.sqrt(dot(vt, vt))
    friction = (
        kept[0] / S.quick[Quick.STEP],
        kept[1] / S.quick[Quick.STEP],
        kept[2] / S.quick[Quick.STEP],
    )
    for k in range(3):
        out[FRICTION + k] = friction[k]
    give(T, S, row, arm_a, arm_b, normal, out[FORCE], friction, out[CLOSING], vt, absorbed, belts)


@kernel
def effective_mass(T: Tables, S: Workspace, body: int, arm: Vector3, normal: Vector3) -> float:
    """Inverse of the mass [1/kg] that a body opposes to a push along the normal at an arm."""
    if body == 0:
        return 0.0
    moment = cross(arm, normal)
    total, R, J = 1.0 / T.mass[body], S.rotation[body], T.inverse_inertia[body]
    m = (
        R[0, 0] * moment[0] + R[1, 0] * moment[1] + R[2, 0] * moment[2],
        R[0, 1] * moment[0] + R[1, 1] * moment[1] + R[2, 1] * moment[2],
        R[0, 2] * moment[0] + R[1, 2] * moment[1] + R[2, 2] * moment[2],
    )
    for i in range(3):
        total += m[i] * (J[i, 0] * m[0] + J[i, 1] * m[1] + J[i, 2] * m[2])
    return total


@kernel
def bristle_input(
    T: Tables, S: Workspace, a: int, b: int, u: Vector3, normal: Vector3, closing: float,
    s: Vector3,
) -> tuple[Vector3, Vector3]:  # fmt: skip
    """Slip velocity of A over B, belts included, and the bristle, both in the tangent plane.

    u (3,) : velocity [m/s] of the point on A over that on B, without belts
    """
    along = dot(s, normal)
    if T.shape[a, BELT] >= 0 or T.shape[b, BELT] >= 0:
        ua, ub = belt_velocity(T, S, a), belt_velocity(T, S, b)
        u = (u[0] + ua[0] - ub[0], u[1] + ua[1] - ub[1], u[2] + ua[2] - ub[2])
        closing = -dot(normal, u)
    vt = (
        u[0] + closing * normal[0], u[1] + closing * normal[1], u[2] + closing * normal[2]
    )  # fmt: skip
    st = (s[0] - along * normal[0], s[1] - along * normal[1], s[2] - along * normal[2])
    return vt, st


@kernel
def belt_velocity(T: Tables, S: Workspace, shape: int) -> tuple[float, float, float]:
    """Velocity [m/s], world, of the surface of a shape over its body."""
    if T.shape[shape, BELT] < 0:
        return 0.0, 0.0, 0.0
    R, d = S.rotation[T.shape[shape, BODY]], T.shape_value[shape, BELT_AXIS : BELT_AXIS + 3]
    speed = S.signal[T.shape[shape, PROGRAM]]
    return (
        speed * (R[0, 0] * d[0] + R[0, 1] * d[1] + R[0, 2] * d[2]),
        speed * (R[1, 0] * d[0] + R[1, 1] * d[1] + R[1, 2] * d[2]),
        speed * (R[2, 0] * d[0] + R[2, 1] * d[1] + R[2, 2] * d[2]),
    )


@kernel
def give(
    T: Tables, S: Workspace, row: Ints, arm_a: Vector3, arm_b: Vector3, normal: Vector3,
    force: float, friction: Vector3, closing: float, vt: Vector3, absorbed: Floats, belts: Floats,
) -> None:  # fmt: skip
    """Force and rolling resistance onto both bodies; what the contact absorbs, belts put in."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    body_a, body_b = T.shape[a, BODY], T.shape[b, BODY]
    spin, wrench, rule = S.spin, S.wrench, T.rule_value[row[RULE]]
    f = (
        force * normal[0] + friction[0], force * normal[1] + friction[1],
        force * normal[2] + friction[2],
    )  # fmt: skip
    moment_a, moment_b = cross(arm_a, f), cross(arm_b, f)
    for k in range(3):
        wrench[body_a, k] += f[k]
        wrench[body_b, k] -= f[k]
        wrench[body_a, 3 + k] += moment_a[k]
        wrench[body_b, 3 + k] -= moment_b[k]
    taken = force * closing - dot(friction, vt)
    if rule[ROLLING] > 0.0:
        w = (
            spin[body_a, 0] - spin[body_b, 0], spin[body_a, 1] - spin[body_b, 1],
            spin[body_a, 2] - spin[body_b, 2],
        )  # fmt: skip
        about = dot(w, normal)
        w = (w[0] - about * normal[0], w[1] - about * normal[1], w[2] - about * normal[2])
        size = np.sqrt(dot(w, w) + ROLLING_AT * ROLLING_AT)
        for k in range(3):
            moment = -rule[ROLLING] * force * w[k] / size
            wrench[body_a, 3 + k] += moment
            wrench[body_b, 3 + k] -= moment
            taken -= moment * w[k]
    absorbed[row[RULE]] += taken
    for side in range(2):
        shape = a if side == 0 else b
        if T.shape[shape, BELT] >= 0:
            sign = -1.0 if side == 0 else 1.0
            belts[T.shape[shape, BELT]] += sign * dot(friction, belt_velocity(T, S, shape))
