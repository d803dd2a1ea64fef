"""The one door to a run: model and case in, recording out."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np

from impeto.core.errors import ImpetoError, ModelError, NotFinite, SolverError, StepTooSmall
from impeto.core.mechanics.resolve import resolve
from impeto.core.mechanics.system import System, build_system
from impeto.core.mechanics.tables import Workspace
from impeto.core.model.fields import Written, as_quantity
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope, find_case
from impeto.core.results.recording import Recording, Statistics
from impeto.core.solvers import smooth
from impeto.core.solvers.health import Finding, Health, examine
from impeto.core.solvers.smooth import Integration, Outputs
from impeto.core.solvers.start import consistent_start

TOLERANCES = {"draft": 1e-5, "normal": 1e-8, "fine": 1e-12}
CHUNK = 200  # steps between two looks at the clock
MOST_OUTPUTS = 2_000_000

# Gets the share done (0 to 1) and seconds solved; returns False to stop the run.
Progress = Callable[[float, float], bool]


def simulate(
    model: Model,
    case: str | None = None,
    until: Written | None = None,
    tol: float | str | None = None,
    progress: Progress | None = None,
) -> Recording:
    """Solve a model in one of its cases.

    until : end time, SI number or text with unit; the model's own setting when None
    tol : relative error per step, or 'draft', 'normal', 'fine'
    progress : called every few hundred steps; may stop the run, which keeps what was solved

    Raises ModelError where the model cannot be run. A SolverError that comes up on the way is not
    raised: the recording holds what was solved and says why it ended in `stopped`.
    """
    chosen = find_case(model, case)
    system = build_system(resolve(model, chosen.name))
    end, tolerance, outputs = run_values(model, chosen.name, until, tol)
    run = _Run(system, end, tolerance, outputs)
    stopped = run.go(progress)
    return run.recording(model, chosen.name, stopped)


def run_values(
    model: Model, case: str, until: Written | None, tol: float | str | None
) -> tuple[float, float, Any]:
    """End time [s], tolerance and output times, from the settings and what overrules them."""
    scope, settings = Scope(model, case), model.settings
    end = _setting(scope, settings.until if until is None else until, "time", "until")
    if not end > 0.0:
        raise ModelError(
            "the end time must be greater than zero", field="until", remedy="Type, say, 5 s"
        )
    rate = _setting(scope, settings.outputs, "frequency", "outputs")
    if not rate > 0.0 or end * rate > MOST_OUTPUTS:
        raise ModelError(
            f"{end:g} s at {rate:g} per second cannot be recorded",
            field="outputs",
            remedy=f"Keep it between 1 and {MOST_OUTPUTS:,} instants",
        )
    if tol is None:
        tol = settings.accuracy
        if settings.tolerance is not None:
            tol = _setting(scope, settings.tolerance, "number", "tolerance")
    if isinstance(tol, str):
        if tol not in TOLERANCES:
            raise ModelError(
                f"'{tol}' is not an accuracy", remedy=f"Use {', '.join(TOLERANCES)} or a number"
            )
        tol = TOLERANCES[tol]
    if not 1e-13 <= tol <= 0.1:
        raise ModelError("the tolerance must be between 1e-13 and 0.1", field="tolerance")
    steps = max(1, round(end * rate))
    return end, float(tol), np.linspace(0.0, end, steps + 1)


def _setting(scope: Scope, written: Written, kind: str, field: str) -> float:
    try:
        return scope.si(as_quantity(written, kind), kind)
    except ModelError as error:
        raise error.at("run settings", field) from None


class _Run:
    """One integration from start to end, in chunks of compiled steps."""

    def __init__(self, system: System, end: float, tolerance: float, outputs: Any) -> None:
        self.system, self.end, self.tolerance = system, end, tolerance
        self.began = time.perf_counter()
        self.workspace: Workspace = system.workspace()
        start = consistent_start(system, self.workspace)
        size, n = len(start.state), system.moving
        rows, coordinates = len(system.rows), len(system.tables.coordinate)
        count = len(outputs)
        self.outputs = Outputs(
            outputs,
            np.zeros((count, size)),
            np.zeros((count, n, 6)),
            np.zeros((count, rows)),
            np.zeros((count, coordinates, 2)),
        )
        self.state = Integration(
            clock=np.zeros(5),
            counts=np.zeros(4, dtype=np.int64),
            y=start.state.copy(),
            fresh=np.zeros(size),
            trial=np.zeros(size),
            scale=np.zeros(2),
            k=np.zeros((16, size)),
            dense=np.zeros((7, size)),
            rate=np.zeros(size),
            turned=np.zeros(coordinates),
        )
        self._first_step()

    def _first_step(self) -> None:
        """Sizes for the error norm, a first step from them, and the first output."""
        T, S, state, size = self.system.tables, self.workspace, self.state, self.system.size
        smooth.store(T, S, state.y, self.outputs, 0, state.k[0], 0.0)
        if not np.isfinite(state.k[0]).all():
            raise NotFinite(time=0.0, suspect=self._suspect_rate())
        self.state.counts[smooth.WRITTEN] = 1
        acceleration = np.abs(S.solution[: 6 * self.system.moving]).reshape(-1, 6)
        fastest = max(
            float(acceleration[:, :3].max(initial=0.0)),
            size * float(acceleration[:, 3:].max(initial=0.0)),
        )
        floor = 1e-2 * size * max(1.0 / self.end, float(np.sqrt(fastest / size)))
        state.scale[0], state.scale[1] = floor, floor / size
        smooth.update_scale(state, self.system.moving, size)
        pace = float(state.scale[0]) / size + float(np.sqrt(fastest / size))
        state.clock[smooth.STEP] = min(self.end, 0.05 / max(pace, 1e-3 / self.end))

    def go(self, progress: Progress | None) -> str:
        """Step to the end; return why it stopped early, or ''."""
        system, state = self.system, self.state
        coefficients = smooth.method()
        longest = self.end / 10.0
        while True:
            status = smooth.advance(
                system.tables, self.workspace, coefficients, state, self.outputs,
                self.end, self.tolerance, system.size, longest, CHUNK,
            )  # fmt: skip
            solved = float(state.clock[smooth.TIME])
            if status == smooth.DONE:
                if progress:
                    progress(1.0, solved)
                return ""
            if status != smooth.GOING_ON:
                return str(self._failure(status, solved))
            if progress and not progress(solved / self.end, solved):
                return f"Cancelled at {solved:.4g} s; what was solved until then is kept."

    def _failure(self, status: int, solved: float) -> SolverError:
        suspect = self._suspect()
        if status == smooth.TOO_SMALL:
            step = float(self.state.clock[smooth.STEP])
            return StepTooSmall(time=solved, step=step, suspect=suspect)
        return NotFinite(time=solved, suspect=suspect)

    def _suspect(self) -> str:
        index, n = int(self.state.clock[smooth.SUSPECT]), self.system.moving
        body = index // 7 if index < 7 * n else (index - 7 * n) // 6
        return self.system.mechanism.bodies[min(body, n - 1) + 1].name

    def _suspect_rate(self) -> str:
        n = self.system.moving
        bad = np.flatnonzero(~np.isfinite(self.state.k[0][: 13 * n]))
        self.state.clock[smooth.SUSPECT] = bad[0] if len(bad) else 0
        return self._suspect()

    def recording(self, model: Model, case: str, stopped: str) -> Recording:
        kept = int(self.state.counts[smooth.WRITTEN])
        out, count = self.outputs, self.state.counts
        statistics = Statistics(
            integrator="smooth (DOP853)",
            tolerance=self.tolerance,
            accepted=int(count[smooth.ACCEPTED]),
            rejected=int(count[smooth.REJECTED]),
            evaluations=int(count[smooth.EVALUATIONS]),
            wall_seconds=time.perf_counter() - self.began,
            worst_gap=float(self.state.clock[smooth.WORST_GAP]),
            error=float(self.state.clock[smooth.ERROR]),
        )
        return Recording(
            model=model,
            case=case,
            time=out.time[:kept],
            state=out.state[:kept],
            acceleration=out.acceleration[:kept],
            multiplier=out.multiplier[:kept],
            coordinate=out.coordinate[:kept],
            statistics=statistics,
            system=self.system,
            stopped=stopped,
        )


def check(model: Model, case: str | None = None) -> Health:
    """Health of a model in a case; what keeps it from running is a finding, not an exception."""
    try:
        return examine(build_system(resolve(model, case)))
    except ImpetoError as error:
        element = getattr(error, "element", "")
        problem = getattr(error, "problem", str(error))
        finding = Finding("bad", element, problem, getattr(error, "remedy", ""))
        return Health(0, 0, 0, (), (), (finding,))
