"""Features of exact faces and edges: planes, axes of holes and pins, circles, edges, corners."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp
from OCP.collections import (
    IndexedDataMap_TopoDS_Shape_List_TopoDS_Shape_TopTools_ShapeMapHasher as Owners,
)
from OCP.collections import IndexedMap_TopoDS_Shape_TopTools_ShapeMapHasher as ShapeMap
from OCP.GeomAbs import GeomAbs_CurveType, GeomAbs_SurfaceType
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS

from impeto.core.bodies.solid_features import (
    AXIS,
    CENTRE,
    CIRCLE,
    CORNER,
    HOLE,
    PLANE,
    Feature,
    straight,
)

Floats = npt.NDArray[np.float64]
MM = 0.001  # m
MOST = 600  # of faces and of edges; the largest ones
SAME = 1e-7  # of the size of the solid: what lies on one line or circle
ALIGNED = 1e-7  # rad
HALF_ROUND = np.pi * (1.0 - 1e-6)  # rad that walls and circles go round at least
REVERSED = TopAbs_Orientation.TopAbs_REVERSED


@dataclass(slots=True)
class Ring:
    """What is round about an axis: a wall, or a circle (low = high).

    low, high : along the axis from `point`;  angle : rad that it goes round
    """

    kind: str
    point: Floats
    axis: Floats
    across: Floats
    radius: float
    low: float
    high: float
    angle: float

    def takes(self, other: Ring, tolerance: float) -> bool:
        """Whether another belongs to the same: one axis and radius, and no gap between them."""
        if other.kind != self.kind or abs(other.radius - self.radius) > tolerance:
            return False
        way = other.point - self.point
        beside = float(np.linalg.norm(way - (way @ self.axis) * self.axis))
        if beside > tolerance or np.linalg.norm(np.cross(self.axis, other.axis)) > ALIGNED:
            return False
        low, high = self._seen(other)
        return low <= self.high + tolerance and high >= self.low - tolerance

    def _seen(self, other: Ring) -> tuple[float, float]:
        """Ends of another along this axis."""
        shift = float((other.point - self.point) @ self.axis)
        sign = 1.0 if float(other.axis @ self.axis) > 0.0 else -1.0
        low, high = sorted((shift + sign * other.low, shift + sign * other.high))
        return low, high

    def take(self, other: Ring) -> None:
        """A hole is often several faces: halves round it, or one behind the other."""
        low, high = self._seen(other)
        together = min(high, self.high) - max(low, self.low)
        longest = max(high - low, self.high - self.low)
        beside = longest == 0.0 or together > 0.5 * longest
        self.angle = self.angle + other.angle if beside else max(self.angle, other.angle)
        self.low, self.high = min(self.low, low), max(self.high, high)

    @property
    def middle(self) -> Floats:
        return self.point + 0.5 * (self.low + self.high) * self.axis


def features_of(shape: Any, size: float) -> Iterator[Feature]:
    """Features [m] of a shape of some size [mm], in its own axes."""
    tolerance = SAME * size
    sized, walls = list[tuple[float, Feature]](), list[Ring]()
    for each in distinct(shape, TopAbs_ShapeEnum.TopAbs_FACE):
        face = TopoDS.Face(each)
        surface = BRepAdaptor_Surface(face)
        kind = surface.GetType()
        if kind == GeomAbs_SurfaceType.GeomAbs_Plane:
            sized.append(_plane(face, surface))
        elif kind == GeomAbs_SurfaceType.GeomAbs_Sphere:
            ball = surface.Sphere()
            at = Feature(CENTRE, _xyz(ball.Location()), radius=ball.Radius())
            if not any(f.kind == CENTRE and _near(f.point, at.point, tolerance) for _, f in sized):
                sized.append((_area(face)[0], at))
        elif kind in (GeomAbs_SurfaceType.GeomAbs_Cylinder, GeomAbs_SurfaceType.GeomAbs_Cone):
            _sort_in(walls, _wall(face, surface, kind), tolerance)
    found = [feature for _, feature in sorted(sized, key=lambda item: -item[0])[:MOST]]
    whole = [wall for wall in walls if wall.angle >= HALF_ROUND]
    found += [_axis(wall) for wall in whole]
    found += _edges(shape, whole, tolerance)
    for feature in found:
        yield replace(
            feature, point=feature.point * MM, radius=feature.radius * MM, half=feature.half * MM
        )


def distinct(shape: Any, kind: Any) -> list[Any]:
    """Faces, edges or corners of a shape, each once."""
    found = ShapeMap()
    TopExp.MapShapes_s(shape, kind, found)
    return [found.FindKey(k) for k in range(1, found.Extent() + 1)]


def _plane(face: Any, surface: Any) -> tuple[float, Feature]:
    area, middle = _area(face)
    position = surface.Plane().Position()
    normal, across = _xyz(position.Direction()), _xyz(position.XDirection())
    if not position.Direct():  # a plane of left-handed axes looks the other way
        normal = -normal
    origin = _xyz(position.Location())
    middle = middle - ((middle - origin) @ normal) * normal  # exactly in the plane
    return area, Feature(
        PLANE, middle, -normal if face.Orientation() == REVERSED else normal, across
    )


def _wall(face: Any, surface: Any, kind: Any) -> Ring:
    is_cone = kind == GeomAbs_SurfaceType.GeomAbs_Cone
    form = surface.Cone() if is_cone else surface.Cylinder()
    position = form.Position()
    low, high = surface.FirstVParameter(), surface.LastVParameter()
    radius = form.RefRadius() if is_cone else form.Radius()
    if is_cone:
        lean = form.SemiAngle()
        radius = max(abs(radius + v * np.sin(lean)) for v in (low, high))
        low, high = sorted((low * np.cos(lean), high * np.cos(lean)))
    inwards = (face.Orientation() == REVERSED) == position.Direct()
    return Ring(
        HOLE if inwards else AXIS, _xyz(position.Location()), _xyz(position.Direction()),
        _xyz(position.XDirection()), radius, low, high,
        surface.LastUParameter() - surface.FirstUParameter(),
    )  # fmt: skip


def _sort_in(rings: list[Ring], new: Ring, tolerance: float) -> None:
    """Put what is round to what it belongs to; a new one may join two that were apart."""
    for ring in [ring for ring in rings if new.takes(ring, tolerance)]:
        rings.remove(ring)
        ring.take(new)
        new = ring
    rings.append(new)


def _axis(wall: Ring) -> Feature:
    half = 0.5 * (wall.high - wall.low)
    return Feature(wall.kind, wall.middle, wall.axis, wall.across, wall.radius, half)


def _edges(shape: Any, walls: Sequence[Ring], tolerance: float) -> list[Feature]:
    """Circles, straight edges with their middles, and the corners where those end."""
    circles, lines = list[Ring](), list[tuple[float, Floats, Floats]]()
    owners = Owners()
    TopExp.MapShapesAndAncestors_s(
        shape, TopAbs_ShapeEnum.TopAbs_EDGE, TopAbs_ShapeEnum.TopAbs_FACE, owners
    )
    for number in range(1, owners.Extent() + 1):
        edge = TopoDS.Edge(owners.FindKey(number))
        faces = owners.FindFromIndex(number)
        if BRep_Tool.Degenerated_s(edge) or _is_seam(edge, faces):
            continue
        curve = BRepAdaptor_Curve(edge)
        if curve.GetType() == GeomAbs_CurveType.GeomAbs_Circle:
            form = curve.Circle()
            position = form.Position()
            angle = curve.LastParameter() - curve.FirstParameter()
            new = Ring(CIRCLE, _xyz(position.Location()), _xyz(position.Direction()),
                       _xyz(position.XDirection()), form.Radius(), 0.0, 0.0, angle)  # fmt: skip
            _sort_in(circles, new, tolerance)
        elif curve.GetType() == GeomAbs_CurveType.GeomAbs_Line:
            a, b = (_xyz(curve.Value(t)) for t in (curve.FirstParameter(), curve.LastParameter()))
            lines.append((float(np.linalg.norm(b - a)), a, b))
    found = [_circle(ring, walls, tolerance) for ring in circles if ring.angle >= HALF_ROUND]
    corners = list[Floats]()
    for _, a, b in sorted(lines, key=lambda line: -line[0])[:MOST]:
        found += straight(a, b, _square_to(b - a))
        corners += [p for p in (a, b) if not any(_near(p, q, tolerance) for q in corners)]
    return found + [Feature(CORNER, at) for at in corners]


def _is_seam(edge: Any, faces: Any) -> bool:
    """Whether an edge only closes a round wall."""
    return any(BRep_Tool.IsClosed_s(edge, TopoDS.Face(face)) for face in faces)


def _circle(ring: Ring, walls: Sequence[Ring], tolerance: float) -> Feature:
    """A circle that looks out at the end of its wall, where it has one."""
    axis = ring.axis
    for wall in walls:
        way = ring.point - wall.middle
        along = float(way @ wall.axis)
        if np.linalg.norm(way - along * wall.axis) <= tolerance and abs(along) > tolerance:
            axis = wall.axis if along > 0.0 else -wall.axis
            break
    return Feature(CIRCLE, ring.point, axis, ring.across, ring.radius)


def _area(face: Any) -> tuple[float, Floats]:
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, found)
    return found.Mass(), _xyz(found.CentreOfMass())


def _square_to(way: Floats) -> Floats:
    across = np.eye(3)[int(np.argmin(np.abs(way)))]
    across = across - (across @ way) / (way @ way) * way
    return np.asarray(across / np.linalg.norm(across))


def _near(a: Floats, b: Floats, tolerance: float) -> bool:
    return float(np.abs(a - b).max()) <= tolerance


def _xyz(at: Any) -> Floats:
    return np.array([at.X(), at.Y(), at.Z()])
