"""Recording files (HDF5), readable with any HDF5 tool. docs/files.md describes the layout."""

from __future__ import annotations

import dataclasses
import json
import zlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import h5py
import numpy as np

from impeto.core.assembly.build import build_system
from impeto.core.assembly.resolve import resolve
from impeto.core.bodies.exact import ExactSolid
from impeto.core.dynamics.names import MARK_KINDS, Mark
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import TOUCH_A, TOUCH_B, TOUCH_WIDTH
from impeto.core.errors import FileError
from impeto.core.geometry.triangles import Triangles
from impeto.core.results.directory import directory_of, reordered
from impeto.core.results.recording import ARRAYS, Recording, Statistics
from impeto.services import model_file
from impeto.services.atomic import reason, replacing
from impeto.services.drawing_file import exact_record, with_exact

FORMAT = 4
BEFORE_DIRECTORY = 3  # columns as today, without their names
MOST_PACKED = 1100  # times the size of the file: what its packing can hold
SAMPLE = 2000  # rows that tell how well an array can be packed
BEFORE_CONTACT = 2  # the same without points of contact


def save_recording(recording: Recording, path: str | Path) -> None:
    """Write a recording with its model and case. Raises FileError."""
    with replacing(Path(path)) as temporary, h5py.File(temporary, "w") as file:
        file.attrs["format"] = FORMAT
        file.attrs["case"] = recording.case
        file.attrs["stopped"] = recording.stopped
        file.attrs["cancelled"] = recording.cancelled
        file.attrs["bodies"] = [body.name for body in recording.system.mechanism.bodies[1:]]
        file.attrs["rows"] = [f"{row.owner}: {row.freedom}" for row in recording.system.rows]
        file.attrs["units"] = "SI: m, kg, s, rad, N, N m"
        file.attrs["notes"] = list(recording.notes)
        file["marks"] = json.dumps([dataclasses.astuple(mark) for mark in recording.marks])
        file["model"] = model_file.to_text(recording.model)
        _write_geometry(file, recording.model.geometry)
        for name in ARRAYS:
            values = getattr(recording, name)
            packed = {"compression": "gzip", "compression_opts": 1} if _packs_well(values) else {}
            file.create_dataset(name, data=values, **packed)
        for name, titles in directory_of(recording.system).items():
            file[name].attrs["columns"] = json.dumps(titles)
        for name, value in dataclasses.asdict(recording.statistics).items():
            file["time"].attrs[name] = value


