"""Sparse layout of the one linear system, and its regularisation."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import place
from impeto.core.dynamics import kkt
from impeto.core.dynamics.columns import Coordinate, Row, RowValue
from impeto.core.dynamics.state import SIDE, unknown_at, unknowns
from impeto.core.dynamics.tables import Tables, Workspace

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
# ε against the mean of the diagonal of J M⁻¹ Jᵀ. The way through singular poses errs in proportion
# to it, reactions of redundant rows by 1e-16 / ε: measured on the four-bar loops and slider-crank.
REGULARISATION = 1e-9


def matrix(
    mass: Floats, inertia: Floats, group: Sequence[int], entries: Sequence[Sequence[int]]
) -> dict[str, Any]:
    """Sparse layout of the KKT matrix, its constant part, and the structure of its factor.

    group : what each row belongs to (rows of a group are eliminated together)
    entries : for each row its moving bodies; the slots of a row's bodies follow one another
    """
    n6 = unknowns(len(mass) - 1)
    names = sorted(set(group))
    members: dict[int, set[int]] = {name: set() for name in names}
    for name, bodies in zip(group, entries, strict=True):
        members[name] |= set(bodies)
    ranked = kkt.elimination_order([sorted(members[name]) for name in names])
    rank = {names[g]: position for position, g in enumerate(ranked)}
    order = sorted(range(len(group)), key=lambda r: (rank[group[r]], r))
    place_of = np.empty(len(group), dtype=np.int64)
    place_of[order] = n6 + np.arange(len(group))
    columns, rows, values = [0], [], []
    for body in range(1, len(mass)):
        base = unknown_at(body)
        for k in range(6):
            if k < 3:
                rows.append(base + k)
                values.append(mass[body])
            else:
                rows += [base + i for i in range(3, k + 1)]
                values += [inertia[body, i - 3, k - 3] for i in range(3, k + 1)]
            columns.append(len(rows))
    first: list[dict[int, int]] = [{} for _ in group]
    for r in order:
        for body in entries[r]:
            first[r][body] = len(rows)
            rows += [unknown_at(body) + k for k in range(6)]
            values += [0.0] * 6
        rows.append(int(place_of[r]))
        values.append(0.0)
        columns.append(len(rows))
    kkt_column, kkt_row = np.array(columns, np.int64), np.array(rows, np.int64)
    factor_column, pattern_start, pattern = kkt.symbolic(kkt_column, kkt_row)
    return {
        "first": first,
        "kkt_column": kkt_column,
        "kkt_row": kkt_row,
        "kkt_value": np.array(values, dtype=float),
        "place": place_of,
        "factor_column": factor_column,
        "pattern_start": pattern_start,
        "pattern": pattern,
    }


def slots(first: dict[int, int], pair: Sequence[int]) -> list[int]:
    """Where the twelve entries of a row for a pair of bodies go; −1 for the ground."""
    places = []
    for body in pair:
        start = first.get(int(body), -1)
        places += [start + k if start >= 0 else -1 for k in range(6)]
    return places


def regularised(T: Tables, start: Floats, S: Workspace) -> Tables:
    """Put −ε and the compliances on the diagonal of the rows, ε relative to the mean of
    J M⁻¹ Jᵀ at the start."""
    if not len(T.row):
        return T
    place(T, S, 0.0, start)
    diagonal = np.zeros(len(T.row))
    listed = [(r, T.row[r, Row.JOINT], S.jacobian[r]) for r in range(len(T.row))]
    listed += [
        (int(r), T.coordinate[c, Coordinate.JOINT], S.term_jacobian[q])
        for q, (r, c) in enumerate(T.term)
    ]
    for r, joint, jacobian in listed:
        for side in range(2):
            body = int(T.joint_body[joint, side])
            if body:
                J = jacobian[SIDE * side : SIDE * side + 6]
                diagonal[r] += J[:3] @ J[:3] / T.mass[body]
                diagonal[r] += J[3:] @ T.inverse_inertia[body] @ J[3:]
    live = diagonal[diagonal > 0]
    epsilon = REGULARISATION * (float(live.mean()) if len(live) else 1.0)
    value = T.kkt_value.copy()
    value[T.kkt_column[T.place + 1] - 1] = -epsilon - T.row_value[:, RowValue.COMPLIANCE]
    return T.replaced(kkt_value=value)
