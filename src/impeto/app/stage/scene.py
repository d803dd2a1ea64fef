"""The solids of a model in VTK, rendered off screen. Nothing here knows of Qt."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401  registers the drawing back end
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkPlane
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkFiltersCore import vtkAppendPolyData, vtkFeatureEdges, vtkPolyDataNormals
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkCellPicker,
    vtkPolyDataMapper,
    vtkRenderer,
    vtkRenderWindow,
)

from impeto.app.kept import values_of
from impeto.app.stage import section
from impeto.app.stage.ground_grid import GroundGrid
from impeto.app.stage.lighting import light
from impeto.app.stage.surfaces import fade_out, look_of, set_matrix, shape_surface, without_end
from impeto.app.theme import Theme, body_colour
from impeto.core.bodies.shapes import Shape
from impeto.core.elements import Body
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
EDGE_ANGLE = 35.0
FLOOR = 0.4  # opacity of floors without end
GHOST = 0.25  # of bodies that only stand for their copies


def _hold_still(mapper: vtkPolyDataMapper) -> None:
    """Have a surface worked out once, not asked for at every picture."""
    mapper.Update()
    mapper.StaticOn()


def _rgb(text: str) -> tuple[float, float, float]:
    value = int(text[1:], 16)
    return (value >> 16) / 255.0, (value >> 8 & 255) / 255.0, (value & 255) / 255.0


class Scene:
    """Bodies as actors with dark edges, a fading ground grid, and a camera."""

    def __init__(self, look: Theme) -> None:
        self.look = look
        self.renderer = vtkRenderer()
        self.window, self.picker = vtkRenderWindow(), vtkCellPicker()
        self.window.SetOffScreenRendering(1)
        self.window.SetMultiSamples(0)
        self.window.AddRenderer(self.renderer)
        self.picker.SetTolerance(0.002)
        self.matrices: dict[str, vtkMatrix4x4] = {}
        self.actors: dict[str, list[vtkActor]] = {}
        self.edges: dict[str, vtkActor] = {}
        self.base: dict[int, tuple[float, float, float]] = {}
        self.masters: dict[str, str] = {}  # copy -> the body whose surfaces it shares
        self._made: dict[str, tuple[Body, Hashable]] = {}  # of which body the actors are, its look
        self._lies: dict[str, tuple[Floats, Floats]] = {}  # where they were placed last
        self._seen: dict[str, tuple[bool, bool]] = {}  # shown, faded
        self._values: Hashable = None
        self.selected: tuple[str, ...] = ()
        self.section: vtkPlane | None = None
        self._cut = False  # whether what is there has the section plane
        self.grid = GroundGrid()
        self.bounds: tuple[float, ...] = (-1.0, 1.0, -1.0, 1.0, 0.0, 1.0)
        self.renderer.AddActor(self.grid.actor)
        self.camera = self.renderer.GetActiveCamera()
        self.camera.SetViewAngle(22.0)
        self.renderer.SetBackground(*_rgb(look.stage))
        light(self.renderer)

    def build(self, model: Model, scope: Scope) -> list[str]:
        """Make the actors of every body that is on, where it has changed; return complaints about
        shapes."""
        self.set_copies({})
        bodies = [body for body in model.of(Body) if scope.on(body)]
        same = self._keep_same(bodies, values_of(model, scope))
        complaints = list[str]()
        alike = {self._made[name][1]: name for name in same}
        for floors in (False, True):  # floors as large as the rest asks for
            for body in bodies:
                shapes = [shape for shape in body.shapes if without_end(shape) == floors]
                if body.name in same or (floors and not shapes):
                    continue
                try:
                    key = look_of(body, model)
                    if key in alike and not floors:
                        self._add_alike(body, alike[key], scope)
                    else:
                        self._add_body(body, shapes, scope, floors)
                    self._made[body.name] = body, key
                    if not floors and len(shapes) == len(body.shapes):
                        alike[key] = body.name
                except ModelError as error:
                    complaints.append(str(error.at(body.name)))
            if not floors:
                self._measure()
        self._apply_section()
        self._make_grid()
        for name in self.actors:
            if name not in same:
                self._dress(name)
        return complaints

    def _keep_same(self, bodies: list[Body], values: Hashable) -> set[str]:
        """Names of the bodies that look as they did; the others are taken out of the picture."""
        same = {
            body.name for body in bodies
            if self._made.get(body.name, (None,))[0] is body and values == self._values
            and not any(map(without_end, body.shapes))
        }  # fmt: skip
        for name in [name for name in self.actors if name not in same]:
            self._drop(name)
        self._values = values
        return same

    def _drop(self, name: str) -> None:
        """Take a body out of the picture."""
        for actor in (*self.actors.pop(name, []), *self._edges_of(name)):
            self.drop(actor)
        self.edges.pop(name, None)
        for known in (self.matrices, self._made, self._lies, self._seen):
            known.pop(name, None)

    def drop(self, actor: vtkActor) -> None:
        """Take a single actor out of the picture."""
        self.renderer.RemoveActor(actor)
        self.base.pop(id(actor), None)

    def _matrix_of(self, body: Body, scope: Scope) -> vtkMatrix4x4:
        """Its place as drawn."""
        matrix = self.matrices.setdefault(body.name, vtkMatrix4x4())
        rotation = from_roll_pitch_yaw(scope.vector(body, "orientation", "angle"))
        set_matrix(matrix, scope.vector(body, "position", "length"), rotation)
        return matrix

    def _add_alike(self, body: Body, other: str, scope: Scope) -> None:
        """A body with the very shapes of another, as members of a Repeat have: it takes over their
        surfaces."""
        matrix = self._matrix_of(body, scope)
        self.actors[body.name] = [self.twin(actor, matrix) for actor in self.actors[other]]
        for edge in self._edges_of(other):
            self.edges[body.name] = self.twin(edge, matrix)

    def _add_body(self, body: Body, shapes: list[Shape], scope: Scope, floors: bool) -> None:
        matrix = self._matrix_of(body, scope)
        by_colour: dict[str, vtkAppendPolyData] = {}
        span = 3.0 * max(np.subtract(self.bounds[1::2], self.bounds[0::2]))
        for shape in shapes:
            colour = shape.colour or body.colour
            group = by_colour.setdefault(colour, vtkAppendPolyData())
            group.AddInputData(shape_surface(scope, shape, span))
        self.actors.setdefault(body.name, [])
        everything = vtkAppendPolyData()
        for colour, group in by_colour.items():
            group.Update()
            if floors:
                fade_out(group.GetOutput(), _rgb(body_colour(colour)), FLOOR)
            everything.AddInputData(group.GetOutput())
            normals = vtkPolyDataNormals()
            normals.SetInputData(group.GetOutput())
            normals.SetFeatureAngle(EDGE_ANGLE)
            mapper = vtkPolyDataMapper()
            mapper.SetInputConnection(normals.GetOutputPort())
            mapper.SetScalarVisibility(floors)
            _hold_still(mapper)
            actor = vtkActor()
            actor.SetMapper(mapper)
            actor.SetUserMatrix(matrix)
            actor.GetProperty().SetAmbient(0.42)
            actor.GetProperty().SetDiffuse(0.7)
            actor.GetProperty().SetSpecular(0.0)
            self.base[id(actor)] = _rgb(body_colour(colour))
            actor.SetUseBounds(not floors)
            actor.SetForceTranslucent(floors)
            actor.SetForceOpaque(not floors)
            self.actors[body.name].append(actor)
            self.renderer.AddActor(actor)
        if by_colour and not floors:
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
        _hold_still(mapper)
        actor = vtkActor()
        actor.SetMapper(mapper)
        actor.SetUserMatrix(matrix)
        actor.PickableOff()
        actor.ForceOpaqueOn()
        actor.GetProperty().LightingOff()
        self.renderer.AddActor(actor)
        return actor

    def _measure(self) -> None:
        self.grid.actor.VisibilityOff()
        bounds = self.renderer.ComputeVisiblePropBounds()
        self.grid.actor.VisibilityOn()
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
        chosen = self.masters.get(name, name) in self.selected
        wash = np.array(_rgb(self.look.accent))
        for actor in self.actors[name]:
            colour = np.array(self.base[id(actor)])
            actor.GetProperty().SetColor(*(0.78 * colour + 0.22 * wash if chosen else colour))
        if name in self.edges:
            edge = self.edges[name].GetProperty()
            edge.SetColor(*_rgb(self.look.accent if chosen else self.look.edge))
            edge.SetLineWidth(2.0 if chosen else 1.0)

    def select(self, names: tuple[str, ...]) -> None:
        before, self.selected = self.selected, names
        changed = set(before) ^ set(names)
        for body in self.actors:
            if self.masters.get(body, body) in changed:
                self._dress(body)

    def set_copies(self, masters: Mapping[str, str]) -> None:
        """Have actors for these copies, hidden until they are shown; drop all others.

        masters : copy -> the body that it looks like
        """
        wanted = {copy: name for copy, name in masters.items() if name in self.actors}
        if self.masters == wanted:
            return
        for name in self.masters:
            self._drop(name)
        self.masters = wanted
        for copy, name in self.masters.items():
            matrix = self.matrices[copy] = vtkMatrix4x4()
            self.actors[copy] = [self.twin(actor, matrix) for actor in self.actors[name]]
            for edge in self._edges_of(name):
                self.edges[copy] = self.twin(edge, matrix)
            self._dress(copy)
            self.show(copy, False)

    def twin(self, actor: vtkActor, matrix: vtkMatrix4x4) -> vtkActor:
        """An actor with the same surface somewhere else. Mappers keep what they drew last, so each
        has its own."""
        twin, mapper = vtkActor(), vtkPolyDataMapper()
        mapper.ShallowCopy(actor.GetMapper())
        mapper.StaticOn()
        twin.SetMapper(mapper)
        twin.GetProperty().DeepCopy(actor.GetProperty())
        twin.SetPickable(actor.GetPickable())
        twin.SetForceOpaque(actor.GetForceOpaque())
        twin.SetUserMatrix(matrix)
        if id(actor) in self.base:
            self.base[id(twin)] = self.base[id(actor)]
        self.renderer.AddActor(twin)
        return twin

    def _edges_of(self, name: str) -> list[vtkActor]:
        return [self.edges[name]] if name in self.edges else []

    def show(self, name: str, there: bool, faded: bool = False) -> None:
        """Show or hide a body; faded : as what only stands for its copies."""
        if self._seen.get(name) == (there, faded):
            return
        self._seen[name] = there, faded
        for actor in self.actors.get(name, []):
            actor.SetVisibility(there)
            if actor.GetUseBounds():
                actor.SetForceOpaque(not faded)
                actor.GetProperty().SetOpacity(GHOST if faded else 1.0)
        for edge in self._edges_of(name):
            edge.SetVisibility(there)
            edge.SetForceOpaque(not faded)
            edge.GetProperty().SetOpacity(GHOST if faded else 1.0)

    def _make_grid(self) -> None:
        fore, back = (np.array(_rgb(colour)) for colour in (self.look.grid, self.look.stage))
        self.grid.draw(self.bounds, fore, back)

    def place(self, name: str, origin: Floats, rotation: Floats) -> None:
        """Put a body somewhere: origin of its axes and rotation, world."""
        lies = self._lies.get(name)
        if name in self.matrices and (lies is None or lies[0] is not origin):
            set_matrix(self.matrices[name], origin, rotation)
            self._lies[name] = origin, rotation

    def cut(self, axis: int | None) -> None:
        """Cut everything off on the viewer's side of a plane through the middle, square to an axis
        of the world; None shows it whole."""
        if axis is None:
            self.section = None
        else:
            seen = np.array(self.camera.GetDirectionOfProjection())
            self.section = section.through_middle(self.bounds, axis, seen)
        self._apply_section()

    def shift_cut(self, share: float) -> None:
        """Shift the section by a share of the size of everything."""
        if self.section is not None:
            section.shift(self.section, self.bounds, share)

    def _apply_section(self) -> None:
        if self.section is None and not self._cut:
            return
        self._cut = self.section is not None
        for actors in (*self.actors.values(), list(self.edges.values())):
            for actor in actors:
                mapper = actor.GetMapper()
                mapper.RemoveAllClippingPlanes()
                if self.section is not None:
                    mapper.AddClippingPlane(self.section)

    def body_bounds(self, name: str) -> tuple[float, ...] | None:
        """Box around the solids of a body that have an extent, world."""
        found = (a for a in self.actors.get(name, []) if a.GetUseBounds())
        return next((tuple(actor.GetBounds()) for actor in found), None)

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
        radius = 1.6 * float(np.linalg.norm(high - low))
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

    def hit(self, x: float, y: float, width: int, height: int) -> tuple[str, Floats]:
        """The same, and the point (3,) of the world where its surface is hit."""
        name = self.pick(x, y, width, height)
        return name, np.array(self.picker.GetPickPosition())

    def projection(self, aspect: float) -> Floats:
        """(4, 4) world to normalised screen coordinates."""
        matrix = self.camera.GetCompositeProjectionTransformMatrix(aspect, -1.0, 1.0)
        return np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)])
