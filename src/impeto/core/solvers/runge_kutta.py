"""Runge–Kutta methods: their stages, error estimates and the dense output.

Hairer, Nørsett, Wanner, Solving Ordinary Differential Equations I (1993): the method of order 8
with error estimates of order 5 and 3 and a dense output of order 7. Beside it the pair of order 5
by Dormand and Prince (1980), for half the evaluations, where contacts keep steps short anyway. The
coefficients, in `runge_kutta.txt`, are SciPy's, which itself takes a third of a second to load.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from impeto.core.assembly.equations import derivative
from impeto.core.contact.columns import AHEAD, BEYOND, DEPTH, NEARING, STATES
from impeto.core.dynamics.integration import EVALUATIONS, SUSPECT, Integration
from impeto.core.dynamics.kernel import copy, inlined, kernel
from impeto.core.dynamics.pack import Pack
from impeto.core.dynamics.state import extras_at, motion_at, pose_at
from impeto.core.dynamics.tables import X_BRISTLES, Tables, Workspace
from impeto.core.dynamics.vectors import is_away
from impeto.core.geometry.arrays import Floats, Rows

COEFFICIENTS = Path(__file__).with_suffix(".txt")
STAGES, SHORT_STAGES = 12, 6
SLOWEST, SLOWEST_TOUCHING = 0.01, 0.3  # of the fastest body: speeds that count for slow ones
MEET = 1.5  # times as far as shapes near each other in a step: those that are farther do not meet


class Method(Pack):
    """Coefficients of both methods, the three extra stages of the dense output included."""

    a: Floats  # (16, 16)
    b: Floats  # (12,)
    c: Floats  # (16,)
    e3: Floats  # (12,)
    e5: Floats  # (12,)
    d: Floats  # (4, 16)
    short_a: Floats  # (6, 5)
    short_b: Floats  # (6,)
    short_c: Floats  # (6,)
    short_e: Floats  # (7,) with the rate at the end of the step
    none: Floats  # (7,) zeros: there is no second estimate of the short method


def method() -> Method:
    """The coefficients as arrays for the kernels."""
    rows: dict[str, list[list[float]]] = {}
    for line in COEFFICIENTS.read_text(encoding="utf-8").splitlines():
        name, *numbers = line.split()
        if name != "#":
            rows.setdefault(name, []).append([float(number) for number in numbers])
    arrays = {n: np.array(found[0] if len(found) == 1 else found) for n, found in rows.items()}
    return Method(**arrays, none=np.zeros(SHORT_STAGES + 1))


@inlined
def stages(
    T: Tables, S: Workspace, a: Rows, c: Floats, state: Integration, t: float, h: float, first: int,
    last: int,
) -> None:  # fmt: skip
    """Evaluate the stages first … last − 1 of a step by the method with weights a at times c."""
    S.near_margin[AHEAD] = MEET * h
    S.near_margin[BEYOND] = max(MEET * S.near_margin[NEARING] * h, 1e-300)
    for s in range(first, last):
        combine(state.trial, state.y, state.k, a[s], h, s)
        derivative(T, S, t + c[s] * h, state.trial, state.k[s])
    S.near_margin[BEYOND] = 0.0


@inlined
def extra_stages(
    T: Tables, S: Workspace, M: Method, state: Integration, t: float, h: float
) -> None:
    """The three stages that the dense output needs beside those of the step."""
    stages(T, S, M.a, M.c, state, t, h, STAGES + 1, STAGES + 4)
    state.counts[EVALUATIONS] += 3


@kernel
def combine(out: Floats, y: Floats, k: Rows, weights: Floats, h: float, count: int) -> None:
    """out = y + h Σ weights·k"""
    copy(y, out)
    for s in range(count):
        w = h * weights[s]
        if w != 0.0:
            for i in range(y.shape[0]):
                out[i] += w * k[s, i]


@kernel
def error_norm(
    T: Tables, S: Workspace, e5: Floats, e3: Floats, state: Integration, h: float, tolerance: float,
    size: float,
) -> float:  # fmt: skip
    """Estimated error of the step over the tolerance (Hairer's mix of two estimates).

    e5, e3 : (stages,) weights of the estimates; the first alone counts where the second is 0
    Of the extra states only those steer the step that act back: currents, states of servos, and
    bristles of points that touch.
    """
    n = T.mass.shape[0] - 1
    first, second = state.dense[0], state.dense[1]  # nothing is interpolated yet
    weigh(first, state.k, e5)
    weigh(second, state.k, e3)
    total5, total3, worst, count = 0.0, 0.0, -1.0, 0
    for body in range(n):
        if is_away(T, S, body + 1):
            continue
        count += 13
        pace = own_pace(T, state, body)
        for k in range(13):
            i = pose_at(body + 1) + k if k < 7 else motion_at(n, body + 1) + k - 7
            scale = size if k < 3 else 1.0
            if k >= 7:
                scale = pace if k < 10 else pace / size
            error = first[i] / (scale * tolerance)
            total5 += error * error
            total3 += (second[i] / (scale * tolerance)) ** 2
            if error * error > worst or not np.isfinite(error):
                worst = error * error
                state.clock[SUSPECT] = i
    bristles, after = T.extra[X_BRISTLES], T.extra[X_BRISTLES + 1]
    for i in range(state.floor.shape[0]):
        if bristles <= i < after and S.patch[(i - bristles) // STATES, DEPTH] <= 0.0:
            continue
        if np.isfinite(state.floor[i]):
            scale = max(state.floor[i], abs(state.y[extras_at(n) + i])) * tolerance
            total5 += (first[extras_at(n) + i] / scale) ** 2
            total3 += (second[extras_at(n) + i] / scale) ** 2
            count += 1
    if not np.isfinite(total5 + total3):
        return np.inf
    if total5 == 0.0 and total3 == 0.0:
        return 0.0
    return abs(h) * total5 / np.sqrt((total5 + 0.01 * total3) * count)


@kernel
def own_pace(T: Tables, state: Integration, body: int) -> float:
    """Speed [m/s] against which errors of a body's speeds are held: its own, or a small share of
    that of all. With contacts slow bodies are held less closely, as they hang on each other."""
    share = SLOWEST if T.shape.shape[0] == 0 else SLOWEST_TOUCHING
    return max(state.pace[body], share * state.scale[0])


@kernel
def weigh(out: Floats, k: Rows, weights: Floats) -> None:
    """out = Σ weights·k"""
    for i in range(out.shape[0]):
        out[i] = 0.0
    for s in range(weights.shape[0]):
        if weights[s] != 0.0:
            for i in range(out.shape[0]):
                out[i] += weights[s] * k[s, i]


@kernel
def set_dense(dense: Rows, state: Integration, M: Method, h: float) -> None:
    """Polynomial of order 7 over the step, in the nested form of Hairer's code."""
    k = state.k
    for i in range(state.y.shape[0]):
        change = state.y_new[i] - state.y[i]
        dense[0, i] = change
        dense[1, i] = h * k[0, i] - change
        dense[2, i] = 2.0 * change - h * (k[STAGES, i] + k[0, i])
        for row in range(4):
            total = 0.0
            for s in range(16):
                total += M.d[row, s] * k[s, i]
            dense[3 + row, i] = h * total


@kernel
def interpolate(out: Floats, y: Floats, dense: Rows, x: float) -> None:
    """State at the share x of the step."""
    for i in range(y.shape[0]):
        value = 0.0
        for row in range(6, -1, -1):
            value = (value + dense[row, i]) * (x if row % 2 == 0 else 1.0 - x)
        out[i] = y[i] + value
