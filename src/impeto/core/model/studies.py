"""What is tried out with a model, kept with it: sweeps of parameters, optimisations, fits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Aside
from impeto.core.model.fields import Written

__all__ = ["Fit", "Optimisation", "ParameterSweep", "Varied"]

GRID, HYPERCUBE, SOBOL = "grid", "Latin hypercube", "Sobol"
LOCAL, GLOBAL = "local", "global"


@dataclass(frozen=True, slots=True, kw_only=True)
class Varied:
    """A parameter and the values it takes: '60 mm : 200 mm : 12', the same with 'log', a list
    '60 mm, 80 mm', 'uniform(60 mm, 80 mm)', 'normal(70 mm, 1 mm)'."""

    title: ClassVar[str] = "varied parameter"
    parameter: str = fields.reference("parameter")
    values: str = fields.text(hint="60 mm : 200 mm : 12, or a list, or normal(70 mm, 1 mm)")

    def __post_init__(self) -> None:
        fields.coerce_fields(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class ParameterSweep(Aside):
    """Many runs of a case with values of parameters from ranges, lists or scatter."""

    tag: ClassVar[str] = "parameter_sweep"
    group: ClassVar[str] = "judging"
    vary: tuple[Varied, ...] = fields.parts(Varied)
    sampling: str = fields.choice((GRID, HYPERCUBE, SOBOL), GRID)
    points: Written = fields.quantity("number", "64", hint="how many, but for a grid")
    case: str = fields.text(hint="empty: the first one")
    seed: Written = fields.quantity("number", "1", hint="another number gives other points")


@dataclass(frozen=True, slots=True, kw_only=True)
class Optimisation(Aside):
    """Values of parameters within bounds that make a figure least while all targets are met.
    Against another figure: what of that has to be given for less of the first."""

    tag: ClassVar[str] = "optimisation"
    group: ClassVar[str] = "judging"
    vary: tuple[Varied, ...] = fields.parts(Varied)
    figure: str = fields.reference("figure")
    against: str | None = fields.reference("figure", optional=True)
    method: str = fields.choice((LOCAL, GLOBAL), LOCAL)
    runs: Written = fields.quantity("number", "200", hint="at most")
    case: str = fields.text(hint="empty: the first one")


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit(Aside):
    """Values of parameters within bounds with which a channel follows a measured curve."""

    tag: ClassVar[str] = "fit"
    group: ClassVar[str] = "judging"
    vary: tuple[Varied, ...] = fields.parts(Varied)
    channel: str = fields.text(hint="such as slide.slide_x.position")
    dataset: str = fields.reference("dataset")
    column: str = fields.text(hint="of the data set, in SI units")
    case: str = fields.text(hint="empty: the first one")
