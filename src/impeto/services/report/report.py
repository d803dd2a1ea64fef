"""A report on a model and its runs in one HTML file: everything in it from model and recordings."""

from __future__ import annotations

import base64
import datetime
from collections.abc import Mapping, Sequence
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
from jinja2 import Environment, StrictUndefined
from markupsafe import Markup

from impeto.core.check import Health, check
from impeto.core.elements import Drive, Joint
from impeto.core.errors import FileError, ImpetoError
from impeto.core.model import units
from impeto.core.model.freedoms import kind_title
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.results.figures import FIGURES
from impeto.core.results.judging import judged
from impeto.core.results.recording import Recording
from impeto.core.results.trust import trust
from impeto.core.weighing import weighed, weights
from impeto.services.atomic import replacing
from impeto.services.report.curves import COLOURS, Curve, drawn

TEMPLATE = "report.html.j2"
MOST_CHANNELS = 40
SHOWN = ("min", "max", "mean", "RMS", "time of max")


def write_report(
    path: str | Path, model: Model, recordings: Mapping[str, Recording],
    channels: Sequence[str] = (), picture: bytes = b"",
) -> None:  # fmt: skip
    """Write a report on a model and runs of it by name.

    channels : that are drawn and tabled, the forces of joints and the efforts of drives for none
    picture : of the model, PNG
    Raises FileError; ChannelError for channels that no run has.
    """
    path = Path(path)
    if path.suffix.lower() not in (".html", ".htm"):
        raise FileError(
            f"'{path.name}' is no report: its name must end in .html; window and shell also write "
            ".pdf."
        )
    text = rendered(model, recordings, channels, picture)
    with replacing(path) as temporary:
        temporary.write_text(text, encoding="utf-8")


def rendered(
    model: Model, recordings: Mapping[str, Recording], channels: Sequence[str] = (),
    picture: bytes = b"",
) -> str:  # fmt: skip
    """The report as HTML; all text of the model is shown as text. Raises ChannelError."""
    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True)
    source = resources.files("impeto.services.report") / TEMPLATE
    names = list(channels) or usual_channels(recordings)
    return environment.from_string(source.read_text(encoding="utf-8")).render(
        model=model,
        date=datetime.date.today().isoformat(),
        picture=base64.b64encode(picture).decode(),
        masses=_masses(model),
        joints=[_joint(joint) for joint in model.of(Joint)],
        drives=[(d.name, d.joint, d.freedom, d.prescribes) for d in model.of(Drive)],
        healths=[(case, _health(model, case)) for case in model.cases],
        cases=[_case(model, case) for case in model.cases],
        runs=[_run(name, r) for name, r in recordings.items()],
        judged=_judged(model, recordings),
        charts=[_chart(name, recordings) for name in names[:MOST_CHANNELS]],
        left_out=max(len(names) - MOST_CHANNELS, 0),
        heads=SHOWN,
    )


def _judged(model: Model, recordings: Mapping[str, Recording]) -> dict[str, Any]:
    """Figures and verdicts of the model, a column for each run."""
    found = [judged(r, model) for r in recordings.values()]
    rows: list[tuple[str, str, list[tuple[str, str]]]] = []
    if found:
        for name in found[0].figures:
            cells = [(j.figures[name].told, "") for j in found]
            rows.append((name, model[name].note, cells))
        for k, verdict in enumerate(found[0].verdicts):
            now = [j.verdicts[k] for j in found]
            levels = [{True: "good", False: "bad", None: "doubtful"}[v.met] for v in now]
            cells = [(v.told, level) for v, level in zip(now, levels, strict=True)]
            rows.append((f"{verdict.name}: {verdict.asked}", model[verdict.name].note, cells))
    return {"runs": list(recordings), "rows": rows}


def usual_channels(recordings: Mapping[str, Recording]) -> list[str]:
    """Efforts of drives and forces of joints, as far as any run has them."""
    found: dict[str, None] = {}
    for recording in recordings.values():
        known = set(recording.channels())
        model = Scope(recording.model, recording.case).model
        wanted = [f"{d.name}.{q}" for d in model.of(Drive) for q in ("torque", "force")]
        wanted += [f"{joint.name}.force" for joint in model.of(Joint)]
        found |= dict.fromkeys(name for name in wanted if name in known)
    return list(found)


