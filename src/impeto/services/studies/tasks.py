"""Runs of a study as a task of workers."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from impeto.core.results.recording import Recording
from impeto.core.studies.point import Answer, Asked, solve_point
from impeto.services import recording_file
from impeto.services.workers.task import Tell, Wanted, Watch, Workers

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class PointRuns:
    """A run for the values (D,) of each point.

    folder : where recordings are kept, the same on all machines; '' for none
    """

    asked: Asked
    folder: str = ""

    def run(self, number: int, item: Floats, wanted: Wanted, tell: Tell) -> Answer:
        def keep(recording: Recording) -> None:
            recording_file.save_recording(recording, path_of(self.folder, number))

        return solve_point(self.asked, item, wanted, keep if self.folder else None)

    def lost(self, item: Floats, why: str) -> Answer:
        return Answer({}, {}, why)

    def answers(
        self, where: Workers, points: Mapping[int, Floats], wanted: Wanted
    ) -> Iterator[tuple[int, Answer]]:
        """Of points by number, as they come; what was broken off is none."""
        for number, answer in where.answers(self, points, Watch(wanted)):
            if not answer.problem or wanted():
                yield number, answer


def path_of(folder: str | Path, number: int) -> Path:
    """Of the recording of a point."""
    return Path(folder) / f"point-{number:05d}.h5"
