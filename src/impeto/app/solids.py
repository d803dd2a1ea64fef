"""The solids of a run as triangles, for files: as the Stage draws them."""

from __future__ import annotations

import numpy as np
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkFiltersCore import vtkTriangleFilter

from impeto.app.stage.surfaces import shape_surface, without_end
from impeto.app.theme import body_colour
from impeto.core.elements import Body
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.scope import Scope
from impeto.core.results.recording import Recording
from impeto.services.moving_file import Solid


def solids_of(recording: Recording) -> dict[str, Solid]:
    """Every body that is drawn, copies too, in its own axes; floors without end are left out.
    Raises ModelError."""
    scope = Scope(recording.model, recording.case)
    masters = recording.system.mechanism.masters
    found = {}
    for body in scope.model.of(Body):
        shapes = [shape for shape in body.shapes if not without_end(shape)]
        if shapes and scope.on(body):
            pieces = [_triangles(shape_surface(scope, shape)) for shape in shapes]
            found[body.name] = Solid(_joined(pieces), body_colour(shapes[0].colour or body.colour))
    copies = {copy: found[name] for copy, name in masters.items() if name in found}
    return found | copies


def _triangles(surface: vtkPolyData) -> Triangles:
    plain = vtkTriangleFilter()
    plain.SetInputData(surface)
    plain.PassLinesOff()
    plain.PassVertsOff()
    plain.Update()
    made = plain.GetOutput()
    vertices = vtk_to_numpy(made.GetPoints().GetData()).astype(float)
    faces = vtk_to_numpy(made.GetPolys().GetConnectivityArray()).reshape(-1, 3)
    return Triangles(vertices, faces.astype(np.int64))


def _joined(pieces: list[Triangles]) -> Triangles:
    counts = np.cumsum([0, *(len(piece.vertices) for piece in pieces)])
    return Triangles(
        np.vstack([piece.vertices for piece in pieces]),
        np.vstack([piece.faces + first for piece, first in zip(pieces, counts, strict=False)]),
    )
