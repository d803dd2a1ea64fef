"""The Stage and the Map in one place, with their chips: the view, fit, badges, arrows, paths."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QStackedLayout, QWidget

from impeto.app.building import Building
from impeto.app.desks.run_menus import RunMenus
from impeto.app.document import Document
from impeto.app.gestures import CONNECT
from impeto.app.map.view import MapView
from impeto.app.stage.begin_card import BeginCard
from impeto.app.stage.camera import VIEWS
from impeto.app.stage.following import Pose
from impeto.app.stage.gesture import Gesture
from impeto.app.stage.pick_bar import PickBar
from impeto.app.stage.view import StageView
from impeto.app.stage.views import COUNTS, Views
from impeto.app.theme import Theme
from impeto.app.widgets import button
from impeto.core.elements import Body, View
from impeto.core.model.element import GROUND

SECTIONS: dict[str, int | None] = {
    "no section": None, "section square to x": 0, "section square to y": 1,
    "section square to z": 2,
}  # fmt: skip


FOLLOWS: dict[str, bool | None] = {
    "stand still with the selected body": False, "turn with the selected body": True,
    "follow nothing": None,
}  # fmt: skip


class StagePanel(QWidget):
    """Chips float at the top edge; the first two choose between the Stage and the Map."""

    view_chosen = pyqtSignal(str)  # of those that the model keeps

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.document = document
        self.stage = StageView(document, look)
        self.views = Views(self.stage)
        self.map = MapView(document, look)
        self.pages = QStackedLayout(self)
        self.pages.addWidget(self.views)
        self.pages.addWidget(self.map)
        self.building, self.chose_map = True, False
        self.folded: list[QPushButton] = []  # chips that have no room
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
        self.skeleton = button("skeleton", "chip")
        self.skeleton.setCheckable(True)
        self.handles = button("handles", "chip")
        self.handles.setCheckable(True)
        self.ghost = button("ghost", "chip")
        self.ghost.setCheckable(True)
        self.section = button("section ▾", "chip")
        self.arrow = button("arrows ▾", "chip")
        self.path = button("+ path", "chip")
        self.onion, self.align = button("along ▾", "chip"), button("align ▾", "chip")
        self.split = button("views ▾", "chip")
        for chip, name in (
            (self.to_stage, "Show the Stage"), (self.to_map, "Show the Map"),
            (self.view, "Standard views"), (self.fit, "Fit all (F)"),
            (self.badges, "Show joints"), (self.frames, "Show frames"),
            (self.connect_chip, "Connect two features (Ctrl+J)"),
            (self.skeleton, "Sticks, joints and centres of mass in place of solids"),
            (self.handles, "Move and turn the selected body by handles"),
            (self.ghost, "The other shown run, faint, at the same instant"),
            (self.section, "Cut everything by a plane"),
            (self.arrow, "Show forces, torques, speeds and accelerations as arrows"),
            (self.path, "Show the path of a frame"),
            (self.onion, "The motion in one picture: bodies at instants along it"),
            (self.align, "The ghost in step with this run at something that happened in both"),
            (self.split, "One, two or four views of the same"),
        ):  # fmt: skip
            chip.setToolTip(name)
            chip.setAccessibleName(name)
            row.addWidget(chip)
        self.more = button("more ▾", "chip")
        self.more.setAccessibleName("Further chips")
        self.more.clicked.connect(self._choose_more)
        row.addWidget(self.more)
        row.addStretch()
        self.to_stage.clicked.connect(lambda: self.show_map(False))
        self.to_map.clicked.connect(lambda: self.show_map(True))
        self.view.clicked.connect(self._choose_view)
        self.fit.clicked.connect(lambda: (self.map if self.mapped else self.stage).fit())
        self.badges.toggled.connect(self._show_badges)
        self.frames.toggled.connect(self._show_frames)
        self.skeleton.toggled.connect(self._show_skeleton)
        self.handles.toggled.connect(self._show_handles)
        self.ghost.toggled.connect(self._show_ghost)
        self.section.clicked.connect(self._choose_section)
        self.connect_chip.clicked.connect(self._toggle_connecting)
        self.stage.pointing.changed.connect(self._follow_gesture)
        self.bar = PickBar(self.stage, self.stage.pointing, self.stage)
        self.begin_card = BeginCard(self.stage)
        self.hand = Building(document, self.stage, self.bar.extra.text)
        self.menus = RunMenus(self)
        self.arrow.clicked.connect(lambda: self.menus.arrows(self.arrow))
        self.path.clicked.connect(lambda: self.menus.paths(self.path))
        self.onion.clicked.connect(lambda: self.menus.onion(self.onion))
        self.align.clicked.connect(lambda: self.menus.align(self.align))
        self.split.clicked.connect(self._choose_split)
        self.stage.view_changed.connect(lambda view: self.view.setText(f"{view} ▾"))
        document.runs_changed.connect(self._follow)
        self._follow()

    def resizeEvent(self, event: object) -> None:
        self.chips.setGeometry(0, 0, self.width(), 34)
        self._follow()
        self.bar.place()
        self.begin_card.follow()

    def begin(self, gesture: Gesture) -> None:
        """Ask on the Stage for what a gesture takes."""
        if self.mapped:
            self.swap()
        for run in self.document.runs:
            self.document.show_run(run.name, False)
        self.stage.setFocus()
        self.hand.begin(gesture)

    def _toggle_connecting(self) -> None:
        pointing = self.stage.pointing
        if pointing.gesture == CONNECT:
            pointing.begin(None)
        else:
            self.begin(CONNECT)

    def _follow_gesture(self) -> None:
        self.connect_chip.setChecked(self.stage.pointing.gesture == CONNECT)

    @property
    def mapped(self) -> bool:
        """Whether the Map is in the place of the Stage."""
        return self.building and self.chose_map

    def show_map(self, on: bool) -> None:
        """The Map in place of the Stage, or the Stage again."""
        self.chose_map = on
        (self.to_map if on else self.to_stage).setChecked(True)
        self.pages.setCurrentWidget(self.map if self.mapped else self.views)
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
        for chip in (
            self.view, self.badges, self.frames, self.skeleton, self.section, self.split,
        ):  # fmt: skip
            chip.setVisible(not self.mapped)
        self.handles.setVisible(self.building and not self.mapped)
        self.connect_chip.setVisible(self.building and not self.mapped)
        for chip in (self.arrow, self.path, self.onion):
            chip.setVisible(self.document.run is not None and not self.mapped)
        other = self.stage.ghost.run
        self.ghost.setVisible(other is not None and not self.building)
        if other is not None:
            self.ghost.setText(f"ghost: {other.name}")
        self.align.setVisible(self.stage.ghost.on and bool(self.stage.ghost.common()))
        self.fit.setVisible(True)
        self._fold()

    def _fold(self) -> None:
        """Chips that have no room go into a menu at the end, the last first."""
        chips = [
            self.to_stage, self.to_map, self.view, self.fit, self.badges, self.connect_chip,
            self.ghost, self.align, self.arrow, self.path, self.frames, self.handles, self.onion,
            self.split, self.skeleton, self.section,
        ]  # fmt: skip
        wanted = [chip for chip in chips if not chip.isHidden()]
        self.folded = []
        room = self.width() - 24 - 6
        while len(wanted) > 1 and sum(c.sizeHint().width() + 6 for c in wanted) > room:
            chip = wanted.pop()
            chip.hide()
            self.folded.append(chip)
            room = self.width() - 24 - self.more.sizeHint().width() - 12
        self.more.setVisible(bool(self.folded))

    def _choose_more(self) -> None:
        menu = QMenu(self)
        for chip in reversed(self.folded):
            action = menu.addAction(chip.text())
            assert action is not None
            action.setCheckable(chip.isCheckable())
            action.setChecked(chip.isChecked())
            action.triggered.connect(chip.click)
        menu.exec(self.more.mapToGlobal(QPoint(0, self.more.height() + 2)))

    def _show_badges(self, on: bool) -> None:
        for stage in self.views.all:
            stage.show_badges = on
            stage.refresh()

    def _show_frames(self, on: bool) -> None:
        for stage in self.views.all:
            stage.show_frames = on
            stage.refresh()

    def _show_skeleton(self, on: bool) -> None:
        for stage in self.views.all:
            stage.set_skeleton(on)

    def _choose_split(self) -> None:
        menu = QMenu(self)
        for count, text in COUNTS.items():
            action = menu.addAction(text)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(count == len(self.views.all))
            action.triggered.connect(lambda _=False, n=count: self.views.split(n))
        menu.exec(self.split.mapToGlobal(QPoint(0, self.split.height() + 2)))

    def _show_handles(self, on: bool) -> None:
        self.stage.handles.on = on
        self.stage.refresh()

    def _show_ghost(self, on: bool) -> None:
        for stage in self.views.all:
            stage.ghost.on = on
            stage.show_present()
        self._follow()

    def _choose_section(self) -> None:
        """A plane square to an axis through the middle, or none; Ctrl and the wheel shift it."""
        menu = QMenu(self)
        for text in SECTIONS:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _=False, t=text: self.cut(t))
        menu.exec(self.section.mapToGlobal(QPoint(0, self.section.height() + 2)))

    def cut(self, text: str) -> None:
        """One of SECTIONS."""
        self.section.setText("section ▾" if SECTIONS[text] is None else f"{text} ▾")
        for stage in self.views.all:
            stage.scene.cut(SECTIONS[text])
            stage.refresh()

    def _choose_view(self) -> None:
        menu = QMenu(self)
        for view in VIEWS:
            action = menu.addAction(view)
            assert action is not None
            action.triggered.connect(lambda _=False, v=view: self.stage.set_view(v))
        for kept in self.document.model.of(View):
            action = menu.addAction(kept.name)
            assert action is not None
            action.triggered.connect(lambda _=False, n=kept.name: self.view_chosen.emit(n))
        menu.addSeparator()
        for text, turns in FOLLOWS.items():
            action = menu.addAction(text)
            assert action is not None
            action.setEnabled(bool(self.followable))
            action.triggered.connect(lambda _=False, t=turns: self.follow(t))
        menu.exec(self.view.mapToGlobal(QPoint(0, self.view.height() + 2)))

    @property
    def followable(self) -> str:
        """The selected body, by the name that it has on the Stage, or that something is on."""
        for name in self.document.marked:
            if isinstance(self.document.whole.elements.get(name), Body) and name != GROUND:
                return name
        return self.stage.following.body

    def follow(self, turns: bool | None) -> None:
        """Stand still with the selected body, or turn with it; None: in the world again."""
        self.goes_with(self.followable if turns is not None else "", turns)

    def goes_with(self, body: str, turns: bool | None, at: Pose | None = None) -> None:
        """The same with a body, as if it had been at a pose when the view was chosen."""
        self.stage.following.choose(body, bool(turns), at)
        self.stage.show_present()
        how = {None: "", False: f", still with {body}", True: f", turning with {body}"}[turns]
        self.view.setText(f"{self.stage.view}{how} ▾")
        self._fold()

    def show_on_stage(self, shown: list[str], name: str, on: bool) -> None:
        """Add or take away an arrow or a path."""
        if on and name not in shown:
            shown.append(name)
        elif not on and name in shown:
            shown.remove(name)
        self.views.refresh()

    def colour_paths(self, by: str) -> None:
        """Colour the paths by a channel, '' to leave them plain; see trace.paint_traces."""
        for stage in self.views.all:
            stage.traced_by = by
            stage.refresh()

    def set_look(self, look: Theme) -> None:
        self.views.set_look(look)
        self.map.set_look(look)
