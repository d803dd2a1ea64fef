"""What a field refuses before the model has it: what was right and would not be any more."""

from __future__ import annotations

from impeto.app.document import Document
from impeto.core.assembly.resolve import body_mass
from impeto.core.elements import Body, Repeat
from impeto.core.errors import ModelError
from impeto.core.model.element import Element
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope


def check_change(document: Document, element: Element) -> None:
    """ModelError where a body that had a mass has none after a change, as by a size of zero, or a
    Repeat that made its members makes none, while it goes along the same."""
    model, case = document.model, document.case
    old = model.elements.get(element.name)
    changed = model.with_element(element)
    if isinstance(element, Body) and isinstance(old, Body) and _is_weighed(model, case, old):
        body_mass(Scope(changed, case), element)
    stays = isinstance(element, Repeat) and isinstance(old, Repeat) and old.along == element.along
    if stays and _is_made(model, case):
        _ = Scope(changed, case).model


def _is_weighed(model: Model, case: str, body: Body) -> bool:
    """Whether a body has a mass."""
    try:
        body_mass(Scope(model, case), body)
    except ModelError:
        return False
    return True


def _is_made(model: Model, case: str) -> bool:
    """Whether all Repeats of a model make their members."""
    try:
        _ = Scope(model, case).model
    except ModelError:
        return False
    return True
