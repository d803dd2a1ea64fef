"""Surfaces that shapes are made from: outlines, teeth, meshes from files, in metres."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from impeto.core.bodies.exact import ExactSolid
from impeto.core.bodies.shapes import Extrusion, Mesh, Revolved, Shape, Swept, ToothedWheel
from impeto.core.dynamics.mechanism import Floats
from impeto.core.errors import ModelError
from impeto.core.geometry import swept as sweeping
from impeto.core.geometry.outlines import edges_of, toothed
from impeto.core.geometry.revolved import check_edges
from impeto.core.geometry.triangles import Triangles
from impeto.core.model import units
from impeto.core.model.scope import Scope

FEWEST_TEETH, MOST_TEETH = 5, 500


def outline_edges(scope: Scope, shape: Extrusion | ToothedWheel) -> tuple[Floats, float]:
    """Edges (E, 7) of the outline, see geometry.outlines, and the length [m] it is drawn out."""
    if isinstance(shape, Extrusion):
        return _written_edges(scope, shape), positive(scope, shape, "length")
    module, width = positive(scope, shape, "module"), positive(scope, shape, "width")
    teeth = scope.field(shape, "teeth", "number")
    if teeth != round(teeth) or not FEWEST_TEETH <= teeth <= MOST_TEETH:
        raise ModelError(
            f"a wheel has a whole number of teeth, {FEWEST_TEETH} to {MOST_TEETH}", field="teeth",
            remedy="Type, say, 20",
        )  # fmt: skip
    pressure = scope.field(shape, "pressure_angle", "angle")
    if not 0.0 < pressure < np.deg2rad(45.0):
        raise ModelError(
            "the pressure angle lies between 0 and 45 degrees", field="pressure_angle",
            remedy="Type, say, 20 deg",
        )  # fmt: skip
    thinned = scope.field(shape, "thinned", "length")
    if not 0.0 <= thinned < module:
        raise ModelError(
            "teeth can be thinned by 0 up to the module",
            field="thinned",
            remedy="Type, say, 0.1 mm",
        )
    if not 0.0 <= scope.field(shape, "bore", "length") < module * (0.5 * teeth - 1.25):
        raise ModelError("the bore must leave the teeth standing", field="bore")
    try:
        return toothed(module, int(teeth), pressure, thinned), width
    except ModelError as error:
        raise error.at("", "teeth") from None


def revolved_edges(scope: Scope, shape: Revolved) -> Floats:
    """Edges (E, 7) of the outline that is turned about z, x its radius."""
    edges = _written_edges(scope, shape)
    try:
        check_edges(edges)
    except ModelError as error:
        raise error.at("", "outline") from None
    return edges


def swept_solid(scope: Scope, shape: Swept) -> sweeping.Swept:
    """The path of a swept shape and its section, with the hole of a pipe."""
    path = scope.outline(shape, "path")
    bends = path[:, sweeping.BEND]
    if (bends < 0.0).any():
        raise ModelError("a path cannot be rounded by less than nothing", field="path")
    bends[bends == 0.0] = positive(scope, shape, "bend_radius")
    if shape.section is not None:
        outlines = [_written_edges(scope, shape, "section")]
    else:
        radius = positive(scope, shape, "bar_radius")
        inner = scope.field(shape, "inner_radius", "length")
        if not 0.0 <= inner < radius:
            raise ModelError(
                "the inner radius must be at least 0 and less than that of the bar",
                field="inner_radius", remedy="Make it smaller",
            )  # fmt: skip
        outlines = [sweeping.circle(r) for r in (radius, inner) if r > 0.0]
    try:
        return sweeping.swept(path, outlines, shape.closed)
    except ModelError as error:
        raise error.at("", "path") from None


def _written_edges(
    scope: Scope, shape: Extrusion | Revolved | Swept, field: str = "outline"
) -> Floats:
    points = scope.outline(shape, field)
    try:
        return edges_of(points[:, :2], *points[:, 2:].T)
    except ModelError as error:
        raise error.at("", field) from None


def positive(scope: Scope, shape: Shape, field: str) -> float:
    """A length [m] that must be greater than zero."""
    value = scope.field(shape, field, "length")
    if value <= 0.0:
        raise ModelError("it must be greater than zero", field=field, remedy="Type a larger value")
    return value


def mesh_surface(scope: Scope, shape: Mesh) -> Triangles:
    """The surface [m] of a mesh, turned the right way out."""
    if not shape.file:
        raise ModelError("it has no file", field="file", remedy="Choose an STL, OBJ or PLY file")
    surface = scope.model.geometry.get(shape.surface)
    if surface is None:
        what = f"the part '{shape.part}' of '{shape.file}'" if shape.part else f"'{shape.file}'"
        raise ModelError(
            f"{what} has not been read", field="file",
            remedy="Put the file beside the model file, or choose another",
        )  # fmt: skip
    surface = _in_metres(surface, shape.unit, shape.mirrored)
    if surface.volume == 0.0 and not isinstance(surface, ExactSolid):
        raise ModelError(
            f"'{shape.file}' encloses no volume: it is flat or wide open", field="file",
            remedy="Close it in the program that made it",
        )  # fmt: skip
    return surface


@lru_cache(maxsize=64)  # models are resolved often, and meshes can be large
def _in_metres(surface: Triangles, unit: str, mirrored: bool) -> Triangles:
    surface = surface.scaled(units.unit(unit)[0])
    if mirrored:
        surface = surface.mirrored()
    return surface if surface.volume >= 0.0 else surface.turned()
