"""Geometry and mechanisms from files: each becomes a model of its own, to be taken over."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from impeto.core.bodies.shapes import Mesh
from impeto.core.elements import Body
from impeto.core.errors import FileError
from impeto.core.model.model import Model
from impeto.services import meshes, urdf

MECHANISMS = (".urdf",)
SUFFIXES = (*meshes.SUFFIXES, *MECHANISMS)
UNITS = ("mm", "cm", "m", "in")


@dataclass(frozen=True, slots=True)
class Imported:
    """model : what was in the file, as drawn there;  notes : sentences on what is to be known"""

    model: Model
    notes: tuple[str, ...]


def import_geometry(path: str | Path, unit: str | None = None) -> Imported:
    """What a mesh file (STL, OBJ, PLY, GLB) or a mechanism (URDF) holds.

    unit : of the lengths in a mesh file, else guessed from its size; GLB and URDF know their own.
    Mesh files are named by their whole paths; saving the model copies them beside it. Raises
    FileError.
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
    surface = meshes.read_mesh(path)
    known = "m" if suffix == meshes.IN_METRES else unit
    chosen = known or meshes.likely_unit(surface)
    name = re.sub(r"\W+", "_", path.stem).strip("_")
    name = name if name[:1].isalpha() else f"part_{name}"
    shape = Mesh(file=path.as_posix(), unit=chosen)
    size = ", ".join(f"{extent:.4g}" for extent in np.ptp(surface.vertices, axis=0))
    guess = "" if known else " Change the unit if that is wrong."
    model = Model(name, [Body(name=name, shapes=(shape,))], geometry={shape.file: surface})
    return Imported(model, (f"Read as {name}: {size} {chosen}.{guess}",))