def _packs_well(values: np.ndarray) -> bool:
    """Whether packing halves an array: else it costs more time to read than it saves on disk."""
    sample = np.ascontiguousarray(values[:: max(1, len(values) // SAMPLE)]).tobytes()
    return len(zlib.compress(sample, 1)) < 0.5 * len(sample)


def _write_geometry(file: h5py.File, geometry: Mapping[str, Triangles]) -> None:
    """Surfaces by their names; what several parts have in common once."""
    first: dict[int, int] = {}
    for number, (name, surface) in enumerate(geometry.items()):
        group = file.create_group(f"geometry/{number:06}")
        group.attrs["file"] = name
        if first.setdefault(id(surface), number) != number:
            group.attrs["as"] = f"{first[id(surface)]:06}"
            continue
        group["vertices"], group["faces"] = surface.vertices, surface.faces
        if isinstance(surface, ExactSolid):
            group["exact"] = json.dumps(exact_record(surface))


def open_recording(path: str | Path) -> Recording:
    """Read a recording file. Raises FileError where it is missing or foreign."""
    path = Path(path)
    try:
        if not path.is_file():
            raise FileError(f"'{path}' cannot be read: no such file.")
        size = path.stat().st_size
        with h5py.File(path, "r") as file:
            return _read(file, path, size)
    except (OSError, KeyError, ValueError, TypeError, IndexError, OverflowError) as error:
        why = reason(error) if isinstance(error, OSError) else f"{error} is not as it should be"
        raise FileError(f"'{path}' is not an Impeto recording: {why}.") from error


def _read(file: h5py.File, path: Path, size: int) -> Recording:
    written = file.attrs.get("format")
    if written not in (FORMAT, BEFORE_DIRECTORY, BEFORE_CONTACT) or "model" not in file:
        raise FileError(f"'{path}' is not an Impeto recording of format {FORMAT}.")
    model = model_file.parse(_text(file, "model", size), str(path))
    model = model.changed(geometry=_geometry(file, size))
    case, stopped = str(file.attrs["case"]), str(file.attrs["stopped"])
    notes = tuple(map(str, file.attrs["notes"]))
    about = dict(_array(file, "time").attrs)
    values = {}
    for field in dataclasses.fields(Statistics):
        kind = {"str": str, "int": int, "float": float}[str(field.type)]
        if field.name in about or field.default is dataclasses.MISSING:  # older files have fewer
            values[field.name] = kind(about[field.name])
    system = build_system(resolve(model, case))
    arrays = _arrays(file, path, written, size, system)
    marks = json.loads(_text(file, "marks", size))
    if not isinstance(marks, list):
        raise ValueError("'marks'")
    return Recording(
        model=model,
        case=case,
        statistics=Statistics(**values),
        system=system,
        marks=tuple(_mark(mark) for mark in marks),
        notes=notes,
        stopped=stopped,
        cancelled=bool(file.attrs.get("cancelled", False)),
        **arrays,
    )


def _array(file: h5py.Group, name: str) -> h5py.Dataset:
    """An array that is in the file itself: what points elsewhere is not followed."""
    link = file.get(name, getlink=True)
    found = file[name] if isinstance(link, h5py.HardLink) else None
    if not isinstance(found, h5py.Dataset) or found.is_virtual or found.external:
        raise ValueError(f"'{name}'")
    return found


def _numbers(file: h5py.Group, name: str, size: int) -> np.ndarray:
    """The numbers of an array that a file of that size can hold."""
    found = _array(file, name)
    if found.dtype.kind not in "fiu" or found.nbytes > MOST_PACKED * size:
        raise ValueError(f"'{name}'")
    return np.array(found, dtype=float)


def _titles(file: h5py.File, name: str) -> list[str]:
    """Names of the columns of an array."""
    titles = json.loads(str(_array(file, name).attrs["columns"]))
    if not isinstance(titles, list) or not all(isinstance(title, str) for title in titles):
        raise ValueError(f"'{name}'")
    return titles


def _text(file: h5py.Group, name: str, size: int) -> str:
    found = _array(file, name)
    if found.shape != ():
        raise ValueError(f"'{name}'")
    content = found[()]
    if not isinstance(content, bytes):
        raise ValueError(f"'{name}'")
    return content.decode("utf-8")


def _mark(written: list[Any]) -> Mark:
    """One of MARK_KINDS; older files do not say which: events."""
    time, element, text, *kinds = written
    if not (isinstance(time, (int, float)) and isinstance(element, str) and isinstance(text, str)):
        raise ValueError("a mark")
    if len(kinds) > 1 or (kinds and kinds[0] not in MARK_KINDS):
        raise ValueError("a mark")
    return Mark(float(time), element, text, *kinds)


def _geometry(file: h5py.File, size: int) -> dict[str, Triangles]:
    """Surfaces that the model's shapes took from files."""
    surfaces: dict[str, Triangles] = {}
    by_number: dict[str, Triangles] = {}
    if "geometry" not in file:
        return surfaces
    if not isinstance(file.get("geometry", getlink=True), h5py.HardLink):
        raise ValueError("'geometry'")
    for name in file["geometry"]:
        if not isinstance(file["geometry"].get(name, getlink=True), h5py.HardLink):
            raise ValueError("'geometry'")
        group = file["geometry"][name]
        if "as" in group.attrs:
            surfaces[str(group.attrs["file"])] = by_number[str(group.attrs["as"])]
            continue
        vertices = _numbers(group, "vertices", size)
        faces = _numbers(group, "faces", size).astype(np.int64)
        if vertices.ndim != 2 or vertices.shape[1] != 3 or faces.ndim != 2 or faces.shape[1] != 3:
            raise ValueError("'geometry'")
        if not np.isfinite(vertices).all() or not len(faces) or faces.min() < 0:
            raise ValueError("'geometry'")
        if faces.max() >= len(vertices):
            raise ValueError("'geometry'")
        surface = Triangles(vertices, faces)
        if "exact" in group:
            surface = with_exact(surface, json.loads(_text(group, "exact", size)))
        surfaces[str(group.attrs["file"])] = by_number[name] = surface
    return surfaces


def _arrays(file: h5py.File, path: Path, written: int, size: int, system: System) -> dict[str, Any]:
    """All arrays of a recording of that system, each checked before it is read."""
    names = ARRAYS[:-2] if written == BEFORE_CONTACT else ARRAYS
    count = _array(file, "time").shape[0]
    wanted = {
        "time": (count,),
        "state": (count, len(system.start)),
        "acceleration": (count, system.moving, 6),
        "multiplier": (count, len(system.rows)),
        "coordinate": (count, len(system.tables.coordinate), 3),
        "measured": (count, int(system.tables.measured[-1])),
        "touch_end": (count,),
    }
    directory = directory_of(system)
    titles = {
        name: _titles(file, name) if written == FORMAT else wanted
        for name, wanted in directory.items()
    }
    for name in names:
        shape = _array(file, name).shape
        right = wanted.get(name, (*shape[:1], TOUCH_WIDTH))
        if name in titles:
            right = (count, len(titles[name]), *right[2:])
        if shape != right:
            raise FileError(f"'{path}' is damaged: '{name}' has the shape {shape}.")
    arrays = {name: _numbers(file, name, size) for name in names}
    for name, columns in directory.items():
        arrays[name] = reordered(arrays[name], titles[name], columns)
    if written == BEFORE_CONTACT:
        arrays |= {"touch": np.zeros((0, TOUCH_WIDTH)), "touch_end": np.zeros(count)}
    arrays["touch_end"] = arrays["touch_end"].astype(np.int64)
    _check_order(path, arrays, len(system.tables.shape))
    return arrays


def _check_order(path: Path, arrays: dict[str, np.ndarray], shapes: int) -> None:
    """Times that increase, points of contact that belong to shapes and to instants."""
    time, end, touch = arrays["time"], arrays["touch_end"], arrays["touch"]
    if not len(time) or not np.isfinite(time).all() or (np.diff(time) <= 0.0).any():
        raise FileError(f"'{path}' is damaged: its instants do not follow each other.")
    if (np.diff(end, prepend=0) < 0).any() or int(end[-1]) != len(touch):
        raise FileError(f"'{path}' is damaged: its points of contact belong to no instant.")
    for column in (TOUCH_A, TOUCH_B):
        if len(touch) and not ((touch[:, column] >= 0) & (touch[:, column] < shapes)).all():
            raise FileError(f"'{path}' is damaged: a point of contact belongs to no shape.")