def _masses(model: Model) -> dict[str, Any]:
    """Lines of the table of masses, with their total; or what is wrong with them."""
    try:
        rows = weights(model)
    except ImpetoError as error:
        return {"rows": [], "total": "", "wrong": str(error)}
    lines = [
        (
            row.name, len(row.names), units.shown(row.all.mass, "mass"), _point(row.all.center),
            "typed" if row.is_typed else ", ".join(row.materials) or "by density",
        )
        for row in rows
    ]  # fmt: skip
    whole = weighed(rows)
    total = (units.shown(whole.mass, "mass"), _point(whole.center)) if rows else ("", "")
    return {"rows": lines, "total": total, "wrong": ""}


def _point(at: Any) -> str:
    return ", ".join(units.digits(round(float(v), 9) + 0.0, 4) for v in at) + " m"


def _joint(joint: Joint) -> dict[str, str]:
    acts = ", ".join(f"{part.title} on {part.freedom}" for part in joint.behaviours)
    return {
        "name": joint.name, "kind": kind_title(joint.free, joint.special),
        "free": ", ".join(joint.free) or "nothing", "acts": acts or "–", "note": joint.note,
    }  # fmt: skip


def _health(model: Model, case: str) -> dict[str, Any]:
    found: Health = check(model, case)
    told = [
        f"{f.element}: {f.message}. {f.remedy}".strip() if f.element else f"{f.message}. {f.remedy}"
        for f in found.findings
    ]
    return {"free": found.free, "driven": found.driven, "told": told}


def _case(model: Model, name: str) -> dict[str, Any]:
    case = model.cases[name]
    changes = [f"built on {case.built_on}"] if case.built_on else []
    changes += [f"{key} = {value}" for key, value in case.values.items()]
    changes += [f"{key} {'on' if on else 'off'}" for key, on in case.switches.items()]
    return {"name": name, "changes": changes, "note": case.note}


def _run(name: str, recording: Recording) -> dict[str, Any]:
    found = trust(recording)
    return {
        "name": name, "case": recording.case, "level": found.level, "lines": found.lines,
        "stopped": recording.stopped, "end": f"{float(recording.time[-1]):g} s",
        "seconds": f"{recording.statistics.wall_seconds:.2g} s",
        "solver": f"{recording.statistics.integrator}, tolerance "
                  f"{recording.statistics.tolerance:g}",
    }  # fmt: skip


def _chart(name: str, recordings: Mapping[str, Recording]) -> dict[str, Any]:
    """One channel of all runs: its curves and figures in one unit."""
    having = {n: r for n, r in recordings.items() if r.has(name)}
    if not having:
        first = next(iter(recordings.values()), None)
        if first is not None:
            first.channel(name)  # complains, and names near ones
        return {"name": name, "unit": "", "svg": Markup(), "rows": [], "lacking": []}
    kind = next(iter(having.values())).channel(name).kind
    peak = max(float(np.nanmax(np.abs(r[name]), initial=0.0)) for r in having.values())
    unit, factor = units.shown_unit(kind, peak)
    curves = [Curve(run, r.time, r[name] / factor) for run, r in having.items()]
    rows = [
        (run, COLOURS[k % 6], [_figure(title, r, name, factor, peak) for title in SHOWN])
        for k, (run, r) in enumerate(having.items())
    ]
    lacking = [run for run in recordings if run not in having]
    return {"name": name, "unit": units.spoken(unit), "svg": drawn(curves), "rows": rows,
            "lacking": lacking}  # fmt: skip


def _figure(title: str, r: Recording, name: str, factor: float, peak: float) -> str:
    value = FIGURES[title].of(r.time, r[name])
    if not np.isfinite(value):
        return "–"
    if title.startswith("time"):
        return f"{value:.4g} s"
    return units.digits(units.against(value, peak) / factor)
