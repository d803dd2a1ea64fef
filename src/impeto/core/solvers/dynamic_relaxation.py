"""Static equilibrium of what touches: motion from rest that is stopped whenever it is fastest.

Kinetic damping (Cundall 1976): where the kinetic energy has passed a peak all speeds are set to
zero, and the equations of motion lead on from there. Contacts press, stick and slip as in a run, so
what stands on a slope by its friction is at rest.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import derivative
from impeto.core.assembly.workspace import workspace_of
from impeto.core.contact.data import BeltData
from impeto.core.dynamics.integration import TIME
from impeto.core.dynamics.state import all_speeds, unknowns
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import Tables
from impeto.core.errors import Cancelled, ModelError, SolverError
from impeto.core.events.data import EventData
from impeto.core.flow.data import FeederData, OutletData
from impeto.core.model.formula import Number
from impeto.core.model.functions import Op
from impeto.core.model.units import NUMBER
from impeto.core.solvers import switching as sw
from impeto.core.solvers.contacting import trust_overlaps
from impeto.core.solvers.events import Events
from impeto.core.solvers.explicit import Explicit
from impeto.core.solvers.initial_conditions import Start, Touching, consistent_start
from impeto.core.solvers.linearisation import standing
from impeto.core.solvers.loop import answered
from impeto.core.solvers.run import Plan, Progress, Run
from impeto.core.solvers.scales import update_scale
from impeto.core.solvers.statics import Look, Settled, settle, with_bodies, with_speeds

Floats = npt.NDArray[np.float64]
LONGEST = 60.0  # s of motion
STEPS = 3  # between two looks at the kinetic energy
PASSED = 0.9  # of the peak of the kinetic energy: fast motion of little energy does not count
TOLERANCE = 1e-3  # of a step, of the speeds since the last stop: it is the end that counts
SLOW = 1e-5  # of the speed of a fall through the size: held against that at least
FURTHER = 25  # stops that a nearly balanced pose is given to come to what was asked for
BALANCED = 10.0, 1e-7, 1e-4  # times the tolerance of a run, within these bounds


def equilibrium(
    system: System, progress: Progress | None = None, tolerance: float = 1e-5,
    look: Look | None = None,
) -> Settled:  # fmt: skip
    """The static equilibrium near the start, by motion where shapes may touch. Raises ModelError
    where nothing holds the mechanism.

    tolerance : of the run that follows; by motion what is left unbalanced, over the acceleration of
    free bodies, is to be at most ten times that, as far as friction and rounding let it, and 1e-4
    look : is shown states on the way
    """
    if not len(system.tables.shape):
        return settle(system, progress, look)
    balanced = float(np.clip(BALANCED[0] * tolerance, *BALANCED[1:]))
    start = consistent_start(system, workspace_of(system))
    run = _standing(system, start)
    free = np.abs(run.workspace.solution[: unknowns(run.system.moving)])
    gravity = float(np.linalg.norm(system.tables.gravity))
    scale = max(gravity, float(_sizes(free, system).max(initial=0.0)), 1e-6)
    stepper, peak, energy, more = Explicit(run), 1.0, 0.0, 0  # it may rest from the start
    unbalanced = 1.0
    while float(run.state.clock[TIME]) < LONGEST:
        if energy < PASSED * peak:
            unbalanced = _stop(run, scale) / scale
            more += unbalanced <= BALANCED[2]
            if unbalanced <= balanced or more > FURTHER:
                return _settled(system, start, run, unbalanced)
            peak = 0.0
        _go_on(run, stepper)
        energy = sw.kinetic_energy(run.tables, run.state.y)
        peak = max(peak, energy)
        if look is not None:
            look(run.state.y, unbalanced)
        if progress and not progress(0.0, 0.0):
            raise Cancelled("Stopped while it looked for the equilibrium.")
    speeds = run.state.y[all_speeds(system.moving)].reshape(-1, 6)
    fastest = int(np.argmax(_sizes(np.abs(speeds), system)))
    raise ModelError(
        f"no static equilibrium was found: {system.mechanism.bodies[fastest + 1].name} does not "
        f"come to rest within {LONGEST:g} s",
        element="run settings",
        field="settle",
        remedy="Hold it by a joint, a spring or something to lie on, or switch settling off",
    )


def _standing(system: System, start: Start) -> Run:
    """A run of the mechanism from rest, with time and belts standing: nothing is fed in, taken away
    or switched."""
    calm = standing(system, start.state)
    belts = [replace(belt, value=Number(0.0, NUMBER)) for belt in calm.of(BeltData)]
    feeders = [replace(f, first=np.inf, interval=np.inf) for f in calm.of(FeederData)]
    outlets = [replace(outlet, removes=False) for outlet in calm.of(OutletData)]
    calm = calm.having(BeltData, belts).having(FeederData, feeders)
    calm = calm.having(OutletData, outlets).having(EventData, ())
    made = build_system(calm)
    made = replace(made, tables=_timeless(made.tables), timing=replace(made.timing, standing=True))
    state = with_bodies(made.start, start.state, made.moving)
    state[all_speeds(made.moving)] = 0.0
    plan = Plan(LONGEST, TOLERANCE, np.array([0.0, LONGEST]), "smooth", LONGEST, np.zeros)
    return Run(made, plan, Events(made, lambda _values: made, {}), Start(state, 0.0))


def _timeless(T: Tables) -> Tables:
    """Tables whose formulas have zero for the time."""
    instruction = T.instruction.copy()
    instruction[instruction[:, 0] == Op.TIME] = Op.CONSTANT, len(T.constant)
    return T.replaced(instruction=instruction, constant=np.append(T.constant, 0.0))


def _go_on(run: Run, stepper: Explicit) -> None:
    """A few steps of the run. Raises ModelError where they cannot be made."""
    try:
        answered(run, stepper, stepper.steps(STEPS))
    except SolverError as error:
        raise ModelError(
            f"no static equilibrium was found: {error}",
            element="run settings", field="settle", remedy="Switch settling off",
        ) from None  # fmt: skip


def _stop(run: Run, scale: float) -> float:
    """Set all speeds to zero; returns the largest acceleration [m/s²] that is left.

    scale : m/s², of what falls freely
    """
    n, state, size = run.system.moving, run.state, run.system.size
    slow = SLOW * float(np.sqrt(scale * size))
    state.scale[:] = slow, slow / size
    state.pace[:] = slow
    update_scale(state, n, size)
    state.y[all_speeds(n)] = 0.0
    run.restart()
    now = float(state.clock[TIME])
    for _ in range(2):  # what has come in fast presses with all of its depth
        trust_overlaps(run.tables, run.workspace, state.y)
        derivative(run.tables, run.workspace, now, state.y, state.k[0])
    left = np.abs(run.workspace.solution[: unknowns(n)])
    return float(_sizes(left, run.system)[sw.present(run.tables, run.workspace)[1:]].max(initial=0))


def _sizes(parts: Floats, system: System) -> Floats:
    """(n,) the largest of the parts (6n,) or (n, 6) of each body, turns at an arm of the size."""
    split = parts.reshape(-1, 6)
    return np.asarray(np.maximum(split[:, :3].max(axis=1), system.size * split[:, 3:].max(axis=1)))


def _settled(system: System, start: Start, run: Run, unbalanced: float) -> Settled:
    state = with_speeds(system, start, run.state.y)
    touching = Touching(run.tables, run.workspace, run.state.y)
    note = (
        f"Settled to equilibrium with contacts and their friction; unbalanced {unbalanced:.0e} of "
        "the forces."
    )
    begun = Start(state, start.moved, start.notes, touching, start.turned)
    return Settled(begun, unbalanced, True, note)
