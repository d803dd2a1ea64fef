"""Solids of a STEP file: their triangles, their exact volumes and what they offer to point at.

This and its neighbours run in a process of their own (`child.py`), in millimetres until the end.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Tool
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepGProp import BRepGProp
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from impeto.core.bodies.exact import ExactSolid
from impeto.core.geometry.mass import NOTHING, MassProperties, together
from impeto.services.meshes import joined
from impeto.services.step.brep_features import features_of

Floats = npt.NDArray[np.float64]
MM = 0.001  # m
COARSE, BEND = 0.001, 0.3  # of the size; rad between two facets
REVERSED = TopAbs_Orientation.TopAbs_REVERSED
KINDS = TopAbs_ShapeEnum


def parts_of(shape: Any, kind: Any) -> Iterator[Any]:
    """Solids, faces or edges of a shape."""
    explorer = TopExp_Explorer(shape, kind)
    while explorer.More():
        yield explorer.Current()
        explorer.Next()


def solid_of(shape: Any) -> ExactSolid | None:
    """A shape [m] by its triangles, volume and features; None where it has no faces."""
    size = extent(shape)
    if size == 0.0:
        return None
    BRepMesh_IncrementalMesh(shape, COARSE * size, False, BEND, False)
    triangles = _triangles(shape)
    if triangles is None:
        return None
    surface = joined(*triangles)
    rough = ExactSolid(surface.vertices, surface.faces, _exact(shape), ()).scaled(MM)
    return replace(rough, features=tuple(features_of(shape, size)))


def extent(shape: Any) -> float:
    """The diagonal of the box around a shape [mm], 0 where there is nothing."""
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box, False)
    if box.IsVoid():
        return 0.0
    low, high = box.CornerMin(), box.CornerMax()
    return float(low.Distance(high))


def _triangles(shape: Any) -> tuple[Floats, npt.NDArray[np.int64]] | None:
    points, faces, count = [], [], 0
    for each in parts_of(shape, KINDS.TopAbs_FACE):
        face, place = TopoDS.Face(each), TopLoc_Location()
        found = BRep_Tool.Triangulation_s(face, place)
        if found is None:
            continue
        matrix = place.Transformation()
        nodes = [found.Node(k).Transformed(matrix) for k in range(1, found.NbNodes() + 1)]
        points += [(p.X(), p.Y(), p.Z()) for p in nodes]
        way = -1 if face.Orientation() == REVERSED else 1
        for k in range(1, found.NbTriangles() + 1):
            faces.append([count + n - 1 for n in found.Triangle(k).Get()][::way])
        count += found.NbNodes()
    if not faces:
        return None
    return np.array(points), np.array(faces, dtype=np.int64)


def _exact(shape: Any) -> MassProperties:
    """Volume [mm³], centre and inertia at a density of 1 of all solids in a shape; mere surfaces
    have none."""
    pieces = []
    for solid in parts_of(shape, KINDS.TopAbs_SOLID):
        found = GProp_GProps()
        BRepGProp.VolumeProperties_s(solid, found)
        volume, center, matrix = found.Mass(), found.CentreOfMass(), found.MatrixOfInertia()
        inertia = np.array([[matrix.Value(i, j) for j in (1, 2, 3)] for i in (1, 2, 3)])
        sign = 1.0 if volume >= 0.0 else -1.0  # one that is inside out
        at = np.array([center.X(), center.Y(), center.Z()])
        if volume != 0.0:
            pieces.append(MassProperties(sign * volume, at, sign * inertia))
    return together(pieces) if pieces else NOTHING


def area_of(shape: Any) -> float:
    """Area of a shape [mm²]."""
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found)
    return float(found.Mass())
