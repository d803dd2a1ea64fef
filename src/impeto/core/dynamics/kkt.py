"""The one linear system, its order of elimination, and its LDLᵀ factor.

    [ M   Jᵀ ] [ a  ]   [ f ]
    [ J  −εI ] [ −λ ] = [ γ ]

Bodies come first, then the rows joint by joint in minimum-degree order: the bodies' block is
positive definite and what is left is −(εI + J M⁻¹ Jᵀ), so that no pivot can vanish (Vanderbei
1995, quasi-definite matrices). Up-looking factorisation after Davis (2005), with the pattern of
every row found once.
"""

from __future__ import annotations

from collections.abc import Sequence
from heapq import heapify, heappop, heappush

import numpy as np

from impeto.core.dynamics.columns import Coordinate, Row, RowValue, Term
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.state import unknown_at, unknowns
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.dynamics.vectors import is_away
from impeto.core.geometry.arrays import Floats, Ints


def elimination_order(groups: Sequence[Sequence[int]]) -> list[int]:
    """Order of the joints with least fill: greedy minimum degree (Tinney and Walker 1967).

    groups : for each joint its moving bodies; joints that share a body are neighbours.
    """
    joints_of: dict[int, set[int]] = {}
    for joint, bodies in enumerate(groups):
        for body in bodies:
            joints_of.setdefault(body, set()).add(joint)
    neighbours = [
        set().union(*(joints_of[b] for b in bodies)) - {joint} if bodies else set()
        for joint, bodies in enumerate(groups)
    ]
    waiting = [(len(near), joint) for joint, near in enumerate(neighbours)]
    heapify(waiting)
    done, order = [False] * len(groups), []
    while waiting:
        degree, joint = heappop(waiting)
        around = neighbours[joint]
        if done[joint] or degree != len(around):
            continue  # its degree has changed, and it waits under the new one
        done[joint] = True
        order.append(joint)
        for other in around:
            before = len(neighbours[other])
            neighbours[other] |= around
            neighbours[other] -= {joint, other}
            if len(neighbours[other]) != before:
                heappush(waiting, (len(neighbours[other]), other))
    return order


def symbolic(columns: Ints, rows: Ints) -> tuple[Ints, Ints, Ints]:
    """Structure of L for an upper triangle in columns: column starts, pattern starts, pattern."""
    size = len(columns) - 1
    parent = np.full(size, -1, dtype=np.int64)
    flag = np.full(size, -1, dtype=np.int64)
    count = np.zeros(size, dtype=np.int64)
    starts, pattern = [0], []
    for k in range(size):
        flag[k] = k
        found = []
        for p in range(columns[k], columns[k + 1]):
            i = rows[p]
            while i < k and flag[i] != k:
                if parent[i] == -1:
                    parent[i] = k
                found.append(i)
                count[i] += 1
                flag[i] = k
                i = parent[i]
        pattern.extend(sorted(found))
        starts.append(len(pattern))
    factor_columns = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
    return factor_columns, np.array(starts, np.int64), np.array(pattern, np.int64)


