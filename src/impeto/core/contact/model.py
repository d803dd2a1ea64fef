"""Contact: who may touch whom, with which surfaces, and faces that carry things along."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from impeto.core.contact.by_material import unfold
from impeto.core.errors import ModelError
from impeto.core.geometry.solids import NORMAL, RESOLUTIONS
from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Vector, Written
from impeto.core.model.signals import Constant, Signal, as_signal

__all__ = ["BeltSurface", "ContactRule", "Surface"]


NAMED = "with commas; deck.2 is the second shape of deck; empty: everything"
TOUCHES, NEVER = "may touch", "never touches"


@dataclass(frozen=True, slots=True, kw_only=True)
class Pairing:
    """Contact of two materials: stiffness [N/m] of a point of contact, restitution, static and
    kinetic friction, arm of rolling resistance [m]."""

    stiffness: float
    restitution: float
    static: float
    kinetic: float
    rolling: float = 0.0


def _pairing(stiffness: float, restitution: float, static: float, kinetic: float,
             rolling: float = 0.0) -> Pairing:  # fmt: skip
    return Pairing(
        stiffness=stiffness, restitution=restitution, static=static, kinetic=kinetic,
        rolling=rolling,
    )  # fmt: skip


# Usual values of dry surfaces; a design that hangs on one of them needs its own measurement.
PAIRINGS: dict[str, Pairing] = {
    "steel on steel": _pairing(1e7, 0.6, 0.20, 0.15, 2e-5),
    "steel on steel, greased": _pairing(1e7, 0.5, 0.10, 0.06, 2e-5),
    "steel on cast iron": _pairing(8e6, 0.5, 0.22, 0.17),
    "steel on bronze": _pairing(6e6, 0.5, 0.18, 0.12),
    "steel on aluminium": _pairing(5e6, 0.5, 0.45, 0.35),
    "steel on plastic": _pairing(1e6, 0.4, 0.25, 0.18),
    "steel on wood": _pairing(1e6, 0.3, 0.45, 0.35, 1e-3),
    "steel on concrete": _pairing(5e6, 0.3, 0.50, 0.40, 5e-4),
    "steel on ice": _pairing(2e6, 0.2, 0.05, 0.02),
    "wood on wood": _pairing(5e5, 0.35, 0.45, 0.35, 1e-3),
    "wood on rubber": _pairing(1e5, 0.3, 0.80, 0.65, 3e-3),
    "wood on soil": _pairing(2e5, 0.1, 0.55, 0.45, 2e-2),
    "rubber on steel": _pairing(1e5, 0.5, 0.75, 0.60, 3e-3),
    "rubber on asphalt": _pairing(2e5, 0.4, 0.90, 0.75, 5e-3),
    "rubber on wet asphalt": _pairing(2e5, 0.4, 0.60, 0.45, 5e-3),
    "rubber on wood": _pairing(1e5, 0.4, 0.80, 0.65, 5e-3),
    "rubber on soil": _pairing(1.5e5, 0.2, 0.65, 0.55, 2.5e-2),
    "plastic on plastic": _pairing(5e5, 0.5, 0.30, 0.22),
    "stone on stone": _pairing(5e6, 0.4, 0.65, 0.55),
    "smooth, no friction": _pairing(1e6, 0.5, 0.0, 0.0),
}
OWN, BY_MATERIAL = "own values", "by material"


@dataclass(frozen=True, slots=True, kw_only=True)
class Surface(Element):
    """Contact properties of a material, for pairings that the table does not have."""

    tag: ClassVar[str] = "surface"
    group: ClassVar[str] = "contacts"
    stiffness: Written = fields.quantity("stiffness", "1 kN/mm")
    restitution: Written = fields.quantity("number", "0.4", hint="0 dead, 1 elastic")
    static_friction: Written = fields.quantity("number", "0.3")
    kinetic_friction: Written = fields.quantity("number", "0.25")
    rolling_resistance: Written = fields.quantity(
        "length", "0 mm", hint="arm of the resisting moment"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ContactRule(Element):
    """Bodies of the first list may touch those of the second; an empty list means everything.

    A number behind a body, as in deck.2, takes only that one of its shapes. Bodies that a joint
    connects are left out unless `joined_too`. Where several rules hold for two shapes, the one that
    names the fewest pairs of bodies counts (a shape is a part of one); 'never touches' goes before
    all others. Values of the pairing, or of two surfaces, are overruled by those typed here. A rule
    by material stands for one for every two materials, called NAME_steel_on_oak.
    """

    tag: ClassVar[str] = "contactrule"
    switchable: ClassVar[bool] = True
    fastens: ClassVar[bool] = False
    goes_along: ClassVar[bool] = False
    needs_on: ClassVar[bool] = False
    may_name_copies: ClassVar[bool] = True
    group: ClassVar[str] = "contacts"
    first: tuple[str, ...] = fields.names("body or group", numbered=True, hint=NAMED)
    second: tuple[str, ...] = fields.names("body or group", numbered=True, hint=NAMED)
    effect: str = fields.choice((TOUCHES, NEVER), TOUCHES)
    joined_too: bool = fields.switch(False, title="Joined bodies too")
    pairing: str = fields.choice((BY_MATERIAL, OWN, *PAIRINGS), "steel on steel")
    surface_a: str | None = fields.reference("surface", optional=True, title="Surface of first")
    surface_b: str | None = fields.reference("surface", optional=True, title="Surface of second")
    stiffness: Written | None = fields.quantity("stiffness", optional=True)
    exponent: Written = fields.quantity(
        "number", "1", hint="force rises with this power of the depth; stiffness holds at 1 mm"
    )
    restitution: Written | None = fields.quantity("number", optional=True)
    static_friction: Written | None = fields.quantity("number", optional=True)
    kinetic_friction: Written | None = fields.quantity("number", optional=True)
    rolling_resistance: Written | None = fields.quantity("length", optional=True)
    resolution: str = fields.choice(
        RESOLUTIONS, NORMAL, hint="of meshes; outlines and teeth are exact"
    )

    def __post_init__(self) -> None:
        Element.__post_init__(self)
        if (self.surface_a is None) != (self.surface_b is None):
            raise ModelError(
                "a pairing needs two surfaces", element=self.name, field="surface_b",
                remedy="Choose both or none",
            )  # fmt: skip

    @property
    def unfolds(self) -> bool:
        """Whether it stands for one rule for every two materials."""
        return self.pairing == BY_MATERIAL and self.effect == TOUCHES

    def unfold(self, unfolding: Any) -> None:
        """Put those rules in its place."""
        unfold(self, tuple(PAIRINGS), OWN, unfolding)

    def watched(self, quantity: str) -> str | None:
        """Kind of what events may watch of a contact."""
        return {"gap": "length", "normal": "force", "slip": "speed"}.get(quantity)


@dataclass(frozen=True, slots=True, kw_only=True)
class BeltSurface(Element):
    """The faces of a body carry along what lies on them, like a conveyor belt.

    direction : in the axes of the body;  shape : number of one shape, 0 for all
    """

    tag: ClassVar[str] = "beltsurface"
    group: ClassVar[str] = "contacts"
    signal_kind: ClassVar[str] = "speed"
    body: str = fields.reference("body")
    shape: Written = fields.quantity("number", "0", hint="which shape, 0 for all")
    direction: Vector = fields.vector("number", ("1", "0", "0"))
    value: Signal = fields.signal(Constant(value="0.5 m/s"), title="Speed")

    def __post_init__(self) -> None:
        object.__setattr__(self, "value", as_signal(self.value, self.signal_kind))
        Element.__post_init__(self)
