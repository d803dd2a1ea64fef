"""Imported parts: they arrive as loose pieces and become bodies, alone or several as one."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from impeto.core.bodies.drawing import Drawing, DrawnPart
from impeto.core.bodies.placement import placement
from impeto.core.bodies.shapes import surface_name
from impeto.core.elements import Mesh, Piece
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.element import GROUND
from impeto.core.model.model import Model
from impeto.core.model.names import name_like
from impeto.core.uniting import united


def pieces_of(drawing: Drawing, file: str, taken: Iterable[str] = ()) -> list[Piece]:
    """A loose piece for every part of a drawing that is kept in a file, under names that are not
    taken."""
    used, numbers = set(taken), dict[str, int]()
    return [_piece(part, file, _free(part, used, numbers)) for part in drawing.parts]


def surfaces_of(drawing: Drawing, file: str) -> dict[str, Triangles]:
    """The solids of all parts, by the names that a model has for them."""
    return {surface_name(file, part.name): drawing.solids[part.solid] for part in drawing.parts}


def _piece(part: DrawnPart, file: str, name: str) -> Piece:
    return Piece(
        name=name, title=part.title, product=part.product, colour=part.colour or "stone",
        shapes=(Mesh(file=file, part=part.name, unit="m"),), **placement(part.origin, part.axes),
    )  # fmt: skip


def _free(part: DrawnPart, used: set[str], numbers: dict[str, int]) -> str:
    """A name of ours for one in a file, with the first number that is free."""
    name = stem = name_like(part.title or part.product)
    while name in used:
        numbers[stem] = numbers.get(stem, 1) + 1
        name = f"{stem}_{numbers[stem]}"
    used.add(name)
    return name


def gathered(
    model: Model, names: Sequence[str], case: str | None = None
) -> tuple[Model, str, tuple[str, ...]]:
    """The model with one body of pieces and bodies where they are drawn, the name of that, and the
    names of what is gone with it: joints between them.

    The first stays, or the ground; pieces that make up an assembly have the name of that. A single
    piece becomes a body. Raises ModelError as `united` does.
    """
    names = list(dict.fromkeys(names))
    title = _common(model, names)
    made = freed(model, names)
    gone: tuple[str, ...] = ()
    if len(names) > 1 or made is model:
        made, gone = united(made, names, case)
    into = GROUND if GROUND in names else names[0]
    return (made.renamed(into, title), title, gone) if title else (made, into, gone)


def assembled(model: Model, case: str | None = None) -> tuple[Model, tuple[str, ...]]:
    """The model with one body of each assembly in the topmost one whose pieces are loose, and the
    names of those bodies. Pieces in no assembly of their own stay loose."""
    groups: dict[tuple[str, str], list[str]] = {}
    for piece in model.of(Piece):
        way = piece.way.split("/")
        if len(way) > 2:
            groups.setdefault((way[0], way[1]), []).append(piece.name)
    made = []
    for names in groups.values():
        model, name, _ = gathered(model, names, case)
        made.append(name)
    return model, tuple(made)


def _common(model: Model, names: Sequence[str]) -> str:
    """The assembly that is the smallest to hold all of several pieces, as a name that is free; ''
    where that is the topmost, or not all are pieces."""
    pieces = [piece for name in names if isinstance(piece := model.elements.get(name), Piece)]
    if len(pieces) != len(names) or len(pieces) < 2:
        return ""
    first, *others = (piece.way.split("/")[:-1] for piece in pieces)
    depth = len(first)
    for way in others:
        depth = min(depth, sum(a == b for a, b in zip(first, way, strict=False)))
        while depth and first[:depth] != way[:depth]:
            depth -= 1
    if depth < 2:
        return ""
    name = name_like(first[depth - 1])
    return "" if name in model.elements else name


def freed(model: Model, names: Iterable[str]) -> Model:
    """The model with each of these that is a loose piece made a body of its own."""
    loose = {name for name in names if isinstance(model.elements.get(name), Piece)}
    if not loose:
        return model
    elements = [
        e.as_body() if isinstance(e, Piece) and e.name in loose else e
        for e in model.elements.values()
    ]
    return model.changed(elements=elements)
