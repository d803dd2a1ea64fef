"""The Compare desk: the table of cases with what is added to it, and their charts beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QPoint, QSignalBlocker, QTimer, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QMenu, QVBoxLayout, QWidget

from impeto.app.compare.differs import DiffersDialog
from impeto.app.compare.rows import BUILT_ON, SETTINGS, latest
from impeto.app.compare.table import CaseTable
from impeto.app.deck.dragging import dropped_channels, take_channels
from impeto.app.document import Document
from impeto.app.new_elements import add_case, add_case_on, free_stem
from impeto.app.running import Running
from impeto.app.selection import can_switch
from impeto.app.theme import Theme
from impeto.app.widgets import button, label, wrapped
from impeto.core.elements import FigureOf, HandCheck, Parameter
from impeto.core.errors import ModelError
from impeto.core.model import target_text
from impeto.core.model.element import Element
from impeto.core.model.judging import TITLES
from impeto.core.model.names import free_name
from impeto.services.workers.processes import get_ready

NO_CASE = "no case"


class ComparePanel(QWidget):
    """Cases side by side."""

    run_asked = pyqtSignal(list)  # names of cases
    stop_asked = pyqtSignal(str)  # a case that is being solved
    studies_asked = pyqtSignal()

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.document, self.look = document, look
        self.setAcceptDrops(True)
        self.differs: DiffersDialog | None = None
        self.table = CaseTable(document, look)
        self.all, self.stale = button("Run all", "run"), button("Run what is stale")
        self.reference = QComboBox()
        self.reference.setAccessibleName("Differences to")
        self.reference.textActivated.connect(self.set_reference)
        row = QHBoxLayout()
        for text, act in (
            ("+ case", lambda: add_case(document)), ("+ value", self.add_value),
            ("+ figure", lambda: self.add_figure()), ("+ target", self.add_target),
            ("+ check by hand", self.add_check),
        ):  # fmt: skip
            link = button(text, "link")
            link.setAccessibleName(f"Add: {text.removeprefix('+ ')}")
            link.clicked.connect(act)
            row.addWidget(link)
        row.addStretch()
        many = button("Try many values …", "link")
        many.clicked.connect(self.studies_asked)
        row.addWidget(many)
        row.addWidget(self.stale)
        row.addWidget(self.all)
        self.hint = wrapped("", "soft")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.setSpacing(8)
        layout.addWidget(self.table, 1)
        told = QHBoxLayout()
        told.addWidget(self.hint, 1)
        told.addWidget(label("differences to", "soft"))
        told.addWidget(self.reference)
        layout.addLayout(told)
        layout.addLayout(row)
        self.all.clicked.connect(lambda: self.run_asked.emit(list(document.model.cases)))
        self.stale.clicked.connect(lambda: self.run_asked.emit(self.table.outdated))
        self.table.run_asked.connect(lambda case: self.run_asked.emit([case]))
        self.table.case_menu_asked.connect(self._open_menu)
        for signal in (document.model_changed, document.case_changed, document.runs_changed):
            signal.connect(self.renew)

    def renew(self) -> None:
        """Where it is seen: judging all runs takes a moment."""
        if self.isVisible():
            cases = [NO_CASE, *self.document.model.cases]
            if cases != [self.reference.itemText(k) for k in range(self.reference.count())]:
                with QSignalBlocker(self.reference):
                    self.reference.clear()
                    self.reference.addItems(cases)
                    self.reference.setCurrentText(self.table.reference or NO_CASE)
            self.table.renew()
            old = self.table.outdated
            self.stale.setEnabled(bool(old))
            told = f"{', '.join(old)}: not solved as the model is now." if old else ""
            self.hint.setText(told)

    def set_reference(self, case: str) -> None:
        """The case to which figures tell their difference."""
        self.table.reference = "" if case == NO_CASE else case
        self.table.renew()

    def showEvent(self, event: object) -> None:
        QTimer.singleShot(0, get_ready)
        self.renew()

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.table.set_look(look)

    def follow(self, running: Running) -> None:
        """Show how far cases are solved, and end those that are to end."""
        self.stop_asked.connect(running.stop_case)
        running.advanced.connect(self.show_shares)
        running.ended.connect(lambda: self.show_shares({}))

    def show_shares(self, shares: dict[str, float]) -> None:
        """How far cases are solved."""
        if self.isVisible():
            self.table.show_shares(shares)

    # what is added

    def add_value(self) -> None:
        """A row for a parameter, switch or setting that no case changes yet."""
        model, listed = self.document.model, {row.name for row in self.table.rows}
        fit = [e for e in model.elements.values() if isinstance(e, Parameter) or can_switch(e)]
        titles = {row.title for row in self.table.rows}
        names = [element.name for element in fit if element.name not in listed]
        names += [title for title in (*SETTINGS.values(), BUILT_ON) if title not in titles]
        name = self._chosen("Value", "Which parameter or setting, or what to switch?", names)
        if name:
            self.table.further.append(name)
            self.renew()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        take_channels(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A channel, from the list beside the charts or from elsewhere: a figure of it."""
        for channel in dropped_channels(event):
            self.add_figure(channel)

    def add_figure(self, channel: str = "") -> None:
        """A number of a channel: which, and which number."""
        run = self.document.run
        known = run.recording.channels() if run is not None else []
        if not channel:
            channel = self._chosen("Figure", "Of which channel or formula?", known, typed=True)
        if not channel:
            return
        figure = self._chosen("Figure", f"Which number of {channel}?", list(TITLES))
        if figure:
            stem = free_stem(f"{channel.replace('.', '_')}_{figure}")
            self._add(FigureOf(name=self._free(stem), channel=channel, figure=figure))

    def add_target(self) -> None:
        """A limit on a figure, as text."""
        figure = self._figure("Target")
        text, taken = QInputDialog.getText(
            self, "Target", f"{figure} is to be …  (below 12 kN; between 1 Hz and 2 Hz; "
            "near 5 mm by 0.1 mm)",
        ) if figure else ("", False)  # fmt: skip
        if taken:
            name = self._free(f"{figure}_target")
            self._told(lambda: self._add(target_text.read(text, figure, name)))

    def add_check(self) -> None:
        """What a figure should be, worked out by hand."""
        figure = self._figure("Check by hand")
        text, taken = QInputDialog.getText(
            self, "Check by hand", f"What should {figure} be?  (2*pi*sqrt(l/9.81 m/s^2))"
        ) if figure else ("", False)  # fmt: skip
        if taken:
            name = self._free(f"{figure}_by_hand")
            self._told(lambda: self._add(HandCheck(name=name, figure=figure, value=text)))

    def _figure(self, title: str) -> str:
        figures = [figure.name for figure in self.document.model.of(FigureOf)]
        if not figures:
            self.document.complained.emit("Add a figure first: it is held against that.")
            return ""
        return self._chosen(title, "Of which figure?", figures)

    def _chosen(self, title: str, question: str, names: list[str], typed: bool = False) -> str:
        if not names and not typed:
            self.document.complained.emit("There is nothing more to choose from.")
            return ""
        name, taken = QInputDialog.getItem(self, title, question, names, 0, typed)
        return name.strip() if taken else ""

    def _free(self, stem: str) -> str:
        return free_name(self.document.model, stem)

    def _add(self, element: Element) -> None:
        model = self.document.model.with_element(element)
        self.document.edit(f"new {element.tag.replace('_', ' ')} {element.name}", model)

    # cases

    def _open_menu(self, case: str, here: QPoint) -> None:
        menu = self.menu_of(case)
        menu.exec(here)
        menu.deleteLater()

    def menu_of(self, case: str) -> QMenu:
        """What can be done with a case."""
        menu, going = QMenu(self), case in self.table.shares
        for text, act in (
            ("Stop this case", lambda: self.stop_asked.emit(case)) if going
            else ("Run this case", lambda: self.run_asked.emit([case])),
            ("What differs from its run", lambda: self.show_differences(case)),
            ("Duplicate", lambda: self.duplicate(case)),
            ("New case built on this", lambda: add_case_on(self.document, case)),
            ("Rename …", lambda: self._rename(case)),
            ("Move left", lambda: self.move_case(case, -1)),
            ("Move right", lambda: self.move_case(case, 1)), ("Remove", lambda: self.remove(case)),
        ):  # fmt: skip
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _=False, a=act: a())
        return menu

    def show_differences(self, case: str) -> None:
        """Between the model of the last run of a case and the model as it is."""
        run = latest(self.document).get(case)
        if run is None:
            self.document.complained.emit(f"{case} has not been solved yet: run it first.")
            return
        if self.differs is None:
            self.differs = DiffersDialog(self.document, self.look, self)
        self.differs.show_since(run.name)

    def duplicate(self, case: str) -> None:
        self.document.set_case(case)
        add_case(self.document)

    def _rename(self, case: str) -> None:
        name, taken = QInputDialog.getText(self, "Rename", "Name of the case", text=case)
        if taken and name != case:
            self._told(lambda: self.document.rename_case(case, name))

    def remove(self, case: str) -> None:
        self._told(lambda: self.document.remove_case(case))

    def move_case(self, case: str, by: int) -> None:
        """One place to the left or right."""
        cases = list(self.document.model.cases.values())
        at = [c.name for c in cases].index(case)
        to = min(max(at + by, 0), len(cases) - 1)
        cases.insert(to, cases.pop(at))
        moved = self.document.model.changed(cases=[replace(c) for c in cases])
        self.document.edit(f"order of case {case}", moved)

    def _told(self, act: Callable[[], None]) -> None:
        """Do it, or say why it cannot be."""
        try:
            act()
        except ModelError as error:
            self.document.complained.emit(str(error))
