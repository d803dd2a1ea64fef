"""A consistent start: bodies as drawn or posed, brought onto the constraints, then velocities."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import move, place
from impeto.core.assembly.workspace import workspace_of
from impeto.core.drives.columns import Motion
from impeto.core.drives.data import DriveData
from impeto.core.dynamics.state import all_bodies, all_speeds, extras_at, unknown_at
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import BY_ACCELERATION, BY_SPEED, Tables, Workspace
from impeto.core.errors import GapError
from impeto.core.model import units
from impeto.core.solvers.projection import least_movement, project_fresh

Floats = npt.NDArray[np.float64]
CLOSE = 1e-2  # gaps up to this share of the mechanism's size are closed without asking
ROUNDS = 120  # of Newton's method when a mechanism is posed
LARGEST_STEP = 0.25  # of the size, or rad: how far a body moves in one of them
HEAVY = 1e6  # times its mass: how much less a body moves that is to stay in place


@dataclass(frozen=True, slots=True)
class Touching:
    """Points of contact of the same shapes in another run: its tables, workspace and state."""

    tables: Tables
    workspace: Workspace
    state: Floats


@dataclass(frozen=True, slots=True)
class Start:
    """state : consistent state at time zero;  moved [m] : the largest gap that was closed
    notes : what was changed to make the start consistent, for people
    touching : what has come to rest on each other
    turned : (C,) coordinates, whole turns counted; None: within half a turn of the drawing
    """

    state: Floats
    moved: float
    notes: tuple[str, ...] = ()
    touching: Touching | None = None
    turned: Floats | None = None


def turns_in(other: System, system: System, start: Start) -> Floats:
    """(C,) coordinates of the start of a system, whole turns counted, in the rows of another system
    of the same joints; zero for those that the first does not have."""
    found = np.zeros(len(other.tables.coordinate))
    for key, row in other.coordinates.items():
        if start.turned is not None and key in system.coordinates:
            found[row] = start.turned[system.coordinates[key]]
    return found


def row_gaps(system: System, state: Floats, S: Workspace) -> Floats:
    """Residual of every row as written [m; turns times the mechanism's size]."""
    place(system.tables, S, 0.0, state)
    return S.residual.copy()


def consistent_start(system: System, S: Workspace, strict: bool = True) -> Start:
    """Bring the start as written onto the constraints.

    Gaps in the drawing are closed where they are small; a start pose and start values may move
    bodies far, by the least movement. Raises GapError naming the joint that stays apart; with
    strict false it keeps what comes nearest.
    """
    y = system.start.copy()
    set_references(system, S, y)
    gaps = np.abs(row_gaps(system, y, S))
    posed = bool(system.mechanism.starts)
    apart = np.flatnonzero(gaps > CLOSE * system.size)
    if len(apart) and not posed and strict:
        raise _apart(system, int(apart[np.argmax(gaps[apart])]), gaps)
    before = y.copy()
    helper = build_system(system.mechanism, starts=True) if posed else system
    y, turned = _assembled(helper, system, y)
    for key, row in system.coordinates.items():
        S.turned[row] = turned[helper.coordinates[key]]
    set_references(system, S, y)
    left = project_fresh(system.tables, S, 0.0, y, 1e-14 * system.size, 30)
    if not left <= 1e-10 * system.size and strict:
        gaps = np.abs(row_gaps(system, y, S))
        raise _apart(system, int(np.argmax(gaps)), gaps)
    S.turned[:] = S.coordinate
    S.along[:] = S.track[:, 0]
    notes = tuple(_changes(system, before, y))
    return Start(y, float(gaps.max(initial=0.0)), notes, turned=S.coordinate.copy())


def _assembled(helper: System, system: System, y: Floats) -> tuple[Floats, Floats]:
    """State with bodies moved by Newton's method, and the coordinates of the helper there, whole
    turns counted; the helper may have rows for start values."""
    n, T, S = system.moving, helper.tables, workspace_of(helper)
    state = np.concatenate([y[all_bodies(n)], helper.start[extras_at(n) :]])
    set_references(helper, S, state)
    T = heavier(helper)
    S.kkt[:] = T.kkt_value
    for _ in range(ROUNDS):
        place(T, S, 0.0, state)
        if np.abs(S.residual).max(initial=0.0) <= 1e-13 * system.size:
            break
        step = least_movement(T, S, -S.residual).reshape(n, 6)
        largest = max(np.abs(step[:, :3]).max() / system.size, np.abs(step[:, 3:]).max())
        share = min(1.0, LARGEST_STEP / max(largest, 1e-300))
        move(state, share * step.ravel(), n)
        S.turned[:] = S.coordinate
        S.along[:] = S.track[:, 0]
    if np.abs(S.residual).max(initial=0.0) > 1e-9 * system.size and helper is not system:
        asked = [r for r, name in enumerate(helper.rows) if name.role == "start"]
        worst = max(asked, key=lambda r: abs(float(S.residual[r])))
        raise _apart(helper, worst, np.abs(S.residual))
    place(T, S, 0.0, state)
    for _ in range(3):
        state[all_speeds(n)] += least_movement(T, S, -S.residual_rate)
        place(T, S, 0.0, state)
    result = y.copy()
    result[all_bodies(n)] = state[all_bodies(n)]
    return result, S.coordinate.copy()


def heavier(system: System):  # type: ignore[no-untyped-def]
    """Tables in which bodies that are to stay in place are heavy."""
    T = system.tables
    value = T.kkt_value.copy()
    for row, body in enumerate(system.mechanism.bodies[1:]):
        if body.kept:
            value[T.kkt_column[unknown_at(row + 1)] : T.kkt_column[unknown_at(row + 2)]] *= HEAVY
    return T.replaced(kkt_value=value)


def _changes(system: System, before: Floats, after: Floats) -> list[str]:
    """What was done to start speeds that did not fit the joints."""
    n = system.moving
    speeds = [state[all_speeds(n)].reshape(n, 6) for state in (before, after)]
    notes = _carried_along(system, *speeds)
    if not before[all_speeds(n)].any():
        return notes  # nothing was asked for
    fastest = float(np.abs(speeds[0]).max())
    scale = max(1.0, system.size) * fastest
    for row, (old, new) in enumerate(zip(*speeds, strict=True)):
        change = max(np.abs(new - old)[:3].max(), system.size * np.abs(new - old)[3:].max())
        if old.any() and change > 1e-6 * scale:
            name = system.mechanism.bodies[row + 1].name
            slide, turn = (float(np.linalg.norm(part)) for part in np.split(new - old, 2))
            by = [units.shown(slide, "speed")] if slide > 1e-6 * scale else []
            if system.size * turn > 1e-6 * scale:
                by.append(units.shown(turn, "angular speed"))
            notes.append(
                f"The start speed of {name} did not fit its joints: changed by {' and '.join(by)}."
            )
    return notes


def _carried_along(system: System, before: Floats, after: Floats) -> list[str]:
    """Bodies that nobody gave a speed, and that start moving as nothing holds them against the
    speed asked for between them and another."""
    m, notes = system.mechanism, list[str]()
    asked = {start.joint for start in m.starts if start.speed}
    asked |= {
        d.joint for d in m.of(DriveData) if d.prescribes in ("position", "speed", "acceleration")
    }
    ends = {
        joint: tuple(m.frames[f].body for f in (m.joints[joint].frame_a, m.joints[joint].frame_b))
        for joint in sorted(asked)
    }
    led, grown = {0}, True  # by joints that are asked for, from the ground on
    while grown:
        grown = False
        for pair in ends.values():
            if len(led & set(pair)) == 1:
                led, grown = led | set(pair), True
    for joint, (a, b) in ends.items():
        data = m.joints[joint]
        if a in led or b == 0:
            continue
        old, new = before[a - 1], after[a - 1]
        if old.any() or m.bodies[a].kept or not _moves(new, after, system.size):
            continue
        slide = units.shown(float(np.linalg.norm(new[:3])), "speed")
        turn = units.shown(float(np.linalg.norm(new[3:])), "angular speed")
        notes.append(
            f"The start speed in {data.name} also moves {m.bodies[a].name}, by {slide} and {turn}, "
            "as nothing holds that: keep it in place, or give it the speed that it has."
        )
    return notes


def _moves(speed: Floats, every: Floats, size: float) -> bool:
    scale = np.array([1.0, 1.0, 1.0, size, size, size])
    return bool(np.abs(speed * scale).max() > 1e-6 * np.abs(every * scale).max())


def set_references(system: System, S: Workspace, y: Floats) -> None:
    """Prescribed speeds and accelerations start from where the bodies have the freedom."""
    place(system.tables, S, 0.0, y)
    first = extras_at(system.moving)
    for motion in system.tables.motion:
        coordinate, kind = motion[Motion.COORDINATE], motion[Motion.KIND]
        state = motion[Motion.STATE]
        if kind >= BY_SPEED:
            y[first + state] = S.coordinate[coordinate]
        if kind == BY_ACCELERATION:
            y[first + state + 1] = S.rate[coordinate]


def _apart(system: System, row: int, gaps: Floats) -> GapError:
    name = system.rows[row]
    turning = name.freedom.startswith("turn")
    if turning:
        amount = units.shown(gaps[row] / system.size, "angle")
    else:
        amount = units.shown(gaps[row], "length")
    if name.role == "start":
        return GapError(
            f"the start value of {name.freedom} cannot be reached, {amount} are missing",
            element=name.owner,
            remedy="Choose another start value, or free a motion elsewhere",
        )
    return GapError(
        f"its frames are {amount} apart in {name.freedom}",
        element=name.owner,
        remedy="Move a frame or a body so that they meet, or free that motion",
    )
