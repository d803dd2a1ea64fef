"""What the fields of elements hold. One declaration serves the file, its schema and the Sheet."""

from __future__ import annotations

import dataclasses
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from impeto.core.errors import FormulaError, ModelError
from impeto.core.model import units
from impeto.core.model.curves import Curve, check_kinds
from impeto.core.model.outlines import Outline, Path
from impeto.core.model.quantity import Quantity

ANY_COLOUR = "#[0-9a-fA-F]{6}"
FORMULA = "formula"  # kind of a field that may also read channels, and has any unit
ANY = "any"  # kind of a field that takes every unit; what it must fit is checked later
Written = Quantity | str | float | int
Vector = tuple[Quantity, Quantity, Quantity]


@dataclass(frozen=True, slots=True)
class Spec:
    """Declaration of a field: its title for people and whether it may be left empty."""

    title: str = ""
    optional: bool = False
    hint: str = ""

    def coerce(self, value: Any, owner: Any) -> Any:
        """What was handed over, as the field keeps it. Raises ModelError where it cannot be."""
        return value


@dataclass(frozen=True, slots=True)
class QuantitySpec(Spec):
    """A Quantity of one kind of units.KINDS."""

    kind: str = "number"

    def coerce(self, value: Any, owner: Any) -> Any:
        return as_quantity(value, kind_of(owner, self))


@dataclass(frozen=True, slots=True)
class VectorSpec(Spec):
    """Three Quantities of one kind."""

    kind: str = "number"
    labels: tuple[str, str, str] = ("x", "y", "z")

    def coerce(self, value: Any, owner: Any) -> Any:
        if isinstance(value, str) or not hasattr(value, "__len__") or len(value) != 3:
            raise ModelError("three values are needed", remedy="Give x, y and z")
        return tuple(as_quantity(part, kind_of(owner, self)) for part in value)


@dataclass(frozen=True, slots=True)
class CurveSpec(Spec):
    """A Curve of one kind of quantity over another."""

    kind: str = "number"
    over: str = "number"

    def coerce(self, value: Any, owner: Any) -> Any:
        kinds = over_of(owner, self), kind_of(owner, self)
        found = value if isinstance(value, Curve) else _as_curve(value, kinds)
        check_kinds(found, *kinds)
        return found


@dataclass(frozen=True, slots=True)
class OutlineSpec(Spec):
    """An Outline of lengths, or a Path."""

    of: type[Outline] = Outline

    @property
    def is_flat(self) -> bool:
        """Whether it can be drawn in a plane."""
        return self.of is Outline

    def coerce(self, value: Any, owner: Any) -> Any:
        return value if isinstance(value, self.of) else self.of(str(value))


@dataclass(frozen=True, slots=True)
class ReferenceSpec(Spec):
    """The name of another element of this kind (a class name in lower case)."""

    target: str = ""

    def coerce(self, value: Any, owner: Any) -> Any:
        return _as_text(value)


@dataclass(frozen=True, slots=True)
class NamesSpec(Spec):
    """Names of elements of these kinds ('body or group'); a * in one stands for any letters.

    numbered : whether deck.2, the second shape of a body, may stand there too
    needed : the element is nothing without one of them
    """

    target: str = ""
    numbered: bool = False
    needed: bool = False

    def coerce(self, value: Any, owner: Any) -> Any:
        return _names(value, self.numbered)


@dataclass(frozen=True, slots=True)
class ChoiceSpec(Spec):
    options: tuple[str, ...] = ()

    def coerce(self, value: Any, owner: Any) -> Any:
        return _one_of(value, self.options)


@dataclass(frozen=True, slots=True)
class ColourSpec(ChoiceSpec):
    """One of those that have a name, or any as #rrggbb."""

    def coerce(self, value: Any, owner: Any) -> Any:
        if isinstance(value, str) and re.fullmatch(ANY_COLOUR, value):
            return value.lower()
        return ChoiceSpec.coerce(self, value, owner)


