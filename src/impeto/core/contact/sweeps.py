"""One sweep of quick mode over a point of contact, and the arrays it works on."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.pack import Pack
from impeto.core.dynamics.state import SPIN, unknowns
from impeto.core.dynamics.vectors import cross, dot
from impeto.core.geometry.arrays import Floats, Matrix3, Vector3

# Columns of points that take part, `joined` (K, 4): slot, row of the near pair, bodies A and B; of
# their numbers: directions n, t₁, t₂ (9), arms from A and B (6), change of velocity by an impulse
# (9), the same along each direction (3), impulse per speed that is off along each (3), speed aimed
# at (3), softness, friction, impulses (3), of rolling (2), rolling resistance, stiffness, the whole
# impulse (3).
(
    DIRECTION, ARM, RESPONSE, INVERSE, EFFECTIVE_MASS, BIAS, COMPLIANCE, LIMIT, IMPULSE, ROLLED,
    RESISTANCE, SPRING, ACCUMULATED, NUMBERS,
) = 0, 9, 15, 24, 27, 30, 33, 34, 35, 38, 40, 41, 42, 45  # fmt: skip
SLOT, PAIR, FIRST, SECOND = range(4)
FIRST_ACROSS, SECOND_ACROSS = 3, 6  # where t₁ and t₂ begin among the directions
SETTLED = 2e-5  # m/s: changes of speed that count as none


class Sweeps(Pack):
    """Arrays of the sweeps; n+1 bodies, K points."""

    velocity: Floats  # (n+1, 6) velocity and spin, world
    aimed: Floats  # (n+1, 6) the same at the end of the step without contact
    inverse: Floats  # (n+1,) 1/kg, 0 for the ground
    inertia: Floats  # (n+1, 3, 3) inverse, world, 0 for the ground
    impulse: Floats  # (n+1, 6) N s and N m s, world, about the centre of mass
    awake: npt.NDArray[np.int64]  # (n+1,) the last sweep that changed a speed of the body
    joined: npt.NDArray[np.int64]  # (K, 4)
    number: Floats  # (K, 45)
    free: npt.NDArray[np.int64]  # (n+1,) 1 for bodies on which nothing but contacts and loads acts
    # Efforts that are taken implicitly, see solvers.implicit_forces: how many there are, their rows
    # (E, 6n), the velocities these give (E, 6n), what they take back per speed (E, E), scratch.
    efforts: npt.NDArray[np.int64]
    effort_row: Floats
    effort_answer: Floats
    effort_gain: Floats
    effort_speed: Floats


def new_sweeps(bodies: int, points: int, efforts: int, free: npt.NDArray[np.int64]) -> Sweeps:
    """Room for that many bodies, the ground included, points and implicit efforts."""
    size = unknowns(bodies - 1)
    return Sweeps(
        velocity=np.zeros((bodies, 6)),
        aimed=np.zeros((bodies, 6)),
        inverse=np.zeros(bodies),
        inertia=np.zeros((bodies, 3, 3)),
        impulse=np.zeros((bodies, 6)),
        awake=np.zeros(bodies, dtype=np.int64),
        joined=np.zeros((points, 4), dtype=np.int64),
        number=np.zeros((points, NUMBERS)),
        free=free,
        efforts=np.zeros(1, dtype=np.int64),
        effort_row=np.zeros((efforts, size)),
        effort_answer=np.zeros((efforts, size)),
        effort_gain=np.zeros((efforts, efforts)),
        effort_speed=np.zeros(efforts),
    )


@kernel
def set_response(Q: Sweeps, index: int) -> None:
    """Change of the velocity of A over B at a point by an impulse there, (3, 3) in a row."""
    out = Q.number[index]
    for k in range(3):
        unit = (1.0 if k == 0 else 0.0, 1.0 if k == 1 else 0.0, 1.0 if k == 2 else 0.0)
        for i in range(3):
            out[RESPONSE + 3 * i + k] = 0.0
        for side in range(2):
            body, arm = Q.joined[index, FIRST + side], out[ARM + 3 * side : ARM + 3 * side + 3]
            turn = turned(Q.inertia[body], cross(arm, unit))
            moved = cross(turn, arm)
            for i in range(3):
                out[RESPONSE + 3 * i + k] += moved[i] + Q.inverse[body] * unit[i]


@kernel
def turned(m: Matrix3, v: Vector3) -> tuple[float, float, float]:
    return dot(m[0], v), dot(m[1], v), dot(m[2], v)


@kernel
def answer(out: Floats, impulse: Vector3) -> tuple[float, float, float]:
    """The change of velocity that the response of a point gives for an impulse."""
    return (
        dot(out[RESPONSE : RESPONSE + 3], impulse), dot(out[RESPONSE + 3 : RESPONSE + 6], impulse),
        dot(out[RESPONSE + 6 : RESPONSE + 9], impulse),
    )  # fmt: skip


@kernel
def velocity_at(Q: Sweeps, index: int) -> tuple[float, float, float]:
    """Velocity of A over B at a point."""
    out = Q.number[index]
    va, vb = Q.velocity[Q.joined[index, FIRST]], Q.velocity[Q.joined[index, SECOND]]
    a, b = cross(va[3:6], out[ARM : ARM + 3]), cross(vb[3:6], out[ARM + 3 : ARM + 6])
    return va[0] + a[0] - vb[0] - b[0], va[1] + a[1] - vb[1] - b[1], va[2] + a[2] - vb[2] - b[2]


@kernel
def along_directions(out: Floats, amounts: Vector3) -> tuple[float, float, float]:
    """Vector from its parts along n, t₁, t₂."""
    d = out[DIRECTION : DIRECTION + 9]
    return (
        amounts[0] * d[0] + amounts[1] * d[FIRST_ACROSS] + amounts[2] * d[SECOND_ACROSS],
        amounts[0] * d[1] + amounts[1] * d[FIRST_ACROSS + 1] + amounts[2] * d[SECOND_ACROSS + 1],
        amounts[0] * d[2] + amounts[1] * d[FIRST_ACROSS + 2] + amounts[2] * d[SECOND_ACROSS + 2],
    )


@kernel
def give(Q: Sweeps, index: int) -> None:
    """The impulse that a point starts with, onto both bodies; the gains of its sweeps."""
    p, a, b = Q.number[index], Q.joined[index, FIRST], Q.joined[index, SECOND]
    p[EFFECTIVE_MASS] = 1.0 / (p[INVERSE] + p[COMPLIANCE])
    p[EFFECTIVE_MASS + 1], p[EFFECTIVE_MASS + 2] = 1.0 / p[INVERSE + 1], 1.0 / p[INVERSE + 2]
    x, y, z = along_directions(p, p[IMPULSE : IMPULSE + 3])
    p[ACCUMULATED], p[ACCUMULATED + 1], p[ACCUMULATED + 2] = x, y, z
    push_body(Q.velocity[a], Q.inertia[a], Q.inverse[a], p[ARM], p[ARM + 1], p[ARM + 2], x, y, z)
    push_body(
        Q.velocity[b], Q.inertia[b], Q.inverse[b], p[ARM + 3], p[ARM + 4], p[ARM + 5], -x, -y, -z
    )


@kernel
def sweep_all(Q: Sweeps, count: int, number: int) -> int:
    """One sweep over all points, there and back by turns: loads go through a heap both ways. Leaves
    out those whose bodies nothing has pushed since the sweep before. Returns how many points
    were still pushed.

    number : of the sweep, from 1
    """
    pushed = 0
    for turn in range(count):
        index = turn if number % 2 == 1 else count - 1 - turn
        a, b = Q.joined[index, FIRST], Q.joined[index, SECOND]
        if max(Q.awake[a], Q.awake[b]) < number - 1:
            continue
        if push(Q, index) > SETTLED:
            Q.awake[a] = number if a > 0 else 0
            Q.awake[b] = number if b > 0 else 0
            pushed += 1
    return pushed


@kernel
def push(Q: Sweeps, index: int) -> float:
    """One sweep over a point; returns by how much it changed a speed [m/s]. Written out in numbers:
    most of the time of quick mode goes here."""
    p, a, b = Q.number[index], Q.joined[index, FIRST], Q.joined[index, SECOND]
    va, vb, ia, ib = Q.velocity[a], Q.velocity[b], Q.inertia[a], Q.inertia[b]
    ax, ay, az = p[ARM], p[ARM + 1], p[ARM + 2]
    bx, by, bz = p[ARM + 3], p[ARM + 4], p[ARM + 5]
    vx = (
        va[0]
        + va[SPIN + 1] * az
        - va[SPIN + 2] * ay
        - vb[0]
        - vb[SPIN + 1] * bz
        + vb[SPIN + 2] * by
    )
    vy = va[1] + va[SPIN + 2] * ax - va[SPIN] * az - vb[1] - vb[SPIN + 2] * bx + vb[SPIN] * bz
    vz = va[2] + va[SPIN] * ay - va[SPIN + 1] * ax - vb[2] - vb[SPIN] * by + vb[SPIN + 1] * bx
    nx, ny, nz = p[DIRECTION], p[DIRECTION + 1], p[DIRECTION + 2]
    off = vx * nx + vy * ny + vz * nz - p[BIAS] + p[COMPLIANCE] * p[IMPULSE]
    whole = max(p[IMPULSE] - off * p[EFFECTIVE_MASS], 0.0)
    change = whole - p[IMPULSE]
    if whole == 0.0 and change == 0.0 and p[IMPULSE + 1] == 0.0 and p[IMPULSE + 2] == 0.0:
        return 0.0
    p[IMPULSE] = whole
    moved = abs(change) * p[INVERSE]
    px, py, pz = change * nx, change * ny, change * nz
    if p[LIMIT] > 0.0:
        ux, uy, uz = p[DIRECTION + 3], p[DIRECTION + 4], p[DIRECTION + 5]
        wx, wy, wz = p[DIRECTION + 6], p[DIRECTION + 7], p[DIRECTION + 8]
        vx += p[RESPONSE] * px + p[RESPONSE + 1] * py + p[RESPONSE + 2] * pz
        vy += p[RESPONSE + 3] * px + p[RESPONSE + 4] * py + p[RESPONSE + 5] * pz
        vz += p[RESPONSE + 6] * px + p[RESPONSE + 7] * py + p[RESPONSE + 8] * pz
        off_u = vx * ux + vy * uy + vz * uz - p[BIAS + 1]
        off_w = vx * wx + vy * wy + vz * wz - p[BIAS + 2]
        along = p[IMPULSE + 1] - off_u * p[EFFECTIVE_MASS + 1]
        across = p[IMPULSE + 2] - off_w * p[EFFECTIVE_MASS + 2]
        limit, square = p[LIMIT] * whole, along * along + across * across
        if square > limit * limit:
            share = limit / np.sqrt(square)
            along, across = share * along, share * across
        du, dw = along - p[IMPULSE + 1], across - p[IMPULSE + 2]
        p[IMPULSE + 1], p[IMPULSE + 2] = along, across
        moved = max(moved, max(abs(du), abs(dw)) * p[INVERSE + 1])
        px, py, pz = px + du * ux + dw * wx, py + du * uy + dw * wy, pz + du * uz + dw * wz
    if moved > 0.0:
        push_body(va, ia, Q.inverse[a], ax, ay, az, px, py, pz)
        push_body(vb, ib, Q.inverse[b], bx, by, bz, -px, -py, -pz)
        p[ACCUMULATED] += px
        p[ACCUMULATED + 1] += py
        p[ACCUMULATED + 2] += pz
    if p[RESISTANCE] > 0.0:
        moved = max(moved, resist(Q, index))
    return moved


@kernel
def push_body(
    v: Floats, inertia: Matrix3, inverse: float, rx: float, ry: float, rz: float, px: float,
    py: float, pz: float,
) -> None:  # fmt: skip
    """An impulse at an arm onto the velocity (6,) of a body."""
    mx, my, mz = ry * pz - rz * py, rz * px - rx * pz, rx * py - ry * px
    v[0] += inverse * px
    v[1] += inverse * py
    v[2] += inverse * pz
    v[SPIN] += inertia[0, 0] * mx + inertia[0, 1] * my + inertia[0, 2] * mz
    v[SPIN + 1] += inertia[1, 0] * mx + inertia[1, 1] * my + inertia[1, 2] * mz
    v[SPIN + 2] += inertia[2, 0] * mx + inertia[2, 1] * my + inertia[2, 2] * mz


@kernel
def resist(Q: Sweeps, index: int) -> float:
    """Rolling resistance: a turning impulse that stops rolling, up to its arm times the load.
    Returns by how much it changed a speed at the point [m/s]."""
    out, a, b = Q.number[index], Q.joined[index, FIRST], Q.joined[index, SECOND]
    limit, moved = out[RESISTANCE] * out[IMPULSE], 0.0
    arm_a, arm_b = out[ARM : ARM + 3], out[ARM + 3 : ARM + 6]
    arm = np.sqrt(max(dot(arm_a, arm_a) if a > 0 else 0.0, dot(arm_b, arm_b) if b > 0 else 0.0))
    for k in range(2):
        axis = out[DIRECTION + 3 + 3 * k : DIRECTION + 6 + 3 * k]
        turn_a, turn_b = turned(Q.inertia[a], axis), turned(Q.inertia[b], axis)
        off = dot(axis, Q.velocity[a, 3:6]) - dot(axis, Q.velocity[b, 3:6])
        inverse = dot(axis, turn_a) + dot(axis, turn_b)
        change = min(max(out[ROLLED + k] - off / inverse, -limit), limit) - out[ROLLED + k]
        out[ROLLED + k] += change
        moved = max(moved, abs(change) * inverse * arm)
        for i in range(3):
            Q.velocity[a, 3 + i] += change * turn_a[i]
            Q.velocity[b, 3 + i] -= change * turn_b[i]
    return moved
