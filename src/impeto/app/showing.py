"""What is shown on the Stage: bodies hidden, faded or alone. Of the eye, not of the model."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QObject, pyqtSignal

from impeto.core.elements import Body, Frame, Piece
from impeto.core.model import fields
from impeto.core.model.element import GROUND, Element
from impeto.core.model.fields import ReferenceSpec
from impeto.core.model.model import Model


class Showing(QObject):
    """Names of bodies that are hidden, and of those that are faded."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.hidden: frozenset[str] = frozenset()
        self.faded: frozenset[str] = frozenset()

    def hide(self, names: Iterable[str]) -> None:
        self._set(self.hidden | set(names), self.faded)

    def fade(self, names: Iterable[str]) -> None:
        """Faded bodies that are named again are solid again."""
        self._set(self.hidden, self.faded ^ set(names))

    def isolate(self, model: Model, names: Iterable[str]) -> None:
        """Nothing but these bodies."""
        seen = {element.name for kind in (Body, Piece) for element in model.of(kind)}
        self._set(seen - set(names), self.faded)

    def everything(self) -> None:
        self._set((), ())

    def _set(self, hidden: Iterable[str], faded: Iterable[str]) -> None:
        now = frozenset(hidden), frozenset(faded)
        if now != (self.hidden, self.faded):
            self.hidden, self.faded = now
            self.changed.emit()

    def shows(self, model: Model, name: str) -> bool:
        """Whether an element is to be seen: a body that is not hidden, something else where one of
        the bodies that it is on is not."""
        if not self.hidden:
            return True
        carriers = bodies_of(model, name)
        return not carriers or not carriers <= self.hidden


def is_empty(model: Model) -> bool:
    """Whether there is no body beside a bare ground."""
    bare = all(body.name == GROUND and not body.shapes for body in model.of(Body))
    return bare and not model.of(Piece)


def bodies_of(model: Model, name: str) -> set[str]:
    """The bodies that an element is, or is on, by its frames and joints; the ground only where
    there is no other."""
    found = set[str]()
    waiting, seen = [name], set[str]()
    while waiting:
        element = model.elements.get(waiting.pop())
        if element is None or element.name in seen:
            continue
        seen.add(element.name)
        if isinstance(element, (Body, Piece)):
            found.add(element.name)
        elif isinstance(element, Frame):
            found.add(element.body)
        else:
            waiting += _references(element)
    return found - {GROUND} or found


def _references(element: Element) -> list[str]:
    return [
        value
        for field, spec in fields.specs(type(element)).items()
        if isinstance(spec, ReferenceSpec) and (value := getattr(element, field)) is not None
    ]
