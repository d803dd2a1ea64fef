"""Health of a mechanism: free motions by counting and by rank, redundant rows by name, findings."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.linalg import qr

from impeto.core.errors import ModelError
from impeto.core.mechanics.contact.columns import BODY
from impeto.core.mechanics.equations import place
from impeto.core.mechanics.names import RowName
from impeto.core.mechanics.system import System, build_system, without_drives
from impeto.core.mechanics.tables import Workspace
from impeto.core.solvers.projection import project_fresh
from impeto.core.solvers.rank import RANK_GAP, dependent_rows, rank, weighted_jacobian
from impeto.core.solvers.start import consistent_start

Floats = npt.NDArray[np.float64]
MOVED = 1e-11  # share of a motion that a body must have to count as moved by it


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
    S = system.workspace()
    try:
        y = consistent_start(system, S).state
    except ModelError as error:
        finding = Finding("bad", error.element, error.problem, error.remedy)
        return Health(
            0, len(system.motions), _counted(system), (), _floating(system), (), (), (finding,)
        )
    here = weighted_jacobian(system, S)
    rank_here = rank(here)
    nearby = _nearby(system, S, y, here)
    rank_there = rank(nearby)
    full_rank = max(rank_here, rank_there)
    matrix = nearby if rank_there > rank_here else here
    names = [system.rows[r] for r in system.constraints]
    redundant = tuple(names[r] for r in dependent_rows(matrix)) if len(matrix) else ()
    findings = []
    if rank_there != rank_here:
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
    free = 6 * system.moving - full_rank
    # At a dead point some bodies stand still for an instant: the nearby pose tells.
    loose = _movable(system, nearby)
    led = [name for name in _movable(system, nearby[~_prescribed(system)]) if name not in loose]
    return Health(
        free, len(system.motions), _counted(system), redundant, _floating(system),
        loose, tuple(led), tuple(findings), rank_there != rank_here,
    )  # fmt: skip


def _prescribed(system: System) -> npt.NDArray[np.bool_]:
    """(k,) which constraint rows are motions that drives prescribe."""
    return np.asarray(system.tables.row[system.constraints, 7] >= 0)


def _movable(system: System, matrix: Floats) -> tuple[str, ...]:
    """Bodies that the rows (k, 6n) leave some motion: their six directions are not all in the
    span of the rows."""
    bodies = system.mechanism.bodies[1:]
    if not len(matrix):
        return tuple(body.name for body in bodies)
    Q, R, _ = qr(matrix.T, mode="economic", pivoting=True)
    span = Q[:, : int((np.abs(np.diag(R)) > RANK_GAP).sum())]
    held = (span**2).sum(axis=1).reshape(len(bodies), 6).sum(axis=1)
    return tuple(body.name for body, of_six in zip(bodies, held, strict=True) if of_six < 6 - MOVED)


def _counted(system: System) -> int:
    return 6 * system.moving - len(system.constraints)


def _floating(system: System) -> tuple[str, ...]:
    """Moving bodies without any path to the ground of joints, bushings, straight elements or rules
    by which they may touch."""
    held = {0}
    T = system.tables
    may_touch = np.unique(T.shape[np.argwhere(T.pairing >= 0), BODY], axis=0)
    joined = [T.joint_body, T.bushing[:, :2], T.link[:, :2], may_touch]
    pairs = [tuple(int(b) for b in pair) for group in joined for pair in group]
    while True:
        grown = held | {b for pair in pairs if held & set(pair) for b in pair}
        if grown == held:
            break
        held = grown
    bodies = system.mechanism.bodies
    return tuple(body.name for row, body in enumerate(bodies) if row not in held)


def _nearby(system: System, S: Workspace, y: Floats, matrix: Floats) -> Floats:
    """Rows at a pose a little along the free motions, or here where there are none.

    Prescribed motions are taken out for the move, so that a driven machine moves too.
    """
    T = system.tables
    geometric = matrix[~_prescribed(system)]
    _, values, vectors = (
        np.linalg.svd(geometric, full_matrices=True)
        if len(geometric)
        else (None, np.zeros(0), np.eye(6 * system.moving))
    )
    null = vectors[int((values > RANK_GAP).sum()) :]
    if not len(null):
        return matrix
    direction = np.random.default_rng(1).normal(size=len(null)) @ null
    moved = y.copy()
    for body in range(system.moving):
        step = direction[6 * body : 6 * body + 6]
        length = 0.03 * system.size
        root = np.linalg.cholesky(T.inverse_inertia[body + 1])
        moved[7 * body : 7 * body + 3] += length * step[:3] / np.sqrt(T.mass[body + 1])
        turn = 0.5 * length * (root @ step[3:])
        w, x, yy, z = moved[7 * body + 3 : 7 * body + 7]
        a, b, c = turn
        moved[7 * body + 3 : 7 * body + 7] += [
            -x * a - yy * b - z * c,
            w * a + yy * c - z * b,
            w * b + z * a - x * c,
            w * c + x * b - yy * a,
        ]
    loose = build_system(without_drives(system.mechanism))
    scratch = loose.workspace()
    pose = np.concatenate([moved[: 13 * system.moving], loose.start[13 * system.moving :]])
    project_fresh(loose.tables, scratch, 0.0, pose, 1e-9 * system.size, 20)
    moved[: 13 * system.moving] = pose[: 13 * system.moving]
    place(T, S, 0.0, moved)
    return weighted_jacobian(system, S)
