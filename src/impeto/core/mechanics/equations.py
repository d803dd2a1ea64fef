"""Equations of motion: from a state to its rate, and projection back onto the constraints."""

from __future__ import annotations

import numpy as np
from numba import njit

from impeto.core.mechanics.forces import set_forces
from impeto.core.mechanics.kinematics import cross, dot, set_bodies, set_joints, set_sensors
from impeto.core.mechanics.kkt import assemble_and_factor, solve, solve_once
from impeto.core.mechanics.rows import set_rows

CORRECTIONS = 12


@njit(cache=True, error_model="numpy", nogil=True)
def place(T, S, t, y):
    """Kinematics, sensors and constraint rows at a state."""
    set_bodies(T, S, y)
    set_joints(T, S)
    set_sensors(T, S)
    set_rows(T, S, t, y)


@njit(cache=True, error_model="numpy", nogil=True)
def derivative(T, S, t, y, dy):
    """dy = rate of the state; leaves accelerations and −λ in S.solution.

    Index-1 formulation: M a = f + Jᵀλ, J a = γ, spins and torques in body axes (Euler).
    """
    place(T, S, t, y)
    set_forces(T, S, t)
    n = T.mass.shape[0] - 1
    for body in range(1, n + 1):
        first = 6 * (body - 1)
        w = y[7 * n + first + 3 : 7 * n + first + 6]
        J = T.inertia[body]
        momentum = (dot(J[0], w), dot(J[1], w), dot(J[2], w))
        gyroscopic = cross(w, momentum)
        R = S.rotation[body]
        for k in range(3):
            S.right[first + k] = S.wrench[body, k]
            torque = R[0, k] * S.wrench[body, 3] + R[1, k] * S.wrench[body, 4]
            torque += R[2, k] * S.wrench[body, 5]
            S.right[first + 3 + k] = torque - gyroscopic[k]
    for r in range(T.row.shape[0]):
        S.right[T.place[r]] = S.gamma[r]
    assemble_and_factor(T, S)
    solve(T, S, CORRECTIONS)
    set_rates(T, y, dy, S.solution, n)
    for motion in range(T.motion.shape[0]):
        S.power[T.extra[2] + motion] = 0.0
    for r in range(T.row.shape[0]):
        motion = T.row_motion[r]
        if motion >= 0:
            effort = -S.solution[T.place[r]] * T.row_scale[r]
            S.power[T.extra[2] + motion] = effort * S.rate[T.motion[motion, 0]]
    dy[13 * n :] = S.power


@njit(cache=True, error_model="numpy")
def set_rates(T, y, dy, solution, n):
    """Rates of positions, quaternions (q̇ = ½ q ω) and velocities."""
    for body in range(n):
        p, u = 7 * body, 7 * n + 6 * body
        dy[p : p + 3] = y[u : u + 3]
        w, x, yy, z = y[p + 3], y[p + 4], y[p + 5], y[p + 6]
        a, b, c = y[u + 3], y[u + 4], y[u + 5]
        dy[p + 3] = 0.5 * (-x * a - yy * b - z * c)
        dy[p + 4] = 0.5 * (w * a + yy * c - z * b)
        dy[p + 5] = 0.5 * (w * b + z * a - x * c)
        dy[p + 6] = 0.5 * (w * c + x * b - yy * a)
        dy[u : u + 6] = solution[6 * body : 6 * body + 6]


@njit(cache=True, error_model="numpy", nogil=True)
def project(T, S, t, y, tolerance, pace, rounds, refactor):
    """Bring positions, then velocities, back onto the constraints by the least change in the
    mass metric (quasi-Newton with the last factor, or a fresh one each round when refactor).

    tolerance [m] for positions, times pace [1/s] for velocities.
    Returns the largest remaining residual [m]; places T, S at the new state.
    """
    n = T.mass.shape[0] - 1
    rows = T.row.shape[0]
    normalise(y, n)
    place(T, S, t, y)
    worst = largest(S.value)
    for _ in range(rounds):
        if worst <= tolerance:
            break
        if refactor:
            assemble_and_factor(T, S)
        S.right[: 6 * n] = 0.0
        for r in range(rows):
            S.right[T.place[r]] = -S.value[r]
        solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
        move(y, S.right, n)
        place(T, S, t, y)
        worst = largest(S.value)
    for _ in range(2):
        if largest(S.speed) <= tolerance * pace:
            break
        S.right[: 6 * n] = 0.0
        for r in range(rows):
            S.right[T.place[r]] = -S.speed[r]
        if refactor:
            assemble_and_factor(T, S)
        solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, S.right)
        for k in range(6 * n):
            y[7 * n + k] += S.right[k]
        place(T, S, t, y)
    return worst


@njit(cache=True, error_model="numpy")
def largest(values):
    worst = 0.0
    for value in values:
        if not abs(value) <= worst:
            worst = abs(value)
    return worst


@njit(cache=True, error_model="numpy")
def normalise(y, n):
    for body in range(n):
        q = y[7 * body + 3 : 7 * body + 7]
        q /= np.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])


@njit(cache=True, error_model="numpy")
def move(y, step, n):
    """Displace the bodies: positions in the world, turns about body axes (q ∘ (1, θ/2))."""
    for body in range(n):
        p, s = 7 * body, 6 * body
        y[p : p + 3] += step[s : s + 3]
        a, b, c = 0.5 * step[s + 3], 0.5 * step[s + 4], 0.5 * step[s + 5]
        w, x, yy, z = y[p + 3], y[p + 4], y[p + 5], y[p + 6]
        y[p + 3] = w - x * a - yy * b - z * c
        y[p + 4] = x + w * a + yy * c - z * b
        y[p + 5] = yy + w * b + z * a - x * c
        y[p + 6] = z + w * c + x * b - yy * a
    normalise(y, n)
