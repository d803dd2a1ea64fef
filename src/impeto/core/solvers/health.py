"""Health of a mechanism: free motions by counting and by rank, redundant rows by name, findings."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from impeto.core.assembly.build import build_system, without_drives
from impeto.core.assembly.equations import place
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact.columns import BODY
from impeto.core.drives.columns import Effort
from impeto.core.drives.data import DriveData
from impeto.core.dynamics.columns import Coordinate, Row
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.state import SPEED, all_bodies, extras_at, pose_at, unknown_at, unknowns
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import Workspace
from impeto.core.errors import ModelError
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.solvers.initial_conditions import consistent_start
from impeto.core.solvers.projection import project_fresh
from impeto.core.solvers.rank import Freedom, Sparse, dependent_rows, weighted_jacobian

Floats = npt.NDArray[np.float64]
MOVED = 1e-11  # square of the part that a body must have in a motion to count as moved by it
TRIED = 3  # motions at random


@dataclass(frozen=True, slots=True)
class Finding:
    """severity: 'bad' stops a run, 'warn' is worth a look, 'note' is for information."""

    severity: str
    element: str
    message: str
    remedy: str = ""


@dataclass(frozen=True, slots=True)
class Health:
    """free : motions left by rank;  driven : motions that drives prescribe;
    counted : free motions by formula (6 per body − rows);
    redundant : names of dependent rows;  floating : bodies that nothing holds;
    loose : bodies that free motions move;  led : bodies that drives alone move;
    singular : whether the start has another rank than a pose near it."""

    free: int
    driven: int
    counted: int
    redundant: tuple[RowName, ...]
    floating: tuple[str, ...]
    loose: tuple[str, ...]
    led: tuple[str, ...]
    findings: tuple[Finding, ...]
    singular: bool = False


def examine(system: System) -> Health:
    """Free motions and redundant constraints at the start and at a nearby pose.

    A row counts as redundant only where it depends on the others at both, so that a singular pose
    is not mistaken for a redundancy.
    """
    S = workspace_of(system)
    try:
        y = consistent_start(system, S).state
    except ModelError as error:
        finding = Finding("bad", error.element, error.problem, error.remedy)
        return Health(
            0, len(system.motions), _counted(system), (), _floating(system), (), (), (finding,)
        )
    here = weighted_jacobian(system, S)
    nearby = _nearby(system, S, y, here)
    dependent, there = dependent_rows(here), dependent_rows(nearby)
    singular = len(dependent) != len(there)
    names = [system.rows[r] for r in system.constraints]
    fewer = min(dependent, there, key=len)
    redundant = tuple(names[r] for r in fewer)
    findings = []
    if singular:
        findings.append(
            Finding(
                "warn",
                "",
                "the start pose is singular: a nearby pose has another number of free motions",
                "Start a little away from it",
            )
        )
    for name in _floating(system):
        findings.append(Finding("warn", name, "nothing holds this body", "Join it or leave it"))
    free = unknowns(system.moving) - (len(names) - len(fewer))
    # At a dead point some bodies stand still for an instant: the nearby pose tells.
    loose = _movable(system, Freedom(nearby, there))
    driven = Freedom(nearby[~_prescribed(system)])
    for name, freedom in _in_vain(system, S, driven):
        findings.append(
            Finding(
                "warn", name,
                f"it pushes along {freedom}, in which nothing is free to move",
                "Choose another freedom, or free what holds it",
            )
        )  # fmt: skip
    led = [name for name in _movable(system, driven) if name not in set(loose)]
    return Health(
        free, len(system.motions), _counted(system), redundant, _floating(system),
        loose, tuple(led), tuple(findings), singular,
    )  # fmt: skip


def _prescribed(system: System) -> npt.NDArray[np.bool_]:
    """(k,) which constraint rows are motions that drives prescribe."""
    return np.asarray(system.tables.row[system.constraints, Row.MOTION] >= 0)


def _movable(system: System, freedom: Freedom) -> tuple[str, ...]:
    """Bodies that move in some motion that is left free: in one of a few at random."""
    chance, most = np.random.default_rng(1), np.zeros(system.moving)
    for _ in range(TRIED):
        free = freedom.motion(chance.normal(size=unknowns(system.moving)))
        most = np.maximum(most, (free.reshape(-1, 6) ** 2).sum(axis=1))
    bodies = system.mechanism.bodies[1:]
    return tuple(body.name for body, square in zip(bodies, most, strict=True) if square > MOVED)


def _in_vain(system: System, S: Workspace, freedom: Freedom) -> list[tuple[str, str]]:
    """Drives that push along a coordinate which other joints hold, at the placed state, with what
    that is called."""
    T, found = system.tables, list[tuple[str, str]]()
    chance = np.random.default_rng(1)
    motions = [freedom.motion(chance.normal(size=unknowns(system.moving))) for _ in range(TRIED)]
    for effort in T.effort:
        c = int(effort[Effort.COORDINATE])
        row = np.zeros(unknowns(system.moving))
        for side, body in enumerate(T.joint_body[int(T.coordinate[c, Coordinate.JOINT])]):
            if body > 0:
                unit = S.gradient[c, SPEED * side : SPEED * (side + 1)]
                root = np.linalg.cholesky(T.inverse_inertia[body])
                at = unknown_at(int(body))
                row[at : at + 3] = unit[:3] / np.sqrt(T.mass[body])
                row[at + 3 : at + 6] = (unit[3:] @ S.rotation[body]) @ root
        if max(float(row @ motion) ** 2 for motion in motions) < MOVED * float(row @ row):
            drive = system.mechanism.of(DriveData)[int(effort[Effort.DRIVE])]
            joint = system.mechanism.joints[drive.joint]
            found.append((drive.name, f"{FREEDOMS[drive.freedom]} of {joint.name}"))
    return found


def _counted(system: System) -> int:
    return unknowns(system.moving) - len(system.constraints)


def _floating(system: System) -> tuple[str, ...]:
    """Moving bodies without any path to the ground of joints, bushings, straight elements or rules
    by which they may touch."""
    T = system.tables
    may_touch = np.unique(T.shape[np.argwhere(T.pairing >= 0), BODY], axis=0)
    groups = [T.joint_body, T.bushing[:, :2], T.link[:, :2], may_touch]
    a, b = np.concatenate([group.reshape(-1, 2) for group in groups]).astype(np.int64).T
    count = len(system.mechanism.bodies)
    joined = coo_array((np.ones(len(a)), (a, b)), shape=(count, count))
    _, part = connected_components(joined, directed=False)
    bodies = system.mechanism.bodies
    return tuple(body.name for row, body in enumerate(bodies) if part[row] != part[0])


def _nearby(system: System, S: Workspace, y: Floats, matrix: Sparse) -> Sparse:
    """Rows at a pose a little along the free motions, or here where there are none.

    Prescribed motions are taken out for the move, so that a driven machine moves too.
    """
    T = system.tables
    freedom = Freedom(matrix[~_prescribed(system)])
    if freedom.rows.shape[0] == matrix.shape[1]:
        return matrix
    direction = freedom.motion(np.random.default_rng(1).normal(size=unknowns(system.moving)))
    moved = y.copy()
    for body in range(system.moving):
        step = direction[unknown_at(body + 1) : unknown_at(body + 2)]
        length = 0.03 * system.size
        root = np.linalg.cholesky(T.inverse_inertia[body + 1])
        moved[pose_at(body + 1) : pose_at(body + 1) + 3] += (
            length * step[:3] / np.sqrt(T.mass[body + 1])
        )
        turn = 0.5 * length * (root @ step[3:])
        w, x, yy, z = moved[pose_at(body + 1) + 3 : pose_at(body + 1) + 7]
        a, b, c = turn
        moved[pose_at(body + 1) + 3 : pose_at(body + 1) + 7] += [
            -x * a - yy * b - z * c,
            w * a + yy * c - z * b,
            w * b + z * a - x * c,
            w * c + x * b - yy * a,
        ]
    loose = system
    if system.motions:
        loose = build_system(without_drives(system.mechanism))
    scratch = workspace_of(loose)
    n = system.moving
    pose = np.concatenate([moved[all_bodies(n)], loose.start[extras_at(n) :]])
    project_fresh(loose.tables, scratch, 0.0, pose, 1e-9 * system.size, 20)
    moved[all_bodies(n)] = pose[all_bodies(n)]
    place(T, S, 0.0, moved)
    return weighted_jacobian(system, S)
