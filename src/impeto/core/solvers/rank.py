"""Jacobians as full matrices, their rank, and which of their rows depend on others."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.linalg import qr

from impeto.core.mechanics.system import System
from impeto.core.mechanics.tables import Workspace

Floats = npt.NDArray[np.float64]
RANK_GAP = 1e-8  # rows of the start pose have singular values near 1 or near 1e-16


def full_jacobian(system: System, S: Workspace) -> Floats:
    """(m, 6n) rows at the placed state, couplers included."""
    T = system.tables
    full = np.zeros((len(system.rows), 6 * system.moving))
    listed = [(r, T.row[r, 0], S.jacobian[r]) for r in range(len(T.row))]
    listed += [(r, T.coordinate[c, 0], S.term_jacobian[q]) for q, (r, c) in enumerate(T.term)]
    for r, joint, jacobian in listed:
        for side in range(2):
            body = int(T.joint_body[joint, side])
            if body:
                full[r, 6 * body - 6 : 6 * body] += jacobian[6 * side : 6 * side + 6]
    return full


def weighted_jacobian(system: System, S: Workspace) -> Floats:
    """(k, 6n) constraint rows of J M^(-1/2) at the placed state, each of length 1; friction, locks
    and rotors left out."""
    T = system.tables
    full = full_jacobian(system, S)[system.constraints]
    for body in range(1, system.moving + 1):
        k = 6 * body - 6
        full[:, k : k + 3] /= np.sqrt(T.mass[body])
        full[:, k + 3 : k + 6] = full[:, k + 3 : k + 6] @ np.linalg.cholesky(
            T.inverse_inertia[body]
        )
    length = np.linalg.norm(full, axis=1, keepdims=True)
    return np.asarray(full / np.where(length > 0, length, 1.0))


def rank(matrix: Floats) -> int:
    """Rank by QR with column pivoting."""
    if not matrix.size:
        return 0
    diagonal = np.abs(np.diag(qr(matrix.T, mode="r", pivoting=True)[0]))
    return int((diagonal > RANK_GAP * max(diagonal.max(initial=0.0), 1e-300)).sum())


def dependent_rows(matrix: Floats) -> list[int]:
    """Rows that depend on those before them (Gram–Schmidt, done twice for accuracy)."""
    basis = np.zeros((0, matrix.shape[1]))
    dependent = []
    for index, row in enumerate(matrix):
        rest = row.copy()
        for _ in range(2):
            rest -= (basis @ rest) @ basis
        length = np.linalg.norm(rest)
        if length > RANK_GAP * 10:
            basis = np.vstack([basis, rest / length])
        else:
            dependent.append(index)
    return dependent
