"""Jacobians of all rows, which of their rows depend on others, and what they leave free.

Rows are sparse: each has the two bodies of a joint, or those of a coupler. Bodies are eliminated in
minimum-degree order, so that the work grows with the number of joints and not with its cube.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.sparse import csc_array, csr_array, eye_array
from scipy.sparse.linalg import splu

from impeto.core.dynamics.columns import Coordinate, Row
from impeto.core.dynamics.state import SPEED, unknowns
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import Workspace
from impeto.core.geometry.arrays import Floats, Ints
from impeto.core.geometry.compiled import compiled

Sparse = Any  # csr_array, (k, 6n)
RANK_GAP = 1e-8  # rows of the start pose have singular values near 1 or near 1e-16
NOISE = 1e-11  # of a number that ought to be zero
REFINED = 2  # times that a projection is repeated on what it left
SPARE = 64  # numbers for which there is room to begin with, a row


def sparse_jacobian(system: System, S: Workspace) -> Sparse:
    """(m, 6n) rows at the placed state, couplers included; body axes for turns."""
    T = system.tables
    own = np.arange(len(T.row))
    terms = np.asarray(T.term, dtype=np.int64).reshape(-1, 2)
    rows = np.concatenate([own, terms[:, 0]])
    joints = np.concatenate(
        [T.row[:, Row.JOINT], T.coordinate[terms[:, 1], Coordinate.JOINT]]
    ).astype(np.int64)
    values = np.concatenate([S.jacobian[: len(own)], S.term_jacobian[: len(terms)]])
    bodies = np.asarray(T.joint_body, dtype=np.int64).reshape(-1, 2)[joints]
    row = np.broadcast_to(rows[:, None, None], (len(rows), 2, 6))
    column = SPEED * (bodies[:, :, None] - 1) + np.arange(SPEED)
    moving = np.broadcast_to(bodies[:, :, None] > 0, column.shape)
    entries = values.reshape(-1, 2, 6)[moving], (row[moving], column[moving])
    return csr_array(entries, shape=(len(system.rows), unknowns(system.moving)))


def weighted_jacobian(system: System, S: Workspace) -> Sparse:
    """(k, 6n) constraint rows of J M^(-1/2) at the placed state, each of length 1; friction, locks
    and rotors left out."""
    T, n = system.tables, system.moving
    blocks = np.zeros((n, 6, 6))
    for k in range(3):
        blocks[:, k, k] = 1.0 / np.sqrt(T.mass[1:])
    if n:
        blocks[:, 3:, 3:] = np.linalg.cholesky(T.inverse_inertia[1:])
    at = SPEED * np.arange(n)[:, None, None]
    row = np.broadcast_to(at + np.arange(6)[:, None], blocks.shape)
    column = np.broadcast_to(at + np.arange(6), blocks.shape)
    scale = csr_array(
        (blocks.ravel(), (row.ravel(), column.ravel())), shape=(unknowns(n), unknowns(n))
    )
    full = csr_array(sparse_jacobian(system, S)[system.constraints] @ scale)
    length = np.sqrt(full.multiply(full).sum(axis=1)).ravel()
    full.data /= np.repeat(np.where(length > 0.0, length, 1.0), np.diff(full.indptr))
    return full


def dependent_rows(matrix: Sparse) -> Ints:
    """Rows of length 1 that depend on those before them: by Givens rotations, row after row (George
    and Heath 1980); what is left of a row that depends on others is rounding (Heath 1982)."""
    order = _body_order(matrix)
    columns = np.empty(matrix.shape[1], dtype=np.int64)
    columns[order] = np.arange(matrix.shape[1])
    placed = csr_array(
        (matrix.data.copy(), columns[matrix.indices], matrix.indptr), shape=matrix.shape
    )
    placed.sort_indices()
    return _dependent(placed)


def _body_order(matrix: Sparse) -> Ints:
    """(6n,) columns, bodies in minimum-degree order of who shares rows with whom."""
    count = matrix.shape[1] // 6
    if not count:
        return np.zeros(0, dtype=np.int64)
    shape = (matrix.shape[0], count)
    touched = csr_array((np.ones(matrix.nnz), matrix.indices // 6, matrix.indptr), shape=shape)
    graph = csc_array(touched.T @ touched)
    graph.data[:] = 1.0
    shifted = csc_array(graph + (1.0 + graph.sum(axis=0).max()) * eye_array(count, format="csc"))
    order = np.argsort(splu(shifted, permc_spec="MMD_AT_PLUS_A").perm_c)
    return np.asarray((SPEED * order[:, None] + np.arange(SPEED)).ravel())


def _dependent(rows: Sparse) -> Ints:
    """The same of rows whose columns rise, eliminated from the first column on."""
    count, width = rows.shape
    first, index = rows.indptr.astype(np.int64), rows.indices.astype(np.int64)
    where, at, left = np.zeros((3, width), np.int64), *_room(3, max(width, 1))
    columns, numbers = _room(1, SPARE * (width + 1))
    depends, state = np.zeros(count, dtype=np.bool_), np.array([0, -1, 0])
    while _reduce(first, index, rows.data, where, at, left, columns[0], numbers[0], state,
                  depends) < count:  # fmt: skip
        more = _room(1, columns.shape[1])
        columns, numbers = np.hstack([columns, more[0]]), np.hstack([numbers, more[1]])
    return np.flatnonzero(depends)


def _room(rows: int, width: int) -> tuple[Ints, Floats]:
    return np.zeros((rows, width), dtype=np.int64), np.zeros((rows, width))


@compiled
def _reduce(
    first: Ints, index: Ints, value: Floats, where: Ints, at: Ints, left: Floats, columns: Ints,
    numbers: Floats, state: Ints, depends: npt.NDArray[np.bool_],
) -> int:  # fmt: skip
    """Reduce sparse rows by those before them, until all are done or the store is full; returns
    how many are done.

    where : (3, width) by first column: where a reduced row begins in the store, its length and room
    at, left : (3, width) columns and numbers of the row at hand, and of what a rotation gives
    columns, numbers : the store;  state : rows done, length of the row at hand or −1, store used
    """
    while state[0] < first.shape[0] - 1:
        row, count = state[0], state[1]
        if count < 0:
            count = first[row + 1] - first[row]
            for k in range(count):
                at[0, k], left[0, k] = index[first[row] + k], value[first[row] + k]
        while count > 0:
            head = at[0, 0]
            if abs(left[0, 0]) <= NOISE:
                count -= 1
                for k in range(count):
                    at[0, k], left[0, k] = at[0, k + 1], left[0, k + 1]
                continue
            known = where[1, head]
            if known == 0 and length_of(left[0], count) <= RANK_GAP:
                count = 0
                break
            if where[2, head] < known + count and columns.shape[0] - state[2] < known + count:
                state[1] = count
                return row
            total, count = rotate(where[0, head], known, count, at, left, columns, numbers)
            if where[2, head] < total:
                where[0, head], where[2, head] = state[2], total
                state[2] += total
            where[1, head] = total
            for k in range(total):
                columns[where[0, head] + k], numbers[where[0, head] + k] = at[1, k], left[1, k]
            for k in range(count):
                at[0, k], left[0, k] = at[2, k], left[2, k]
            if known == 0:
                break
        depends[row] = count == 0
        state[0], state[1] = row + 1, -1
    return state[0]


@compiled
def length_of(numbers: Floats, count: int) -> float:
    """Euclidean length of the first so many numbers."""
    square = 0.0
    for k in range(count):
        square += numbers[k] * numbers[k]
    return float(np.sqrt(square))


@compiled
def rotate(
    begin: int, known: int, count: int, at: Ints, left: Floats, columns: Ints, numbers: Floats
) -> tuple[int, int]:
    """Turn a reduced row and the row at hand so that the latter loses its first number: both go to
    rows 1 and 2 of at and left; returns how long they are. Without a reduced row, it becomes one.
    """
    if known == 0:
        for k in range(count):
            at[1, k], left[1, k] = at[0, k], left[0, k]
        return count, count
    size = np.hypot(numbers[begin], left[0, 0])
    c, s = numbers[begin] / size, left[0, 0] / size
    i = j = total = 0
    while i < known or j < count:
        behind_i, behind_j = i == known, j == count
        from_i = behind_j or (not behind_i and columns[begin + i] <= at[0, j])
        from_j = behind_i or (not behind_j and at[0, j] <= columns[begin + i])
        x, y = 0.0, 0.0
        if from_i:
            at[1, total], x = columns[begin + i], numbers[begin + i]
            i += 1
        if from_j:
            at[1, total], y = at[0, j], left[0, j]
            j += 1
        left[1, total] = c * x + s * y
        if total > 0:
            at[2, total - 1], left[2, total - 1] = at[1, total], c * y - s * x
        total += 1
    return total, total - 1


class Freedom:
    """Motions that rows (k, 6n) leave free, as projections onto them."""

    def __init__(self, matrix: Sparse, dependent: Ints | None = None) -> None:
        if dependent is None:
            dependent = dependent_rows(matrix)
        self.rows = csr_array(matrix[np.setdiff1d(np.arange(matrix.shape[0]), dependent)])
        self.factor: Any = None
        if self.rows.shape[0]:
            normal = csc_array(self.rows @ self.rows.T)
            self.factor = splu(normal, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True})

    def motion(self, direction: Floats) -> Floats:
        """(6n,) what of a direction the rows leave free, by the normal equations, refined."""
        free = direction
        for _ in range(REFINED if self.factor else 0):
            free = free - self.rows.T @ self.factor.solve(self.rows @ free)
        return free
