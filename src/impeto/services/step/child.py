"""The process that reads a STEP file: `python -m impeto.services.step.child FILE NAME OUT`.

Its reader can end or hang its process on damaged files, so it never runs in ours. Each line that it
prints is a JSON value: how far it is, a note, or why it stopped.
"""

from __future__ import annotations

import json
import re
import resource
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from impeto.core.bodies.drawing import Drawing, DrawnPart
from impeto.core.errors import FileError
from impeto.core.geometry.triangles import Triangles
from impeto.services.drawing_file import RIGID, write_drawing

MEMORY = 12_000_000_000  # bytes
MM = 0.001  # m
READ = 0.3  # share of the work when the file has been read
GREY = "#b9b2a1"
OCCURRENCE = re.compile(rb"=\s*NEXT_ASSEMBLY_USAGE_OCCURRENCE\s*\(")


def say(**what: Any) -> None:
    print(json.dumps(what), flush=True)


def convert(path: Path, name: str, out: Path) -> None:
    """Write what a STEP file holds as a drawing. Raises FileError."""
    from impeto.services.step.solids import solid_of
    from impeto.services.step.tree import Tree

    say(share=0.05, doing="reading the file")
    tree = Tree(path, name)
    places = tree.places()
    say(share=READ, doing=f"{len(places)} parts")
    solids, colours = dict[str, Triangles](), dict[str, str]()
    keys = list(dict.fromkeys(place.key for place in places))
    surfaces = 0
    for number, key in enumerate(keys, start=1):
        shape = tree.shape(key)
        solid = solid_of(shape)
        if solid is not None:
            solids[key], colours[key] = solid, _main_colour(tree, shape)
            surfaces += solid.solid.mass == 0.0
        say(share=READ + 0.65 * number / len(keys), doing=f"solid {number} of {len(keys)}")
    _tell_missing(path, tree, [place.title for place in places if place.key not in solids])
    parts = list(_parts(places, solids, colours))
    if not parts:
        raise FileError(f"'{name}' holds no solids and no surfaces.")
    named, short = _short_names(solids, parts)
    write_drawing(Drawing(tuple(short), named, name), out)
    if surfaces:
        say(note=f"Mere surfaces, which weigh nothing: {surfaces} of its {len(solids)} parts.")
    say(done=len(parts))


def _tell_missing(path: Path, tree: Any, empty: list[str]) -> None:
    """Say what of a damaged file did not come through."""
    lost = len(OCCURRENCE.findall(path.read_bytes())) - tree.occurrences()
    if lost > 0:
        say(note=f"Parts that are missing, as their places in the file are damaged: {lost}.")
    if empty:
        listed = ", ".join(empty[:5]) + (" …" if len(empty) > 5 else "")
        say(note=f"Parts that are empty or damaged are left out: {listed}.")


def _main_colour(tree: Any, shape: Any) -> str:
    """Of the whole, else of its solids, else that of most of its faces."""
    from impeto.services.step.solids import KINDS, area_of, parts_of

    own = str(tree.colour_of(shape))
    if own:
        return own
    areas: dict[str, float] = {}
    for kind in (KINDS.TopAbs_SOLID, KINDS.TopAbs_SHELL, KINDS.TopAbs_FACE):
        for each in parts_of(shape, kind):
            colour = str(tree.colour_of(each))
            if colour:
                areas[colour] = areas.get(colour, 0.0) + area_of(each)
        if areas:
            return max(areas, key=lambda colour: areas[colour])
    return GREY


def _parts(
    places: Any, solids: dict[str, Triangles], colours: dict[str, str]
) -> Iterator[DrawnPart]:
    """Places of what has a surface, each under a name of its own."""
    taken: dict[str, int] = {}
    mirrored = 0
    for place in places:
        if place.key not in solids:
            continue  # an empty part
        axes = place.matrix[:, :3]
        if np.abs(axes.T @ axes - np.eye(3)).max() > RIGID or np.linalg.det(axes) < 0.0:
            mirrored += 1
            continue
        number = taken[place.path] = taken.get(place.path, 0) + 1
        name = place.path if number == 1 else f"{place.path} ({number})"
        yield DrawnPart(
            name, place.title, place.product, place.key, place.colour or colours[place.key],
            MM * place.matrix[:, 3], axes,
        )  # fmt: skip
    if mirrored:
        say(note="Parts left out, as a mirror or a scale places them, which STEP does not allow: "
                 f"{mirrored}.")  # fmt: skip


def _short_names(
    solids: dict[str, Triangles], parts: list[DrawnPart]
) -> tuple[dict[str, Triangles], list[DrawnPart]]:
    """Solids by the names of their products in place of the reader's keys."""
    names: dict[str, str] = {}
    for part in parts:
        if part.solid not in names:
            stem, number = part.product or "part", 1
            while (name := stem if number == 1 else f"{stem} ({number})") in names.values():
                number += 1
            names[part.solid] = name
    renamed = [replace(part, solid=names[part.solid]) for part in parts]
    return {name: solids[key] for key, name in names.items()}, renamed


def main() -> int:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    path, name, out = sys.argv[1:4]
    try:
        convert(Path(path), name, Path(out))
    except FileError as error:
        say(failed=str(error))
        return 1
    except MemoryError:
        say(failed=f"'{name}' needs more memory than there is.")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
