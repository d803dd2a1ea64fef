"""How far shapes have moved and turned since the list of near pairs was made, how far they may, and
how far evaluations look."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    AXES,
    BODY,
    BOUND,
    CENTER,
    KIND,
    KNOWN,
    LISTED,
    LOOKED,
    NEARING,
    PLACE,
    SHAPE_A,
    SHAPE_B,
    THICKNESS,
)
from impeto.core.contact.features import ROUGHLY
from impeto.core.contact.fields import BALL, CAPSULE, CONE, PIPE, ROUND
from impeto.core.dynamics.columns import Quick, Sensor
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.state import motion_at, unknown_at
from impeto.core.dynamics.tables import SENSE_GAP, Tables, Workspace
from impeto.core.dynamics.vectors import cross, dot, is_away
from impeto.core.geometry.arrays import Floats, Ints, Vector3

STEPS_SEEN, LEAST_SEEN = 4.0, 0.02  # steps that an evaluation looks ahead; of the margin
QUICK_STEPS_SEEN = 2.0  # the same of quick mode
BESIDE = 0.03  # of the extent: near a point
ENDLESS = 1e5  # m, beyond which a shape counts as without end
MOVES, QUICK_MOVES = 0.25, 0.4  # of the margin: how far every shape may move
TURNS = 1.0  # of the margin: how far its surface may turn, at least
FARTHEST = 0.56  # of the margin: two that go as far may meet though they are not listed
UNSEEN = 0.02  # of the thinner one: how deep a place of contact may be when it is found
EARLY = 0.5  # of that, when the list is made anew, so that steps need not become short before


@kernel
def set_allowances(T: Tables, S: Workspace, margin: float, moving: float, turning: float) -> None:
    """How far each shape may move beyond its share of the margin, and how far its surface may
    turn, before a list that is made now is to be made anew: S.near_further, S.near_turning [m].

    moving, turning : s of travel at the present speeds
    """
    for shape in range(T.shape.shape[0]):
        bound = T.shape_value[shape, BOUND]
        S.near_further[shape] = moving * size_of(center_velocity(T, S, shape))
        around = turning * turning_speed(T, S, shape, spin_of(T, S, shape))
        S.near_turning[shape] = max(TURNS * margin, around)
        if T.shape[shape, BODY] == 0:
            S.near_turning[shape] = 0.0
        elif S.near_turning[shape] >= 2.0 * bound or bound >= ENDLESS:
            S.near_turning[shape] = np.inf  # wherever it turns, it is in its ball


@kernel
def size_of(u: Vector3) -> float:
    return np.sqrt(dot(u, u))


@kernel
def reach_of(T: Tables, shape: int) -> float:
    """How far [m] a shape reaches from the centre of mass of its body, at most."""
    return T.shape_value[shape, BOUND] + size_of(T.shape_value[shape, CENTER : CENTER + 3])


@kernel
def center_velocity(T: Tables, S: Workspace, shape: int) -> tuple[float, float, float]:
    """Velocity (3,) [m/s], world, of the centre of a shape."""
    body, place = T.shape[shape, BODY], S.shape_place[shape]
    arm = (place[0] - S.x[body, 0], place[1] - S.x[body, 1], place[2] - S.x[body, 2])
    turning, v = cross(S.spin[body], arm), S.v[body]
    return v[0] + turning[0], v[1] + turning[1], v[2] + turning[2]


@kernel
def turning_speed(T: Tables, S: Workspace, shape: int, spin: Vector3) -> float:
    """The fastest [m/s] that a point of the surface moves as the shape turns about its centre at a
    spin (3,) [rad/s], world; turning that leaves the shape as it is does not count."""
    kind, bound, place = T.shape[shape, KIND], T.shape_value[shape, BOUND], S.shape_place[shape]
    along = 0.0
    if kind == BALL or bound >= ENDLESS:
        return 0.0
    if is_round(kind):
        along = spin[0] * place[AXES + 2] + spin[1] * place[AXES + 5] + spin[2] * place[AXES + 8]
    return bound * np.sqrt(max(dot(spin, spin) - along * along, 0.0))


@kernel
def spin_of(T: Tables, S: Workspace, shape: int) -> tuple[float, float, float]:
    """Spin (3,) [rad/s], world, of the body of a shape."""
    w = S.spin[T.shape[shape, BODY]]
    return w[0], w[1], w[2]


@kernel
def motion_against(T: Tables, S: Workspace, a: int, b: int) -> tuple[Vector3, Vector3]:
    """Velocity of the centre of shape A [m/s] against B, and spin [rad/s]: two (3,), world."""
    body_b, place = T.shape[b, BODY], S.shape_place[a]
    va = center_velocity(T, S, a)
    arm = (place[0] - S.x[body_b, 0], place[1] - S.x[body_b, 1], place[2] - S.x[body_b, 2])
    wa, wb = spin_of(T, S, a), spin_of(T, S, b)
    vb = cross(wb, arm)
    u = (
        va[0] - S.v[body_b, 0] - vb[0], va[1] - S.v[body_b, 1] - vb[1],
        va[2] - S.v[body_b, 2] - vb[2],
    )  # fmt: skip
    return u, (wa[0] - wb[0], wa[1] - wb[1], wa[2] - wb[2])


@kernel
def closing_bound(T: Tables, S: Workspace, a: int, b: int) -> float:
    """The fastest [m/s] that a point of shape A can near shape B."""
    u, against = motion_against(T, S, a, b)
    return size_of(u) + turning_speed(T, S, a, against)


@kernel
def gaining_bound(T: Tables, S: Workspace, shape: int) -> float:
    """The largest acceleration [m/s²] of a point of a shape by the forces of the last evaluation,
    that of its turning round left out."""
    body = T.shape[shape, BODY]
    if body == 0:
        return 0.0
    a = S.solution[unknown_at(body) : unknown_at(body + 1)]
    around = min(reach_of(T, shape), ENDLESS) * np.sqrt(dot(a[3:6], a[3:6]))
    return np.sqrt(dot(a[0:3], a[0:3])) + around


@kernel
def time_to_go(way: float, speed: float, gaining: float) -> float:
    """The least time [s] for a way [m] from a speed [m/s] that grows by an acceleration [m/s²]."""
    if way <= 0.0:
        return 0.0
    pace = speed + np.sqrt(speed * speed + 2.0 * gaining * way)
    return 2.0 * way / pace if pace > 0.0 else np.inf


@kernel
def speed_at(T: Tables, S: Workspace, a: int, b: int, point: Vector3) -> float:
    """The fastest [m/s] that points of A go past B at a point (3,), world, or near it."""
    body_a, body_b, size = T.shape[a, BODY], T.shape[b, BODY], 0.0
    arm_a = (point[0] - S.x[body_a, 0], point[1] - S.x[body_a, 1], point[2] - S.x[body_a, 2])
    arm_b = (point[0] - S.x[body_b, 0], point[1] - S.x[body_b, 1], point[2] - S.x[body_b, 2])
    va, vb, against = cross(S.spin[body_a], arm_a), cross(S.spin[body_b], arm_b), 0.0
    for k in range(3):
        size += (S.v[body_a, k] + va[k] - S.v[body_b, k] - vb[k]) ** 2
        against += (S.spin[body_a, k] - S.spin[body_b, k]) ** 2
    return np.sqrt(size) + BESIDE * T.shape_value[a, BOUND] * np.sqrt(against)


@kernel
def until_touch(T: Tables, S: Workspace, row: Ints, patch: Floats, gap: float) -> float:
    """Time [s] in which surfaces do not close a gap [m] near a place, wherever they slide to."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    speed = speed_at(T, S, a, b, patch[PLACE : PLACE + 3])
    gaining = 0.0 if S.quick[Quick.MODE] > 0.0 else gaining_bound(T, S, a) + gaining_bound(T, S, b)
    return time_to_go(gap, speed, gaining)


