"""The one door to a run: model and case in, recording out."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.contact.data import ShapeData
from impeto.core.dynamics.integration import (
    ACCEPTED,
    CHANGES,
    ERROR,
    EVALUATIONS,
    REJECTED,
    WORST_GAP,
    WRITTEN,
)
from impeto.core.dynamics.names import Mark
from impeto.core.dynamics.solution import FAR
from impeto.core.dynamics.state import QUATERNION, poses_of
from impeto.core.dynamics.system import System
from impeto.core.elements import ContactRule, Event
from impeto.core.errors import ModelError
from impeto.core.flow.data import FeederData
from impeto.core.geometry.arrays import Floats
from impeto.core.geometry.rotation import from_quaternion
from impeto.core.model.cases import AS_SET
from impeto.core.model.fields import Written, as_quantity
from impeto.core.model.model import Model
from impeto.core.model.quantity import Quantity
from impeto.core.model.run_settings import STIFF
from impeto.core.model.scope import Scope, find_case
from impeto.core.results.recording import Recording, Statistics
from impeto.core.results.system import energy_error
from impeto.core.solvers.dynamic_relaxation import equilibrium
from impeto.core.solvers.event_log import run_marks
from impeto.core.solvers.events import Events
from impeto.core.solvers.initial_conditions import Start
from impeto.core.solvers.loop import integrate
from impeto.core.solvers.run import Allocate, Plan, Progress, Run
from impeto.core.solvers.shadow import beside_coarser, growth
from impeto.core.solvers.singular import singular_poses

TOLERANCES = {"draft": 1e-5, "normal": 1e-8, "fine": 1e-12}
# With contacts, forces have kinks wherever something touches, sticks or slips.
CONTACT_TOLERANCES = {"draft": 1e-5, "normal": 1e-6, "fine": 1e-9}
MOST_OUTPUTS = 2_000_000
# By how much the errors of steps grow on their way, taken from the verification problems.
CARRIED_ON = 3.0
SHORTEST = 1e-9  # s, of a run
Asked = Written | Sequence[float] | npt.NDArray[np.float64]


def simulate(
    model: Model,
    case: str | None = None,
    until: Written | None = None,
    tol: float | str | None = None,
    progress: Progress | None = None,
    allocate: Allocate = np.zeros,
    outputs: Asked | None = None,
    live: Live | None = None,
) -> Recording:
    """Solve a model in one of its cases.

    until : end time, SI number or text with unit; the model's own setting when None
    tol : relative error per step, or 'draft', 'normal', 'fine'
    progress : called every few hundredths of a second; may stop the run, which keeps its part
    allocate : makes the arrays of the recording, in memory or on disk
    outputs : how many per second, or the instants [s] themselves; the model's own when None
    live : what is to be looked at meanwhile, from another thread

    Raises ModelError where the model cannot be run. A SolverError that comes up on the way is not
    raised: the recording holds what was solved and says why it ended in `stopped`.
    """
    chosen = find_case(model, case).name
    system = build_system(resolve(model, chosen))
    end, tolerance, times = run_values(model, chosen, until, tol, outputs)
    integrator = integrator_of(model, chosen)
    step = positive_step(model, chosen)
    longest = longest_step(model, chosen)
    plan = Plan(end, tolerance, times, integrator, step, allocate, longest)
    events = _events(model, chosen, system)
    start: Start | None = None
    notes: list[str] = []
    if len(system.tables.shape) and integrator == STIFF:
        notes.append("Contacts are followed by the smooth integrator; the stiff one was not used.")
    if model.settings.settle:
        look = None if live is None else partial(live.settle, system)
        settled = equilibrium(system, progress, tolerance, look)
        start, notes = settled.start, [*notes, settled.note]
    run = Run(system, plan, events, start)
    if live is not None:
        live.run, live.model, live.case = run, model, chosen
    stopped = integrate(run, progress)
    if run.timetable.note and model.settings.longest_step is None:
        notes.append(run.timetable.note)
    recording = _recording(run, model, chosen, stopped, (*run.start.notes, *notes))
    return recording if stopped else _examined(recording, run, progress)


@dataclasses.dataclass(frozen=True, slots=True)
class Settling:
    """state : on the way to an equilibrium;  unbalanced : share of the forces that is left"""

    system: System
    state: Floats
    unbalanced: float

    def places(self) -> dict[str, tuple[Floats, Floats]]:
        """Origin [m] and axes of every moving body, world."""
        rows, found = poses_of(self.state, self.system.moving), {}
        turned = from_quaternion(rows[:, QUATERNION:])
        for k, body in enumerate(self.system.mechanism.bodies[1:]):
            own = self.system.tables.origin[k + 1]
            found[body.name] = rows[k, :QUATERNION] + turned[k] @ own, turned[k]
        return found


@dataclasses.dataclass(slots=True)
class Live:
    """A run that goes on, as it is given to `simulate`. Outputs that are written stay as they are,
    so that they can be looked at from another thread, at no cost for the run."""

    run: Run | None = None
    model: Model | None = None
    case: str = ""
    settling: Settling | None = None

    def settle(self, system: System, state: Floats, unbalanced: float) -> None:
        """Where bodies are on the way to the equilibrium from which the run begins."""
        self.settling = Settling(system, state.copy(), unbalanced)

    def so_far(self) -> Recording | None:
        """What is solved so far, its outputs where they are, without marks; None before there are
        two of them."""
        if self.run is None or self.model is None or self.run.state.counts[WRITTEN] < 2:
            return None
        return _recording(self.run, self.model, self.case, "", (), marks=())


def _examined(recording: Recording, run: Run, progress: Progress | None) -> Recording:
    """With what bears on how far the estimate of the error holds: singular poses on the way, and
    how sensitive the motion is."""
    singular = singular_poses(
        run.system, recording.time, np.asarray(recording.state), np.asarray(recording.measured)
    )
    judged = _held_against if run.quick or len(run.tables.shape) else _with_growth
    error = max(recording.statistics.error, energy_error(recording))  # by an independent sum
    statistics = dataclasses.replace(
        judged(recording, run, error, progress),
        singular=min((mark.time for mark in singular), default=np.inf),
    )
    marks = tuple(sorted((*recording.marks, *singular), key=lambda mark: mark.time))
    return dataclasses.replace(recording, statistics=statistics, marks=marks)


def _held_against(
    recording: Recording, run: Run, error: float, progress: Progress | None
) -> Statistics:
    """Of a run with contacts or in quick mode: what a coarser run beside it tells of its error."""
    found = beside_coarser(
        run, _events(recording.model, recording.case, run.system),
        (recording.time, recording.state, recording.measured), progress,
    )  # fmt: skip
    error = max(error, found.apart if found.apart < FAR else 1.0)
    return dataclasses.replace(
        recording.statistics, error=error, apart=found.apart, compared=found.until
    )


def _with_growth(
    recording: Recording, run: Run, error: float, progress: Progress | None
) -> Statistics:
    """Of a run without contacts: the estimate of its error with what grows of it on the way."""
    s = recording.statistics
    grown = growth(
        run.system, _events(recording.model, recording.case, run.system), run.plan, run.start,
        (recording.time, recording.state), s.evaluations, progress,
    )  # fmt: skip
    # Errors of all instants have had as long to grow as was left to them.
    carried = (grown - 1.0) / np.log(grown) / CARRIED_ON if grown > math.e else 1.0
    if carried > 1.0:
        error *= carried
        error = error if error < FAR else max(error, 1.0)  # another motion altogether
    return dataclasses.replace(s, growth=grown, error=min(error, max(1.0, s.error)))


def integrator_of(model: Model, case: str) -> str:
    """What a case asks for, else the model's own setting."""
    chosen = find_case(model, case).integrator
    return model.settings.integrator if chosen == AS_SET else chosen


