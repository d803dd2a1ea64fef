"""The solids of a model in VTK, rendered off screen. Nothing here knows of Qt."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401  registers the drawing back end
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkCommonTransforms import vtkTransform
from vtkmodules.vtkFiltersCore import vtkAppendPolyData, vtkFeatureEdges, vtkPolyDataNormals
from vtkmodules.vtkFiltersGeneral import vtkTransformFilter
from vtkmodules.vtkFiltersModeling import vtkLinearExtrusionFilter
from vtkmodules.vtkFiltersSources import (
    vtkCubeSource,
    vtkCylinderSource,
    vtkDiskSource,
    vtkSphereSource,
)
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkCellPicker,
    vtkLight,
    vtkPolyDataMapper,
    vtkRenderer,
    vtkRenderWindow,
)

from impeto.app.theme import BODY_COLOURS, Theme
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.model.elements import Body, Box, Cylinder, Shape, Sphere, Tube
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
FACETS = 40
EDGE_ANGLE = 35.0


def shape_surface(scope: Scope, shape: Shape) -> vtkPolyData:
    """Triangles of a shape in its body's axes; coarse, for drawing only."""
    source = _source(scope, shape)
    transform = vtkTransform()
    matrix = vtkMatrix4x4()
    rotation = from_roll_pitch_yaw(scope.vector(shape, "orientation", "angle"))
    _set_matrix(matrix, scope.vector(shape, "position", "length"), rotation)
    transform.SetMatrix(matrix)
    if isinstance(shape, Cylinder):
        transform.RotateX(90.0)  # the source's axis is y
    moved = vtkTransformFilter()
    moved.SetTransform(transform)
    moved.SetInputConnection(source.GetOutputPort())
    moved.Update()
    return moved.GetOutput()


def _source(scope: Scope, shape: Shape):  # type: ignore[no-untyped-def]
    if isinstance(shape, Box):
        source = vtkCubeSource()
        x, y, z = scope.vector(shape, "size", "length")
        source.SetXLength(x)
        source.SetYLength(y)
        source.SetZLength(z)
        return source
    radius = scope.field(shape, "radius", "length")
    if isinstance(shape, Sphere):
        source = vtkSphereSource()
        source.SetRadius(radius)
        source.SetThetaResolution(24)
        source.SetPhiResolution(14)
        return source
    length = scope.field(shape, "length", "length")
    if isinstance(shape, Cylinder):
        source = vtkCylinderSource()
        source.SetRadius(radius)
        source.SetHeight(length)
        source.SetResolution(FACETS)
        return source
    assert isinstance(shape, Tube)
    disk = vtkDiskSource()
    disk.SetOuterRadius(radius)
    disk.SetInnerRadius(scope.field(shape, "inner_radius", "length"))
    disk.SetCircumferentialResolution(FACETS)
    lowered = vtkTransformFilter()
    down = vtkTransform()
    down.Translate(0.0, 0.0, -length / 2)
    lowered.SetTransform(down)
    lowered.SetInputConnection(disk.GetOutputPort())
    source = vtkLinearExtrusionFilter()
    source.SetInputConnection(lowered.GetOutputPort())
    source.SetExtrusionTypeToVectorExtrusion()
    source.SetVector(0.0, 0.0, length)
    source.CappingOn()
    return source


def _set_matrix(matrix: vtkMatrix4x4, origin: Floats, rotation: Floats) -> None:
    for i in range(3):
        for j in range(3):
            matrix.SetElement(i, j, rotation[i, j])
        matrix.SetElement(i, 3, origin[i])


def _rgb(text: str) -> tuple[float, float, float]:
    value = int(text[1:], 16)
    return (value >> 16) / 255.0, (value >> 8 & 255) / 255.0, (value & 255) / 255.0


