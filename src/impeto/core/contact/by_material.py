"""Rules by material: each stands for one rule for every two materials of what it names."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase
from typing import Any

from impeto.core.bodies.model import Body, Group
from impeto.core.errors import ModelError
from impeto.core.model import formula
from impeto.core.model.element import Element
from impeto.core.model.materials import Material, material_named
from impeto.core.model.quantity import Quantity
from impeto.core.model.unfolding import Unfolding


@dataclass(frozen=True, slots=True)
class Side:
    """Shapes of what one side of a rule names, as 'body.2', by the material they are of."""

    by_material: dict[str, tuple[str, ...]]
    materials: dict[str, Material]


def unfold(rule: Any, pairings: Sequence[str], own: str, unfolding: Unfolding) -> None:
    """Put rules with pairings of the table, or with surfaces, in place of one by material.

    Raises ModelError for a shape of no material, and where the table lacks a pairing.
    """
    first, second = (_side(rule, field, unfolding) for field in ("first", "second"))
    same = first.by_material == second.by_material
    made: list[Element] = []
    for a, shapes in first.by_material.items():
        for b, others in second.by_material.items():
            owners = {shape.partition(".")[0] for shape in (*shapes, *others)}
            if len(owners) == 1 or (same and f"{rule.name}_{b}_on_{a}" in {e.name for e in made}):
                continue  # of one body, or known the other way round
            values = _pairing(rule, first.materials[a], second.materials[b], pairings, own)
            name = f"{rule.name}_{a}_on_{b}"
            made.append(
                replace(rule, name=name, enabled=True, first=shapes, second=others, **values)
            )
    unfolding.put(rule.name, made, rule)


def _side(rule: Any, field: str, unfolding: Unfolding) -> Side:
    found: dict[str, list[str]] = {}
    materials: dict[str, Material] = {}
    for owner, numbers in _bodies(getattr(rule, field), unfolding).items():
        body: Any = unfolding.elements[owner]
        for k, shape in enumerate(body.shapes, start=1):
            if numbers and k not in numbers:
                continue
            name = _name_of(shape.density)
            material = material_named(name, unfolding.elements)
            if material is None:
                raise ModelError(
                    f"{shape.title} {k} of {body.name} is of no material", element=rule.name,
                    field="pairing", remedy="Name one as its density, or choose a pairing",
                )  # fmt: skip
            materials[name] = material
            found.setdefault(name, []).append(f"{body.name}.{k}")
    return Side({name: tuple(shapes) for name, shapes in found.items()}, materials)


def _bodies(names: Sequence[str], unfolding: Unfolding) -> dict[str, set[int]]:
    """Bodies that names mean, with the numbers of single shapes, none for all of them."""
    elements, found = unfolding.elements, dict[str, set[int]]()
    on = unfolding.scope.on
    everything = [e.name for e in elements.values() if isinstance(e, Body) and on(e)]
    for item in names or ("*",):
        owner, _, number = item.partition(".")
        group = elements.get(owner)
        if isinstance(group, Group):
            found |= _bodies(group.members, unfolding) if group.members else {}
            continue
        meant = unfolding.members_of(owner)
        for body in (b for b in everything if b in meant or fnmatchcase(b, owner)):
            if not number:
                found[body] = set()
            elif found.get(body, {0}):  # not all of it already
                found.setdefault(body, set()).add(int(number))
    return found


def _name_of(density: Any) -> str:
    node = density.node if isinstance(density, Quantity) else None
    return node.path if isinstance(node, formula.Name) else ""


def _pairing(
    rule: Any, a: Material, b: Material, pairings: Sequence[str], own: str
) -> dict[str, Any]:
    """The fields that say how two materials touch."""
    if a.own_surface is not None and b.own_surface is not None:
        return {"pairing": own, "surface_a": a.own_surface, "surface_b": b.own_surface}
    for one, other in ((a, b), (b, a)):
        pairing = f"{one.surface} on {other.surface}"
        if pairing in pairings:
            return {"pairing": pairing}
    raise ModelError(
        f"the table has no pairing of {a.surface} on {b.surface} ({a.name} on {b.name})",
        element=rule.name, field="pairing",
        remedy="Give both materials an own surface, or those bodies a rule of their own",
    )  # fmt: skip
