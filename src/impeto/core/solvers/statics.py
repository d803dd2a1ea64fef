"""Static equilibrium: damped motion towards it, then Newton's method."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.workspace import workspace_of
from impeto.core.dynamics.state import all_bodies, all_poses, unknowns
from impeto.core.dynamics.system import System
from impeto.core.errors import Cancelled, ModelError
from impeto.core.solvers.initial_conditions import Start, consistent_start, set_references, turns_in
from impeto.core.solvers.linearisation import Reduced, at_rest
from impeto.core.solvers.projection import project_fresh

Floats = npt.NDArray[np.float64]
ROUNDS = 400
LARGEST_STEP = 0.1  # of the size, or rad, in one round
BALANCED = 1e-10  # unbalanced acceleration over the largest acceleration of the parts


@dataclass(frozen=True, slots=True)
class Settled:
    """start : the state at rest;  residual : largest unbalanced acceleration over that of a free
    body;  stable : whether small displacements come back;  note : in words"""

    start: Start
    residual: float
    stable: bool
    note: str


Look = Callable[[Floats, float], None]  # a state, and the share of the forces not balanced in it


def settle(
    system: System, progress: Callable[[float, float], bool] | None = None,
    look: Look | None = None,
) -> Settled:  # fmt: skip
    """Find the static equilibrium near the start. look : is shown each state on the way

    Pseudo-transient continuation (Kelley and Keyes 1998): steps of a strongly damped motion whose
    time step grows as the residual falls, which ends as Newton's method. Raises ModelError where
    nothing holds the mechanism.
    """
    start = consistent_start(system, workspace_of(system))
    calm = at_rest(system, start.state)
    state = with_bodies(calm.start, start.state, calm.moving)
    scale = _acceleration_scale(calm)
    pace = slowest = 1e-2 * calm.size / scale
    before = np.inf
    reduced = Reduced(calm, state, turns_in(calm, system, start))
    for _ in range(ROUNDS):
        unbalance = reduced.unbalance
        size = _acceleration(reduced, unbalance)
        if size <= BALANCED * scale:
            return _settled(system, start, reduced, size / scale)
        pace = max(pace * min(max(before / size, 0.25), 4.0), slowest)
        before, free = size, len(unbalance)
        stiffness = reduced.stiffness()
        unstable = float(np.linalg.eigvalsh(0.5 * (stiffness + stiffness.T)).max(initial=0.0))
        if unstable > 0.0:  # a longer step would lead to the unstable equilibrium
            pace = 0.5 / unstable
        matrix = np.eye(free) / pace - stiffness
        z: Floats = np.asarray(np.linalg.lstsq(matrix, unbalance, rcond=1e-14)[0], dtype=float)
        moves = np.abs(reduced.basis @ z).reshape(-1, 6)
        largest = max(moves[:, :3].max() / calm.size, moves[:, 3:].max())
        if largest > LARGEST_STEP:
            z *= LARGEST_STEP / largest
            pace *= 0.5
        reduced = Reduced(calm, reduced.moved(z), reduced.S.turned)
        if look is not None:
            look(reduced.state, size / scale)
        if progress and not progress(0.0, 0.0):
            raise Cancelled("Stopped while it looked for the equilibrium.")
    raise ModelError(
        f"no static equilibrium was found: {_loosest(reduced)} does not come to rest",
        element="run settings",
        field="settle",
        remedy="Hold it by a joint, a spring or a stop, or switch settling off",
    )


def _acceleration_scale(system: System) -> float:
    """Acceleration [m/s²] that counts as large: gravity, or what the forces can do."""
    S = workspace_of(system)
    reduced = Reduced(system, system.start)
    applied = np.abs(reduced.S.base[: unknowns(system.moving)]).reshape(-1, 6)
    mass = system.tables.mass[1:]
    del S
    strongest = float((applied[:, :3].max(axis=1) / mass).max(initial=0.0))
    return max(float(np.linalg.norm(system.tables.gravity)), strongest, 1e-6)


def _acceleration(reduced: Reduced, unbalance: Floats) -> float:
    parts = np.abs(reduced.basis @ unbalance).reshape(-1, 6)
    return float(
        max(parts[:, :3].max(initial=0.0), reduced.system.size * parts[:, 3:].max(initial=0.0))
    )


def balance(reduced: Reduced) -> float:
    """Unbalanced acceleration at a pose relative to what the forces alone would give."""
    return _acceleration(reduced, reduced.unbalance) / _acceleration_scale(reduced.system)


def _loosest(reduced: Reduced) -> str:
    parts = np.abs(reduced.basis @ reduced.unbalance).reshape(-1, 6).max(axis=1)
    return reduced.system.mechanism.bodies[int(np.argmax(parts)) + 1].name


def with_bodies(state: Floats, source: Floats, n: int) -> Floats:
    """A state with the bodies of another one."""
    result = state.copy()
    result[all_bodies(n)] = source[all_bodies(n)]
    return result


def with_speeds(system: System, start: Start, settled: Floats) -> Floats:
    """The settled placements with the start speeds, brought onto the constraints there.

    What is driven or was given a speed starts with it; everything else starts at rest.
    """
    n, S = system.moving, workspace_of(system)
    state = start.state.copy()
    state[all_poses(n)] = settled[all_poses(n)]
    if start.turned is not None:
        S.turned[:] = start.turned
    set_references(system, S, state)
    S.turned[:] = S.coordinate
    S.along[:] = S.track[:, 0]
    project_fresh(system.tables, S, 0.0, state, 1e-14 * system.size, 30)
    return state


def _settled(system: System, start: Start, reduced: Reduced, residual: float) -> Settled:
    values = np.linalg.eigvals(reduced.stiffness()) if reduced.basis.shape[1] else np.zeros(1)
    positive = float(values.real.max(initial=0.0))
    stable = positive <= 1e-6 * max(float(np.abs(values).max(initial=0.0)), 1e-12)
    state = with_speeds(system, start, reduced.state)
    note = f"Settled to equilibrium; unbalanced {residual:.0e} of the forces."
    if not stable:
        note += " It is unstable: a small push leads away from it."
    return Settled(
        Start(state, start.moved, start.notes, turned=start.turned), residual, stable, note
    )
