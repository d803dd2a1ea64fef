"""A model with members in place of what it repeats, as Stage and Map show it."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from functools import lru_cache

from impeto.core.elements import Body, Piece
from impeto.core.errors import ModelError
from impeto.core.model.element import Element
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.repeats.model import Pattern


class Unfolded:
    """model : with the members, as written where they cannot be made;  drawn : the same with a body
    in place of each loose piece;  members : of each original;  originals : of each member"""

    def __init__(self, written: Model, case: str) -> None:
        self.written, self.case = written, case
        self.model: Model = written
        self.members: Mapping[str, tuple[str, ...]] = {}
        with contextlib.suppress(ModelError):  # the Health card tells
            scope = Scope(written, case)
            self.model, self.members = scope.model, scope.members
        self.originals = {
            member: original for original, members in self.members.items()
            for member in members if member not in written.elements
        }  # fmt: skip

        self.drawn = self._with_pieces()

    def _with_pieces(self) -> Model:
        """Loose pieces are seen, though they take no part."""
        pieces = self.written.of(Piece)
        if not pieces:
            return self.model
        kept = [e for e in self.model.elements.values() if not isinstance(e, Piece)]
        return self.model.changed(elements=[*kept, *map(_as_body, pieces)])

    def number(self, element: Element) -> int:
        """How many an element stands for, without those that stand alone."""
        members = self.members.get(element.name)
        if members is None:
            return 1
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


@lru_cache(maxsize=10_000)
def _as_body(piece: Piece) -> Body:
    """The same body for the same piece: the Stage knows by that what has not changed."""
    return piece.as_body()