@inlined
def assemble_and_factor(T: Tables, S: Workspace) -> None:
    """Put the Jacobian into the matrix and factor it."""
    for r in range(T.slot.shape[0]):
        for k in range(12):
            if T.slot[r, k] >= 0:
                S.kkt[T.slot[r, k]] = S.jacobian[r, k]
    for q in range(T.term_slot.shape[0]):
        for k in range(12):
            if T.term_slot[q, k] >= 0:
                S.kkt[T.term_slot[q, k]] = 0.0
    for q in range(T.term_slot.shape[0]):
        for k in range(12):
            if T.term_slot[q, k] >= 0:
                S.kkt[T.term_slot[q, k]] += S.term_jacobian[q, k]
    columns, rows = T.kkt_column, T.kkt_row
    Lp, Li, Lx, D, Y, filled = (
        T.factor_column,
        S.factor_row,
        S.factor,
        S.pivot,
        S.scratch,
        S.filled,
    )
    n6 = unknowns(T.mass.shape[0] - 1)
    for k in range(columns.shape[0] - 1):
        if k < n6 and D[k] != 0.0 and is_away(T, S, 1 + k // 6):
            continue  # as it was factored first: nothing is fastened to a body that is away
        D[k] = 0.0
        for p in range(columns[k], columns[k + 1]):
            if rows[p] == k:
                D[k] = S.kkt[p]
            else:
                Y[rows[p]] = S.kkt[p]
        filled[k] = Lp[k]
        for p in range(T.pattern_start[k], T.pattern_start[k + 1]):
            i = T.pattern[p]
            yi = Y[i]
            Y[i] = 0.0
            for q in range(Lp[i], filled[i]):
                Y[Li[q]] -= Lx[q] * yi
            l = yi / D[i]
            D[k] -= l * yi
            Li[filled[i]] = k
            Lx[filled[i]] = l
            filled[i] += 1


@kernel
def factor_now(T: Tables, S: Workspace) -> None:
    """The same for callers outside the kernels."""
    assemble_and_factor(T, S)


@kernel
def solve_once(Lp: Ints, Li: Ints, Lx: Floats, D: Floats, x: Floats) -> None:
    """Solve L D Lᵀ x = x in place."""
    size = x.shape[0]
    for j in range(size):
        xj = x[j]
        for p in range(Lp[j], Lp[j + 1]):
            x[Li[p]] -= Lx[p] * xj
    for j in range(size):
        x[j] /= D[j]
    for j in range(size - 1, -1, -1):
        xj = x[j]
        for p in range(Lp[j], Lp[j + 1]):
            xj -= Lx[p] * x[Li[p]]
        x[j] = xj


@inlined
def solve(T: Tables, S: Workspace, corrections: int) -> None:
    """S.solution for S.right (bodies' part, then rows), ε taken out by proximal corrections.

    Each correction solves for what J a + c λ still misses of γ with the same factor; redundant rows
    end with reactions of minimum norm, consistent ones with J a = γ (c is 0 but for rows that
    carry inertia).
    """
    n6 = unknowns(T.mass.shape[0] - 1)
    copy(S.right, S.solution)
    solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.solution)
    before = np.inf
    for _ in range(corrections):
        worst, size = 0.0, 1e-300
        S.right[:n6] = 0.0
        for r in range(T.row.shape[0]):
            joint = T.row[r, Row.JOINT]
            S.reached[r] = row_times(
                S.jacobian[r], T.joint_body[joint, 0], T.joint_body[joint, 1], S.solution
            )
            S.reached[r] -= T.row_value[r, RowValue.COMPLIANCE] * S.solution[T.place[r]]
        for q in range(T.term.shape[0]):
            joint = T.coordinate[T.term[q, Term.COORDINATE], Coordinate.JOINT]
            S.reached[T.term[q, Term.ROW]] += row_times(
                S.term_jacobian[q], T.joint_body[joint, 0], T.joint_body[joint, 1], S.solution
            )
        for r in range(T.row.shape[0]):
            missing = S.gamma[r] - S.reached[r]
            S.right[T.place[r]] = missing
            worst = max(worst, abs(missing))
            size = max(size, abs(S.gamma[r]), abs(S.reached[r]))
        if worst <= 1e-14 * size or worst > 0.7 * before:
            break
        before = worst
        solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
        for k in range(S.right.shape[0]):
            S.solution[k] += S.right[k]


@kernel
def row_times(row: Floats, a: int, b: int, vector: Floats) -> float:
    """Product of one Jacobian row (12,) with the bodies' part of a vector; body 0 is at rest."""
    total = 0.0
    if a > 0:
        for k in range(6):
            total += row[k] * vector[unknown_at(a) + k]
    if b > 0:
        for k in range(6):
            total += row[6 + k] * vector[unknown_at(b) + k]
    return total
