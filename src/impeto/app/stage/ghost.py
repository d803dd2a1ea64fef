"""Another run in the same picture, faint, at the same instant."""

from __future__ import annotations

from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkRenderingCore import vtkActor

from impeto.app.document import Document, Run
from impeto.app.stage.scene import Scene
from impeto.app.stage.surfaces import set_matrix
from impeto.core.results.poses import poses, present_at

FAINT = 0.3  # opacity


class Ghost:
    """The run that was shown before the one that is watched, where both are shown."""

    def __init__(self, scene: Scene, document: Document) -> None:
        self.scene, self.document = scene, document
        self.on = False
        self._actors: dict[str, list[vtkActor]] = {}
        self._matrices: dict[str, vtkMatrix4x4] = {}

    @property
    def run(self) -> Run | None:
        """The run that there is a ghost of, None where only one is shown."""
        document, watched = self.document, self.document.run
        shown = document.shown
        others = [run for run in shown if run is not watched]
        return others[-1] if watched is not None and others else None

    def follow(self) -> None:
        """To the present instant, or its last one where it has ended before."""
        run = self.run if self.on else None
        if run is None:
            self.clear()
            return
        recording = run.recording
        moment = min(self.document.instant, float(recording.time[-1]))
        origins, rotations = poses(recording, moment)
        there = present_at(recording, moment)
        for name, row in recording.bodies.items():
            if not row or name not in self.scene.actors:
                continue
            for actor in self._of(name):
                actor.SetVisibility(there.get(name, True))
            set_matrix(self._matrices[name], origins[row], rotations[row])
            self._matrices[name].Modified()

    def _of(self, name: str) -> list[vtkActor]:
        """The faint solids of a body, made when they are first wanted."""
        if name not in self._actors:
            matrix = self._matrices[name] = vtkMatrix4x4()
            made = [self.scene.twin(actor, matrix) for actor in self.scene.actors[name]]
            for actor in made:
                actor.PickableOff()
                actor.SetForceOpaque(False)
                actor.SetForceTranslucent(True)
                actor.GetProperty().SetOpacity(FAINT)
            self._actors[name] = made
        return self._actors[name]

    def clear(self) -> None:
        """Nothing of it is left."""
        for actors in self._actors.values():
            for actor in actors:
                self.scene.drop(actor)
        self._actors, self._matrices = {}, {}
