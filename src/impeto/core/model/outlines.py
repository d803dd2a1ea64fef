"""Outlines in a plane and paths in space, written as points: '0 mm, 0 mm; 40 mm, 0 mm; 40 mm, 30 mm
round 5 mm'."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import ClassVar

from impeto.core.errors import FormulaError
from impeto.core.model.quantity import Quantity

MOST_POINTS = 2000
_WORD = re.compile(r"\s(round|arc)\s")


@dataclass(frozen=True, slots=True)
class Outline:
    """A closed way through points, joined by straight lines or by arcs.

    Behind a point may stand 'round R', which rounds that corner, or 'arc R', which makes an arc of
    the way on to the next point: outwards, or inwards for a negative radius. Syntax is checked at
    birth.
    """

    text: str
    title: ClassVar[str] = "an outline"
    example: ClassVar[str] = "0 mm, 0 mm; 40 mm, 0 mm; 40 mm, 30 mm round 5 mm"
    coordinates: ClassVar[int] = 2
    words: ClassVar[tuple[str, ...]] = ("round", "arc")

    def __post_init__(self) -> None:
        _ = self.points

    @property
    def points(self) -> tuple[tuple[Quantity, ...], ...]:
        """x, y, radius of the rounding, radius of the arc to the next point; 0 for none. Of a path
        x, y, z and radius of the rounding."""
        written = [part for part in self.text.split(";") if part.strip()]
        if not 2 <= len(written) <= MOST_POINTS:
            raise FormulaError(
                f"{self.title} needs 2 to {MOST_POINTS} points",
                remedy=f"Write it like {self.example}",
            )
        return tuple(self._point(part) for part in written)

    def _point(self, text: str) -> tuple[Quantity, ...]:
        place, *rest = _WORD.split(f"{text.strip()} ")
        values = dict.fromkeys(self.words, "0")
        for word, value in zip(rest[::2], rest[1::2], strict=True):
            if word not in values:
                raise FormulaError(
                    f"{self.title} has no '{word}'", remedy=f"Write it like {self.example}"
                )
            values[word] = value.strip()
        parts = _parted(place)
        if len(parts) != self.coordinates:
            raise FormulaError(
                f"'{text.strip()}' is not a point of {self.title}",
                remedy=f"Write each like {self.example.split(';')[1].strip()}",
            )
        return tuple(Quantity(part) for part in (*parts, *values.values()))

    def __str__(self) -> str:
        return self.text


@dataclass(frozen=True, slots=True)
class Path(Outline):
    """A way through points in space, joined by straight lines; 'round R' behind a point bends the
    way around that corner."""

    title: ClassVar[str] = "a path"
    example: ClassVar[str] = (
        "0 mm, 0 mm, 0 mm; 300 mm, 0 mm, 0 mm round 60 mm; 300 mm, 200 mm, 0 mm"
    )
    coordinates: ClassVar[int] = 3
    words: ClassVar[tuple[str, ...]] = ("round",)


def _parted(text: str) -> list[str]:
    """What stands between commas that are not within brackets."""
    parts, open_ = [""], 0
    for letter in text:
        open_ += (letter == "(") - (letter == ")")
        if letter == "," and open_ == 0:
            parts.append("")
        else:
            parts[-1] += letter
    return [part.strip() for part in parts]