@dataclass(frozen=True, slots=True)
class ChoicesSpec(Spec):
    """Any number of the options."""

    options: tuple[str, ...] = ()

    def coerce(self, value: Any, owner: Any) -> Any:
        chosen = {_one_of(item, self.options) for item in value}
        return tuple(option for option in self.options if option in chosen)


@dataclass(frozen=True, slots=True)
class TextSpec(Spec):
    def coerce(self, value: Any, owner: Any) -> Any:
        return _as_text(value)


@dataclass(frozen=True, slots=True)
class SwitchSpec(Spec):
    def coerce(self, value: Any, owner: Any) -> Any:
        if not isinstance(value, bool):
            raise ModelError("this is true or false")
        return value


@dataclass(frozen=True, slots=True)
class SignalSpec(Spec):
    """A Signal; the kind of its values is given by the element's `signal_kind`."""


@dataclass(frozen=True, slots=True)
class PartsSpec(Spec):
    """A tuple of smaller descriptions (shapes, point masses), each of one of these classes."""

    classes: tuple[type, ...] = ()

    def coerce(self, value: Any, owner: Any) -> Any:
        return tuple(value)


@dataclass(frozen=True, slots=True)
class TableSpec(Spec):
    """Names with values: what a case changes. `values` tells what the values are."""

    values: str = "quantity"

    def coerce(self, value: Any, owner: Any) -> Any:
        if self.values != "quantity":
            return value
        return {key: as_quantity(item, "number") for key, item in value.items()}


@dataclass(frozen=True, slots=True)
class ColumnsSpec(Spec):
    """Numbers by column title."""


def quantity(
    kind: str, default: Written | None = None, *, optional: bool = False, **about: Any
) -> Any:
    spec = QuantitySpec(kind=kind, optional=optional, **about)
    if default is None and not optional:
        return field(metadata={"spec": spec})
    return field(default=default, metadata={"spec": spec})


def vector(kind: str, default: tuple[Written, Written, Written] | None, **about: Any) -> Any:
    return field(default=default, metadata={"spec": VectorSpec(kind=kind, **about)})


def curve(over: str, kind: str, **about: Any) -> Any:
    """An optional curve of `kind` over `over`."""
    spec = CurveSpec(kind=kind, over=over, optional=True, **about)
    return field(default=None, metadata={"spec": spec})


def outline(default: str | None, **about: Any) -> Any:
    """An outline; without one to begin with it may be left empty."""
    spec = OutlineSpec(optional=default is None, **about)
    return field(default=default, metadata={"spec": spec})


def path(default: str, **about: Any) -> Any:
    return field(default=default, metadata={"spec": OutlineSpec(of=Path, **about)})


def reference(target: str, default: str | None = None, **about: Any) -> Any:
    """The name of an element; optional ones may be left empty."""
    spec = ReferenceSpec(target=target, **about)
    if spec.optional:
        return field(default=None, metadata={"spec": spec})
    if default is None:
        return field(metadata={"spec": spec})
    return field(default=default, metadata={"spec": spec})


def names(target: str, **about: Any) -> Any:
    spec = NamesSpec(target=target, **about)
    return field(default=(), metadata={"spec": spec})


def choice(options: tuple[str, ...], default: str, **about: Any) -> Any:
    return field(default=default, metadata={"spec": ChoiceSpec(options=options, **about)})


def colour(options: tuple[str, ...], default: str, **about: Any) -> Any:
    return field(default=default, metadata={"spec": ColourSpec(options=options, **about)})


def choices(options: tuple[str, ...], default: tuple[str, ...], **about: Any) -> Any:
    return field(default=default, metadata={"spec": ChoicesSpec(options=options, **about)})


def text(default: str = "", **about: Any) -> Any:
    return field(default=default, metadata={"spec": TextSpec(**about)})


def switch(default: bool, **about: Any) -> Any:
    return field(default=default, metadata={"spec": SwitchSpec(**about)})


def signal(default: Any, **about: Any) -> Any:
    return field(default=default, metadata={"spec": SignalSpec(**about)})


