"""Menus over the Stage for what of a run is shown: arrows, paths, the motion, the ghost."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Protocol

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QInputDialog, QMenu, QPushButton, QWidget

from impeto.app.document import Document
from impeto.app.stage.trace import OWN
from impeto.app.stage.vectors import KINDS
from impeto.app.stage.view import StageView
from impeto.app.stage.views import Views
from impeto.core.elements import Frame, Joint
from impeto.core.model.element import GROUND

PICTURES = (0, 5, 10, 20)
MOST_LISTED = 12  # things that happened


class Panel(Protocol):
    """What the menus ask of what they stand over."""

    document: Document
    stage: StageView
    views: Views

    def show_on_stage(self, shown: list[str], name: str, on: bool) -> None: ...
    def colour_paths(self, by: str) -> None: ...


class RunMenus:
    """Each is made when it is asked for."""

    def __init__(self, panel: Panel) -> None:
        self.panel = panel

    def arrows(self, chip: QPushButton) -> None:
        """Kinds of arrows, then joints one by one."""
        vectors, menu = self.panel.stage.vectors, QMenu(chip.parentWidget())
        for title in KINDS:
            self._tick(menu, title, title in vectors.on, self._shows(vectors.on, title))
        menu.addSeparator()
        names = [joint.name for joint in self.panel.document.whole.of(Joint)]
        self._list(menu, names, vectors.joints)
        _open(menu, chip)

    def paths(self, chip: QPushButton) -> None:
        """Frames whose paths are shown, and what colours them."""
        menu, by = QMenu(chip.parentWidget()), self.panel.stage.traced_by
        self._choice(menu, "plain", not by, partial(self.panel.colour_paths, ""))
        for own in OWN:
            self._choice(
                menu, f"coloured by {own}", by == own, partial(self.panel.colour_paths, own)
            )
        further = menu.addAction("coloured by a channel …")
        assert further is not None
        further.setEnabled(self.panel.document.run is not None)
        further.triggered.connect(lambda _=False: self.ask_channel(chip))
        menu.addSeparator()
        frames = self.panel.document.whole.of(Frame)
        names = [frame.name for frame in frames if frame.body != GROUND]
        self._list(menu, names, self.panel.stage.paths)
        _open(menu, chip)

    def onion(self, chip: QPushButton) -> None:
        """How many pictures of the motion stand in one."""
        menu, now = QMenu(chip.parentWidget()), self.panel.stage.onion.count
        for count in PICTURES:
            text = f"{count} pictures along the motion" if count else "only the present instant"
            self._choice(menu, text, count == now, partial(self.show_along, count))
        _open(menu, chip)

    def show_along(self, count: int) -> None:
        """So many pictures along the motion, from A to B where they are set."""
        for stage in self.panel.views.all:
            stage.onion.count = count
            stage.show_present()

    def align(self, chip: QPushButton) -> None:
        """At what the ghost is in step with the run that is watched."""
        menu, ghost = QMenu(chip.parentWidget()), self.panel.stage.ghost
        self._choice(menu, "at the start", not ghost.aligned, partial(self.align_at, ""))
        for what in ghost.common()[:MOST_LISTED]:
            aligned = ghost.aligned == what
            self._choice(menu, f"at {what}", aligned, partial(self.align_at, what))
        _open(menu, chip)

    def align_at(self, what: str) -> None:
        """In step at something that happened in both runs, '' for the start."""
        for stage in self.panel.views.all:
            stage.ghost.aligned = what
            stage.show_present()

    def ask_channel(self, parent: QWidget) -> None:
        """Any channel of the run for the colour of paths."""
        run = self.panel.document.run
        if run is None:
            return
        name, taken = QInputDialog.getItem(
            parent, "Colour of paths", "By which channel or formula?", run.recording.channels()
        )
        if taken and (why := run.recording.complaint(name)):
            self.panel.document.complained.emit(why)
        elif taken:
            self.panel.colour_paths(name)

    def _shows(self, shown: list[str], name: str) -> Callable[[bool], None]:
        return lambda on: self.panel.show_on_stage(shown, name, on)

    def _list(self, menu: QMenu, names: Sequence[str], shown: list[str]) -> None:
        for name in names:
            self._tick(menu, name, name in shown, self._shows(shown, name))

    def _choice(self, menu: QMenu, text: str, on: bool, act: Callable[[], None]) -> None:
        self._tick(menu, text, on, lambda _on: act())

    def _tick(self, menu: QMenu, text: str, on: bool, act: Callable[[bool], None]) -> None:
        action = menu.addAction(text)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(act)


def _open(menu: QMenu, chip: QPushButton) -> None:
    menu.exec(chip.mapToGlobal(QPoint(0, chip.height() + 2)))
    menu.deleteLater()
