"""Materials: density, elastic values and the kind of surface under one name."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Element, check_no_unit
from impeto.core.model.fields import Written

__all__ = ["Material"]

SURFACES = (
    "steel", "cast iron", "bronze", "aluminium", "plastic", "wood", "rubber", "concrete",
    "asphalt", "wet asphalt", "soil", "stone", "ice",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Material(Element):
    """A name that shapes may have for their density. Rules 'by material' look up what its surface
    does on another; own_surface goes before that where both have one."""

    tag: ClassVar[str] = "material"
    group: ClassVar[str] = "materials"
    density: Written = fields.quantity("density", "7850 kg/m^3")
    surface: str = fields.choice(SURFACES, "steel", hint="what it touches as")
    own_surface: str | None = fields.reference(
        "surface", optional=True, hint="where the table has none"
    )
    elasticity: Written | None = fields.quantity("stress", optional=True, title="Elastic modulus")
    poisson_ratio: Written | None = fields.quantity("number", optional=True)

    def __post_init__(self) -> None:
        Element.__post_init__(self)
        check_no_unit(self.name)


def _material(name: str, density: str, surface: str, elasticity: str, ratio: str) -> Material:
    return Material(
        name=name, density=density, surface=surface, elasticity=elasticity, poisson_ratio=ratio
    )


# Usual values; a name of the model goes before the same name here. Wood along the grain, air-dry.
LIBRARY: Mapping[str, Material] = MappingProxyType({
    material.name: material
    for material in (
        _material("steel", "7850 kg/m^3", "steel", "210 GPa", "0.30"),
        _material("stainless_steel", "7900 kg/m^3", "steel", "200 GPa", "0.30"),
        _material("cast_iron", "7200 kg/m^3", "cast iron", "110 GPa", "0.26"),
        _material("bronze", "8800 kg/m^3", "bronze", "110 GPa", "0.34"),
        _material("brass", "8500 kg/m^3", "bronze", "100 GPa", "0.34"),
        _material("aluminium", "2700 kg/m^3", "aluminium", "70 GPa", "0.33"),
        _material("titanium", "4500 kg/m^3", "steel", "115 GPa", "0.32"),
        _material("polyamide", "1140 kg/m^3", "plastic", "2.8 GPa", "0.40"),
        _material("polyethylene", "950 kg/m^3", "plastic", "0.9 GPa", "0.45"),
        _material("rubber", "1150 kg/m^3", "rubber", "5 MPa", "0.49"),
        _material("oak", "720 kg/m^3", "wood", "12 GPa", "0.35"),
        _material("beech", "720 kg/m^3", "wood", "14 GPa", "0.35"),
        _material("spruce", "450 kg/m^3", "wood", "11 GPa", "0.35"),
        _material("pine", "520 kg/m^3", "wood", "11 GPa", "0.35"),
        _material("concrete", "2400 kg/m^3", "concrete", "30 GPa", "0.20"),
        _material("granite", "2700 kg/m^3", "stone", "50 GPa", "0.25"),
        _material("glass", "2500 kg/m^3", "stone", "70 GPa", "0.22"),
        _material("soil", "1800 kg/m^3", "soil", "20 MPa", "0.35"),
        _material("ice", "917 kg/m^3", "ice", "9 GPa", "0.33"),
    )
})  # fmt: skip


def material_named(name: str, elements: Mapping[str, Element]) -> Material | None:
    """The material of a name: of the model, else of the library unless another element has it."""
    element = elements.get(name)
    if element is not None:
        return element if isinstance(element, Material) else None
    return LIBRARY.get(name)