def parts(*classes: type, **about: Any) -> Any:
    return field(default=(), metadata={"spec": PartsSpec(classes=classes, **about)})


def table(values: str, **about: Any) -> Any:
    return field(default_factory=dict, metadata={"spec": TableSpec(values=values, **about)})


_SPECS: dict[type, Mapping[str, Spec]] = {}


def specs(cls: type) -> Mapping[str, Spec]:
    """Declared fields of an element class by name, in order."""
    if cls not in _SPECS:
        _SPECS[cls] = _declared(cls)
    return _SPECS[cls]


def _declared(cls: type) -> dict[str, Spec]:
    return {f.name: f.metadata["spec"] for f in dataclasses.fields(cls) if "spec" in f.metadata}


def title(name: str, spec: Spec) -> str:
    return spec.title or name.replace("_", " ").capitalize()


def coerce_fields(element: Any) -> None:
    """Turn what was handed to a frozen description into Quantities and tuples, checking each."""
    label = getattr(element, "name", type(element).__name__.lower())
    for name, spec in specs(type(element)).items():
        try:
            value = getattr(element, name)
            if value is not None:
                value = spec.coerce(value, element)
            elif not spec.optional:
                raise ModelError("a value is missing", remedy="Fill it in")
        except ModelError as error:
            raise error.at(label, name) from None
        object.__setattr__(element, name, value)


def kind_of(owner: Any, spec: Spec) -> str:
    """Kind of the quantities in a field; a description may refine it with `refined_kind`."""
    return _refined(owner, getattr(spec, "kind", "number"))


def over_of(owner: Any, spec: CurveSpec) -> str:
    """Kind of the quantities that a curve's values stand over."""
    return _refined(owner, spec.over)


def _refined(owner: Any, kind: str) -> str:
    refine = getattr(owner, "refined_kind", None)
    return refine(kind) if refine else kind


def _as_text(value: Any) -> str:
    if not isinstance(value, str):
        raise ModelError("text is needed here")
    return value


def _names(value: Any, numbered: bool) -> tuple[str, ...]:
    """A list of names, or one text with commas; numbered : whether they may end in .2"""
    listed = value.split(",") if isinstance(value, str) else value
    if not all(isinstance(name, str) for name in listed):
        raise ModelError("a list of names is needed here", remedy="Type names with commas between")
    found = tuple(name.strip() for name in listed if name.strip())
    for name in found:
        plain = re.sub(r"\.[1-9][0-9]{0,5}$", "", name) if numbered else name
        if not plain.replace("*", "a").isidentifier():
            raise ModelError(f"'{name}' cannot be a name", remedy="Put commas between the names")
    return found


def as_quantity(value: Written, kind: str) -> Quantity:
    """Plain numbers are SI: 0.3 for a length is '0.3 m'."""
    if isinstance(value, Quantity):
        return value
    if isinstance(value, str):
        return Quantity(value)
    if isinstance(value, (np.generic, np.ndarray)) and np.ndim(value) == 0:
        value = value.item()
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        raise FormulaError(f"{value!r} is not a value", remedy="Use a number or text with a unit")
    try:
        value = float(value)
    except OverflowError:
        raise FormulaError("the number is too large", remedy="Check its unit") from None
    if not math.isfinite(value):
        raise FormulaError(f"{value} is not a number", remedy="Give a finite value")
    unit = units.KINDS[kind].si if kind not in (ANY, FORMULA) else "1"
    if unit == "1":
        return Quantity(repr(float(value)), bare=True)
    return Quantity(f"{float(value)!r} {unit}")


def _as_curve(value: Any, kinds: tuple[str, str]) -> Curve:
    """From text, or from pairs of numbers (SI) or texts."""
    if isinstance(value, str):
        return Curve(value)
    x, y = kinds
    return Curve("; ".join(f"{as_quantity(a, x)}: {as_quantity(b, y)}" for a, b in value))


def _one_of(value: Any, options: tuple[str, ...]) -> str:
    if value not in options:
        raise ModelError(f"'{value}' is not a choice here", remedy=f"Use {', '.join(options)}")
    return str(value)
