"""A motion in one picture: the bodies at instants along it, faint, fainter the earlier."""

from __future__ import annotations

import numpy as np
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkRenderingCore import vtkActor

from impeto.app.document import Document, Run
from impeto.app.stage.scene import Scene
from impeto.app.stage.surfaces import make_faint, set_matrix
from impeto.core.elements import Body
from impeto.core.geometry.arrays import Floats
from impeto.core.model.element import GROUND
from impeto.core.model.model import Model
from impeto.core.results.poses import poses, present_at

FAINT, CLEAR = 0.06, 0.3  # opacity of the first and the last
MOST = 3000  # solids that are drawn in addition


class Onion:
    """count : pictures from A to B, or of the whole run, 0 for none. Of what is selected where
    that moves, else of everything."""

    def __init__(self, scene: Scene, document: Document) -> None:
        self.scene, self.document = scene, document
        self.count = 0
        self._actors: list[vtkActor] = []
        self._of: object = None
        self._run: Run | None = None
        self._model: Model | None = None

    def instants(self) -> Floats:
        """(count,) s."""
        run = self.document.run
        if run is None or self.count == 0:
            return np.zeros(0)
        end = float(run.recording.time[-1])
        a, b = self.document.span
        if a is not None and b is not None and max(a, 0.0) < min(b, end):
            return np.linspace(max(a, 0.0), min(b, end), self.count)
        return np.linspace(0.0, end, self.count)

    def names(self) -> list[str]:
        """Bodies that are shown along the motion."""
        there = [n for n in self.document.drawn.elements if n in self.scene.actors and n != GROUND]
        marked = [n for n in there if n in self.document.marked]
        bodies = marked or there
        return [n for n in bodies if isinstance(self.document.drawn[n], Body)]

    def follow(self) -> None:
        """Draw them anew where anything has changed."""
        run, instants, names = self.document.run, self.instants(), self.names()
        now, model = (tuple(instants), tuple(names)), self.document.model
        if self._run is run and self._model is model and now == self._of:
            return
        self.clear()
        self._of, self._run, self._model = now, run, model
        if run is None:
            return
        for moment, share in zip(instants, np.linspace(0.0, 1.0, len(instants)), strict=True):
            origins, rotations = poses(run.recording, float(moment))
            there = present_at(run.recording, float(moment))
            for name in names:
                row = run.recording.bodies.get(name, 0)
                if row and there.get(name, True) and len(self._actors) < MOST:
                    opacity = FAINT + (CLEAR - FAINT) * float(share)
                    self._add(name, origins[row], rotations[row], opacity)

    def _add(self, name: str, origin: Floats, rotation: Floats, opacity: float) -> None:
        matrix = vtkMatrix4x4()
        set_matrix(matrix, origin, rotation)
        for actor in self.scene.actors[name]:
            twin = self.scene.twin(actor, matrix)
            twin.SetVisibility(True)
            make_faint(twin, opacity)
            self._actors.append(twin)

    def clear(self) -> None:
        """Nothing of it is left."""
        for actor in self._actors:
            self.scene.drop(actor)
        self._actors, self._of = [], None
