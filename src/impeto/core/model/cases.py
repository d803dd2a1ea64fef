"""Cases: what each changes of the model, or of another case that it is built on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import reduce

from impeto.core.errors import ModelError
from impeto.core.model import fields
from impeto.core.model.element import LONGEST_NAME, Element
from impeto.core.model.fields import Written
from impeto.core.model.quantity import Quantity
from impeto.core.model.run_settings import INTEGRATORS

AS_SET = "as in the model"
BASE = "Base"
DEEPEST = 100  # cases that one is built on


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """A named set of changes: parameter values, elements switched on or off, another start."""

    name: str
    values: Mapping[str, Quantity] = fields.table("quantity", title="Changed values")
    switches: Mapping[str, bool] = fields.table("switch", title="Switched")
    until: Written | None = fields.quantity(
        "time", optional=True, title="Own end time", hint="empty: as in the model"
    )
    integrator: str = fields.choice((AS_SET, *INTEGRATORS), AS_SET, title="Own integrator")
    pose: str | None = fields.reference("pose", optional=True, title="Own start pose")
    built_on: str = fields.text(title="Built on", hint="another case; empty: the model")
    note: str = fields.text()

    def __post_init__(self) -> None:
        if not isinstance(self.name, str) or not self.name.strip():
            raise ModelError("a case needs a name")
        if len(self.name) > LONGEST_NAME or not self.name.isprintable():
            raise ModelError(
                f"'{self.name}' cannot be the name of a case",
                remedy=f"Use one line of at most {LONGEST_NAME} letters",
            )
        fields.coerce_fields(self)


def line(cases: Mapping[str, Case], name: str) -> list[Case]:
    """A case and those that it is built on, itself first. Raises ModelError for one that there is
    not, and where they are built on each other."""
    found = dict[str, Case]()
    while name:
        if name in found:
            raise ModelError(
                f"it is built on itself, by way of {', '.join(list(found)[1:]) or name}",
                element=f"case {name}", remedy="Let one of them be built on the model",
            )  # fmt: skip
        if len(found) == DEEPEST:
            raise ModelError(
                f"it is built on more than {DEEPEST} others, one on the other",
                element=f"case {next(iter(found))}", remedy="Build it on one further below",
            )  # fmt: skip
        if name not in cases:
            raise ModelError(
                f"it is built on '{name}', which is no case",
                element=f"case {list(found)[-1]}" if found else "",
                remedy=f"The cases are {', '.join(cases)}",
            )
        found[name] = cases[name]
        name = cases[name].built_on
    return list(found.values())


def check(cases: Mapping[str, Case]) -> None:
    """Raises ModelError where one is built on what is not there, or on itself."""
    for case in cases.values():
        if case.built_on:
            line(cases, case.name)


def whole(cases: Mapping[str, Case], name: str) -> Case:
    """A case with all that it takes over, built on the model itself."""
    return reduce(lambda case, under: over(under, case), line(cases, name))


def over(under: Case, case: Case) -> Case:
    """A case with the changes of the one below it; its own come first."""
    return replace(
        case,
        values={**under.values, **case.values},
        switches={**under.switches, **case.switches},
        until=under.until if case.until is None else case.until,
        integrator=under.integrator if case.integrator == AS_SET else case.integrator,
        pose=case.pose or under.pose,
        built_on=under.built_on,
    )


def taken_over(cases: Mapping[str, Case], case: Case) -> Case:
    """What a case would be without changes of its own."""
    bare = Case(name=case.name, built_on=case.built_on)
    return over(whole(cases, case.built_on), bare) if case.built_on else bare


def without(cases: Mapping[str, Case], name: str) -> list[Case]:
    """The others; those built on it take its changes over."""
    gone = cases[name]
    kept = [case for case in cases.values() if case.name != name]
    return [over(gone, case) if case.built_on == name else case for case in kept]


def renamed(cases: Mapping[str, Case], old: str, new: str) -> list[Case]:
    """With another name of one, for those built on it too."""
    return [
        replace(
            case,
            name=new if case.name == old else case.name,
            built_on=new if case.built_on == old else case.built_on,
        )
        for case in cases.values()
    ]


def switched(cases: Mapping[str, Case], case: Case, elements: Iterable[Element], on: bool) -> Case:
    """The case with elements on or off; what they would be anyway is no change."""
    before, switches = taken_over(cases, case).switches, dict(case.switches)
    for element in elements:
        switches.pop(element.name, None)
        if before.get(element.name, element.enabled) != on:
            switches[element.name] = on
    return replace(case, switches=switches)
