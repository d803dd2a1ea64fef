"""One run of a study, as it is done in a worker: values in, figures out."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ImpetoError
from impeto.core.model import units
from impeto.core.model.fields import Written
from impeto.core.model.model import Model
from impeto.core.results.judging import Judgement, judged
from impeto.core.results.recording import Recording
from impeto.core.simulate import simulate
from impeto.core.studies.spread import Spread

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Asked:
    """What every run of a study is of.

    varied : the parameters whose values a point gives;  until, tol : as for `simulate`
    channel, times : of a curve that is handed back at instants (M,) [s], '' for none
    """

    model: Model
    case: str
    varied: tuple[Spread, ...]
    until: Written | None = None
    tol: float | str | None = None
    channel: str = ""
    times: Floats = field(default_factory=lambda: np.zeros(0))

    def model_at(self, values: Floats) -> Model:
        """The model whose case has the values (D,) of a point."""
        case = self.model.cases[self.case]
        changed = {s.name: s.written(v) for s, v in zip(self.varied, values, strict=True)}
        return self.model.with_case(replace(case, values={**case.values, **changed}))


@dataclass(frozen=True, slots=True)
class Answer:
    """What a run came to.

    figures : SI by name, not a number where one could not be read
    margins : by how much targets and checks are met, over the limit, below zero where missed
    weights : of them, where they are not 1
    problem : why there are no figures, or ''
    curve : (M,) of the channel that was asked for;  kinds : of quantity, by figure
    """

    figures: Mapping[str, float]
    margins: Mapping[str, float]
    problem: str = ""
    seconds: float = 0.0
    curve: Floats = field(default_factory=lambda: np.zeros(0))
    kinds: Mapping[str, str] = field(default_factory=dict)
    weights: Mapping[str, float] = field(default_factory=dict)

    def told(self, figure: str) -> str:
        """A figure in its unit, a dash where it could not be read."""
        value = self.figures.get(figure, np.nan)
        kind = self.kinds.get(figure, "number")
        return units.shown(value, kind) if np.isfinite(value) else "–"

    @property
    def meets_all(self) -> bool:
        return not self.problem and all(margin >= 0.0 for margin in self.margins.values())


def solve_point(
    asked: Asked, values: Floats, wanted: Callable[[], bool] = lambda: True,
    keep: Callable[[Recording], None] | None = None,
) -> Answer:  # fmt: skip
    """A run at the values (D,) of a point. What goes wrong in it is its answer, not an error.

    wanted : asked on the way; False ends the run;  keep : gets the recording
    """
    began = time.perf_counter()
    try:
        model = asked.model_at(values)
        outputs = None if not asked.channel else np.asarray(asked.times)
        until = asked.until if outputs is None else float(outputs[-1])
        recording = simulate(model, asked.case, until, asked.tol, lambda *_: wanted(),
                             outputs=outputs)  # fmt: skip
        if keep is not None:
            keep(recording)
        if recording.stopped:
            return Answer({}, {}, recording.stopped, time.perf_counter() - began)
        curve = np.zeros(0)
        if asked.channel:
            channel = recording.channel(asked.channel)
            curve = np.interp(asked.times, recording.time, channel.values)
        return _answer(judged(recording), time.perf_counter() - began, curve)
    except ImpetoError as error:
        return Answer({}, {}, str(error), time.perf_counter() - began)


def _answer(found: Judgement, seconds: float, curve: Floats) -> Answer:
    figures = {name: read.value for name, read in found.figures.items()}
    margins = {verdict.name: verdict.margin for verdict in found.verdicts}
    unread = [read.problem for read in found.figures.values() if read.problem]
    kinds = {name: read.kind for name, read in found.figures.items()}
    weights = {verdict.name: verdict.weight for verdict in found.verdicts if verdict.weight != 1.0}
    return Answer(figures, margins, unread[0] if unread else "", seconds, curve, kinds, weights)
