"""Curves: pairs of values written as '0 mm: 0 N; 10 mm: 150 N', for springs, dampers and limits."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.errors import FormulaError
from impeto.core.model import formula, units
from impeto.core.model.quantity import Quantity, no_names

SMOOTH = "smooth"
MOST_POINTS = 2000


@dataclass(frozen=True, slots=True)
class Curve:
    """Points joined by straight lines, or smoothly when the text begins with 'smooth'.

    Syntax is checked at birth: at least two points, 'x: y' each, parted by semicolons.
    """

    text: str

    def __post_init__(self) -> None:
        _ = self.points

    @property
    def smooth(self) -> bool:
        return self.text.strip().startswith(SMOOTH + " ")

    @property
    def points(self) -> tuple[tuple[Quantity, Quantity], ...]:
        body = self.text.strip().removeprefix(SMOOTH + " ") if self.smooth else self.text
        pairs = [pair for pair in body.split(";") if pair.strip()]
        if not 2 <= len(pairs) <= MOST_POINTS:
            raise FormulaError(
                f"a curve needs 2 to {MOST_POINTS} points",
                remedy="Write it like 0 mm: 0 N; 10 mm: 150 N",
            )
        return tuple(_pair(pair) for pair in pairs)

    def __str__(self) -> str:
        return self.text


def _pair(text: str) -> tuple[Quantity, Quantity]:
    x, colon, y = text.partition(":")
    if not colon:
        raise FormulaError(
            f"'{text.strip()}' is not a point of a curve",
            remedy="Write each point like 10 mm: 150 N",
        )
    return Quantity(x.strip()), Quantity(y.strip())


def check_kinds(curve: Curve, kind_x: str, kind_y: str) -> None:
    """FormulaError where a point without names has the wrong kind of unit."""
    for pair in curve.points:
        for quantity, kind in zip(pair, (kind_x, kind_y), strict=True):
            if not formula.names(quantity.node):
                value = formula.evaluate(quantity.node, no_names)
                if value.si != 0.0 or value.dimension != units.NUMBER:
                    units.to_kind(float(value.si), value.dimension, kind)