def positive_step(model: Model, case: str) -> float:
    """Step [s] of quick mode."""
    return _positive(model, case, "step", "the quick step")


def longest_step(model: Model, case: str) -> float:
    """Longest step [s] of the accurate integrators; infinite where none is asked for."""
    if model.settings.longest_step is None:
        return np.inf
    return _positive(model, case, "longest_step", "the longest step")


def _positive(model: Model, case: str, field: str, title: str) -> float:
    step = _setting(Scope(model, case), getattr(model.settings, field), "time", field)
    if not step > 0.0:
        raise ModelError(
            f"{title} must be greater than zero", element="run settings", field=field,
            remedy="Type, say, 4 ms",
        )  # fmt: skip
    return step


def _events(model: Model, case: str, system: System) -> Events:
    def changed(values: dict[str, str]) -> System:
        written = {name: Quantity(text) for name, text in values.items()}
        made = resolve(model, case, written)
        for new, old in zip(made.of(FeederData), system.mechanism.of(FeederData), strict=True):
            if (new.first, new.interval) != (old.first, old.interval):
                raise ModelError(
                    f"the pace of {new.name} hangs on it, which cannot change during a run",
                    element=", ".join(values), remedy="Let events ask that feeder for copies",
                )  # fmt: skip
        return build_system(made)

    settings = {event.name: str(event.value) for event in Scope(model, case).model.of(Event)}
    events = Events(system, changed, settings)
    events.check()
    return events


