"""Recording files (HDF5), readable with any HDF5 tool. docs/files.md describes the layout."""

from __future__ import annotations

import dataclasses
import json
from pathlib import Path

import h5py
import numpy as np

from impeto.core.errors import FileError
from impeto.core.geometry.triangles import Triangles
from impeto.core.mechanics.names import Mark
from impeto.core.mechanics.resolve import resolve
from impeto.core.mechanics.system import build_system
from impeto.core.mechanics.tables import TOUCH_WIDTH
from impeto.core.results.recording import ARRAYS, Recording, Statistics
from impeto.services import model_file
from impeto.services.atomic import reason, replacing

FORMAT = 3
BEFORE_CONTACT = 2  # the same without points of contact


def save_recording(recording: Recording, path: str | Path) -> None:
    """Write a recording with its model and case. Raises FileError."""
    with replacing(Path(path)) as temporary, h5py.File(temporary, "w") as file:
        file.attrs["format"] = FORMAT
        file.attrs["case"] = recording.case
        file.attrs["stopped"] = recording.stopped
        file.attrs["bodies"] = [body.name for body in recording.system.mechanism.bodies[1:]]
        file.attrs["rows"] = [f"{row.owner}: {row.freedom}" for row in recording.system.rows]
        file.attrs["units"] = "SI: m, kg, s, rad, N, N m"
        file.attrs["notes"] = list(recording.notes)
        file["marks"] = json.dumps([dataclasses.astuple(mark) for mark in recording.marks])
        file["model"] = model_file.to_text(recording.model)
        for number, (name, surface) in enumerate(recording.model.geometry.items()):
            group = file.create_group(f"geometry/{number}")
            group.attrs["file"] = name
            group["vertices"], group["faces"] = surface.vertices, surface.faces
        for name in ARRAYS:
            file.create_dataset(
                name, data=getattr(recording, name), compression="gzip", compression_opts=1
            )
        for name, value in dataclasses.asdict(recording.statistics).items():
            file["time"].attrs[name] = value


def open_recording(path: str | Path) -> Recording:
    """Read a recording file. Raises FileError where it is missing or foreign."""
    path = Path(path)
    if not path.is_file():
        raise FileError(f"'{path}' cannot be read: no such file.")
    try:
        with h5py.File(path, "r") as file:
            written = file.attrs.get("format")
            if written not in (FORMAT, BEFORE_CONTACT) or "model" not in file:
                raise FileError(f"'{path}' is not an Impeto recording of format {FORMAT}.")
            model = model_file.parse(file["model"][()].decode("utf-8"), str(path))
            model = model.changed(geometry=_geometry(file))
            case = str(file.attrs["case"])
            arrays = _arrays(file, written)
            about = dict(file["time"].attrs)
            stopped = str(file.attrs["stopped"])
            notes = tuple(map(str, file.attrs["notes"]))
            marks = tuple(Mark(*mark) for mark in json.loads(file["marks"][()]))
    except (OSError, KeyError, ValueError, TypeError) as error:
        why = reason(error) if isinstance(error, OSError) else f"{error} is missing"
        raise FileError(f"'{path}' is not an Impeto recording: {why}.") from error
    values = {}
    for field in dataclasses.fields(Statistics):
        kind = {"str": str, "int": int, "float": float}[str(field.type)]
        values[field.name] = kind(about[field.name])
    system = build_system(resolve(model, case))
    measured = int(system.tables.measured[-1])
    _check_shapes(path, arrays, len(system.start), len(system.rows), system.moving, measured)
    statistics = Statistics(**values)
    return Recording(
        model=model,
        case=case,
        statistics=statistics,
        system=system,
        marks=marks,
        notes=notes,
        stopped=stopped,
        **arrays,
    )


def _geometry(file: h5py.File) -> dict[str, Triangles]:
    """Surfaces that the model's shapes took from files."""
    return {
        str(group.attrs["file"]): Triangles(
            np.array(group["vertices"], dtype=float), np.array(group["faces"], dtype=np.int64)
        )
        for group in file.get("geometry", {}).values()
    }


def _arrays(file: h5py.File, written: int) -> dict[str, np.ndarray]:
    names = ARRAYS if written == FORMAT else ARRAYS[:-2]
    arrays = {name: np.array(file[name], dtype=float) for name in names}
    if written == BEFORE_CONTACT:
        arrays |= {"touch": np.zeros((0, TOUCH_WIDTH)), "touch_end": np.zeros(len(arrays["time"]))}
    arrays["touch_end"] = arrays["touch_end"].astype(np.int64)
    return arrays


def _check_shapes(
    path: Path,
    arrays: dict[str, np.ndarray],
    size: int,
    rows: int,
    bodies: int,
    measured: int,
) -> None:
    count = len(arrays["time"])
    wanted = {
        "state": (count, size),
        "acceleration": (count, bodies, 6),
        "multiplier": (count, rows),
        "measured": (count, measured),
        "touch": (int(arrays["touch_end"][-1]), TOUCH_WIDTH),
        "touch_end": (count,),
    }
    for name, shape in wanted.items():
        if arrays[name].shape != shape:
            raise FileError(f"'{path}' is damaged: '{name}' has the shape {arrays[name].shape}.")
