"""The points of a sweep as rows of a table, for files and for people."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from impeto.core.studies.solved import Solved


def header(solved: Solved) -> list[str]:
    """Titles of the columns, with units where values have one."""
    varied = [f"{s.name} [{s.unit}]" if s.unit else s.name for s in solved.points.varied]
    return ["point", *varied, *solved.figures, *(f"margin of {n}" for n in solved.margins),
            "met", "problem"]  # fmt: skip


def rows(solved: Solved) -> Iterator[list[str]]:
    """A row for each point that is solved, in SI units."""
    columns = [*solved.figures.values(), *solved.margins.values()]
    for number, answer in sorted(solved.answers.items()):
        numbers = [*solved.values[number], *(column[number] for column in columns)]
        written = [repr(float(v)) if np.isfinite(v) else "" for v in numbers]
        yield [str(number), *written, "yes" if answer.meets_all else "no", answer.problem]
