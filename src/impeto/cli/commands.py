"""The shell's commands. Each takes the parsed arguments and returns the exit status."""

from __future__ import annotations

import argparse
import contextlib
import math
import re
import sys
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path

from impeto import api
from impeto.cli.ready import make_ready
from impeto.core.check import check
from impeto.core.elements import Drive, Joint, Parameter
from impeto.core.errors import ImpetoError, ModelError
from impeto.core.model import units
from impeto.core.model.differing import Difference, differences
from impeto.core.model.model import Model
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope, find_case
from impeto.core.results.figures import figures
from impeto.core.results.judging import judged
from impeto.core.results.recording import Recording
from impeto.core.results.sizing import stalls
from impeto.core.results.system import energy_error
from impeto.core.weighing import weighed, weights
from impeto.services import case_runs, desktop, model_file, tables, warmup
from impeto.services.recording_file import save_recording
from impeto.services.step import reader

WIDTH = 30


def solve(
    model: Model, case: str | None, until: str | None, accuracy: str | float | None
) -> api.Recording:
    """Solve with a line of progress where a person watches."""
    make_ready()
    watched = sys.stdout.isatty()
    last = [0.0]

    def progress(share: float, solved: float) -> bool:
        if watched and (time.monotonic() - last[0] > 0.1 or share >= 1.0):
            last[0] = time.monotonic()
            bar = "█" * round(WIDTH * share)
            print(f"\r{bar:<{WIDTH}} {solved:.3f} s", end="\n" if share >= 1.0 else "", flush=True)
        return True

    return api.simulate(model, case, until, accuracy, progress)


def run(given: argparse.Namespace) -> int:
    model = _with_values(model_file.load(given.file), given.values)
    accuracy: str | float | None = given.accuracy
    if accuracy is not None:
        with contextlib.suppress(ValueError):  # words go on to simulate, which knows them
            accuracy = float(accuracy)
    cases = list(model.cases) if given.all_cases else [find_case(model, given.case).name]
    folder = Path(given.out)
    folder.mkdir(parents=True, exist_ok=True)
    status = 0
    stem = Path(given.file).name.removesuffix(model_file.SUFFIX)
    paths = case_runs.files_of(cases, folder, f"{stem}-")
    problems = dict[str, ImpetoError]()
    solved: dict[str, Recording] = {}
    if len(cases) > 1 or given.scheduler:
        make_ready()
        solved = case_runs.simulate_cases(model, cases, given.until, accuracy, None,
                                          given.scheduler, paths, problems=problems)  # fmt: skip
    else:
        solved = {case: solve(model, case, given.until, accuracy) for case in cases}
        for case, recording in solved.items():
            save_recording(recording, paths[case])
    for case, problem in problems.items():
        print(f"{case}: {problem}", file=sys.stderr)
        status = 1
    for case, recording in solved.items():
        print_figures(recording)
        for sentence in (*recording.notes, *stalls(recording)):
            print(sentence)
        print(f"{case}: recorded in {paths[case]}")
        if recording.stopped:
            print(recording.stopped, file=sys.stderr)
            status = 1
    return 1 if print_verdicts(solved) else status


def print_verdicts(solved: Mapping[str, Recording]) -> bool:
    """Figures, targets and checks by hand, a column for each case; returns whether any is missed
    or cannot be told."""
    found = {case: judged(recording) for case, recording in solved.items()}
    if not found:
        return False
    first = next(iter(found.values()))
    rows = [(name, [j.figures[name].told for j in found.values()]) for name in first.figures]
    for number, verdict in enumerate(first.verdicts):
        told = [judgement.verdicts[number].told for judgement in found.values()]
        rows.append((f"{verdict.name}: {verdict.asked}", told))
    if not rows:
        return False
    wide = max(len(title) for title, _ in rows) + 2
    columns = [max(len(case), *(len(cells[k]) for _, cells in rows)) + 2
               for k, case in enumerate(found)]  # fmt: skip
    for title, cells in [("", list(found)), *rows]:
        said = "".join(f"{cell:>{width}}" for cell, width in zip(cells, columns, strict=True))
        print(f"{title:<{wide}}{said}")
    missed = [f"{case}: {name}" for case, j in found.items() for name in j.missed]
    if missed:
        print(f"missed: {'; '.join(missed)}", file=sys.stderr)
    return bool(missed)


def _with_values(model: Model, values: list[str]) -> Model:
    """The model with parameters overruled, in every case."""
    for item in values:
        name, sign, value = item.partition("=")
        element = model.elements.get(name.strip())
        if not sign or not isinstance(element, Parameter):
            raise ModelError(
                f"--set {item}: '{name}' is not a parameter",
                remedy=f"Parameters are {', '.join(p.name for p in model.of(Parameter))}",
            )
        model = model.with_element(replace(element, value=Quantity(value)))
        for case in model.cases.values():
            kept = {key: v for key, v in case.values.items() if key != element.name}
            model = model.with_case(replace(case, values=kept))
    return model


def print_figures(recording: Recording) -> None:
    """Table of the figures that most people look at first."""
    s = recording.statistics
    print(
        f"{recording.model.name}, case {recording.case}: {recording.time[-1]:g} s in "
        f"{s.wall_seconds:.2f} s, {s.accepted} steps, energy error {energy_error(recording):.1e}"
    )
    print(f"{'channel':<26}{'peak':>14}{'at':>10}{'mean':>14}{'RMS':>14}")
    for name in key_channels(recording):
        channel = recording.channel(name)
        f = figures(recording.time, channel.values)
        texts = [units.shown(v, channel.kind) for v in (f.peak, f.mean, f.rms)]
        print(f"{name:<26}{texts[0]:>14}{f.peak_time:>8.3f} s{texts[1]:>14}{texts[2]:>14}")


