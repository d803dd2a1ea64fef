"""Mesh files (STL, OBJ, PLY, GLB): reading them, and finding those that a model's shapes name."""

from __future__ import annotations

import io
import os
from collections.abc import Iterable, Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np

from impeto.core.bodies.drawing import Drawing
from impeto.core.elements import Body, Mesh, Piece
from impeto.core.errors import FileError
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.model import Model
from impeto.services.atomic import reason, replacing
from impeto.services.drawing_file import read_drawing

COPIES = "meshes"  # folder beside a model for meshes from elsewhere
SUFFIXES = (".stl", ".obj", ".ply", ".glb")
IN_METRES = ".glb"  # by its rule, with y upwards
LARGEST = 400_000_000  # bytes
MOST_FACES = 2_000_000
SAME = 1 << 20  # parts of the extent: points nearer to each other are one
LARGEST_IN_METRES = 5.0


def read_mesh(path: str | Path) -> Triangles:
    """The surface in a mesh file, in the file's own unit. Raises FileError."""
    import trimesh  # only where there are meshes

    path = Path(path)
    if path.suffix.lower() not in SUFFIXES:
        raise FileError(f"'{path}' is not a mesh file: its name must end in {', '.join(SUFFIXES)}.")
    try:
        if path.exists() and not path.is_file():
            raise FileError(f"'{path}' is not a file.")
        if path.stat().st_size > LARGEST:
            raise FileError(f"'{path}' is too large: at most {LARGEST // 1_000_000} MB.")
        read = trimesh.load_mesh(
            _stream(path), file_type=path.suffix.lower()[1:], process=False, maintain_order=True,
            skip_materials=True, group_material=False,
        )  # fmt: skip
        vertices = np.asarray(read.vertices, dtype=float)
        if path.suffix.lower() == IN_METRES:
            vertices = vertices[:, [0, 2, 1]] * [1.0, -1.0, 1.0]  # z upwards, as here
        faces = np.asarray(read.faces, dtype=np.int64)
    except OSError as error:
        raise FileError(f"'{path}' cannot be read: {reason(error)}.") from error
    except (
        ValueError,
        IndexError,
        KeyError,
        TypeError,
        AttributeError,
        NotImplementedError,
    ) as error:
        raise FileError(f"'{path}' is not a mesh of triangles that can be read.") from error
    except ImportError as error:
        raise FileError(f"'{path}' is written in a way that is not known here.") from error
    if not len(faces) or faces.ndim != 2 or faces.shape[1] != 3 or not np.isfinite(vertices).all():
        raise FileError(f"'{path}' holds no triangles, or points that are not numbers.")
    if int(faces.min()) < 0 or int(faces.max()) >= len(vertices):
        raise FileError(f"'{path}' is damaged: a triangle names a point that is not there.")
    if len(faces) > MOST_FACES:
        raise FileError(
            f"'{path}' has {len(faces):,} triangles: reduce it to {MOST_FACES:,} in the program "
            "that made it."
        )
    return joined(vertices, faces)


def _stream(path: Path) -> io.BytesIO | io.StringIO:
    """What a mesh file holds; text in an older alphabet is read as that of Western Europe, as only
    names can have such letters."""
    content = path.read_bytes()
    if path.suffix.lower() != ".obj":
        return io.BytesIO(content)
    try:
        return io.StringIO(content.decode("utf-8"))
    except UnicodeDecodeError:
        return io.StringIO(content.decode("latin-1"))


def joined(vertices: np.ndarray, faces: np.ndarray) -> Triangles:
    """Points at the same place made one, triangles without area left out."""
    low, size = vertices.min(axis=0), float(np.ptp(vertices, axis=0).max()) or 1.0
    x, y, z = np.round((vertices - low) * (SAME / size)).astype(np.int64).T
    _, first, same = np.unique((x << 42) | (y << 21) | z, return_index=True, return_inverse=True)
    faces = same[faces]
    a, b, c = faces.T
    faces = faces[(a != b) & (b != c) & (c != a)]
    return Triangles(vertices[first], np.ascontiguousarray(faces, dtype=np.int64))


def named_surfaces(model: Model) -> set[str]:
    """Names of the surfaces that shapes of a model have from files, see `Mesh.surface`."""
    holders = (e for e in model.elements.values() if isinstance(e, (Body, Piece)))
    shapes = (shape for holder in holders for shape in holder.shapes)
    return {shape.surface for shape in shapes if isinstance(shape, Mesh) and shape.file}


def mesh_files(model: Model) -> set[str]:
    """Paths of the mesh files that shapes of a model name, as written."""
    return {name.partition("\n")[0] for name in named_surfaces(model)}


def with_meshes(model: Model, folder: str | Path) -> Model:
    """The model with the surfaces that it names and does not have yet, read from files whose paths
    begin at a folder. Raises FileError."""
    missing = named_surfaces(model) - set(model.geometry)
    if not missing:
        return model
    return model.changed(geometry={**model.geometry, **read_all(missing, Path(folder))})


