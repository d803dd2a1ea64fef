"""Names that are not taken yet."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from impeto.core.errors import ModelError
from impeto.core.model.element import GROUND, SYSTEM
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

LONGEST = 80  # letters of a name that is made of a text
TAKEN = (GROUND, "t", "pi", SYSTEM)


def name_like(text: str) -> str:
    """A name for an element like a text that may hold anything."""
    kept = "".join(letter if f"a{letter}".isidentifier() else "_" for letter in text)
    stem = re.sub("_+", "_", kept).strip("_")[:LONGEST] or "part"
    return stem if stem.isidentifier() and stem not in TAKEN else f"part_{stem}"


def free_name(
    model: Model, stem: str, endings: Sequence[str] = ("",), taken: Iterable[str] = ()
) -> str:
    """The stem, or with the first number from 2 on of which no ending is taken, nor may be that of
    a member of what is repeated. taken : further names"""
    taken, repeated = {*model.elements, *model.cases, *taken}, _repeated(model)

    def is_free(name: str) -> bool:
        original, _, digits = name.rpartition("_")
        return name not in taken and not (original in repeated and digits.isdigit())

    if stem in repeated:  # with any number it may be a member
        stem = f"{stem}_new"
    number, name = 1, stem
    while not all(is_free(name + ending) for ending in endings):
        number += 1
        name = f"{stem}_{number}"
    return name


def _repeated(model: Model) -> frozenset[str]:
    """Names of what is repeated; none where that cannot be, which the Health card tells."""
    try:
        return frozenset(Scope(model).members)
    except ModelError:
        return frozenset()
