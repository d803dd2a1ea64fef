"""How sensitive a motion is: the run once more beside itself, from a start moved by a hair; or,
where bodies touch, at a coarser accuracy, as there the steps say little of what adds up."""

from __future__ import annotations

import time as clock
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.equations import move
from impeto.core.assembly.workspace import workspace_of
from impeto.core.dynamics.integration import WRITTEN
from impeto.core.dynamics.solution import FAR, present
from impeto.core.dynamics.state import all_poses
from impeto.core.dynamics.system import System
from impeto.core.solvers.events import Events
from impeto.core.solvers.initial_conditions import Start
from impeto.core.solvers.loop import integrate
from impeto.core.solvers.projection import project_fresh
from impeto.core.solvers.run import Plan, Progress, Run

Floats = npt.NDArray[np.float64]
MOVED = 1e-7  # of the size and rad: how far the start is moved, at least
ABOVE = 10.0  # times the tolerance, which is noise in the comparison
HELD = 1e-3  # of what it was to move by: what moves less is held or driven
COMPARED = 96  # instants
MOST_GROWTH = 60.0  # logarithm of a growth that says everything
MOST_WORK = 1.5e7  # evaluations times numbers in a state: about half a second
# Times the tolerance, in the run beside one with contacts: with ten times, whether something is
# grazed or hit may by chance be decided alike in both (seen in heaps of logs).
COARSER = 30.0
TWICE = 2.0  # times the step, in the run beside one in quick mode
SPENT = 0.5  # s of wall time that a run beside may take, or
SHARE = 0.15  # of the time of the run where that is more


@dataclass(frozen=True, slots=True)
class Beside:
    """A run held against a coarser one.

    apart : largest difference of places over the size, and of turns [rad]
    until : s, where the comparison ends: the coarser run took too long, or goes its own way from
        there; 0 where nothing was compared
    """

    apart: float = 0.0
    until: float = 0.0


def growth(
    system: System, events: Events, plan: Plan, start: Start,
    recorded: tuple[Floats, Floats], work: int, progress: Progress | None,
) -> float:  # fmt: skip
    """By which factor a small change of the start has grown, at most; 0 where that was not found
    out: the run took too long, bodies come and go, or the shadow did not reach the end. Not meant
    for runs with contacts (see `beside_coarser`).

    recorded : times (N,) and states (N, size) of the run;  work : its evaluations
    """
    T, (time, state) = system.tables, recorded
    if len(T.feeder) or not system.moving or len(time) < 2:
        return 0.0
    if work * len(system.start) > MOST_WORK:
        return 0.0
    delta = max(MOVED, ABOVE * plan.tolerance)
    moved, S = start.state.copy(), workspace_of(system)
    chance = np.random.default_rng(1).normal(size=(system.moving, 6))
    chance[:, :3] *= system.size
    if start.turned is not None:
        S.turned[:] = start.turned
    move(moved, delta * chance.ravel(), system.moving)
    project_fresh(T, S, 0.0, moved, 1e-12 * system.size, 20)
    first = _apart(system, start.state[None], moved[None]).max()
    if not first > HELD * delta:
        return 1.0
    looked = np.unique(np.linspace(0, len(time) - 1, COMPARED).astype(np.int64))
    instants = np.asarray(time[looked])
    shadow = Run(system, replace(plan, times=instants, allocate=np.zeros),
                 events, Start(moved, 0.0, turned=start.turned))  # fmt: skip
    if integrate(shadow, progress and (lambda _share, solved: progress(1.0, solved))):
        return 0.0
    reached = int(shadow.state.counts[WRITTEN])  # an event may end it a little earlier
    looked, instants = looked[:reached], instants[:reached]
    later = _apart(system, np.asarray(state[looked]), shadow.outputs.state[:reached]).max(axis=1)
    far = np.flatnonzero(later > FAR)
    if not len(far) or instants[far[0]] <= 0.0:
        return float((later / first).max())
    # From there on they are as far apart as can be: it would have grown on at the same rate.
    rate = np.log(max(later[far[0]] / first, 1.0)) * instants[-1] / instants[far[0]]
    return float(np.exp(min(rate, MOST_GROWTH)))


def beside_coarser(
    run: Run, events: Events, recorded: tuple[Floats, Floats, Floats], progress: Progress | None
) -> Beside:
    """A run held against one of 30 times the tolerance, in quick mode of twice the step.

    For a method whose error falls with the tolerance (or the step) the difference is about the
    error of the coarser run, so it bounds that of the finer one (Shampine 2005).

    recorded : times (N,), states (N, size) and measured values (N, Q) of the run
    """
    system, plan, (time, state, measured) = run.system, run.plan, recorded
    if not system.moving or len(time) < 2:
        return Beside()
    looked = np.unique(np.linspace(0, len(time) - 1, COMPARED).astype(np.int64))
    coarser = replace(plan, times=np.asarray(time[looked]), allocate=np.zeros,
                      tolerance=COARSER * plan.tolerance, step=TWICE * plan.step)  # fmt: skip
    shadow = Run(system, coarser, events, run.start)
    enough = clock.perf_counter() + max(SPENT, SHARE * run.wall_seconds)

    def going_on(_share: float, solved: float) -> bool:
        wanted = progress is None or progress(1.0, solved)
        return bool(wanted) and clock.perf_counter() < enough

    integrate(shadow, going_on)
    reached = int(shadow.state.counts[WRITTEN])
    if reached < 2:
        return Beside()
    looked = looked[:reached]
    there = present(system, np.asarray(measured[looked]))[:, 1:]
    there &= present(system, shadow.outputs.measured[:reached])[:, 1:]
    apart = _apart(system, np.asarray(state[looked]), shadow.outputs.state[:reached])
    most = np.where(there, apart, 0.0).max(axis=1)
    far = np.flatnonzero(most > FAR)
    return Beside(float(most.max()), float(time[looked[far[0] if len(far) else -1]]))


def _apart(system: System, one: Floats, other: Floats) -> Floats:
    """(N, n) differences of the places of bodies over the size, or of their turns [rad]."""
    n = system.moving
    poses = [np.asarray(y)[:, all_poses(n)].reshape(-1, n, 7) for y in (one, other)]
    off = np.abs(poses[0] - poses[1])
    turned = np.minimum(off[..., 3:], np.abs(poses[0] + poses[1])[..., 3:])
    moved = off[..., :3].max(axis=2) / system.size
    return np.asarray(np.maximum(moved, 2.0 * turned.max(axis=2)))