def read_all(names: Iterable[str], folder: Path) -> dict[str, Triangles]:
    """Surfaces by their names, from files whose paths begin at a folder. Raises FileError."""
    read: dict[str, Triangles] = {}
    drawn: dict[str, tuple[Drawing, dict[str, str]]] = {}
    for name in sorted(names):
        file, _, part = name.partition("\n")
        path = _within(folder, file)
        if not part:
            read[name] = read_mesh(path)
            continue
        if file not in drawn:
            drawing = read_drawing(path)
            drawn[file] = drawing, {p.name: p.solid for p in drawing.parts}
        drawing, solids = drawn[file]
        if part not in solids:
            raise FileError(f"'{file}' has no part '{part[:80]}'.")
        read[name] = drawing.solids[solids[part]]
    return read


def _within(folder: Path, name: str) -> Path:
    """A path in a folder or below it. Raises FileError for one that leads out, by links too."""
    try:
        path = (folder / name).resolve()
        if path.is_relative_to(folder.resolve()):
            return path
    except (OSError, ValueError, RuntimeError) as error:
        raise FileError(f"'{name}' is not the name of a mesh file.") from error
    raise FileError(
        f"The mesh file '{name}' lies outside the model's folder: copy it beside the model and "
        "name it from there."
    )


def likely_unit(surface: Triangles) -> str:
    """Machines are seldom larger than some metres, and their drawings mostly in millimetres."""
    return "m" if float(np.ptp(surface.vertices, axis=0).max()) < LARGEST_IN_METRES else "mm"


def moved_meshes(model: Model, old: Path, new: Path) -> Model:
    """The model with its mesh files named from another folder. Those that lie outside of it are
    copied into its folder 'meshes', as a model is not to reach out of its own. Raises FileError."""
    return renamed(model, {name: _kept_within(new, old / name) for name in mesh_files(model)})


def beside(model: Model, folder: Path) -> Model:
    """The model with mesh files that are named by whole paths copied into a folder. Raises
    FileError."""
    whole = [name for name in mesh_files(model) if Path(name).is_absolute()]
    return renamed(model, {name: _kept_within(folder, Path(name)) for name in whole})


def named_whole(model: Model, folder: Path) -> Model:
    """The model with its mesh files named by whole paths, as it goes somewhere else."""
    return renamed(model, {n: (folder / n).resolve().as_posix() for n in mesh_files(model)})


def taken_from_elsewhere(model: Model, folder: Path, known: Mapping[str, Triangles]) -> Model:
    """A model whose mesh files are named by whole paths, with those named from a folder and their
    surfaces, known ones or read. Raises FileError."""
    paths = {name: folder / name for name in mesh_files(model)}  # itself where that is whole
    seen = {name: seen_from(folder, path) for name, path in paths.items()}
    here = renamed(model, seen)
    missing = named_surfaces(here) - set(known)
    read = _read_whole(missing, {seen[name]: path for name, path in paths.items()})
    kept = {name: known[name] for name in named_surfaces(here) if name in known}
    return here.changed(geometry={**kept, **read})


def _read_whole(names: Iterable[str], paths: Mapping[str, Path]) -> dict[str, Triangles]:
    """Surfaces by their names, from the paths of their files."""
    found: dict[str, Triangles] = {}
    for name in names:
        file, _, part = name.partition("\n")
        path = paths[file]
        there = f"{path.name}\n{part}" if part else path.name
        found[name] = read_all([there], path.parent)[there]
    return found


def renamed(model: Model, names: Mapping[str, str]) -> Model:
    """The model with mesh files under other names."""
    if all(name == other for name, other in names.items()):
        return model
    elements = []
    for element in model.elements.values():
        if isinstance(element, (Body, Piece)):
            shapes = tuple(
                replace(s, file=names.get(s.file, s.file)) if isinstance(s, Mesh) else s
                for s in element.shapes
            )
            element = replace(element, shapes=shapes)
        elements.append(element)
    geometry = {}
    for name, surface in model.geometry.items():
        file, *part = name.split("\n")
        geometry["\n".join([names.get(file, file), *part])] = surface
    return model.changed(elements=elements, geometry=geometry)


def _kept_within(folder: Path, path: Path) -> str:
    """A path as a model in that folder names it; the file is copied where it lies outside."""
    seen = seen_from(folder, path)
    if not seen.startswith("..") or not path.is_file():
        return seen
    content = path.read_bytes()
    target, number = folder / COPIES / path.name, 1
    while target.exists() and target.read_bytes() != content:
        number += 1
        target = folder / COPIES / f"{path.stem}_{number}{path.suffix}"
    if not target.exists():
        target.parent.mkdir(exist_ok=True)
        with replacing(target) as temporary:
            temporary.write_bytes(content)
    return seen_from(folder, target)


def seen_from(folder: Path, path: Path) -> str:
    """A path as a model in that folder writes it."""
    return Path(os.path.relpath(path.resolve(), folder.resolve())).as_posix()