@kernel
def unseen_of(T: Tables, row: Ints) -> float:
    """How deep [m] a place may be when it is found."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    return UNSEEN * min(T.shape_value[a, THICKNESS], T.shape_value[b, THICKNESS])


@kernel
def is_round(kind: int) -> bool:
    """Whether shapes of a kind look the same however they are turned about their z axis."""
    return kind == ROUND or kind == PIPE or kind == CAPSULE or kind == CONE


@kernel
def turned(T: Tables, S: Workspace, shape: int) -> float:
    """How far [m] a point of the surface has moved, at most, by the turning since the list."""
    kind, now, then = T.shape[shape, KIND], S.shape_place[shape], S.near_from[shape]
    square = 0.0
    if kind == BALL or T.shape_value[shape, BOUND] >= ENDLESS:
        return 0.0
    if is_round(kind):
        for k in range(5, 12, 3):
            square += (now[k] - then[k]) ** 2
    else:
        square = 3.0  # (2 sin of half the angle)² by the trace of the rotation
        for k in range(3, 12):
            square -= now[k] * then[k]
    return T.shape_value[shape, BOUND] * np.sqrt(max(square, 0.0))


@kernel
def travel_left(T: Tables, S: Workspace) -> float:
    """Time [s] for which the list of near pairs stays good at the present speeds (and but in quick
    mode accelerations: what is thrown up would else fall through what lies below).

    Notes in S.near_count[1] when so much of what shapes may move is used up that a pair which is
    not in the list may soon come within reach.
    """
    margin, quick = S.near_margin[LISTED], S.quick[Quick.MODE] > 0.0
    may = max(MOVES * margin, 0.45 * (margin - S.near_margin[LOOKED]))
    share, ahead, left = EARLY, 0.0, np.inf
    if quick:  # what is fast is seen from further off
        may, share, ahead = QUICK_MOVES * margin, 1.0, QUICK_STEPS_SEEN * S.quick[Quick.STEP]
    for shape in range(T.shape.shape[0]):
        if T.shape[shape, BODY] == 0:
            continue
        square, place = 0.0, S.shape_place[shape]
        for k in range(3):
            square += (place[k] - S.near_from[shape, k]) ** 2
        moved, speed = np.sqrt(square), size_of(center_velocity(T, S, shape))
        around = turned(T, S, shape)
        turning = turning_speed(T, S, shape, spin_of(T, S, shape))
        most = S.near_turning[shape]
        if moved + ahead * speed > may + S.near_further[shape]:
            S.near_count[1] = 1
        if around + ahead * turning > share * most:
            S.near_count[1] = 1
        gaining = 0.0 if quick else gaining_bound(T, S, shape)
        left = min(left, time_to_go(max(0.5 * margin - moved, 0.05 * margin), speed, gaining))
        if most < np.inf:
            way = max(most - around, 0.05 * margin)
            left = min(left, time_to_go(way, turning, gaining if turning > 0.0 else 0.0))
    return left


@kernel
def passed_unseen(T: Tables, S: Workspace) -> bool:
    """Whether a step has taken shapes into each other that no evaluation before it looked at, or
    has taken a shape so far that what it met may not be listed.

    By the accelerations at its start the step was short enough; they may have grown in it.
    """
    for index in range(S.near_count[0]):
        row = S.near[index]
        if S.near_start[index] > S.near_margin[LOOKED] and S.near_gap[index] < -unseen_of(T, row):
            return True
    for shape in range(T.shape.shape[0]):
        square, place = 0.0, S.shape_place[shape]
        for k in range(3):
            square += (place[k] - S.near_from[shape, k]) ** 2
        if T.shape[shape, BODY] > 0 and square > (FARTHEST * S.near_margin[LISTED]) ** 2:
            return True
    return False


@kernel
def set_reach(T: Tables, S: Workspace, h: float) -> None:
    """How far [m] evaluations look in steps of about h seconds: what is further apart does not
    meet in some of them, and costs little. Events may watch gaps as far as the list goes, and
    places of sampled surfaces are sought as far as that."""
    S.near_margin[LOOKED], S.near_margin[NEARING] = S.near_margin[LISTED], np.inf
    for sensor in range(T.sensor.shape[0]):
        if T.sensor[sensor, Sensor.KIND] == SENSE_GAP:
            return
    fastest = 0.0
    for shape in range(T.shape.shape[0]):
        body, bound = T.shape[shape, BODY], T.shape_value[shape, BOUND]
        if body == 0 or bound > ENDLESS or is_away(T, S, body):
            continue
        speed = size_of(S.v[body]) + h * size_of(
            S.solution[unknown_at(body) : unknown_at(body) + 3]
        )
        fastest = max(fastest, speed + size_of(S.spin[body]) * reach_of(T, shape))
    S.near_margin[NEARING] = 2.0 * fastest
    if T.sample.shape[0] > 0:
        return
    for index in range(S.near_count[0]):
        a, b = S.near[index, SHAPE_A], S.near[index, SHAPE_B]
        if T.shape_value[b, BOUND] > ENDLESS and T.shape[b, BODY] > 0:  # what swings far out
            fastest = max(fastest, closing_bound(T, S, a, b))
    wanted = max(STEPS_SEEN * h * 2.0 * fastest, LEAST_SEEN * S.near_margin[LISTED])
    S.near_margin[LOOKED] = min(S.near_margin[LISTED], wanted)


@kernel
def look_ahead(T: Tables, S: Workspace, y: Floats, h: float, fallen: float) -> None:
    """How far [m] evaluations of quick mode look: as far as two bodies can come nearer within
    QUICK_STEPS_SEEN steps of h seconds.

    fallen : m/s, gained by a fall meanwhile
    """
    n = T.mass.shape[0] - 1
    fastest = second = 0.0
    for shape in range(T.shape.shape[0]):
        body, bound = T.shape[shape, BODY], T.shape_value[shape, BOUND]
        if body == 0 or bound > ENDLESS or is_away(T, S, body):
            continue
        u = motion_at(n, body)
        speed = size_of(y[u : u + 3]) + reach_of(T, shape) * size_of(y[u + 3 : u + 6])
        if speed > fastest:
            fastest, second = speed, fastest
        elif speed > second:
            second = speed
    reach = QUICK_STEPS_SEEN * h * (fastest + second + fallen)
    S.near_margin[LOOKED], S.near_margin[KNOWN] = reach, ROUGHLY
