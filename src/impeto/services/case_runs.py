"""Several cases at once, where workers are; each ends by itself."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from impeto.core.errors import FileError, ImpetoError, ModelError
from impeto.core.model.fields import Written
from impeto.core.model.model import Model
from impeto.core.results.recording import Recording
from impeto.core.simulate import simulate
from impeto.core.solvers.run import Progress
from impeto.services import recording_file
from impeto.services.atomic import made
from impeto.services.workers.task import Tell, Wanted, Watch, Workers
from impeto.services.workers.where import at

Ended = Callable[[str, Recording], None]


@dataclass(frozen=True, slots=True)
class Outcome:
    """Of the run of a case: the file with its recording, or why there is none."""

    path: str = ""
    problem: ImpetoError | None = None


@dataclass(frozen=True, slots=True)
class CaseRuns:
    """Each item is the name of a case and of the file that its recording goes into."""

    model: Model
    until: Written | None
    tol: float | str | None

    def run(self, number: int, item: tuple[str, str], wanted: Wanted, tell: Tell) -> Outcome:
        case, path = item
        if not wanted():
            return Outcome()

        def progress(share: float, _solved: float) -> bool:
            tell(share)
            return wanted()

        try:
            recording = simulate(self.model, case, self.until, self.tol, progress)
            recording_file.save_recording(recording, path)
        except ImpetoError as error:
            return Outcome(problem=error)
        return Outcome(path)

    def lost(self, item: tuple[str, str], why: str) -> Outcome:
        return Outcome(problem=FileError(f"Case {item[0]}: {why}."))


class CaseWatch:
    """What is wanted of cases while they are solved: `stop` ends one of them, which keeps what is
    solved."""

    def __init__(self, cases: Sequence[str], progress: Progress | None = None) -> None:
        self.cases, self._progress = list(cases), progress
        self.ended = set[int]()
        self.watch = Watch(self._wanted, {})

    def stop(self, case: str) -> None:
        self.watch.stopped.add(self.cases.index(case))

    @property
    def shares(self) -> dict[str, float]:
        """Done of each case."""
        known = dict(self.watch.shares or {})  # another thread goes on with it
        return {case: 1.0 if number in self.ended else known.get(number, 0.0)
                for number, case in enumerate(self.cases)}  # fmt: skip

    def _wanted(self) -> bool:
        if self._progress is None:
            return True
        return self._progress(sum(self.shares.values()) / len(self.cases), 0.0)


def simulate_cases(
    model: Model, cases: Sequence[str], until: Written | None = None,
    tol: float | str | None = None, watch: CaseWatch | None = None,
    workers: Workers | str | None = None, files: Mapping[str, Path] | None = None,
    ended: Ended | None = None, problems: dict[str, ImpetoError] | None = None,
) -> dict[str, Recording]:  # fmt: skip
    """Recordings of cases by name.

    workers : where; the address of a Dask scheduler, or processes of this machine for None
    files : for the recording of each case, the same on all machines; None for some that are removed
    ended : gets each as soon as it is there
    problems : gets why cases have no recording, and the others go on; without it that of the first
        one is raised: ModelError where it cannot be run
    """
    watch = watch or CaseWatch(cases)
    found = dict[str, Recording]()
    with tempfile.TemporaryDirectory() as own:
        paths = files or files_of(cases, Path(own))
        for folder in {path.parent for path in paths.values()}:
            made(folder)
        items = {number: (case, str(paths[case].absolute())) for number, case in enumerate(cases)}
        with at(workers) as where:
            outcomes = where.answers(CaseRuns(model, until, tol), items, watch.watch)
            for number, outcome in outcomes:
                watch.ended.add(number)
                case = cases[number]
                problem = outcome.problem
                if outcome.path and problem is None:
                    try:
                        found[case] = _opened(outcome.path, case)
                    except FileError as error:
                        problem = error
                if problem is not None:
                    if problems is None:
                        raise _of_case(problem, case)
                    problems[case] = problem
                elif case in found and ended is not None:
                    ended(case, found[case])
    return {case: found[case] for case in cases if case in found}


def files_of(cases: Iterable[str], folder: Path, stem: str = "") -> dict[str, Path]:
    """Files for the recordings of cases, no two the same."""
    names = dict[str, Path]()
    taken = set[str]()
    for case in cases:
        plain = stem + re.sub(r"[^\w.-]+", "_", case.lower())
        name, number = plain, 2
        while name in taken:
            name, number = f"{plain}_{number}", number + 1
        taken.add(name)
        names[case] = folder / f"{name}.h5"
    return names


def _opened(path: str, case: str) -> Recording:
    if not Path(path).exists():
        raise FileError(
            f"Case {case}: its worker wrote '{path}', which is not there on this machine: choose a "
            "folder that all machines have."
        )
    return recording_file.open_recording(path)


def _of_case(error: ImpetoError, case: str) -> ImpetoError:
    if not isinstance(error, ModelError):
        return error
    return ModelError(f"case {case}: {error.problem}", element=error.element, field=error.field,
                      remedy=error.remedy)  # fmt: skip
