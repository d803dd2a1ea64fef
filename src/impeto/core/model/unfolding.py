"""A model with the elements that others stand for put in their place."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from impeto.core.errors import ModelError
from impeto.core.model import fields, walking
from impeto.core.model.element import Element
from impeto.core.model.fields import NamesSpec


@dataclass(slots=True)
class Unfolding:
    """What elements that stand for others work on: the values of a case, all elements so far by
    name, and the members that took the place of an original."""

    scope: Any  # a Scope
    elements: dict[str, Element]
    members: dict[str, tuple[str, ...]] = field(default_factory=dict)

    def put(self, original: str, made: list[Element], owner: Element) -> None:
        """Members in the place of an original. One whose name an element of the model has already
        is left out for that, which must be of its kind."""
        kept = self._new(made, owner)
        put: dict[str, Element] = {}
        for name, element in self.elements.items():
            put |= kept if name == original else {name: element}
        self.elements = put
        self.members[original] = tuple(member.name for member in made)

    def put_beside(self, original: str, made: Element, owner: Element) -> None:
        """Another element behind an original, which stays."""
        kept = self._new([made], owner)
        put: dict[str, Element] = {}
        for name, element in self.elements.items():
            put |= {name: element} | (kept if name == original else {})
        self.elements = put
        self.members[original] = (*self.members.get(original, (original,)), made.name)

    def _new(self, made: list[Element], owner: Element) -> dict[str, Element]:
        """Those of the members that have no name of an element of the model."""
        for member in made:
            own = self.scope.written.elements.get(member.name)
            if own is not None and type(own) is not type(member):
                raise ModelError(
                    f"a member would be called '{member.name}', which is {own.tag} of its own",
                    element=owner.name, remedy=f"Rename {member.name}",
                )  # fmt: skip
            if own is None and member.name in self.elements:
                raise ModelError(
                    f"it makes '{member.name}', which another makes already", element=owner.name,
                    remedy="Rename what it stands for, or give a mirror other sides",
                )  # fmt: skip
        return {m.name: m for m in made if m.name not in self.elements}

    def members_of(self, name: str, within: tuple[str, ...] = ()) -> tuple[str, ...]:
        """Members of what is repeated, of rows of rows the last ones; of anything else its own
        name."""
        made = self.members.get(name, (name,))
        further = (
            (member,) if member == name or member in within
            else self.members_of(member, (*within, name))
            for member in made
        )  # fmt: skip
        return tuple(dict.fromkeys(last for members in further for last in members))


def unfolded(scope: Any) -> tuple[Any, Mapping[str, tuple[str, ...]]]:
    """The Model with members in place of originals, as it is in the case of a scope, and which
    members those are.

    Names of originals in lists of names mean all members. Raises ModelError.
    """
    unfolding = Unfolding(scope, dict(scope.written.elements))
    for element in scope.written.elements.values():
        if element.unfolds and scope.on(element):
            element.unfold(unfolding)
            unfolding.elements.pop(element.name, None)
    members = {name: unfolding.members_of(name) for name in unfolding.members}
    if len(unfolding.elements) == len(scope.written.elements) and not members:
        return scope.written, members
    elements = {n: _listing(e, members) for n, e in unfolding.elements.items()}
    cases = [_switching(case, elements) for case in scope.written.cases.values()]
    written = {name: made for name, made in members.items() if name in scope.written.elements}
    return scope.written.changed(elements=elements.values(), cases=cases), written


def _switching(case: Any, elements: Mapping[str, Element]) -> Any:
    """A case that switches what there is; members are on and off as their originals were."""
    switches = {name: on for name, on in case.switches.items() if name in elements}
    return walking.with_fields(case, {"switches": switches})


def _listing(part: Any, members: Mapping[str, tuple[str, ...]]) -> Any:
    """With the members in lists of names, wherever one names an original."""
    changes = {}
    for name, spec in fields.specs(type(part)).items():
        value = getattr(part, name)
        if isinstance(spec, NamesSpec) and any(i.partition(".")[0] in members for i in value):
            changes[name] = tuple(each for item in value for each in _all_of(item, members))
    return walking.with_fields(part, changes) if changes else part


def _all_of(item: str, members: Mapping[str, tuple[str, ...]]) -> list[str]:
    owner, dot, number = item.partition(".")
    return [f"{name}{dot}{number}" for name in members[owner]] if owner in members else [item]
