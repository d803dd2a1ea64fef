"""The values that a varied parameter takes, as they are typed."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy.stats import norm

from impeto.core.errors import ImpetoError, ModelError
from impeto.core.model import formula, units
from impeto.core.model.element import Parameter
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope
from impeto.core.model.studies import Varied

Floats = npt.NDArray[np.float64]
RANGE, LOG, LIST, UNIFORM, NORMAL = "range", "log range", "list", "uniform", "normal"
FORMS = "60 mm : 200 mm : 12, 60 mm, 80 mm, uniform(60 mm, 80 mm) or normal(70 mm, 1 mm)"
SCATTER = re.compile(r"(uniform|normal)\s*\((.*)\)", re.DOTALL)
FIRST_UNIT = re.compile(r"\d\s+([^\d\s,:)(][^\s,:)(]*)")
LOGARITHMIC = re.compile(r"\s+log\s*$")
FALLBACK = 5  # values of a range in a grid for which no number is given
MOST_VALUES = 100_000
LIKED = ("damping",)  # rather than a mass flow, which has the same unit
OUTSIDE_BRACKETS = r"(?![^(]*\))"


@dataclass(frozen=True, slots=True)
class Spread:
    """How one parameter varies, in SI units.

    how : RANGE, LOG, LIST, UNIFORM or NORMAL
    numbers : (2,) ends of a range, or mean and standard deviation; (K,) of a list
    count : values of a range in a grid;  unit : in which values are written, SI
    kind : of quantity, by which values are told;  typed : unit in which they were typed, or ''
    """

    name: str
    how: str
    numbers: tuple[float, ...]
    count: int
    unit: str
    kind: str
    typed: str = ""

    @property
    def ends(self) -> tuple[float, float]:
        """The least and the largest value; of a normal scatter where 99.7 % lie."""
        if self.how == NORMAL:
            mean, deviation = self.numbers
            return mean - 3.0 * deviation, mean + 3.0 * deviation
        return min(self.numbers), max(self.numbers)

    def grid(self) -> Floats:
        """(count,) values in even steps; of a scatter at even steps of probability."""
        if self.how == LIST:
            return np.array(self.numbers)
        first, last = self.numbers
        if self.how == RANGE:
            return np.linspace(first, last, self.count)
        if self.how == LOG:
            return np.geomspace(first, last, self.count)
        return self.at((np.arange(self.count) + 0.5) / self.count)

    def at(self, shares: Floats) -> Floats:
        """Values at shares (N,) between 0 and 1 of what it may be."""
        if self.how == LIST:
            index = np.minimum((shares * len(self.numbers)).astype(int), len(self.numbers) - 1)
            return np.array(self.numbers)[index]
        first, last = self.numbers
        if self.how == NORMAL:
            return np.asarray(norm.ppf(np.clip(shares, 1e-12, 1 - 1e-12), first, last))
        if self.how == LOG:
            return np.asarray(first * (last / first) ** shares)
        return first + (last - first) * shares

    def written(self, value: float) -> Quantity:
        """A value as it stands in a case."""
        return Quantity(f"{float(value)!r} {self.unit}".strip())

    def told(self, value: float) -> str:
        """In the unit in which values were typed."""
        if not self.typed:
            return units.shown(value, self.kind)
        return f"{units.digits(value / units.unit(self.typed)[0], 4)} {units.spoken(self.typed)}"


def spreads(scope: Scope, vary: Sequence[Varied]) -> tuple[Spread, ...]:
    """What varies, in SI units. Raises ModelError naming the parameter that cannot."""
    if not vary:
        raise ModelError("nothing varies", remedy="Name a parameter and its values")
    names = [varied.parameter for varied in vary]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise ModelError("it varies twice", element=twice, remedy="Keep one of both")
    return tuple(_spread(scope, varied) for varied in vary)


def _spread(scope: Scope, varied: Varied) -> Spread:
    name = varied.parameter
    element = scope.written.elements.get(name)
    if not isinstance(element, Parameter):
        known = ", ".join(p.name for p in scope.written.of(Parameter)) or "none"
        raise ModelError(
            f"'{name}' is not a parameter of this model, so it cannot vary",
            remedy=f"Parameters are {known}",
        )
    written = scope.case.values.get(name, element.value)
    assert isinstance(written, Quantity)
    above = sorted(n for n in formula.names(written.node) if n != name)
    if above:
        raise ModelError(
            f"it is derived from {above[0]}, so it cannot vary by itself", element=name,
            remedy=f"Vary {above[0]}",
        )  # fmt: skip
    try:
        spread = _read(scope, name, varied.values)
        return replace(spread, typed=_typed(varied.values, scope.parameter(name).dimension))
    except ImpetoError as error:
        problem = error.problem if isinstance(error, ModelError) else str(error)
        remedy = error.remedy if isinstance(error, ModelError) else ""
        raise ModelError(problem, element=name, field="values", remedy=remedy) from None


def _read(scope: Scope, name: str, text: str) -> Spread:
    own = scope.parameter(name)
    kind = units.kind_of(own.dimension, LIKED)
    unit = units.si_of(own.dimension)

    def si(word: str) -> float:
        if not word.strip():
            raise ModelError(f"'{text}' says no values", remedy=f"Write {FORMS}")
        value = scope.value(Quantity(word.strip()))
        number = float(value.si)
        if value.dimension == units.NUMBER and own.dimension != units.NUMBER and number != 0.0:
            raise ModelError(
                f"'{word.strip()}' has no unit", remedy=f"Write {word.strip()} {unit}, for example"
            )
        if number != 0.0 and not units.same_dimension(value.dimension, own.dimension):
            raise ModelError(f"'{word.strip()}' is another kind of quantity than {name}")
        return number

    scatter = SCATTER.fullmatch(text.strip())
    if scatter:
        numbers = [si(word) for word in re.split(rf",{OUTSIDE_BRACKETS}", scatter[2])]
        how = UNIFORM if scatter[1] == "uniform" else NORMAL
        return _checked(Spread(name, how, tuple(numbers), FALLBACK, unit, kind), text)
    if ":" in text:
        how = LOG if LOGARITHMIC.search(text) else RANGE
        words = LOGARITHMIC.sub("", text).split(":")
        count = _count(words[2]) if len(words) == 3 else FALLBACK
        numbers = [si(word) for word in words[:2]] if len(words) in (2, 3) else []
        return _checked(Spread(name, how, tuple(numbers), count, unit, kind), text)
    numbers = [si(word) for word in re.split(rf",{OUTSIDE_BRACKETS}", text)]
    return Spread(name, LIST, tuple(numbers), len(numbers), unit, kind)


def _typed(text: str, dimension: units.Dimension) -> str:
    """The unit behind the first number, where it fits and is one."""
    found = FIRST_UNIT.search(text)
    if found is None:
        return ""
    try:
        return found[1] if units.unit(found[1])[1] == dimension else ""
    except ModelError:
        return ""


def _count(word: str) -> int:
    if not word.strip().isdecimal() or not 1 <= int(word) <= MOST_VALUES:
        raise ModelError(
            f"'{word.strip()}' is no number of values", remedy="Write a whole number, such as 12"
        )
    return int(word)


def _checked(spread: Spread, text: str) -> Spread:
    """With what ranges and scatter have to be."""
    if len(spread.numbers) != 2:
        raise ModelError(f"'{text}' needs two values", remedy=f"Write {FORMS}")
    first, last = spread.numbers
    if spread.how == NORMAL:
        if not last > 0.0:
            raise ModelError("the standard deviation must be greater than zero")
    elif not last > first:
        raise ModelError(
            f"its bounds are reversed: {spread.told(first)} is not below {spread.told(last)}",
            remedy="Write the smaller one first",
        )
    if spread.how == LOG and not first > 0.0:
        raise ModelError("a log range must begin above zero")
    return spread
