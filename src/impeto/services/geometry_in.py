"""Geometry and mechanisms from files: each becomes a model of its own, to be taken over."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from impeto.core.bodies.drawing import Drawing
from impeto.core.bodies.shapes import Mesh
from impeto.core.elements import Body
from impeto.core.errors import FileError
from impeto.core.model.model import Model
from impeto.core.model.names import name_like
from impeto.core.sorting import pieces_of, surfaces_of
from impeto.services import drawing_file, meshes, urdf
from impeto.services.atomic import reason
from impeto.services.caches import made_folder
from impeto.services.step import reader

MECHANISMS = (".urdf",)
SUFFIXES = (*reader.SUFFIXES, *meshes.SUFFIXES, *MECHANISMS)
UNITS = ("mm", "cm", "m", "in")
Progress = Callable[[float, float], bool]


@dataclass(frozen=True, slots=True)
class Imported:
    """model : what was in the file, as drawn there;  notes : sentences on what is to be known
    drawing, file : the parts of an assembly, and where they are kept in open form
    before : drawings of the same source that a model has already, by their files there
    """

    model: Model
    notes: tuple[str, ...]
    drawing: Drawing | None = None
    file: str = ""
    before: dict[str, Drawing] = field(default_factory=dict)


def import_geometry(
    path: str | Path, unit: str | None = None, progress: Progress | None = None
) -> Imported:
    """What an assembly (STEP, GLB), a mesh file (STL, OBJ, PLY, GLB) or a mechanism (URDF) holds.

    unit : of the lengths in a mesh file, else guessed from its size; the others know their own
    progress : called with the share that is done; False stops
    Files are named by their whole paths; saving the model copies them beside it. Raises FileError.
    """
    path = Path(path).absolute()
    suffix = path.suffix.lower()
    if suffix in MECHANISMS:
        return Imported(*urdf.read_urdf(path))
    if suffix not in SUFFIXES:
        raise FileError(
            f"'{path.name}' is no geometry that is read here: {', '.join(SUFFIXES)} are."
        )
    if unit is not None and unit not in UNITS:
        raise FileError(f"'{unit}' is no unit of a mesh file: use {', '.join(UNITS)}.")
    if suffix in reader.SUFFIXES:
        return _assembly(*_from_step(path, progress), path.stem)
    if suffix == drawing_file.SUFFIX:
        drawing = drawing_file.read_drawing(path)
        if len(drawing.parts) > 1:
            return _assembly(drawing, path, (), path.stem)
    return _single(path, suffix, unit)


def _from_step(path: Path, progress: Progress | None) -> tuple[Drawing, Path, tuple[str, ...]]:
    """The parts of a STEP file, and the file in open form that they are kept in. The same content
    is not read twice."""
    try:
        folder = made_folder("imported", path.name.encode() + path.read_bytes())
    except OSError as error:
        raise FileError(f"'{path.name}' cannot be read: {reason(error)}.") from error
    out, said = folder / f"{name_like(path.stem)}.glb", folder / "notes.txt"
    if not (out.is_file() and said.is_file()):
        notes = reader.converted(path, out, progress)
        said.write_text("\n".join(notes), encoding="utf-8")
    return drawing_file.read_drawing(out), out, tuple(said.read_text(encoding="utf-8").splitlines())


def _assembly(drawing: Drawing, file: Path, notes: tuple[str, ...], name: str) -> Imported:
    kept = file.as_posix()
    model = Model(name, pieces_of(drawing, kept), geometry=surfaces_of(drawing, kept))
    count = len(drawing.parts)
    first = f"{count} piece{'s' if count > 1 else ''}, {len(drawing.solids)} different."
    return Imported(model, (first, *notes), drawing, kept)


def taken_over(
    model: Model, read: Imported, case: str | None = None
) -> tuple[Model, tuple[str, ...], tuple[str, ...]]:
    """The model with what was read in it, the names of what is new or has changed, and sentences on
    what is to be known. A newer state of an assembly that it has already takes the place of that.

    Raises ModelError.
    """
    from impeto.core.pasting import merged
    from impeto.core.renewing import renewed

    if not read.before or read.drawing is None:
        merged_model, names = merged(model, read.model)
        return merged_model, names, read.notes
    notes, touched = list[str](), list[str]()
    for file, before in read.before.items():
        found = renewed(model, file, before, read.drawing, read.file, case)
        model = found.model
        touched += [*found.changed, *found.arrived]
        notes.append(
            f"{read.drawing.source} anew: {len(found.changed)} changed, {len(found.arrived)} new "
            f"pieces, {len(found.lost)} not kept."
        )
        notes += found.lost
    return model, tuple(dict.fromkeys(touched)), (*notes, *read.notes[1:])


def known_before(model: Model, folder: Path, read: Imported) -> Imported:
    """What was read, with the drawings in a model that came from the same file, by the files they
    are in now; one that is gone or damaged cannot be compared, which is told."""
    found, notes = dict[str, Drawing](), list[str]()
    if read.drawing is None or not read.drawing.source:
        return read
    named = {n.partition("\n")[0] for n in meshes.named_surfaces(model) if "\n" in n}
    for file in sorted(named):
        try:
            drawing = drawing_file.read_drawing(folder / file)
        except FileError as error:
            notes.append(f"{error} Whether it is an older state of this file is not known.")
            continue
        if drawing.source == read.drawing.source:
            found[file] = drawing
    return replace(read, before=found, notes=(*read.notes, *notes))


def _single(path: Path, suffix: str, unit: str | None) -> Imported:
    surface = meshes.read_mesh(path)
    known = "m" if suffix == meshes.IN_METRES else unit
    chosen = known or meshes.likely_unit(surface)
    name = name_like(path.stem)
    shape = Mesh(file=path.as_posix(), unit=chosen)
    size = ", ".join(f"{extent:.4g}" for extent in np.ptp(surface.vertices, axis=0))
    guess = "" if known else " Change the unit if that is wrong."
    model = Model(name, [Body(name=name, shapes=(shape,))], geometry={shape.file: surface})
    return Imported(model, (f"Read as {name}: {size} {chosen}.{guess}",))
