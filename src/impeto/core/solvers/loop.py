"""The loop of a run: steps of a method, what comes up between them, progress, and the end."""

from __future__ import annotations

import time

from impeto.core.dynamics.integration import CROSSED, STEP, STIFF_STEPS, SUSPECT, TIME
from impeto.core.errors import (
    Conflict,
    NoProgress,
    NotFinite,
    SolverError,
    StepTooSmall,
)
from impeto.core.model.run_settings import AUTOMATIC, QUICK, STIFF
from impeto.core.solvers import diagnostics as suspects
from impeto.core.solvers.explicit import Explicit
from impeto.core.solvers.implicit import Implicit
from impeto.core.solvers.run import Progress, Run
from impeto.core.solvers.status import Status
from impeto.core.solvers.stepper import Stepper
from impeto.core.solvers.time_stepping import TimeStepping

LOOK = 0.02  # s of wall time between two reports of progress


def integrate(run: Run, progress: Progress | None = None) -> str:
    """Take a run to its end; returns why it stopped early, or ''."""
    end, looked = run.plan.end, time.perf_counter()
    try:
        stepper = first_stepper(run)
        while True:
            status = stepper.advance()
            ended = answered(run, stepper, status)
            solved = float(run.state.clock[TIME])
            if ended:
                if progress:
                    progress(1.0, solved)
                return ""
            if status == Status.STIFF:
                stepper = going_on(run, Implicit(run, watch=True))
            elif status == Status.EASY:
                run.state.counts[STIFF_STEPS] = 0
                stepper = explicit(run)
            if progress and time.perf_counter() - looked > LOOK:
                looked = time.perf_counter()
                if not progress(solved / end, solved):
                    run.was_cancelled = True
                    return f"Cancelled at {solved:.4g} s; what was solved until then is kept."
    except SolverError as error:
        return str(error)


def first_stepper(run: Run) -> Stepper:
    """The method that the plan asks for; contacts are followed by the explicit one alone."""
    if run.plan.integrator == QUICK:
        return going_on(run, TimeStepping(run))
    if run.plan.integrator == STIFF and not len(run.tables.shape):
        return going_on(run, Implicit(run))
    return explicit(run)


def going_on(run: Run, stepper: Stepper) -> Stepper:
    """A method that goes on from here, noted."""
    run.methods.append(stepper.title)
    return stepper


def explicit(run: Run) -> Stepper:
    """The explicit method, which hands over where it may."""
    touching = len(run.tables.shape) > 0
    watch = run.plan.integrator == AUTOMATIC and not touching
    return going_on(run, Explicit(run, watch))


def answered(run: Run, stepper: Stepper, status: int) -> bool:
    """Do what a status asks for; returns whether the run has ended. Raises SolverError."""
    if status == Status.DONE:
        return True
    if status == Status.EVENT_MET:
        if run.meet(int(run.state.clock[CROSSED])):
            return True
        stepper.restart()
    elif status == Status.ON_TIME:
        run.turn_page()
        stepper.resume()
    elif status == Status.RENEW:
        run.renew()
    elif status == Status.FULL:
        run.more_room()
    elif status not in (Status.GOING_ON, Status.STIFF, Status.EASY):
        raise failure(run, status)
    return False


def failure(run: Run, status: int) -> SolverError:
    """Why a run cannot go on, with what is suspected."""
    clock = run.state.clock
    solved, index = float(clock[TIME]), int(clock[SUSPECT])
    suspect = suspects.of_state(run.system, run.workspace, index)
    if status == Status.TOO_SMALL:
        return StepTooSmall(time=solved, step=float(clock[STEP]), suspect=suspect)
    if status == Status.NO_PROGRESS:
        owner = suspects.owner_of_switch(run.system, int(clock[CROSSED])) or suspect
        return NoProgress(time=solved, suspect=owner)
    if status == Status.CONFLICT:
        what, who = suspects.conflict(run.system, run.workspace)
        return Conflict(time=solved, what=what, suspect=who or suspect)
    return NotFinite(time=solved, suspect=suspect)
