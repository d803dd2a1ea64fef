"""Commands of many runs: sweeps, sensitivities, optimisation."""

from __future__ import annotations

import argparse
import csv
import math
import sys
import time
from collections.abc import Callable
from pathlib import Path

from impeto.cli.ready import make_ready
from impeto.core.elements import FigureOf, Parameter
from impeto.core.errors import FileError, ModelError
from impeto.core.model import formula
from impeto.core.model.model import Model
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope, find_case
from impeto.core.model.studies import GLOBAL, LOCAL, Optimisation, ParameterSweep, Varied
from impeto.core.studies import table
from impeto.core.studies.optimum import History
from impeto.core.studies.point import Answer, solve_point
from impeto.core.studies.sampling import effort
from impeto.core.studies.solved import Solved
from impeto.services import model_file
from impeto.services.studies import searching, sweeping
from impeto.services.studies.searching import Found
from impeto.services.studies.study_file import SUFFIX
from impeto.services.workers.where import at

MANY = 1000  # runs from where it is told before how long they take
LONG = 3600.0  # s, from where a sweep is asked for twice
SHOWN = 12  # rows in the shell; all are in the table


def varied(texts: list[str]) -> tuple[Varied, ...]:
    """From NAME=VALUES. Raises ModelError."""
    found = []
    for text in texts:
        name, sign, values = text.partition("=")
        if not sign:
            raise ModelError(f"--vary {text} says no values", remedy="Write NAME=FROM:TO:N")
        found.append(Varied(parameter=name.strip(), values=values.strip()))
    return tuple(found)


def sweep(given: argparse.Namespace) -> int:
    """Solve what is not solved yet, then tell figures and what failed; 1 where a point failed."""
    model = model_file.load(given.file)
    asked = _sweep_of(model, given)
    stem = Path(given.file).name.removesuffix(model_file.SUFFIX)
    out = Path(given.out or f"{stem}{SUFFIX}")
    whole = sweeping.asked_of(model, asked, given.until)
    make_ready()
    with at(given.scheduler) as workers:
        said = f"{len(whole.values)} runs"
        if len(whole.values) > MANY:
            seconds = max(solve_point(whole.asked, whole.values[0]).seconds, 1e-3)
            said = effort(len(whole.values), seconds, workers.count)
            if len(whole.values) * seconds / workers.count > LONG and not given.yes:
                raise ModelError(said, remedy="Ask for fewer points, or add --yes")
        print(f"{said} on {workers.count} processes, kept in {out}")
        began = time.monotonic()

        def told(done: int, of: int, _number: int, _answer: Answer) -> bool:
            if sys.stdout.isatty():
                left = (time.monotonic() - began) * (of - done) / max(done, 1)
                print(f"\r{done} of {of}, {left:.0f} s left ", end="", flush=True)
            return True

        solved = sweeping.solve_sweep(
            model, asked, out, workers, given.until, None, told, given.recordings
        )
    if sys.stdout.isatty():
        print()
    _print_points(solved)
    if given.csv:
        write_csv(solved, given.csv)
    return 1 if solved.problems else 0


def _sweep_of(model: Model, given: argparse.Namespace) -> ParameterSweep:
    if not given.sweep:
        case = find_case(model, given.case).name
        return ParameterSweep(name="sweep", vary=varied(given.vary), sampling=given.sampling,
                              points=given.points, seed=given.seed, case=case)  # fmt: skip
    found = model.elements.get(given.sweep)
    if not isinstance(found, ParameterSweep):
        known = ", ".join(s.name for s in model.of(ParameterSweep)) or "none"
        raise ModelError(f"there is no sweep '{given.sweep}'", remedy=f"Sweeps are {known}")
    return found


def write_csv(solved: Solved, path: str | Path) -> None:
    """All solved points as a table in SI units. Raises FileError."""
    try:
        with Path(path).open("w", newline="", encoding="utf-8") as file:
            writer = csv.writer(file)
            writer.writerow(table.header(solved))
            writer.writerows(table.rows(solved))
    except OSError as error:
        raise FileError(f"{path} cannot be written: {error.strerror}.") from error


