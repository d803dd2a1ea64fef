"""The Stage and the Map in one place, with their chips: the view, fit, badges, arrows, paths."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QStackedLayout, QWidget

from impeto.app.document import Document
from impeto.app.map.view import MapView
from impeto.app.stage.camera import VIEWS
from impeto.app.stage.view import StageView
from impeto.app.theme import Theme
from impeto.app.widgets import button
from impeto.core.elements import Frame, Joint


class StagePanel(QWidget):
    """Chips float at the top edge; the first two choose between the Stage and the Map."""

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.document = document
        self.stage = StageView(document, look)
        self.map = MapView(document, look)
        self.pages = QStackedLayout(self)
        self.pages.addWidget(self.stage)
        self.pages.addWidget(self.map)
        self.building, self.chose_map = True, False
        self.chips = QWidget(self)
        row = QHBoxLayout(self.chips)
        row.setContentsMargins(12, 10, 12, 0)
        row.setSpacing(6)
        self.to_stage, self.to_map = button("Stage", "chip"), button("Map", "chip")
        for chip in (self.to_stage, self.to_map):
            chip.setCheckable(True)
            chip.setAutoExclusive(True)
        self.to_stage.setChecked(True)
        self.view = button("oblique ▾", "chip")
        self.fit = button("fit", "chip")
        self.badges = button("joints", "chip")
        self.badges.setCheckable(True)
        self.badges.setChecked(True)
        self.frames = button("frames", "chip")
        self.frames.setCheckable(True)
        self.connect_chip = button("connect", "chip")
        self.connect_chip.setCheckable(True)
        self.arrow = button("+ force arrow", "chip")
        self.path = button("+ path", "chip")
        for chip, name in (
            (self.to_stage, "Show the Stage"), (self.to_map, "Show the Map"),
            (self.view, "Standard views"), (self.fit, "Fit all (F)"),
            (self.badges, "Show joints"), (self.frames, "Show frames"),
            (self.connect_chip, "Connect two features (Ctrl+J)"),
            (self.arrow, "Show the force of a joint"),
            (self.path, "Show the path of a frame"),
        ):  # fmt: skip
            chip.setToolTip(name)
            chip.setAccessibleName(name)
            row.addWidget(chip)
        row.addStretch()
        self.to_stage.clicked.connect(lambda: self.show_map(False))
        self.to_map.clicked.connect(lambda: self.show_map(True))
        self.view.clicked.connect(self._choose_view)
        self.fit.clicked.connect(lambda: (self.map if self.mapped else self.stage).fit())
        self.badges.toggled.connect(self._show_badges)
        self.frames.toggled.connect(self._show_frames)
        self.connect_chip.toggled.connect(self.stage.pointing.set_connecting)
        self.stage.pointing.ended.connect(lambda: self.connect_chip.setChecked(False))
        self.arrow.clicked.connect(lambda: self._choose(self.arrow, Joint, self.stage.arrows))
        self.path.clicked.connect(lambda: self._choose(self.path, Frame, self.stage.paths))
        self.stage.view_changed.connect(lambda view: self.view.setText(f"{view} ▾"))
        document.runs_changed.connect(self._follow)
        self._follow()

    def resizeEvent(self, event: object) -> None:
        self.chips.setGeometry(0, 0, self.width(), 34)

    @property
    def mapped(self) -> bool:
        """Whether the Map is in the place of the Stage."""
        return self.building and self.chose_map

    def show_map(self, on: bool) -> None:
        """The Map in place of the Stage, or the Stage again."""
        self.chose_map = on
        (self.to_map if on else self.to_stage).setChecked(True)
        self.pages.setCurrentWidget(self.map if self.mapped else self.stage)
        self._follow()
        self.chips.raise_()

    def set_building(self, on: bool) -> None:
        """Watch plays on the Stage; Build has what was chosen there."""
        self.building = on
        self.show_map(self.chose_map)

    def swap(self) -> None:
        """From the Stage to the Map or back."""
        self.show_map(self.building and not self.chose_map)

    def _follow(self) -> None:
        for chip in (self.to_stage, self.to_map):
            chip.setVisible(self.building)
        for chip in (self.view, self.badges, self.frames):
            chip.setVisible(not self.mapped)
        self.connect_chip.setVisible(self.building and not self.mapped)
        for chip in (self.arrow, self.path):
            chip.setVisible(self.document.run is not None and not self.mapped)

    def _show_badges(self, on: bool) -> None:
        self.stage.show_badges = on
        self.stage.refresh()

    def _show_frames(self, on: bool) -> None:
        self.stage.show_frames = on
        self.stage.refresh()

    def _choose_view(self) -> None:
        menu = QMenu(self)
        for view in VIEWS:
            action = menu.addAction(view)
            assert action is not None
            action.triggered.connect(lambda _=False, v=view: self.stage.set_view(v))
        menu.exec(self.view.mapToGlobal(QPoint(0, self.view.height() + 2)))

    def _choose(self, chip: QPushButton, kind: type[Joint] | type[Frame], shown: list[str]) -> None:
        """A menu of joints or frames, ticked where shown."""
        menu = QMenu(self)
        elements: list[Joint | Frame] = [*self.document.model.of(kind)]
        for element in elements:
            if isinstance(element, Frame) and element.body == "ground":
                continue
            action = menu.addAction(element.name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(element.name in shown)
            action.toggled.connect(lambda on, n=element.name: self.show_on_stage(shown, n, on))
        menu.exec(chip.mapToGlobal(QPoint(0, chip.height() + 2)))

    def show_on_stage(self, shown: list[str], name: str, on: bool) -> None:
        """Add or take away an arrow or a path."""
        if on and name not in shown:
            shown.append(name)
        elif not on and name in shown:
            shown.remove(name)
        self.stage.refresh()

    def set_look(self, look: Theme) -> None:
        self.stage.set_look(look)
        self.map.set_look(look)
