"""The public Python face: what a script uses beside the elements themselves."""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from pathlib import Path

from impeto.core import simulate as core
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.elements import Dataset
from impeto.core.model.fields import Written
from impeto.core.model.model import Model
from impeto.core.results.recording import Recording as CoreRecording
from impeto.core.solvers.run import Progress
from impeto.services import batch, meshes, model_file, recording_file, scratch, tables


class Recording(CoreRecording):
    """A solved run. `recording["crank_pin.force.x"]` is a read-only array in SI units over
    `recording.time`; `recording.channels("pin")` finds names; `save` keeps it in a file."""

    def save(self, path: str | Path) -> None:
        """Write the recording, with its model and case, to an HDF5 file. Raises FileError."""
        recording_file.save_recording(self, path)


def _public(recording: CoreRecording) -> Recording:
    values = {f.name: getattr(recording, f.name) for f in dataclasses.fields(recording)}
    return Recording(**values)


def simulate(
    model: Model,
    case: str | None = None,
    until: Written | None = None,
    tol: float | str | None = None,
    progress: Progress | None = None,
) -> Recording:
    """Solve a model in one of its cases and return the recording.

    until : end time, SI number or text with a unit; the model's own when None
    tol : relative error per step, or 'draft', 'normal', 'fine'
    progress : called with the share done and the seconds solved; returns False to stop

    Raises ModelError with element, field and remedy where the model cannot be run. A run that
    fails or is stopped on the way keeps what was solved and says why in `recording.stopped`.
    """
    return _public(core.simulate(model, case, until, tol, progress, scratch.allocate))


def open_recording(path: str | Path) -> Recording:
    """Read a recording file. Raises FileError."""
    return _public(recording_file.open_recording(path))


def import_csv(path: str | Path, name: str) -> Dataset:
    """A data set from a CSV file whose first column is the time. Raises FileError."""
    return tables.import_csv(path, name)


def mapped(model: Model, dataset: Dataset) -> Model:
    """The model with a data set whose columns drive the loads and drives of their names."""
    return tables.mapped(model, dataset)


def simulate_all(
    model: Model, cases: Sequence[str] | None = None, until: Written | None = None,
    tol: float | str | None = None, progress: Progress | None = None,
) -> dict[str, Recording]:  # fmt: skip
    """Solve several cases at once, one process each as far as there are cores.

    cases : names; all when None. Raises ModelError for the first case that cannot be run.
    """
    names = list(model.cases) if cases is None else list(cases)
    solved = batch.simulate_cases(model, names, until, tol, progress)
    return {name: _public(recording) for name, recording in solved.items()}


def read_mesh(path: str | Path) -> Triangles:
    """The surface in an STL, OBJ or PLY file, for `Model(geometry={"hook.stl": surface})`. Raises
    FileError."""
    return meshes.read_mesh(path)


def load(path: str | Path) -> Model:
    """Read a model file (*.impeto.json). Raises FileError or ModelError."""
    return model_file.load(path)


def save(model: Model, path: str | Path) -> None:
    """Write a model file in one step. Raises FileError and leaves the old file as it was."""
    model_file.save(model, path)