def _print_points(solved: Solved) -> None:
    titles = [*solved.names, *solved.figures]
    print("".join(f"{title:>18}" for title in titles) + "   met")
    for number, answer in sorted(solved.answers.items())[:SHOWN]:
        values = [s.told(v) for s, v in zip(solved.points.varied, solved.values[number],
                                            strict=True)]  # fmt: skip
        figures = [answer.told(name) for name in solved.figures]
        told = answer.problem or ("yes" if answer.meets_all else "no")
        print("".join(f"{text:>18}" for text in (*values, *figures)) + f"   {told}")
    if len(solved.answers) > SHOWN:
        print(f"… and {len(solved.answers) - SHOWN} more")
    share = solved.share_met()
    chance = "" if solved.is_even else f", of made ones {share.low:.1%} to {share.high:.1%}"
    print(f"{share.met} of {share.solved} meet all targets{chance}; {len(solved.problems)} failed")


def optimise(given: argparse.Namespace) -> int:
    """Search, then tell the best values and figures; 1 where targets are missed."""
    model = model_file.load(given.file)
    study = Optimisation(name="search", vary=varied(given.vary), figure=given.figure,
                         method=GLOBAL if given.everywhere else LOCAL, runs=given.runs,
                         against=given.against,
                         case=find_case(model, given.case).name)  # fmt: skip
    make_ready()

    def told(history: History) -> bool:
        if sys.stdout.isatty():
            print(f"\r{len(history.values)} runs ", end="", flush=True)
        return True

    found = searching.optimise(model, study, given.until, None, given.scheduler, told)
    if sys.stdout.isatty():
        print()
    if given.against:
        _print_front(found)
        return 0
    kinds = {s.name: s for s in found.asked.varied}
    for name, value in found.values.items():
        print(f"{name} = {kinds[name].told(value)}")
    for name in found.best.figures:
        print(f"{name}: {found.best.told(name)}")
    print(f"after {len(found.history.values)} runs")
    if given.out:
        model_file.save(found.with_case("Best"), given.out)
        print(f"Written to {given.out}")
    if found.missed:
        print(f"missed: {', '.join(found.missed)}", file=sys.stderr)
    return 1 if found.missed else 0


def _print_front(found: Found) -> None:
    """A row for each run than which no other is better in both figures."""
    print("".join(f"{title:>18}" for title in (found.figure, found.against, *found.values)))
    for row in found.front_told:
        print("".join(f"{text:>18}" for text in row))
    print(f"{len(found.front)} of {len(found.history.values)} runs")


def sensitivities(given: argparse.Namespace) -> int:
    """A table of elasticities: percent of a figure for a percent of a parameter."""
    model = model_file.load(given.file)
    names = given.parameters or free_parameters(model, given.case)
    make_ready()
    found = searching.sensitivities(model, names, given.case, given.until,
                                    workers=given.scheduler)  # fmt: skip
    figures = [figure.name for figure in model.of(FigureOf)]
    print(f"{'% for 1 %':<24}" + "".join(f"{name:>18}" for name in figures))
    for name in names:
        row = {s.figure: s for s in found if s.parameter == name}
        told = [f"{row[f].elasticity:+.3g}" if math.isfinite(row[f].elasticity) else "–"
                for f in figures]  # fmt: skip
        print(f"{name:<24}" + "".join(f"{text:>18}" for text in told))
    return 0


def free_parameters(model: Model, case: str | None) -> list[str]:
    """Parameters that are no formulas of others and are not zero."""
    scope = Scope(model, case)
    free = []
    for parameter in model.of(Parameter):
        written = scope.case.values.get(parameter.name, parameter.value)
        assert isinstance(written, Quantity)
        if not formula.names(written.node) and scope.parameter(parameter.name).si != 0.0:
            free.append(parameter.name)
    return free


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "optimise": optimise,
    "sensitivities": sensitivities,
    "sweep": sweep,
}