class Scene:
    """Bodies as actors with dark edges, a fading ground grid, and a camera."""

    def __init__(self, look: Theme) -> None:
        self.look = look
        self.renderer = vtkRenderer()
        self.window = vtkRenderWindow()
        self.window.SetOffScreenRendering(1)
        self.window.SetMultiSamples(0)
        self.window.AddRenderer(self.renderer)
        self.picker = vtkCellPicker()
        self.picker.SetTolerance(0.002)
        self.matrices: dict[str, vtkMatrix4x4] = {}
        self.actors: dict[str, list[vtkActor]] = {}
        self.edges: dict[str, vtkActor] = {}
        self.base: dict[int, tuple[float, float, float]] = {}
        self.selected = ""
        self.grid = vtkActor()
        self.bounds: tuple[float, ...] = (-1.0, 1.0, -1.0, 1.0, 0.0, 1.0)
        self.renderer.AddActor(self.grid)
        self.camera = self.renderer.GetActiveCamera()
        self.camera.SetViewAngle(22.0)
        self._add_lights()

    def _add_lights(self) -> None:
        """One light from the viewer's left shoulder, one from the sky so that tops are light."""
        self.renderer.RemoveAllLights()
        self.renderer.AutomaticLightCreationOff()
        shoulder = vtkLight()
        shoulder.SetLightTypeToCameraLight()
        shoulder.SetPosition(-0.5, 0.6, 1.0)
        shoulder.SetIntensity(0.88)
        sky = vtkLight()
        sky.SetLightTypeToSceneLight()
        sky.SetPosition(0.0, 0.0, 1.0)
        sky.SetFocalPoint(0.0, 0.0, 0.0)
        sky.SetIntensity(0.42)
        self.renderer.AddLight(shoulder)
        self.renderer.AddLight(sky)

    def build(self, model: Model, scope: Scope) -> list[str]:
        """Make the actors of every body that is on; return complaints about shapes."""
        for actors in self.actors.values():
            for actor in actors:
                self.renderer.RemoveActor(actor)
        for edge in self.edges.values():
            self.renderer.RemoveActor(edge)
        self.actors, self.edges, self.matrices, self.base = {}, {}, {}, {}
        complaints = []
        for body in model.of(Body):
            if scope.on(body):
                try:
                    self._add_body(body, scope)
                except ModelError as error:
                    complaints.append(str(error.at(body.name)))
        self._measure()
        self.set_look(self.look)
        return complaints

    def _add_body(self, body: Body, scope: Scope) -> None:
        matrix = vtkMatrix4x4()
        rotation = from_roll_pitch_yaw(scope.vector(body, "orientation", "angle"))
        _set_matrix(matrix, scope.vector(body, "position", "length"), rotation)
        by_colour: dict[str, vtkAppendPolyData] = {}
        for shape in body.shapes:
            colour = shape.colour or body.colour
            group = by_colour.setdefault(colour, vtkAppendPolyData())
            group.AddInputData(shape_surface(scope, shape))
        self.matrices[body.name] = matrix
        self.actors[body.name] = []
        everything = vtkAppendPolyData()
        for colour, group in by_colour.items():
            group.Update()
            everything.AddInputData(group.GetOutput())
            normals = vtkPolyDataNormals()
            normals.SetInputData(group.GetOutput())
            normals.SetFeatureAngle(EDGE_ANGLE)
            mapper = vtkPolyDataMapper()
            mapper.SetInputConnection(normals.GetOutputPort())
            mapper.ScalarVisibilityOff()
            actor = vtkActor()
            actor.SetMapper(mapper)
            actor.SetUserMatrix(matrix)
            actor.GetProperty().SetAmbient(0.42)
            actor.GetProperty().SetDiffuse(0.7)
            actor.GetProperty().SetSpecular(0.0)
            self.base[id(actor)] = _rgb(BODY_COLOURS[colour])
            self.actors[body.name].append(actor)
            self.renderer.AddActor(actor)
        if by_colour:
            self.edges[body.name] = self._edge_actor(everything, matrix)

    def _edge_actor(self, surface: vtkAppendPolyData, matrix: vtkMatrix4x4) -> vtkActor:
        edges = vtkFeatureEdges()
        edges.SetInputConnection(surface.GetOutputPort())
        edges.SetFeatureAngle(EDGE_ANGLE)
        edges.NonManifoldEdgesOff()
        edges.ColoringOff()
        mapper = vtkPolyDataMapper()
        mapper.SetInputConnection(edges.GetOutputPort())
        mapper.ScalarVisibilityOff()
        # Only the lines move, a little to the front: offset faces let hidden edges through.
        mapper.SetResolveCoincidentTopologyToPolygonOffset()
        mapper.SetRelativeCoincidentTopologyLineOffsetParameters(0.0, -4.0)
        actor = vtkActor()
        actor.SetMapper(mapper)
        actor.SetUserMatrix(matrix)
        actor.PickableOff()
        actor.GetProperty().LightingOff()
        self.renderer.AddActor(actor)
        return actor

    def _measure(self) -> None:
        self.grid.VisibilityOff()
        self.renderer.ComputeVisiblePropBounds()
        bounds = self.renderer.ComputeVisiblePropBounds()
        self.grid.VisibilityOn()
        if bounds[0] <= bounds[1]:
            self.bounds = tuple(bounds)

    def widen(self, points: Floats) -> None:
        """Let the bounds take in points (N, 3)."""
        low = np.minimum(self.bounds[0::2], points.min(axis=0))
        high = np.maximum(self.bounds[1::2], points.max(axis=0))
        self.bounds = tuple(float(v) for pair in zip(low, high, strict=True) for v in pair)
        self._make_grid()

    def set_look(self, look: Theme) -> None:
        """Colours of background, grid, edges and selection."""
        self.look = look
        self.renderer.SetBackground(*_rgb(look.stage))
        self._make_grid()
        for name in self.actors:
            self._dress(name)

    def _dress(self, name: str) -> None:
        chosen = name == self.selected
        wash = np.array(_rgb(self.look.accent))
        for actor in self.actors[name]:
            colour = np.array(self.base[id(actor)])
            actor.GetProperty().SetColor(*(0.78 * colour + 0.22 * wash if chosen else colour))
        if name in self.edges:
            edge = self.edges[name].GetProperty()
            edge.SetColor(*_rgb(self.look.accent if chosen else self.look.edge))
            edge.SetLineWidth(2.0 if chosen else 1.0)

    def select(self, name: str) -> None:
        before, self.selected = self.selected, name
        for body in (before, name):
            if body in self.actors:
                self._dress(body)

    def _make_grid(self) -> None:
        """Lines on the floor that fade into the background with distance."""
        size = max(self.bounds[1] - self.bounds[0], self.bounds[3] - self.bounds[2], 0.1)
        step = 10.0 ** np.floor(np.log10(size / 2.0))
        step = step if size / step < 8 else 2.5 * step
        cx = round((self.bounds[0] + self.bounds[1]) / 2 / step) * step
        cy = round((self.bounds[2] + self.bounds[3]) / 2 / step) * step
        count, pieces = 10, 10
        ticks = np.arange(-count, count + 1) * step
        along = np.linspace(-count * step, count * step, 2 * pieces + 1)
        points, colours = [], []
        fore, back = np.array(_rgb(self.look.grid)), np.array(_rgb(self.look.stage))
        for fixed in ticks:
            for a, b in pairwise(along):
                for first, second in (((fixed, a), (fixed, b)), ((a, fixed), (b, fixed))):
                    for x, y in (first, second):
                        points.append((cx + x, cy + y, min(self.bounds[4], 0.0)))
                        fade = min(1.0, np.hypot(x, y) / (count * step))
                        colours.append(255 * (fore * (1 - fade) + back * fade))
        data = vtkPolyData()
        holder = vtkPoints()
        holder.SetData(numpy_to_vtk(np.array(points), deep=True))
        data.SetPoints(holder)
        lines = vtkCellArray()
        for k in range(0, len(points), 2):
            lines.InsertNextCell(2)
            lines.InsertCellPoint(k)
            lines.InsertCellPoint(k + 1)
        data.SetLines(lines)
        scalars = vtkUnsignedCharArray()
        scalars.DeepCopy(numpy_to_vtk(np.array(colours).astype(np.uint8), deep=True))
        data.GetPointData().SetScalars(scalars)
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(data)
        self.grid.SetMapper(mapper)
        self.grid.GetProperty().LightingOff()
        self.grid.PickableOff()

    def place(self, name: str, origin: Floats, rotation: Floats) -> None:
        """Put a body somewhere: origin of its axes and rotation, world."""
        if name in self.matrices:
            _set_matrix(self.matrices[name], origin, rotation)
            self.matrices[name].Modified()

    def render(self, width: int, height: int, smooth: bool) -> npt.NDArray[np.uint8]:
        """Picture (height, width, 4), top row first."""
        self.window.SetMultiSamples(4 if smooth else 0)
        self.window.SetSize(width, height)
        self._clip()
        self.window.Render()
        pixels = vtkUnsignedCharArray()
        pixel_reader: Any = self.window.GetRGBACharPixelData  # the stubs know another overload
        pixel_reader(0, 0, width - 1, height - 1, 0, pixels)
        picture = vtk_to_numpy(pixels).reshape(height, width, 4)
        return np.ascontiguousarray(picture[::-1])

    def _clip(self) -> None:
        """Near and far planes close to the bodies: the wide grid alone would cost all depth."""
        self.renderer.ResetCameraClippingRange()
        near, far = self.camera.GetClippingRange()
        low, high = np.array(self.bounds[0::2]), np.array(self.bounds[1::2])
        away = float(np.linalg.norm(np.array(self.camera.GetPosition()) - (low + high) / 2))
        radius = 0.75 * float(np.linalg.norm(high - low))
        self.camera.SetClippingRange(max(near, away - radius, 0.01 * far), far)

    def close(self) -> None:
        """Give the drawing memory back; nothing can be drawn after that."""
        self.window.Finalize()

    def pick(self, x: float, y: float, width: int, height: int) -> str:
        """Name of the body under a pixel (from the top left of a width × height picture)."""
        w, h = self.window.GetSize()
        self.picker.Pick(x * w / width, h - 1 - y * h / height, 0.0, self.renderer)
        found = self.picker.GetActor()
        for name, actors in self.actors.items():
            if found in actors:
                return name
        return ""

    def projection(self, aspect: float) -> Floats:
        """(4, 4) world to normalised screen coordinates."""
        matrix = self.camera.GetCompositeProjectionTransformMatrix(aspect, -1.0, 1.0)
        return np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)])
