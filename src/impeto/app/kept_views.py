"""Views that are kept with the model: the Stage as it is looked at, and looked at so again."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from impeto.app.desks.stage_panel import StagePanel
from impeto.app.document import Document
from impeto.app.stage.camera import stance
from impeto.app.stage.following import Pose, carried
from impeto.core.bodies.placement import pose_of, written
from impeto.core.elements import Body, View
from impeto.core.errors import ModelError
from impeto.core.model.looking import ITS_PLACE, ITS_TURNS, NOTHING
from impeto.core.model.names import free_name
from impeto.core.model.scope import Scope

FOLLOWS = {NOTHING: None, ITS_PLACE: False, ITS_TURNS: True}


class KeptViews(QObject):
    """Keeps and shows."""

    told = pyqtSignal(str)

    def __init__(self, document: Document, panel: StagePanel) -> None:
        super().__init__(panel)
        self.document, self.panel = document, panel

    def keep(self) -> None:
        """The present view under a name; one step of undo."""
        stage, name = self.panel.stage, free_name(self.document.model, "view")
        following, numbers, follows = stage.following, stance(stage.scene.camera), NOTHING
        if following.body:
            follows = ITS_TURNS if following.turns else ITS_PLACE
            now, drawn = stage.body_place(following.body), self._drawn(following.body)
            numbers = carried(numbers, now, drawn, following.turns)
        eye, looked_at, up = np.array(numbers).reshape(3, 3)
        view = View(
            name=name, position=written(eye, "length"), looks_at=written(looked_at, "length"),
            up=written(up, "number"), body=following.body or None, follows=follows,
        )  # fmt: skip
        self.document.make(f"new view {name}", self.document.model.with_element(view), name)

    def show(self, name: str) -> None:
        """Look from a view that is kept."""
        view = self.document.model.elements.get(name)
        if not isinstance(view, View):
            return
        try:
            scope = Scope(self.document.model, self.document.case)
            parts = (("position", "length"), ("looks_at", "length"), ("up", "number"))
            numbers = np.concatenate([scope.vector(view, *part) for part in parts])
            check_eye(view, numbers)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        turns = FOLLOWS[view.follows]
        body = view.body if turns is not None and view.body in scope.model.elements else None
        self.panel.stage.take_stance(list(map(float, numbers)))
        if body is None:
            self.panel.goes_with("", None)
        else:
            self.panel.goes_with(body, turns, self._drawn(body))
        self.told.emit(f"Seen as in {name}.")

    def _drawn(self, body: str) -> Pose:
        """Where a body is drawn, world."""
        scope = Scope(self.document.model, self.document.case)
        element = scope.model[body]
        assert isinstance(element, Body)
        return pose_of(scope, element)

    def show_selected(self) -> None:
        self.show(self.document.selected)


def check_eye(view: View, numbers: np.ndarray) -> None:
    """ModelError where a view looks nowhere."""
    ahead, up = numbers[3:6] - numbers[:3], numbers[6:]
    if np.linalg.norm(np.cross(ahead, up)) <= 1e-9 * np.linalg.norm(ahead):
        raise ModelError(
            "it looks nowhere, or along its way up", element=view.name, field="looks_at",
            remedy="Place it off the eye, and not straight above or below",
        )  # fmt: skip
