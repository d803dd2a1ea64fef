"""Names that are not taken yet."""

from __future__ import annotations

from collections.abc import Sequence

from impeto.core.model.model import Model


def free_name(model: Model, stem: str, endings: Sequence[str] = ("",)) -> str:
    """The stem, or with the first number from 2 on of which no ending is taken."""
    number, name = 1, stem
    taken = {*model.elements, *model.cases}
    while any(name + ending in taken for ending in endings):
        number += 1
        name = f"{stem}_{number}"
    return name
