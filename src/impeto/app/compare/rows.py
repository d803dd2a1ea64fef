"""What stands in the table of cases: changed values, figures of runs, verdicts. No Qt here."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

from impeto.app.document import Document, Run
from impeto.core.elements import FigureOf, HandCheck, Parameter, Target
from impeto.core.errors import ModelError
from impeto.core.model import units, walking
from impeto.core.model.cases import AS_SET, Case, switched, taken_over, whole
from impeto.core.model.element import Aside, Element
from impeto.core.model.fields import as_quantity
from impeto.core.model.model import Model
from impeto.core.model.quantity import Quantity
from impeto.core.model.run_settings import INTEGRATORS
from impeto.core.model.scope import Scope, find_case
from impeto.core.results.judging import Judgement, Read, judged

HEAD, VALUE, SWITCH, SETTING, FIGURE, VERDICT, UNDER = range(7)
ON, OFF = "on", "off"
SETTINGS = {"until": "end time", "integrator": "integrator", "pose": "start pose"}
SOLVED, STALE, UNSOLVED = "✓ run", "stale", "not run"
CHANGED, TAKEN, GOOD, BAD, PALE = "changed", "taken", "good", "bad", "pale"
THE_MODEL, BUILT_ON = "the model", "built on"
ALIKE = 6  # digits of margins that tell cases apart


@dataclass(frozen=True, slots=True)
class Cell:
    """style : one of CHANGED, TAKEN, GOOD, BAD, PALE, or '';  tip : what more there is to say"""

    text: str
    style: str = ""
    tip: str = ""


@dataclass(frozen=True, slots=True)
class Row:
    """kind : what it is of;  name : of the parameter, element or setting;  cells : by case"""

    kind: int
    name: str
    title: str
    cells: Mapping[str, Cell] = field(default_factory=dict)
    tip: str = ""

    @property
    def takes(self) -> bool:
        """Whether its cells are edited in place."""
        return self.kind in (VALUE, SWITCH, SETTING, UNDER)


def same_machine(a: Model, b: Model, case: str) -> bool:
    """Whether a case of two models would be solved alike: what only reads or judges a run does not
    count."""
    if case not in a.cases or case not in b.cases:
        return False
    solved_a, solved_b = _solved(a), _solved(b)
    alike = [replace(find_case(model, case), note="") for model in (a, b)]
    return (
        solved_a == solved_b and alike[0] == alike[1] and a.settings == b.settings
        and a.geometry == b.geometry
    )  # fmt: skip


def _solved(model: Model) -> dict[str, Element]:
    found = {n: e for n, e in model.elements.items() if not isinstance(e, Aside)}
    waiting = list(found.values())
    while waiting:  # gauges that formulas and events read, and those that these read
        for name in walking.mentioned(waiting.pop()) - set(found):
            if name in model.elements:
                found[name] = model.elements[name]
                waiting.append(found[name])
    return found


def latest(document: Document) -> dict[str, Run]:
    """The last run of each case."""
    return {run.recording.case: run for run in document.runs}


def state_of(document: Document, case: str, runs: Mapping[str, Run]) -> str:
    """Whether a case is solved as the model is now. runs : the last one of each"""
    run = runs.get(case)
    if run is None:
        return UNSOLVED
    return SOLVED if same_machine(run.recording.model, document.model, case) else STALE


def rows_of(document: Document, further: Sequence[str] = (), reference: str = "") -> list[Row]:
    """The whole table. further : parameters and elements that are listed though no case changes
    them;  reference : the case to which figures tell their difference, '' for none"""
    model = document.model
    runs = {case: run for case, run in latest(document).items() if case in model.cases}
    states = {case: Cell(state_of(document, case, runs), PALE) for case in model.cases}
    found = [Row(HEAD, "", "Changed values"), *_changes(model, further)]
    verdicts = {case: judged(run.recording, model) for case, run in runs.items()}
    found.append(Row(HEAD, "", "Figures", states))
    found += _figures(model, verdicts, states, reference)
    for title, part, kind in (("Targets", "targets", Target),
                              ("Checks by hand", "checks", HandCheck)):  # fmt: skip
        rows = _verdicts(model, verdicts, part, kind, states)
        found += [Row(HEAD, "", title), *rows] if rows else []
    return found


def _changes(model: Model, further: Sequence[str]) -> list[Row]:
    listed = model.cases.values()
    named = dict.fromkeys(name for case in listed for name in (*case.values, *case.switches))
    named |= dict.fromkeys(name for name in further if name in model.elements)
    pairs = {name: (case, whole(model.cases, name)) for name, case in model.cases.items()}
    rows = []
    if any(case.built_on for case in listed) or BUILT_ON in further:
        cells = {c.name: Cell(c.built_on or THE_MODEL, "" if c.built_on else PALE) for c in listed}
        rows.append(Row(UNDER, "built_on", BUILT_ON, cells, "another case, or the model"))
    for name in named:
        element = model.elements.get(name)
        if isinstance(element, Parameter):
            own = str(element.value)
            cells = _cells(pairs, partial(_value, name), own)
            rows.append(Row(VALUE, name, name, cells, f"in the model {own}"))
        elif element is not None:
            own = ON if element.enabled else OFF
            cells = _cells(pairs, partial(_state, name), own)
            rows.append(Row(SWITCH, name, name, cells, f"in the model {own}"))
    for key, title in SETTINGS.items():
        own = str(getattr(model.settings, key) or "as drawn")
        if any(_setting(key, case) for case in listed) or title in further:
            cells = _cells(pairs, partial(_setting, key), own)
            rows.append(Row(SETTING, key, title, cells, f"in the run settings {own}"))
    return rows


def _cells(
    pairs: Mapping[str, tuple[Case, Case]], read: Callable[[Case], object], model: str
) -> dict[str, Cell]:
    """What each case comes to: by a change of its own, one that it takes over, or as in the model.
    pairs : each case as it is, and with what it takes over"""
    cells = {}
    for name, (own, all_in_all) in pairs.items():
        value = read(own)
        if value is not None:
            cells[name] = Cell(str(value), CHANGED)
        elif (value := read(all_in_all)) is not None:
            cells[name] = Cell(str(value), TAKEN, f"as in {own.built_on}")
        else:
            cells[name] = Cell(model)
    return cells


def _value(name: str, case: Case) -> object:
    return case.values.get(name)


def _state(name: str, case: Case) -> object:
    return (ON if case.switches[name] else OFF) if name in case.switches else None


def _setting(key: str, case: Case) -> object:
    value = getattr(case, key)
    return None if value == AS_SET else value


def _figures(
    model: Model, verdicts: Mapping[str, Judgement], states: Mapping[str, Cell], reference: str
) -> list[Row]:
    rows = []
    for name in (figure.name for figure in model.of(FigureOf)):
        read = {case: found.figures[name] for case, found in verdicts.items()}
        fresh = {case: j for case, j in verdicts.items() if states[case].text != STALE}
        marks = _ends(model, name, fresh)
        unit_of = next((r for r in read.values() if not r.problem), None)
        peak = max((abs(r.value) for r in read.values() if not r.problem), default=0.0)
        cells = {}
        for case in model.cases:
            figure = read.get(case)
            if figure is None or figure.problem or unit_of is None:
                cells[case] = Cell("–", PALE, figure.problem if figure else "")
                continue
            unit, factor = units.shown_unit(figure.kind, peak)
            told = f"{units.digits(units.against(figure.value, peak) / factor)} "
            told = f"{told}{units.spoken(unit)}".strip()
            pale = PALE if states[case].text == STALE else ""
            other = read.get(reference)
            change = _change(figure, other) if other is not None and case != reference else ""
            tip = f"{_change(figure, other, whole=True)} than {reference}" if change else ""
            mark = marks.get(case, "")
            tip = " ".join(part for part in (tip, f"{mark} by its target" if mark else "") if part)
            cells[case] = Cell(f"{told}  {change or mark}".strip(), pale, tip)
        rows.append(Row(FIGURE, name, name, cells, _about(model[name])))
    return rows


def _ends(model: Model, name: str, found: Mapping[str, Judgement]) -> dict[str, str]:
    """Which case does best and which worst by the first target on a figure, of three or more: more
    is not better by itself."""
    number = next((k for k, t in enumerate(model.of(Target)) if t.figure == name), None)
    if number is None:
        return {}
    margins = {case: round(j.targets[number].margin, ALIKE) for case, j in found.items()
               if j.targets[number].met is not None}  # fmt: skip
    best, worst = max(margins.values(), default=0.0), min(margins.values(), default=0.0)
    if len(margins) < 3 or best == worst:
        return {}
    return {case: "best" if margin == best else "worst" for case, margin in margins.items()
            if margin in (best, worst)}  # fmt: skip


def _change(figure: Read, other: Read | None, whole: bool = False) -> str:
    """How a figure differs from that of another case: in percent, or as it is."""
    if other is None or other.problem:
        return ""
    change = figure.value - other.value
    if whole:
        word = "more" if change > 0.0 else "less"
        return f"{units.shown(abs(change), figure.kind, 3)} {word}"
    if other.value == 0.0:
        return "" if change == 0.0 else f"{units.shown(change, figure.kind, 3)}"
    share = 100.0 * change / abs(other.value)
    return f"{'+' if share > 0 else ''}{units.digits(share, 2)} %"


def _verdicts(
    model: Model, found: Mapping[str, Judgement], part: str, kind: type[Target | HandCheck],
    states: Mapping[str, Cell],
) -> list[Row]:  # fmt: skip
    rows = []
    for number, asked in enumerate(model.of(kind)):
        cells = {}
        for case in model.cases:
            if case not in found:
                cells[case] = Cell("–", PALE)
                continue
            told = getattr(found[case], part)[number]
            style = {True: GOOD, False: BAD, None: PALE}[told.met]
            stale = states[case].text == STALE
            tip = "of a run before the model was changed" if stale else ""
            short = told.told if len(told.told) < 24 else told.told.partition(":")[0]
            cells[case] = Cell(short, PALE if stale else style, tip or told.told)
        rows.append(Row(VERDICT, asked.name, asked.asked, cells, asked.note or asked.name))
    return rows


def _about(element: Element) -> str:
    return f"{getattr(element, 'figure', '')} of {getattr(element, 'channel', '')}"


def edited(model: Model, row: Row, case: Case, text: str) -> Model:
    """The model with a cell of a case written anew; an empty one is as in the model. Raises
    ModelError for what does not fit there, naming the case."""
    text = text.strip()
    try:
        changed = model.with_case(_written(model, row, case, text))
        if row.kind == VALUE:
            now = Scope(changed, case.name).parameter(row.name)
            before = Scope(model, case.name).parameter(row.name)
            if not units.same_dimension(now.dimension, before.dimension):
                raise ModelError(f"'{text[:40]}' is another kind of quantity", remedy=f"{row.tip}")
    except ModelError as error:
        raise ModelError(
            error.problem, element=f"case {case.name}", field=row.title, remedy=error.remedy
        ) from None
    return changed


def _written(model: Model, row: Row, case: Case, text: str) -> Case:
    """The case with a cell as it was typed; what it would be anyway is no change of its own."""
    if row.kind == VALUE:
        values = {name: value for name, value in case.values.items() if name != row.name}
        parameter = model[row.name]
        assert isinstance(parameter, Parameter)
        otherwise = str(taken_over(model.cases, case).values.get(row.name, parameter.value))
        if text and text != otherwise:
            values[row.name] = Quantity(_with_unit(text, otherwise))
        return replace(case, values=values)
    if row.kind == SWITCH:
        if text not in ("", ON, OFF):
            raise ModelError(f"'{text[:40]}' is no switch", remedy="Write on or off")
        if text:
            return switched(model.cases, case, [model[row.name]], text == ON)
        return replace(case, switches={n: on for n, on in case.switches.items() if n != row.name})
    if row.kind == UNDER:
        return replace(case, built_on="" if text == THE_MODEL else text)
    if row.name == "integrator":
        if text and text not in (AS_SET, *INTEGRATORS):
            raise ModelError(
                f"'{text[:40]}' is no integrator", remedy=f"There are {', '.join(INTEGRATORS)}"
            )
        return replace(case, integrator=text or AS_SET)
    if row.name == "pose":
        return replace(case, pose=text or None)
    return replace(case, until=as_quantity(_with_unit(text, "0 s"), "time") if text else None)


def _with_unit(text: str, before: str) -> str:
    """A bare number gets the unit that was there."""
    try:
        float(text)
    except ValueError:
        return text
    unit = before.lstrip("+-−.0123456789eE ").strip()
    try:
        units.unit(unit)
    except ModelError:
        unit = ""
    return f"{text} {unit}".strip()
