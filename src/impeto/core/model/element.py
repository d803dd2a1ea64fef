"""The base of all named things, and the elements that only hold values."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from impeto.core.errors import ModelError
from impeto.core.model import fields, units
from impeto.core.model.fields import Vector, Written

__all__ = ["Parameter"]


GROUND = "ground"


SYSTEM = "system"  # in channels: what is of all bodies together


KINDS: dict[str, type[Element]] = {}  # by tag; each class enters itself as it is made


@dataclass(frozen=True, slots=True, kw_only=True)
class Element:
    """Base of all named things. `enabled` can be overruled by a case.

    What the families have to know of each other's elements they ask here; each kind answers for
    itself.
    """

    tag: ClassVar[str] = ""  # kind in files, which never changes
    group: ClassVar[str] = ""  # of the Roster
    switchable: ClassVar[bool] = False  # takes part in a run, and can be switched off in it
    fastens: ClassVar[bool] = True  # what it refers to is held by it
    counts: ClassVar[bool] = False  # its channels that formulas may use change by jumps only
    needs_on: ClassVar[bool] = True  # what it refers to must be on
    may_name_copies: ClassVar[bool] = False  # of bodies that are fed
    goes_along: ClassVar[bool] = True  # where a body that it acts on is repeated
    name: str
    enabled: bool = fields.switch(True, title="On")
    note: str = fields.text()

    def __init_subclass__(cls) -> None:
        if "tag" in cls.__dict__:
            KINDS[cls.tag] = cls

    def __post_init__(self) -> None:
        _check_name(self.name)
        fields.coerce_fields(self)

    @property
    def carrier(self) -> str:
        """The body that this is fixed to, or is."""
        return ""

    @property
    def acts_at(self) -> str:
        """The frame at which this acts alone, or ''."""
        return ""

    @property
    def feeds(self) -> str:
        """The body of which copies come into the run in its place."""
        return ""

    @property
    def unfolds(self) -> bool:
        """Whether it stands for other elements."""
        return False

    def unfold(self, unfolding: Any) -> None:
        """Put what it stands for into an `unfolding.Unfolding`. Raises ModelError."""

    @property
    def coordinates(self) -> tuple[str, ...]:
        """Freedoms along which something can act."""
        return ()

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Kind of a channel that formulas may use; forces : whether those of forces too."""
        return None

    def watched(self, quantity: str) -> str | None:
        """Kind of a channel that only events may watch, as it is known after all forces."""
        return None

    def stands_for(self, quantity: str) -> str:
        """A formula in whose place a channel of it stands, or ''."""
        return ""

    def sized(self, quantity: str) -> bool:
        """Whether the plain name of a quantity is the size of a vector, whose parts are sensed."""
        return False


LONGEST_NAME = 100


def _check_name(name: str) -> None:
    if isinstance(name, str) and len(name) > LONGEST_NAME:
        raise ModelError(
            f"'{name}' is too long for a name", remedy=f"Keep it under {LONGEST_NAME} letters"
        )
    if not isinstance(name, str) or not name.isidentifier() or name in ("t", "pi", SYSTEM):
        raise ModelError(
            f"'{name}' cannot be a name",
            remedy="Use letters, digits and _, starting with a letter (t, pi, system are taken)",
        )


def check_no_unit(name: str) -> None:
    """ModelError for a name of a value that formulas would read as a unit."""
    if units.is_unit(name):
        raise ModelError(
            f"'{name}' is a unit, and formulas would read it as one", element=name,
            field="name", remedy=f"Choose another name, for example {name}_value",
        )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Aside(Element):
    """Base of what reads or judges runs, or says how they are looked at: no run depends on it, but
    for what an event watches."""

    fastens: ClassVar[bool] = False
    goes_along: ClassVar[bool] = False
    needs_on: ClassVar[bool] = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Parameter(Element):
    """A named value, usable in every field."""

    tag: ClassVar[str] = "parameter"
    group: ClassVar[str] = "parameters"
    value: Written = fields.quantity("number")

    def __post_init__(self) -> None:
        Element.__post_init__(self)
        check_no_unit(self.name)


ZERO: Vector = ("0 m", "0 m", "0 m")  # type: ignore[assignment]


LEVEL: Vector = ("0 deg", "0 deg", "0 deg")  # type: ignore[assignment]


ANGLES = ("roll", "pitch", "yaw")
