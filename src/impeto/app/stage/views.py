"""The Stage from one, two or four sides at once."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QGridLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from impeto.app.stage.camera import VIEWS
from impeto.app.stage.view import StageView
from impeto.app.theme import Theme
from impeto.app.widgets import button

COUNTS = {1: "one view", 2: "two views", 4: "four views"}
BESIDE = ("front", "top", "right")  # what the further ones begin with


class Views(QWidget):
    """The Stage, and others beside it that look at the same with cameras of their own. What is
    shown of a run is shown in all; one points and builds on the first."""

    def __init__(self, stage: StageView) -> None:
        super().__init__()
        self.stage, self.further = stage, list[StageView]()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setSpacing(1)
        self.grid.addWidget(stage, 0, 0)

    @property
    def all(self) -> list[StageView]:
        """Every one, the Stage itself first."""
        return [self.stage, *self.further]

    def split(self, count: int) -> None:
        """So many, one of COUNTS."""
        while len(self.all) > count:
            gone = self.further.pop()
            self.grid.removeWidget(gone)
            gone.hide()
            gone.finish()
            gone.deleteLater()
        while len(self.all) < count:
            self._add(BESIDE[len(self.further)])

    def _add(self, view: str) -> None:
        first, made = self.stage, StageView(self.stage.document, self.stage.look)
        made.setAccessibleName(f"Stage, view {len(self.all) + 1}")
        made.vectors, made.paths, made.traced_by = first.vectors, first.paths, first.traced_by
        made.show_badges, made.show_frames = first.show_badges, first.show_frames
        made.tells, made.skeleton, made.ghost.on = False, first.skeleton, first.ghost.on
        made.ghost.aligned, made.onion.count = first.ghost.aligned, first.onion.count
        chip = button(f"{view} ▾", "chip")
        chip.setAccessibleName(f"View {len(self.all) + 1} from")
        corner = QVBoxLayout(made)
        corner.addWidget(chip, 0, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignHCenter)
        chip.clicked.connect(lambda: self._choose(made, chip))
        made.view_changed.connect(lambda name: self._name(chip, name))
        made.menu_asked.connect(first.menu_asked)
        self.further.append(made)
        self.grid.addWidget(made, *divmod(len(self.further), 2))
        made.set_view(view)
        made.show_present()

    def _choose(self, stage: StageView, chip: QPushButton) -> None:
        menu = QMenu(chip)
        for view in VIEWS:
            action = menu.addAction(view)
            if action is not None:
                action.triggered.connect(lambda _=False, v=view: stage.set_view(v))
        menu.exec(chip.mapToGlobal(QPoint(0, chip.height() + 2)))
        menu.deleteLater()

    def _name(self, chip: QPushButton, view: str) -> None:
        chip.setText(f"{view} ▾")

    def set_look(self, look: Theme) -> None:
        for stage in self.all:
            stage.set_look(look)

    def set_playing(self, on: bool) -> None:
        """Badges step out of the picture while a run plays."""
        for stage in self.all:
            stage.set_playing(on)

    def refresh(self) -> None:
        for stage in self.all:
            stage.refresh()

    def finish(self) -> None:
        """Give the drawing memory back."""
        for stage in self.all:
            stage.finish()
