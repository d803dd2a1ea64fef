"""Figures, targets and checks by hand of a run: what a design is judged by."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.resolve import body_mass, resolve
from impeto.core.bodies.model import Body
from impeto.core.errors import ImpetoError, ModelError
from impeto.core.model import formula, units
from impeto.core.model.judging import (
    ABOVE,
    AT_EVENT,
    BELOW,
    BETWEEN,
    TITLES,
    FigureOf,
    HandCheck,
    Target,
)
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.results.figures import FIGURES, FREQUENCY, NUMBER, SAME, TIME, figure_of
from impeto.core.results.poses import value_at
from impeto.core.results.recording import Recording

UNITS = {TIME: "time", FREQUENCY: "frequency", NUMBER: "number"}
MASS, POSITION = ".mass", ".position."
METRE = units.unit("m")[1]
PEAK = TITLES[0]  # of a channel's values the one that is largest in size
Judge = Callable[..., tuple[bool, float, str]]


@dataclass(frozen=True, slots=True)
class Read:
    """A figure of a run. value : SI, not a number where it could not be read, for `problem`
    kind : of quantity"""

    name: str
    value: float
    kind: str
    problem: str = ""

    @property
    def told(self) -> str:
        return units.shown(self.value, self.kind) if np.isfinite(self.value) else "–"


@dataclass(frozen=True, slots=True)
class Verdict:
    """Of a target or a check by hand. met : None where the figure could not be read
    margin : by how much it is met, or below zero missed, over the limit;  told : in words
    weight : of it where not all can be met"""

    name: str
    asked: str
    met: bool | None
    margin: float
    told: str
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Judgement:
    """figures : by name;  targets, checks : in the order of the model"""

    figures: dict[str, Read]
    targets: tuple[Verdict, ...]
    checks: tuple[Verdict, ...]

    @property
    def verdicts(self) -> tuple[Verdict, ...]:
        return (*self.targets, *self.checks)

    @property
    def missed(self) -> list[str]:
        """What was asked for and is not so, or cannot be told."""
        return [verdict.name for verdict in self.verdicts if verdict.met is not True]


def shortfall(margins: Mapping[str, float], weights: Mapping[str, float]) -> float:
    """What is missed of margins by name: the root of the sum of their squares by weight; what
    cannot be told is missed wholly."""
    missed = {n: max(-m, 0.0) if np.isfinite(m) else 1.0 for n, m in margins.items()}
    return float(np.sqrt(sum(weights.get(n, 1.0) * m**2 for n, m in missed.items())))


class AsDrawn(Scope):
    """Values of a case in which BODY.mass is what that body weighs, and BODY.position.x,
    FRAME.position.x … where those are drawn in the world."""

    @cached_property
    def _places(self) -> dict[str, npt.NDArray[np.float64]]:
        """World positions (3,) [m] of bodies and frames."""
        mechanism = resolve(self.written, self.case.name, copies=False)
        found = {body.name: body.position for body in mechanism.bodies}
        for frame in mechanism.frames:
            body = mechanism.bodies[frame.body]
            found[frame.name] = body.position + body.rotation @ frame.position
        return found

    def parameter(self, name: str) -> formula.Value:
        owner, axis = name[: -len(POSITION) - 1], name[-1:]
        if name == f"{owner}{POSITION}{axis}" and axis in "xyz" and owner in self._places:
            return formula.Value(float(self._places[owner]["xyz".index(axis)]), METRE)
        body = self.model.elements.get(name.removesuffix(MASS))
        if name.endswith(MASS) and isinstance(body, Body):
            return formula.Value(body_mass(self, body).mass, units.unit("kg")[1])
        return super().parameter(name)


def judged(r: Recording, model: Model | None = None) -> Judgement:
    """A run by the figures, targets and checks of a model, its own for None; what cannot be read
    says why."""
    model = model or r.gauged or r.model
    scope = AsDrawn(model, r.case if r.case in model.cases else None)
    read = {figure.name: _read(r, figure, scope) for figure in model.of(FigureOf)}
    targets = tuple(_verdict(_target, t, read, scope) for t in model.of(Target))
    checks = tuple(_verdict(_check, c, read, scope) for c in model.of(HandCheck))
    return Judgement(read, targets, checks)


def _read(r: Recording, figure: FigureOf, scope: Scope) -> Read:
    try:
        channel = r.channel(figure.channel)
        if figure.figure == AT_EVENT:
            when = next((m.time for m in r.marks if m.element == figure.event), None)
            if when is None:
                raise ModelError(f"the event {figure.event or '?'} did not come")
            return Read(figure.name, float(value_at(r, channel.values, when)), channel.kind)
        ends = [(figure.begin, 0.0), (figure.end, np.inf)]
        begin, end = (d if q is None else scope.si(q, "time") for q, d in ends)
        span = None if (begin, end) == (0.0, np.inf) else (begin, end)
        value = figure_of(figure.figure, r.time, channel.values, span)
        if figure.figure == PEAK:  # a limit holds for both signs, and less is less either way
            value = abs(value)
        kind = FIGURES[figure.figure].kind
        problem = "" if np.isfinite(value) else f"{figure.figure} makes no sense of that curve"
        return Read(figure.name, value, channel.kind if kind == SAME else UNITS[kind], problem)
    except ImpetoError as error:
        return Read(figure.name, np.nan, "number", str(error))


def _verdict(
    judge: Judge, element: Target | HandCheck, read: dict[str, Read], scope: Scope
) -> Verdict:
    """What a target or check comes to; where its figure or value is missing, why."""
    figure = read.get(element.figure)
    asked, weight = element.asked, 1.0
    try:
        if isinstance(element, Target):
            weight = scope.si(element.weight, "number")
            if not weight > 0.0:
                raise ModelError("its weight must be greater than zero", element=element.name)
        if figure is None:
            raise ModelError(f"there is no figure {element.figure}")
        if not np.isfinite(figure.value):
            raise ModelError(figure.problem or "it could not be read")
        met, margin, told = judge(element, figure, scope)
    except ImpetoError as error:
        return Verdict(element.name, asked, None, np.nan, f"not known: {error}", max(weight, 0.0))
    return Verdict(element.name, asked, met, margin, told, weight)


def _target(target: Target, figure: Read, scope: Scope) -> tuple[bool, float, str]:
    value, limit = figure.value, scope.si(target.value, figure.kind)
    if target.limit in (BELOW, ABOVE):
        room = limit - value if target.limit == BELOW else value - limit
        return _by(room, abs(limit), figure.kind)
    if target.limit == BETWEEN:
        upper = scope.si(_needed(target, target.upper, "upper"), figure.kind)
        return _by(min(value - limit, upper - value), abs(upper - limit), figure.kind)
    within = scope.si(_needed(target, target.within, "within"), figure.kind)
    return _by(abs(within) - abs(value - limit), abs(within), figure.kind)


def _check(check: HandCheck, figure: Read, scope: Scope) -> tuple[bool, float, str]:
    expected = scope.si(check.value, figure.kind)
    allowed, size = scope.si(check.within, "number"), abs(expected)
    off = abs(figure.value - expected)
    share = off / size if size > 0.0 else (0.0 if off == 0.0 else np.inf)
    met = bool(share <= allowed)
    said = f"{_percent(share)} off" if np.isfinite(share) else "off: zero by hand"
    return met, allowed - share, f"{'met' if met else 'missed'}, {said}"


def _by(room: float, scale: float, kind: str) -> tuple[bool, float, str]:
    """Whether there is room, and how much, over the limit where that is not zero."""
    met = bool(room >= 0.0)
    size = _percent(abs(room) / scale) if scale > 0.0 else units.shown(abs(room), kind, 3)
    margin = room / scale if scale > 0.0 else float(np.sign(room))
    return met, margin, f"{'met' if met else 'missed'} by {size}"


def _percent(share: float) -> str:
    return f"{units.digits(100.0 * share, 2)} %"


def _needed(target: Target, value: object, field: str) -> object:
    if value is None:
        raise ModelError(
            f"'{target.limit}' needs a second value", element=target.name, field=field,
            remedy="Type it in the Sheet",
        )  # fmt: skip
    return value
