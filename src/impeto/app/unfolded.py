"""A model with members in place of what it repeats, as Stage and Map show it."""

from __future__ import annotations

from collections.abc import Mapping

from impeto.core.errors import ModelError
from impeto.core.model.element import Element
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.repeats.model import Pattern


class Unfolded:
    """model : with the members, as written where they cannot be made;  members : of each original;
    originals : of each member"""

    def __init__(self, written: Model, case: str) -> None:
        self.written, self.case = written, case
        self.model: Model = written
        self.members: Mapping[str, tuple[str, ...]] = {}
        try:
            scope = Scope(written, case)
            self.model, self.members = scope.model, scope.members
        except ModelError:
            return  # the Health card tells
        finally:
            self.originals = {
                member: original for original, members in self.members.items()
                for member in members if member not in written.elements
            }  # fmt: skip

    def number(self, element: Element) -> int:
        """How many an element stands for, without those that stand alone."""
        members = self.members.get(element.name, (element.name,))
        return sum(name == element.name or name in self.originals for name in members)

    def marked(self, name: str) -> tuple[str, ...]:
        """The names by which Stage and Map show an element: those of its members, or of all that a
        Repeat or Mirror stands for."""
        element = self.written.elements.get(name)
        if isinstance(element, Pattern):
            return tuple(m for body in element.bodies for m in self.members.get(body, ()))
        return self.members.get(name, (name,))

    def fits(self, written: Model, case: str) -> bool:
        return self.written is written and self.case == case
