"""The public Python face: what a script uses beside the elements themselves."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
import numpy.typing as npt

from impeto.core import pasting
from impeto.core import simulate as core
from impeto.core.assembly.resolve import resolve
from impeto.core.drives.data import DriveData
from impeto.core.elements import Dataset
from impeto.core.errors import ChannelError, ImpetoError
from impeto.core.geometry.mass import MassProperties, together
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.fields import Written
from impeto.core.model.model import Model
from impeto.core.results.energy import EnergyFlow, energy_flow
from impeto.core.results.figures import Figures, figure_of, figures, steady_span, within
from impeto.core.results.gauges import scope_of
from impeto.core.results.judging import Judgement, judged
from impeto.core.results.limits import beyond, read_limit
from impeto.core.results.loads import Acting, loads_on
from impeto.core.results.parts import Parts, parts_of
from impeto.core.results.recording import Recording as CoreRecording
from impeto.core.results.sizing import Cloud, cloud
from impeto.core.results.spectrum import (
    Peak,
    Spectrogram,
    Spectrum,
    amplitudes,
    density,
    peaks,
    spectrogram,
)
from impeto.core.results.trust import Trust, trust
from impeto.core.solvers.run import Progress
from impeto.services import (
    case_runs,
    geometry_in,
    meshes,
    model_file,
    recording_file,
    scratch,
    tables,
)
from impeto.services.geometry_in import Imported


class Recording(CoreRecording):
    """A solved run. `recording["crank_pin.force.x"]` is a read-only array in SI units over
    `recording.time`; `recording.channels("pin")` finds names; `save` keeps it in a file."""

    def vector(self, name: str) -> npt.NDArray[np.float64]:
        """(N, 3) the components x, y, z of a channel, such as 'crank_pin.force', in SI units."""
        return np.stack([self[f"{name}.{axis}"] for axis in "xyz"], axis=1)

    @property
    def trust(self) -> Trust:
        """How far the run can be trusted: `level` ('good', 'doubtful', 'bad') and its reasons."""
        return trust(self)

    def figures(self, name: str, begin: float = 0.0, end: float = np.inf) -> Figures:
        """Figures of a channel between two instants [s]: minimum, maximum, mean, RMS, peak."""
        within = (self.time >= begin) & (self.time <= end)
        if not within.any():
            raise ChannelError(f"The run has no instant between {begin:g} and {end:g} s.")
        return figures(self.time[within], self[name][within])

    def figure(self, title: str, name: str, begin: float = 0.0, end: float = np.inf) -> float:
        """A figure of a channel between two instants [s], such as 'peak to peak', 'period',
        'settling time', 'overshoot', 'damping ratio', 'load cycles', in SI units; NaN where it
        makes no sense. Raises ModelError for an unknown one."""
        return figure_of(title, self.time, self[name], (begin, end))

    def steady(self, name: str) -> tuple[float, float] | None:
        """Between which instants [s] a channel repeats itself up to the end; None where it does
        not."""
        return steady_span(self.time, self[name])

    def spectrum(self, name: str, begin: float = 0.0, end: float = np.inf) -> Spectrum:
        """Amplitudes of a channel over `frequency` [Hz]. Raises ModelError for too few instants."""
        return amplitudes(*within(self.time, self[name], (begin, end)))

    def power_density(self, name: str, begin: float = 0.0, end: float = np.inf) -> Spectrum:
        """Power spectral density of a channel, its square per Hz. Raises ModelError."""
        return density(*within(self.time, self[name], (begin, end)))

    def spectrogram(
        self, name: str, begin: float = 0.0, end: float = np.inf, window: float | None = None
    ) -> Spectrogram:
        """Power density of a channel over `time` and `frequency`; window : s. Raises ModelError."""
        return spectrogram(*within(self.time, self[name], (begin, end)), window)

    def sines(self, name: str, begin: float = 0.0, end: float = np.inf) -> list[Peak]:
        """The largest sines in a channel: `frequency` [Hz] and `amplitude`. Raises ModelError."""
        return peaks(*within(self.time, self[name], (begin, end)))

    def beyond(self, name: str, limit: str, over: str = "") -> npt.NDArray[np.bool_]:
        """(N,) instants at which a channel is above a limit, written as 'x, y; x, y' with units; x
        is time, or the channel `over`. Raises ModelError."""
        below = self.channel(over).kind if over else "time"
        scope = scope_of(self.model, self.case)
        points = read_limit(limit, scope, below, self.channel(name).kind)
        return beyond(points, self[over] if over else self.time, self[name])

    def energy_flow(self, begin: float = 0.0, end: float = np.inf) -> EnergyFlow:
        """What gave energy and what took it between two instants [s]: `given`, `taken` in J by
        name, `missing` what the balance lacks. Raises ModelError for a span that is not there."""
        return energy_flow(self, begin, end)

    def judged(self, model: Model | None = None) -> Judgement:
        """Figures, targets and checks by hand of the run's model, or of another one: `figures` by
        name, `targets` and `checks` with `met` and `told`, `missed` by name."""
        return judged(self, model)

    def parts(self, name: str, begin: float = 0.0, end: float = np.inf) -> Parts:
        """What weight, springs, loads, drives, contacts and the motion itself contribute to a
        reaction, the effort of a prescribed motion, or an acceleration: `parts` by source, which
        add up to `total` over `time`. Raises ChannelError for channels that have no parts."""
        return parts_of(self, name, begin, end)

    def sizing(self, drive: str) -> Cloud:
        """Effort over speed of a drive, and its margin under a limit curve."""
        if drive not in {d.name for d in self.system.mechanism.of(DriveData)}:
            raise ChannelError(f"There is no drive '{drive}' in this run.")
        return cloud(self, drive)

    def at(self, times: float | str | Sequence[float]) -> Recording:
        """The run at other instants [s], in rising order, or at those of an event by its name:
        solved once more up to them, so that forces and contacts are there as well. Raises
        ChannelError for instants outside the run, and for what did not happen."""
        if isinstance(times, str):
            happened = [mark.time for mark in self.marks if mark.element == times]
            if not happened:
                raise ChannelError(f"Nothing is marked of '{times}' in this run.")
            times = happened
        asked = np.unique(np.atleast_1d(np.asarray(times, dtype=float)))
        end = float(self.time[-1])
        if not (len(asked) and asked[0] >= 0.0 and asked[-1] <= end):
            raise ChannelError(f"The run has no such instants: it goes from 0 to {end:g} s.")
        again = simulate(self.model, self.case, end, self.statistics.tolerance, outputs=asked)
        return again.only(np.flatnonzero(np.isin(again.time, asked)))

    def loads(self, body: str, time: float) -> tuple[Acting, ...]:
        """Everything that acts on a body at the recorded instant nearest to a time [s], about its
        centre of mass, inertia included: it sums to zero. Raises ChannelError."""
        return loads_on(self, body, time)

    def contact_moment(self, a: str, b: str, frame: str) -> npt.NDArray[np.float64]:
        """(N, 3) N m, world: moment about a frame of the contact forces of body B on body A, zeros
        where they do not touch. Raises ChannelError."""
        for name in (a, b):
            if name not in self.bodies:
                raise ChannelError(f"There is no body '{name}' in this run.")
        rows, signs = self.touching.of_pair(self.bodies[a], self.bodies[b])
        return self.touching.moment(rows, signs, self.vector(f"{frame}.position"))

    def export_csv(
        self, path: str | Path, channels: Sequence[str], units: Mapping[str, str] | None = None
    ) -> None:
        """Write channels over time; units by channel name, such as {'pin.force': 'kN'}, else SI.
        Raises ChannelError, FormulaError or FileError."""
        tables.export_csv(self, channels, path, units)

    def export_hdf5(
        self, path: str | Path, channels: Sequence[str], units: Mapping[str, str] | None = None
    ) -> None:
        """The same as an HDF5 file: a dataset per channel, with its unit."""
        tables.export_hdf5(self, channels, path, units)

    def export_parquet(
        self, path: str | Path, channels: Sequence[str], units: Mapping[str, str] | None = None
    ) -> None:
        """The same as a Parquet file, which needs `pip install 'impeto[parquet]'`."""
        tables.export_parquet(self, channels, path, units)

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
    outputs: core.Asked | None = None,
) -> Recording:
    """Solve a model in one of its cases and return the recording.

    until : end time, SI number or text with a unit; the model's own when None
    tol : relative error per step, or 'draft', 'normal', 'fine'
    progress : called with the share done and the seconds solved; returns False to stop
    outputs : how many per second, or the instants [s]; the model's own when None

    Raises ModelError with element, field and remedy where the model cannot be run. A run that
    fails or is stopped on the way keeps what was solved and says why in `recording.stopped`.
    """
    room = scratch.Scratch()
    recording = core.simulate(model, case, until, tol, progress, room.allocate, outputs)
    if room.note:
        recording = dataclasses.replace(recording, notes=(*recording.notes, room.note))
    return _public(recording)


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
    workers: str | None = None, folder: str | Path = "",
    problems: dict[str, ImpetoError] | None = None,
) -> dict[str, Recording]:  # fmt: skip
    """Solve several cases at once, one process each as far as there are cores.

    cases : names; all when None
    workers : the address of a Dask scheduler, for processes of this machine
    folder : where recordings stay, named by their cases; with workers on other machines one that
        all of them have
    problems : gets why a case has no recording, by name, and the others go on; without it the error
        of the first one is raised: ModelError where it cannot be run, FileError
    """
    names = list(model.cases) if cases is None else list(cases)
    watch = case_runs.CaseWatch(names, progress)
    files = case_runs.files_of(names, Path(folder)) if str(folder) else None
    solved = case_runs.simulate_cases(model, names, until, tol, watch, workers, files,
                                      problems=problems)  # fmt: skip
    return {name: _public(recording) for name, recording in solved.items()}


def masses(model: Model, case: str | None = None) -> dict[str, MassProperties]:
    """Mass [kg], centre [m] and inertia about it [kg m²] of every body as drawn, in world axes, and
    of all of them together under ''. Raises ModelError."""
    found = {
        body.name: MassProperties(body.mass, body.center, body.inertia).placed(
            body.position, body.rotation
        )
        for body in resolve(model, case, copies=False).bodies[1:]
    }
    return found | {"": together(list(found.values()))}


def read_mesh(path: str | Path) -> Triangles:
    """The surface in an STL, OBJ or PLY file, for `Model(geometry={"hook.stl": surface})`. Raises
    FileError."""
    return meshes.read_mesh(path)


def load(path: str | Path) -> Model:
    """Read a model file (*.impeto.json). Raises FileError or ModelError."""
    return model_file.load(path)


def save(model: Model, path: str | Path) -> None:
    """Write a model file in one step; mesh files that are named by whole paths are copied beside
    it. Raises FileError and leaves the old file as it was."""
    model_file.save(meshes.beside(model, Path(path).absolute().parent), path)


def import_geometry(path: str | Path, unit: str | None = None) -> Imported:
    """`.model` with what an assembly (STEP, GLB), a mesh file (STL, OBJ, PLY, GLB) or a mechanism
    (URDF) holds, and `.notes` on what is to be known of it. The parts of an assembly are loose
    pieces: `gathered` makes bodies of them. unit : of a mesh file, 'mm', 'cm', 'm' or 'in', else
    guessed. Raises FileError."""
    return geometry_in.import_geometry(path, unit)


def brought_in(
    model: Model, path: str | Path, unit: str | None = None, folder: str | Path = "."
) -> tuple[Model, tuple[str, ...]]:
    """The model with what such a file holds, and sentences on what is to be known. A newer state of
    an assembly that it has already takes the place of that: bodies, frames and joints stay as far
    as what they are on still exists. folder : where the paths in the model begin. Raises FileError
    and ModelError."""
    read = geometry_in.known_before(model, Path(folder), import_geometry(path, unit))
    grown, _, notes = geometry_in.taken_over(model, read)
    return grown, notes


def report(
    path: str | Path, model: Model, recordings: Mapping[str, CoreRecording],
    channels: Sequence[str] = (), picture: bytes = b"",
) -> None:  # fmt: skip
    """Write a report on a model and runs of it by name: masses, joints, health, cases, trust,
    curves and figures, HTML in one file. channels : that are shown, the forces of joints and the
    efforts of drives for none;  picture : of the model, PNG. Raises FileError and ChannelError."""
    from impeto.services.report.report import write_report

    write_report(path, model, recordings, channels, picture)


def merged(model: Model, other: Model) -> Model:
    """The model with all elements of another where they are drawn there; names that are taken get a
    number. Raises ModelError."""
    return pasting.merged(model, other)[0]
