"""Copies of a selection with what connects it, and putting them into a model."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.placement import pose_of, written
from impeto.core.elements import Body, ContactRule, Frame, Group, Joint, Mesh, Piece
from impeto.core.errors import ModelError
from impeto.core.model import fields, walking
from impeto.core.model.element import GROUND, Element
from impeto.core.model.fields import NamesSpec
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.model.scope import Scope
from impeto.core.repeats.model import Pattern

Floats = npt.NDArray[np.float64]
BESIDE = (0.5, 0.0, 0.0)  # m: where a copy lies that is put nowhere


def copied(model: Model, names: Iterable[str]) -> Model:
    """A model of these elements with what connects them: of bodies their frames, what acts between
    them and on the ground, rules and groups of them alone; parameters and curves in their formulas.

    Raises ModelError where there is nothing to copy.
    """
    chosen = {name for name in names if name != GROUND}
    for name in tuple(chosen):
        element = model[name]
        if isinstance(element, Pattern):
            chosen |= {item for item in element.bodies if item in model.elements}
    if not chosen:
        raise ModelError("there is nothing to copy", remedy="Select something beside the ground")
    bodies = {name for name in chosen if isinstance(model[name], Body)}
    going = chosen | {frame.name for frame in model.of(Frame) if frame.body in bodies}
    going |= _between(model, going, bodies)
    going |= {e.name for e in model.elements.values() if _is_of(e, going, bodies)}
    going |= _needed(model, going, bodies)
    listed = [element for name, element in model.elements.items() if name in going]
    surfaces = {
        shape.surface for e in listed if isinstance(e, (Body, Piece)) for shape in e.shapes
        if isinstance(shape, Mesh)
    }  # fmt: skip
    geometry = {name: surface for name, surface in model.geometry.items() if name in surfaces}
    return Model(model.name, listed, geometry=geometry)


def _between(model: Model, going: set[str], bodies: set[str]) -> set[str]:
    """What acts on these bodies and the ground alone, and on what does."""
    found = set[str]()
    grown = True
    while grown:
        joining = {
            e.name for e in model.elements.values()
            if e.goes_along and not isinstance(e, (Body, Frame)) and e.name not in going | found
            and _holds(model, e, going | found, bodies)
        }  # fmt: skip
        grown, found = bool(joining), found | joining
    return found


def _holds(model: Model, element: Element, going: set[str], bodies: set[str]) -> bool:
    """Whether an element acts on something that goes, and on nothing that stays but the ground."""
    within = False
    for name in walking.acted_on(element):
        on = model.elements.get(name)
        carrier = on.body if isinstance(on, Frame) else name
        if isinstance(on, (Frame, Body)) and carrier != GROUND:
            if carrier not in bodies:
                return False
            within = True
        elif isinstance(on, Joint) or name in going:
            if name not in going:
                return False
            within = True
    return within


def _is_of(element: Element, going: set[str], bodies: set[str]) -> bool:
    """Whether a rule, a group or a Repeat names bodies that go, and none that stay."""
    if not isinstance(element, (ContactRule, Group, Pattern)):
        return False
    named = {
        item.partition(".")[0]
        for name, spec in fields.specs(type(element)).items() if isinstance(spec, NamesSpec)
        for item in getattr(element, name)
    }  # fmt: skip
    return bool(named & bodies) and named <= going


def _needed(model: Model, going: set[str], bodies: set[str]) -> set[str]:
    """Frames on the ground that are used, and values: parameters, data, paths, surfaces."""
    found = set[str]()
    waiting = list(going)
    while waiting:
        element = model.elements[waiting.pop()]
        for name in walking.mentioned(element) - going - found:
            used = model.elements.get(name)
            on_ground = isinstance(used, Frame) and used.body == GROUND
            if used is not None and (on_ground or _is_value(used)):
                found.add(name)
                waiting.append(name)
    return found


def _is_value(element: Element) -> bool:
    """What only holds values, and is on no body."""
    return not element.switchable and not isinstance(element, (Body, Frame, Group, Pattern, Piece))


def merged(model: Model, other: Model) -> tuple[Model, tuple[str, ...]]:
    """The model with all elements of another where they are drawn there, those on the ground too,
    and the names that they have now. Raises ModelError."""
    grown, names = _put(model, other, np.zeros(3))
    ground, theirs = grown[GROUND], other[GROUND]
    if theirs.shapes:
        grown = grown.with_element(replace(ground, shapes=(*ground.shapes, *theirs.shapes)))
        names = (*names, GROUND)
    if not names:
        raise ModelError("there is nothing in it")
    return grown, names


def pasted(model: Model, copy: Model, at: Floats | None = None) -> tuple[Model, tuple[str, ...]]:
    """The model with a copy put into it, and the names that its elements have there.

    at : (3,) m, world: where its first body comes to, beside itself where none is given.
    Names that are taken get a number; values that the model has just so are not doubled. Raises
    ModelError for what refers to something that is in neither.
    """
    if len(copy.elements) == 1:
        raise ModelError("there is nothing to paste", remedy="Copy something first")
    first = next((e for e in copy.of(Body) if e.name != GROUND), None)
    shift = np.zeros(3)
    if first is not None:
        shift = np.array(BESIDE) if at is None else at - pose_of(Scope(copy), first)[0]
    return _put(model, copy, shift)


def _put(model: Model, copy: Model, shift: Floats) -> tuple[Model, tuple[str, ...]]:
    """All elements of a copy but the ground in a model, moved by a shift (3,) [m]."""
    coming = {name: e for name, e in copy.elements.items() if name != GROUND}
    same = {n for n, e in coming.items() if _is_value(e) and model.elements.get(n) == e}
    named: dict[str, str] = {}
    for name in coming:
        if name not in same:
            named[name] = free_name(model, name, taken=named.values())
    scope, made = Scope(copy), list[Element]()
    for name, new in named.items():
        element = coming[name]
        on_ground = isinstance(element, Frame) and element.body == GROUND
        loose = isinstance(element, (Body, Piece)) or on_ground
        if loose and shift.any():
            place = pose_of(scope, element)[0] + shift  # type: ignore[arg-type]
            element = replace(element, position=written(place, "length"))  # type: ignore[call-arg]
        made.append(walking.with_fields(walking.renamed(element, named), {"name": new}))
    grown = model.changed(
        elements=[*model.elements.values(), *made],
        geometry={**copy.geometry, **model.geometry},
    )
    for name, element in zip(named, made, strict=True):
        _check(grown, element, name)
    return grown, tuple(named.values())


def _check(model: Model, element: Element, name: str) -> None:
    for reference in walking.references(element):
        known = reference.name in model.elements
        if not known and reference.name not in Scope(model).model.elements:  # of a member
            raise ModelError(
                f"it refers to '{reference.name}', which is neither in the copy nor in this model",
                element=name, field=reference.field,
                remedy=f"Copy {reference.name} with it, or add one of that name",
            )  # fmt: skip
