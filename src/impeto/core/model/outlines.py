"""Outlines in a plane, written as points: '0 mm, 0 mm; 40 mm, 0 mm; 40 mm, 30 mm round 5 mm'."""

from __future__ import annotations

import re
from dataclasses import dataclass

from impeto.core.errors import FormulaError
from impeto.core.model.quantity import Quantity

MOST_POINTS = 2000
EXAMPLE = "0 mm, 0 mm; 40 mm, 0 mm; 40 mm, 30 mm round 5 mm"
_WORD = re.compile(r"\s(round|arc)\s")


@dataclass(frozen=True, slots=True)
class Outline:
    """A closed way through points, joined by straight lines or by arcs.

    Behind a point may stand 'round R', which rounds that corner, or 'arc R', which makes an arc of
    the way on to the next point: outwards, or inwards for a negative radius. Syntax is checked at
    birth.
    """

    text: str

    def __post_init__(self) -> None:
        _ = self.points

    @property
    def points(self) -> tuple[tuple[Quantity, Quantity, Quantity, Quantity], ...]:
        """x, y, radius of the rounding, radius of the arc to the next point; 0 for none."""
        written = [part for part in self.text.split(";") if part.strip()]
        if not 2 <= len(written) <= MOST_POINTS:
            raise FormulaError(
                f"an outline needs 2 to {MOST_POINTS} points", remedy=f"Write it like {EXAMPLE}"
            )
        return tuple(_point(part) for part in written)

    def __str__(self) -> str:
        return self.text


def _point(text: str) -> tuple[Quantity, Quantity, Quantity, Quantity]:
    place, *rest = _WORD.split(f"{text.strip()} ")
    values = {"round": "0", "arc": "0"}
    for word, value in zip(rest[::2], rest[1::2], strict=True):
        values[word] = value.strip()
    x, comma, y = _parted(place)
    if not comma:
        raise FormulaError(
            f"'{text.strip()}' is not a point of an outline", remedy="Write each like 40 mm, 30 mm"
        )
    return Quantity(x), Quantity(y), Quantity(values["round"]), Quantity(values["arc"])


def _parted(text: str) -> tuple[str, str, str]:
    """Both sides of the first comma that is not within brackets."""
    open_ = 0
    for index, letter in enumerate(text):
        open_ += (letter == "(") - (letter == ")")
        if letter == "," and open_ == 0:
            return text[:index].strip(), ",", text[index + 1 :].strip()
    return text, "", ""
