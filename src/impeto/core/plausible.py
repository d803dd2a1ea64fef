"""Numbers of a model that look wrong: densities that no material has, meshes that contact hardly
knows."""

from __future__ import annotations

from dataclasses import dataclass, replace

from impeto.core.assembly.resolve import body_mass, shape_mass
from impeto.core.bodies.shapes import Shape
from impeto.core.contact.data import ShapeData
from impeto.core.contact.fields import SOLID
from impeto.core.dynamics.mechanism import Mechanism
from impeto.core.elements import Body, Gauge, Mesh
from impeto.core.errors import ModelError
from impeto.core.gauges.model import FORMULA
from impeto.core.model import units, walking
from impeto.core.model.element import GROUND, SYSTEM, Element
from impeto.core.model.fields import as_quantity
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

DENSEST = 25_000.0  # kg/m³, more than any metal has
THIN = 1.0  # cells of the grid in half a thickness, at least
LIGHTEST = 1.0  # kg/m³, about as light as air


@dataclass(frozen=True, slots=True)
class Mend:
    """A proposed change. put : elements that replace those of their names or are added;
    off : elements to switch off."""

    text: str
    put: tuple[Element, ...] = ()
    off: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Finding:
    """severity: 'bad' stops a run, 'warn' is worth a look, 'note' is for information;
    mends : what would put it right."""

    severity: str
    element: str
    message: str
    remedy: str = ""
    mends: tuple[Mend, ...] = ()


def numbers_of(model: Model, scope: Scope) -> list[Finding]:
    """Densities that no material has: most often a unit that is wrong by a factor of 1000."""
    listed = []
    for body in model.of(Body):
        if body.name == GROUND or not scope.on(body):
            continue
        if body.mass is not None:
            listed += _typed_mass(scope, body)
            continue
        wrong = [s for s in body.shapes if not LIGHTEST <= _density(scope, s) <= DENSEST]
        if wrong:
            density = units.shown(_density(scope, wrong[0]), "density")
            mass = units.shown(body_mass(scope, body).mass, "mass")
            mended_shapes = tuple(_thousandth(scope, s) if s in wrong else s for s in body.shapes)
            listed.append(
                Finding(
                    "warn",
                    body.name,
                    f"a shape has a density of {density}, which no material has; the body weighs "
                    f"{mass}",
                    "Check the unit",
                    (Mend("Correct it by 1000", (replace(body, shapes=mended_shapes),)),),
                )
            )
    return listed


def gauges_of(scope: Scope) -> list[Finding]:
    """Gauges that measure nothing, as a choice is missing or a formula names what is not there."""
    listed = []
    for gauge in scope.model.of(Gauge):
        if gauge.missing:
            title = gauge.missing.replace("_", " ")
            listed.append(Finding("warn", gauge.name, f"it has no {title}", "Choose it"))
        read = walking.read(gauge) if gauge.quantity == FORMULA else ()
        owners = {path.split(".")[0] for path in read if "." in path} - {SYSTEM}
        lost = sorted(owners - scope.model.elements.keys())
        if lost:
            listed.append(
                Finding("warn", gauge.name, f"its formula reads {lost[0]}, which does not exist",
                        "Correct the name")
            )  # fmt: skip
    return listed


def surfaces_of(model: Model, scope: Scope, m: Mechanism) -> list[Finding]:
    """Meshes that are not closed, and solids that are thin for the grid they are known on."""
    listed = []
    bodies = [body for body in model.of(Body) if scope.on(body)]
    for body in bodies:
        for shape in body.shapes:
            if not isinstance(shape, Mesh) or shape.surface not in model.geometry:
                continue
            surface = model.geometry[shape.surface]
            if surface.open_edges or surface.turned_over:
                what = f"{surface.open_edges} edges that do not join two triangles"
                if not surface.open_edges:
                    what = f"{surface.turned_over} triangles that face the wrong way"
                message = f"the mesh {shape.part or shape.file} is not closed: it has {what}"
                remedy = "What counts as inside is guessed; mend it in the program that made it"
                listed.append(Finding("warn", body.name, message, remedy))
    names = [m.masters.get(body.name, body.name) for body in m.bodies]  # of copies, once
    solids = {names[shape.body]: shape.solid for shape in m.of(ShapeData) if shape.kind == SOLID}
    for name, solid in solids.items():
        if solid is None:
            continue
        cell = float(solid.step.min())
        if solid.thickness < THIN * cell:
            thick, size = (units.shown(v, "length", 2) for v in (2.0 * solid.thickness, cell))
            listed.append(
                Finding(
                    "warn", name,
                    f"it is about {thick} thick where it is thin; the grid of {size} by which "
                    "contact knows it is too coarse for that",
                    "Choose the fine resolution in its contact rule, or a thicker or shorter solid",
                )
            )  # fmt: skip
    return listed


def _density(scope: Scope, shape: Shape) -> float:
    return scope.field(shape, "density", "density")


def _thousandth(scope: Scope, shape: Shape) -> Shape:
    density = _density(scope, shape)
    factor = 1e-3 if density > DENSEST else 1e3
    return replace(shape, density=as_quantity(density * factor, "density"))


def _typed_mass(scope: Scope, body: Body) -> list[Finding]:
    """A typed mass against the volume of the shapes that are drawn."""
    if not body.shapes or body.mass is None:
        return []
    mass = scope.field(body, "mass", "mass")
    volume = 0.0
    for shape in body.shapes:
        try:
            volume += shape_mass(scope, shape).mass / max(_density(scope, shape), 1e-300)
        except ModelError:
            return []
    if volume <= 0.0 or mass / volume <= DENSEST:
        return []
    less = as_quantity(mass * 1e-3, "mass")
    ratio = units.shown(mass / volume, "density")
    return [
        Finding(
            "warn",
            body.name,
            f"its mass of {units.shown(mass, 'mass')} in its shapes makes {ratio}, which no "
            "material has",
            "Check the unit",
            (Mend("Divide it by 1000", (replace(body, mass=less),)),),
        )
    ]