def run_values(
    model: Model, case: str, until: Written | None, tol: float | str | None,
    outputs: Asked | None = None,
) -> tuple[float, float, Any]:  # fmt: skip
    """End time [s], tolerance and output times, from the settings and what overrules them."""
    scope, settings = Scope(model, case), model.settings
    written = until if until is not None else scope.case.until or settings.until
    end = _setting(scope, written, "time", "until")
    if not end > 0.0:
        raise ModelError(
            "the end time must be greater than zero", field="until", remedy="Type, say, 5 s"
        )
    if not end >= SHORTEST:
        raise ModelError("the end time must be at least 1 ns", field="until")
    times = _instants(scope, end, settings.outputs if outputs is None else outputs)
    if tol is None:
        tol = settings.accuracy
        if settings.tolerance is not None:
            tol = _setting(scope, settings.tolerance, "number", "tolerance")
    if isinstance(tol, str):
        if tol not in TOLERANCES:
            raise ModelError(
                f"'{tol}' is not an accuracy", remedy=f"Use {', '.join(TOLERANCES)} or a number"
            )
        touching = any(scope.takes_part(rule) for rule in model.of(ContactRule))
        tol = (CONTACT_TOLERANCES if touching else TOLERANCES)[tol]
    if not 1e-13 <= tol <= 0.1:
        raise ModelError("the tolerance must be between 1e-13 and 0.1", field="tolerance")
    return end, float(tol), times


def _instants(scope: Scope, end: float, outputs: Asked) -> Any:
    """(N,) s from zero to the end: evenly by a rate, or as they were asked for."""
    if isinstance(outputs, (str, Quantity)) or np.ndim(outputs) == 0:
        rate = _setting(scope, outputs, "frequency", "outputs")  # type: ignore[arg-type]
        if not rate > 0.0 or end * rate > MOST_OUTPUTS:
            raise ModelError(
                f"{end:g} s at {rate:g} per second cannot be recorded",
                field="outputs",
                remedy=f"Keep it between 1 and {MOST_OUTPUTS:,} instants",
            )
        return np.linspace(0.0, end, max(1, round(end * rate)) + 1)
    times = np.unique(np.concatenate([[0.0], np.asarray(outputs, dtype=float), [end]]))
    if len(times) > MOST_OUTPUTS or not ((times >= 0.0) & (times <= end)).all():
        raise ModelError(
            "the instants of the outputs must lie between zero and the end time", field="outputs"
        )
    return times


def _setting(scope: Scope, written: Written, kind: str, field: str) -> float:
    try:
        return scope.si(as_quantity(written, kind), kind)
    except ModelError as error:
        raise error.at("run settings", field) from None


def _pressed_pair(run: Run) -> str:
    """The bodies whose contact was pressed in furthest, '' where nothing touched."""
    if not run.workspace.deepest[0] > 0.0:
        return ""
    m = run.system.mechanism
    shapes = (m.of(ShapeData)[int(k)] for k in run.workspace.deepest[1:])
    return " and ".join(m.bodies[shape.body].name for shape in shapes)


def _recording(
    run: Run, model: Model, case: str, stopped: str, notes: tuple[str, ...],
    marks: tuple[Mark, ...] | None = None,
) -> Recording:  # fmt: skip
    kept = int(run.state.counts[WRITTEN])
    out, count = run.outputs, run.state.counts
    statistics = Statistics(
        integrator=run.methods_said,
        tolerance=run.plan.tolerance,
        accepted=int(count[ACCEPTED]),
        rejected=int(count[REJECTED]),
        evaluations=int(count[EVALUATIONS]),
        changes=int(count[CHANGES]),
        wall_seconds=run.wall_seconds,
        worst_gap=float(run.state.clock[WORST_GAP]),
        error=CARRIED_ON * float(run.state.clock[ERROR]),
        pressed=float(run.workspace.deepest[0]),
        pressed_pair=_pressed_pair(run),
    )
    return Recording(
        model=model,
        case=case,
        time=out.time[:kept],
        state=out.state[:kept],
        acceleration=out.acceleration[:kept],
        multiplier=out.multiplier[:kept],
        coordinate=out.coordinate[:kept],
        measured=out.measured[:kept],
        touch=out.touch[: int(out.touch_end[kept - 1])],
        touch_end=out.touch_end[:kept],
        statistics=statistics,
        system=run.system,
        marks=run_marks(run) if marks is None else marks,
        notes=notes,
        stopped=stopped,
        cancelled=run.was_cancelled,
    )
