"""Surfaces of shapes for drawing: triangles in VTK, coarse."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from vtkmodules.util.numpy_support import (
    numpy_to_vtk,
    numpy_to_vtkIdTypeArray,
    vtk_to_numpy,
)
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkCommonTransforms import vtkTransform
from vtkmodules.vtkFiltersCore import vtkAppendPolyData, vtkCleanPolyData, vtkQuadricDecimation
from vtkmodules.vtkFiltersGeneral import vtkContourTriangulator, vtkTransformFilter
from vtkmodules.vtkFiltersSources import vtkCubeSource, vtkSphereSource
from vtkmodules.vtkRenderingCore import vtkActor

from impeto.core.bodies.forms import FORMS, DrawnOut, Skinned, Surface, Turned
from impeto.core.bodies.shapes import Shape
from impeto.core.contact.shapes import road_profile
from impeto.core.elements import (
    Body,
    Box,
    Capsule,
    Cone,
    Cylinder,
    HalfSpace,
    Mesh,
    Plate,
    Road,
    Sphere,
    Tube,
)
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
RIM = "share of the way to the rim"
FACETS = 40
MANY = 60  # bodies, of which balls have half as many
MOST_DRAWN = 6000  # triangles of a mesh
BEYOND = 0.5  # of its length: how far a road is drawn level behind its ends


def without_end(shape: Shape) -> bool:
    """Whether a shape has no extent of its own to fit a view to."""
    return isinstance(shape, HalfSpace)


def look_of(body: Body, model: Model) -> Hashable:
    """What bodies that look the same have in common: their shapes, as members of a Repeat, or parts
    of one solid."""
    parts = []
    for shape in body.shapes:
        if not isinstance(shape, Mesh) or not shape.part:
            return id(body.shapes), body.colour
        place = tuple(value.text for value in (*shape.position, *shape.orientation))
        solid = id(model.geometry.get(shape.surface))
        parts.append((solid, place, shape.colour, shape.mirrored, shape.unit))
    return tuple(parts), body.colour


def shape_surface(scope: Scope, shape: Shape, span: float = 10.0) -> vtkPolyData:
    """Triangles of a shape in its body's axes.

    span : m, how far floors without end are drawn
    """
    transform = vtkTransform()
    matrix = vtkMatrix4x4()
    rotation = from_roll_pitch_yaw(scope.vector(shape, "orientation", "angle"))
    set_matrix(matrix, scope.vector(shape, "position", "length"), rotation)
    transform.SetMatrix(matrix)
    moved = vtkTransformFilter()
    moved.SetTransform(transform)
    moved.SetInputData(_surface(scope, shape, span))
    moved.Update()
    return moved.GetOutput()


def make_faint(actor: vtkActor, opacity: float) -> None:
    """What only stands beside the picture: seen through, and not to be picked."""
    actor.PickableOff()
    actor.SetForceOpaque(False)
    actor.SetForceTranslucent(True)
    actor.GetProperty().SetOpacity(opacity)


def set_matrix(matrix: vtkMatrix4x4, origin: Floats, rotation: Floats) -> None:
    rows = np.column_stack([rotation, origin])
    matrix.DeepCopy((*rows.ravel().tolist(), 0.0, 0.0, 0.0, 1.0))


def _surface(scope: Scope, shape: Shape, span: float) -> vtkPolyData:
    def get(field: str) -> float:
        return scope.field(shape, field, "length")

    if form := FORMS.get(type(shape)):
        return _of_form(form.surface(scope, shape))
    if isinstance(shape, Box):
        return _block(scope.vector(shape, "size", "length"))
    if isinstance(shape, Plate):
        thickness = get("thickness")
        return _block(np.array([get("length"), get("width"), thickness]), -thickness / 2)
    if isinstance(shape, HalfSpace):
        return _floor(span / 2)
    if isinstance(shape, Road):
        return _road(road_profile(scope, shape), get("width") / 2)
    radius = get("radius")
    if isinstance(shape, Sphere):
        source = vtkSphereSource()
        source.SetRadius(radius)
        around = FACETS if len(scope.model.of(Body)) < MANY else FACETS // 2
        source.SetThetaResolution(around)
        source.SetPhiResolution(around // 2 + 2)
        source.Update()
        return source.GetOutput()
    half = get("length") / 2
    if isinstance(shape, Cylinder):
        return _turned(np.array([(0, -half), (radius, -half), (radius, half), (0, half)]))
    if isinstance(shape, Cone):
        top = get("top_radius")
        return _turned(np.array([(0, -half), (radius, -half), (top, half), (0, half)]))
    if isinstance(shape, Capsule):
        angles = np.linspace(-np.pi / 2, np.pi / 2, 16)
        shift = np.where(angles < 0.0, -half, half)
        outline = np.stack([radius * np.cos(angles), radius * np.sin(angles) + shift], axis=1)
        return _turned(outline)
    assert isinstance(shape, Tube)
    inner = get("inner_radius")
    ring = [(inner, -half), (radius, -half), (radius, half), (inner, half), (inner, -half)]
    return _turned(np.array(ring))


def _of_form(surface: Surface) -> vtkPolyData:
    """A solid of any form, as it says that it looks."""
    if isinstance(surface, Turned):
        return _turned(surface.line)
    if isinstance(surface, DrawnOut):
        return _drawn_out(surface.outline, surface.length, surface.bore)
    if isinstance(surface, Skinned):
        return _along(surface.loops, surface.capped)
    return _triangles(surface)


def _block(size: Floats, height: float = 0.0) -> vtkPolyData:
    source = vtkCubeSource()
    source.SetXLength(size[0])
    source.SetYLength(size[1])
    source.SetZLength(size[2])
    source.SetCenter(0.0, 0.0, height)
    source.Update()
    return source.GetOutput()


def _turned(outline: Floats) -> vtkPolyData:
    """Surface of an outline (P, 2) of radius and height turned about z."""
    angles = 2.0 * np.pi * np.arange(FACETS + 1) / FACETS
    points: list[tuple[float, ...]] = []
    cells: list[tuple[int, ...]] = []
    for (r0, z0), (r1, z1) in pairwise(outline):
        first = len(points)
        for angle in angles:
            c, s = np.cos(angle), np.sin(angle)
            points += [(r0 * c, r0 * s, z0), (r1 * c, r1 * s, z1)]
        for k in range(FACETS):
            a = first + 2 * k
            if r0 == 0.0:
                cells.append((a, a + 3, a + 1))
            elif r1 == 0.0:
                cells.append((a, a + 2, a + 1))
            else:
                cells.append((a, a + 2, a + 3, a + 1))
    merged = vtkCleanPolyData()
    merged.SetInputData(polygons(np.array(points), cells))
    merged.Update()
    return merged.GetOutput()


def _floor(radius: float) -> vtkPolyData:
    """A disc that says at each point how far it is from its middle to its rim."""
    rings = np.linspace(0.0, 1.0, 13)
    disc = _turned(np.stack([rings * radius, np.zeros(13)], axis=1))
    points = vtk_to_numpy(disc.GetPoints().GetData())
    share = numpy_to_vtk(np.hypot(points[:, 0], points[:, 1]) / radius, deep=True)
    share.SetName(RIM)
    disc.GetPointData().AddArray(share)
    return disc


def fade_out(surface: vtkPolyData, colour: tuple[float, float, float], opacity: float) -> None:
    """Colour floors so that they vanish towards their rim."""
    rim = vtk_to_numpy(surface.GetPointData().GetArray(RIM))
    fade = opacity * np.clip(1.0 - rim, 0.0, 1.0)
    colours = np.column_stack([np.tile(colour, (len(rim), 1)), fade])
    scalars = numpy_to_vtk(np.round(255 * colours).astype(np.uint8), deep=True)
    surface.GetPointData().SetScalars(scalars)


def _triangles(surface: Triangles) -> vtkPolyData:
    """A surface of triangles, coarser where it has very many."""
    data, holder, faces = vtkPolyData(), vtkPoints(), vtkCellArray()
    holder.SetData(numpy_to_vtk(np.ascontiguousarray(surface.vertices), deep=True))
    cells = np.column_stack([np.full(len(surface.faces), 3), surface.faces])
    faces.ImportLegacyFormat(numpy_to_vtkIdTypeArray(cells.ravel(), deep=True))
    data.SetPoints(holder)
    data.SetPolys(faces)
    if len(surface.faces) <= MOST_DRAWN:
        return data
    coarser = vtkQuadricDecimation()
    coarser.SetInputData(data)
    coarser.SetTargetReduction(1.0 - MOST_DRAWN / len(surface.faces))
    coarser.Update()
    return coarser.GetOutput()


def _drawn_out(outline: Floats, length: float, bore: float) -> vtkPolyData:
    """An outline (P, 2) drawn out along z, with a round hole around the axis."""
    rings = [outline]
    if bore > 0.0:
        angles = -2.0 * np.pi * np.arange(FACETS) / FACETS
        rings.append(bore * np.stack([np.cos(angles), np.sin(angles)], axis=1))
    ends = (-0.5 * length, 0.5 * length)
    return _along(
        [np.array([np.column_stack([r, np.full(len(r), z)]) for z in ends]) for r in rings], True
    )


def _along(rings: list[Floats], capped: bool) -> vtkPolyData:
    """The surface through rings (S, N, 3) of points, one after the other, with both ends closed;
    further ones are those of holes, which run the other way."""
    whole = vtkAppendPolyData()
    for end in (0, -1) if capped else ():
        lines = vtkPolyData()
        points = np.concatenate([r[end] for r in rings])
        holder, cells = vtkPoints(), vtkCellArray()
        holder.SetData(numpy_to_vtk(points, deep=True))
        first = 0
        for ring in rings:
            count = ring.shape[1]
            cells.InsertNextCell(count + 1)
            for k in range(count + 1):
                cells.InsertCellPoint(first + k % count)
            first += count
        lines.SetPoints(holder)
        lines.SetLines(cells)
        cap = vtkContourTriangulator()
        cap.SetInputData(lines)
        cap.Update()
        whole.AddInputData(cap.GetOutput())
    for ring in rings:
        many, count = ring.shape[:2]
        sides = [
            (at + k, at + (k + 1) % count, at + count + (k + 1) % count, at + count + k)
            for at in count * np.arange(many - 1)
            for k in range(count)
        ]
        whole.AddInputData(polygons(ring.reshape(-1, 3), sides))
    whole.Update()
    merged = vtkCleanPolyData()
    merged.SetInputData(whole.GetOutput())
    merged.Update()
    return merged.GetOutput()


def _road(line: Floats, half: float) -> vtkPolyData:
    """The upper side of a road with its edges, going on level at both ends."""
    more = BEYOND * (line[-1, 0] - line[0, 0])
    line = np.vstack([line[0] - (more, 0.0), line, line[-1] + (more, 0.0)])
    low = line[:, 1].min() - 0.03 * (line[-1, 0] - line[0, 0])
    points: list[tuple[float, ...]] = []
    cells: list[tuple[int, ...]] = []
    for x, z in line:
        points += [(x, -half, z), (x, half, z), (x, -half, low), (x, half, low)]
    for k in range(0, 4 * (len(line) - 1), 4):
        cells += [(k, k + 4, k + 5, k + 1), (k, k + 2, k + 6, k + 4), (k + 1, k + 5, k + 7, k + 3)]
    return polygons(np.array(points), cells)


def polygons(points: Floats, cells: Sequence[tuple[int, ...]]) -> vtkPolyData:
    """A surface from points (N, 3) and cells of point numbers."""
    data, holder, faces = vtkPolyData(), vtkPoints(), vtkCellArray()
    holder.SetData(numpy_to_vtk(np.asarray(points, dtype=float), deep=True))
    for cell in cells:
        faces.InsertNextCell(len(cell))
        for index in cell:
            faces.InsertCellPoint(index)
    data.SetPoints(holder)
    data.SetPolys(faces)
    return data