def key_channels(recording: Recording) -> list[str]:
    """Force of every joint, torque or force and power of every drive."""
    model = Scope(recording.model, recording.case).model
    names = [f"{d.name}.{q}" for d in model.of(Drive) for q in ("torque", "force", "power")]
    names += [f"{j.name}.force" for j in model.of(Joint)]
    known = set(recording.channels())
    return [name for name in names if name in known]


def write_key_channels(recording: Recording, path: Path) -> None:
    tables.export_csv(recording, key_channels(recording), path)


def check_model(given: argparse.Namespace) -> int:
    model = model_file.load(given.file)
    make_ready()
    health = check(model, given.case)
    bad = False
    for finding in health.findings:
        bad |= finding.severity == "bad"
        where = f"{finding.element}: " if finding.element else ""
        remedy = f" {finding.remedy}." if finding.remedy else ""
        print(f"{where}{finding.message}.{remedy}")
    if not bad:
        print(f"Free motions: {health.free} (by counting {health.counted})")
        for row in health.redundant:
            print(f"Redundant: {row.owner}, {row.freedom}")
    return 1 if bad else 0


def masses(given: argparse.Namespace) -> int:
    """A line for every body, then all of them together with their centre."""
    rows = weights(model_file.load(given.file), given.case)
    print(f"{'body':<30}{'mass':>14}  {'of':<18}material")
    for row in rows:
        name = row.name if len(row.names) == 1 else f"{row.name} x {len(row.names)}"
        of = ("typed" if row.is_typed else "shapes") + (" + points" if row.points else "")
        materials = ", ".join(row.materials)
        print(f"{name:<30}{units.shown(row.all.mass, 'mass'):>14}  {of:<18}{materials}".rstrip())
    total = weighed(rows)
    centre = ", ".join(units.digits(round(float(v), 9)) for v in total.center)
    print(f"{'all':<30}{units.shown(total.mass, 'mass'):>14}  centre {centre} m")
    return 0


def import_file(given: argparse.Namespace) -> int:
    """Geometry as a model file with gravity, or into one that there is, its meshes beside it."""
    if given.into:
        out = Path(given.into)
        model, notes = api.brought_in(api.load(out), given.file, given.unit, out.parent)
    else:
        read = api.import_geometry(given.file, given.unit)
        out, notes = Path(given.out), read.notes
        if not out.name.endswith(model_file.SUFFIX):
            out = out.with_name(out.name + model_file.SUFFIX)
        model = api.merged(model_file.new_model(), read.model).changed(name=read.model.name)
    api.save(model, out)
    for note in notes:
        print(note)
    print(f"Written to {out}")
    return 0


def split(text: str) -> list[str]:
    """Names and formulas separated by commas, but for those within brackets."""
    parts = re.split(r",(?![^(]*\))", text)
    return [part.strip() for part in parts if part.strip()]


def export(given: argparse.Namespace) -> int:
    recording = api.open_recording(given.run)
    chosen: list[str] = []
    for words in split(given.channels):
        exact = [words] if recording.has(words) else recording.channels(words)
        if not exact:
            recording.channel(words)  # complains and names near ones
        chosen += exact
    tables.export(recording, chosen or key_channels(recording), given.csv)
    print(f"Written to {given.csv}")
    return 0


def prepare(_given: argparse.Namespace) -> int:
    warmup.compile_modules()
    make_ready()
    print("The solver is ready.")
    return 0


def schema(_given: argparse.Namespace) -> int:
    print(model_file.schema_text(), end="")
    return 0


def install(given: argparse.Namespace) -> int:
    """An entry in the menus, an icon, and the type of model files, for this user; or the reader of
    STEP files."""
    if given.what == "step":
        if not reader.is_installed():
            reader.install()
        print("The STEP reader is installed.")
        return 0
    for path in desktop.install():
        print(path)
    return 0


def diff(given: argparse.Namespace) -> int:
    """What differs between two models or the models of two recordings, then figures that do."""
    opened = [_opened(given.first), _opened(given.second)]
    first, second = (one.model if isinstance(one, api.Recording) else one for one in opened)
    found = differences(first, second)
    for difference in found:
        print(difference)
    runs = [one for one in opened if isinstance(one, api.Recording)]
    if len(runs) == len(opened):
        found += print_changed_figures(runs[0], runs[1], second)
    if not found:
        print("Nothing differs.")
    return 0


def _opened(path: str) -> Model | api.Recording:
    return model_file.load(path) if path.endswith(model_file.SUFFIX) else api.open_recording(path)


def print_changed_figures(a: api.Recording, b: api.Recording, model: Model) -> list[Difference]:
    """Figures that differ between two runs, with the change in percent; returns them."""
    changed = []
    before, after = a.judged(model).figures, b.judged(model).figures
    for name, figure in after.items():
        old = before[name]
        if figure.told != old.told:
            share = 100.0 * (figure.value / old.value - 1.0) if old.value else float("nan")
            said = f" ({share:+.2g} %)" if math.isfinite(share) else ""
            changed.append(Difference(name, "figure", old.told, f"{figure.told}{said}"))
    for difference in changed:
        print(difference)
    return changed


def _study(given: argparse.Namespace) -> int:
    """Many runs: what they need is imported where they are asked for."""
    from impeto.cli import studies

    return studies.COMMANDS[given.command](given)


COMMANDS: dict[str, Callable[[argparse.Namespace], int]] = {
    "run": run,
    "check": check_model,
    "diff": diff,
    "export": export,
    "optimise": _study,
    "sensitivities": _study,
    "sweep": _study,
    "import": import_file,
    "install": install,
    "masses": masses,
    "prepare": prepare,
    "schema": schema,
}
