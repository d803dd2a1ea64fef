"""Another run in the same picture, faint, at the same instant."""

from __future__ import annotations

from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkRenderingCore import vtkActor

from impeto.app.document import Document, Run
from impeto.app.stage.scene import Scene
from impeto.app.stage.surfaces import make_faint, set_matrix
from impeto.core.results.poses import poses, present_at
from impeto.core.results.recording import Recording

FAINT = 0.3  # opacity


class Ghost:
    """The run that was shown before the one that is watched, where both are shown."""

    def __init__(self, scene: Scene, document: Document) -> None:
        self.scene, self.document = scene, document
        self.on, self.aligned = False, ""
        self._actors: dict[str, list[vtkActor]] = {}
        self._matrices: dict[str, vtkMatrix4x4] = {}

    @property
    def run(self) -> Run | None:
        """The run that there is a ghost of, None where only one is shown."""
        document, watched = self.document, self.document.run
        shown = document.shown
        others = [run for run in shown if run is not watched]
        return others[-1] if watched is not None and others else None

    def common(self) -> list[str]:
        """What has happened in both runs, for the first time each: where they can be aligned."""
        watched, other = self.document.run, self.run
        if watched is None or other is None:
            return []
        there = first_marks(other.recording)
        return [what for what in first_marks(watched.recording) if what in there]

    @property
    def shift(self) -> float:
        """How much later [s] it happens in the run that is watched."""
        if not self.aligned or self.aligned not in self.common():
            return 0.0
        watched, other = self.document.run, self.run
        assert watched is not None
        assert other is not None
        mine, its = first_marks(watched.recording), first_marks(other.recording)
        return mine[self.aligned] - its[self.aligned]

    def follow(self) -> None:
        """To the present instant, or its last one where it has ended before."""
        run = self.run if self.on else None
        if run is None:
            self.clear()
            return
        recording = run.recording
        moment = self.document.instant - self.shift
        moment = min(max(moment, 0.0), float(recording.time[-1]))
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
                make_faint(actor, FAINT)
            self._actors[name] = made
        return self._actors[name]

    def clear(self) -> None:
        """Nothing of it is left."""
        for actors in self._actors.values():
            for actor in actors:
                self.scene.drop(actor)
        self._actors, self._matrices = {}, {}


def first_marks(recording: Recording) -> dict[str, float]:
    """When [s] each thing happened first, by what it is."""
    found: dict[str, float] = {}
    for mark in recording.marks:
        found.setdefault(f"{mark.element}: {mark.text}", mark.time)
    return found
