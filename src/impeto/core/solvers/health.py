"""Health of a mechanism: free motions by counting and by rank, redundant rows by name, findings."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy.linalg import qr

from impeto.core.errors import ModelError
from impeto.core.mechanics.equations import place, project
from impeto.core.mechanics.system import RowName, System, build_system
from impeto.core.mechanics.tables import Workspace
from impeto.core.solvers.start import consistent_start

Floats = npt.NDArray[np.float64]
RANK_GAP = 1e-8  # rows of the start pose have singular values near 1 or near 1e-16


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
    redundant : names of dependent rows;  floating : bodies that no joint holds."""

    free: int
    driven: int
    counted: int
    redundant: tuple[RowName, ...]
    floating: tuple[str, ...]
    findings: tuple[Finding, ...]


def weighted_jacobian(system: System, S: Workspace) -> Floats:
    """(m, 6n) rows of J M^(-1/2) at the placed state, each of length 1."""
    T = system.tables
    n, m = system.moving, len(system.rows)
    full = np.zeros((m, 6 * n))
    for r in range(m):
        for side in range(2):
            body = int(T.joint_body[T.row[r, 0], side])
            if body:
                J = S.jacobian[r, 6 * side : 6 * side + 6].copy()
                J[:3] /= np.sqrt(T.mass[body])
                J[3:] = np.linalg.cholesky(T.inverse_inertia[body]).T @ J[3:]
                full[r, 6 * body - 6 : 6 * body] += J
    length = np.linalg.norm(full, axis=1, keepdims=True)
    return full / np.where(length > 0, length, 1.0)


def rank(matrix: Floats) -> int:
    """Rank by QR with column pivoting."""
    if not matrix.size:
        return 0
    diagonal = np.abs(np.diag(qr(matrix.T, mode="r", pivoting=True)[0]))
    return int((diagonal > RANK_GAP * max(diagonal.max(initial=0.0), 1e-300)).sum())


def dependent_rows(matrix: Floats) -> list[int]:
    """Rows that depend on those before them (Gram–Schmidt, done twice for accuracy)."""
    basis: list[Floats] = []
    dependent = []
    for index, row in enumerate(matrix):
        rest = row.copy()
        for _ in range(2):
            for direction in basis:
                rest -= (direction @ rest) * direction
        length = np.linalg.norm(rest)
        if length > RANK_GAP * 10:
            basis.append(rest / length)
        else:
            dependent.append(index)
    return dependent


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
        return Health(0, len(system.motions), _counted(system), (), _floating(system), (finding,))
    here = weighted_jacobian(system, S)
    rank_here = rank(here)
    nearby = _nearby(system, S, y, here)
    rank_there = rank(nearby)
    full_rank = max(rank_here, rank_there)
    matrix = nearby if rank_there > rank_here else here
    redundant = tuple(system.rows[r] for r in dependent_rows(matrix)) if len(matrix) else ()
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
        findings.append(Finding("warn", name, "no joint holds this body", "Join it or leave it"))
    free = 6 * system.moving - full_rank
    return Health(
        free, len(system.motions), _counted(system), redundant, _floating(system), tuple(findings)
    )


def _counted(system: System) -> int:
    return 6 * system.moving - len(system.rows)


def _floating(system: System) -> tuple[str, ...]:
    """Moving bodies without any path of joints to the ground."""
    held = {0}
    pairs = [tuple(int(b) for b in pair) for pair in system.tables.joint_body]
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
    geometric = matrix[T.row_motion < 0] if len(matrix) else matrix
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
    loose = build_system(replace(system.mechanism, drives=()))
    scratch = loose.workspace()
    pose = np.concatenate([moved[: 13 * system.moving], loose.start[13 * system.moving :]])
    project(loose.tables, scratch, 0.0, pose, 1e-9 * system.size, 1.0, 20, True)
    moved[: 13 * system.moving] = pose[: 13 * system.moving]
    place(T, S, 0.0, moved)
    return weighted_jacobian(system, S)
