"""The one window: builds the parts and connects them."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint, QSettings, QSize, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QMainWindow,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from impeto.app import theme
from impeto.app.beside import Beside
from impeto.app.commands import ADD, BUILD, SELECTION, Commands, CommandSearch
from impeto.app.deck.deck import Deck
from impeto.app.deck.offering import offer_quantities
from impeto.app.desks import desk as desks
from impeto.app.desks.compare import ComparePanel
from impeto.app.desks.stage_panel import StagePanel
from impeto.app.desks.watch import WatchPanel
from impeto.app.document import Document
from impeto.app.file_actions import FileActions
from impeto.app.gestures import BARS
from impeto.app.jobs import Job, Preparation
from impeto.app.kept_views import KeptViews
from impeto.app.keys_page import KeysPage
from impeto.app.machines import Machines
from impeto.app.poses import Poses
from impeto.app.roster.roster import Roster
from impeto.app.run_strip import RunStrip
from impeto.app.running import Running
from impeto.app.selection import Selection
from impeto.app.sheet.health_card import HealthCard, framed
from impeto.app.sheet.sheet import Sheet
from impeto.app.stage.gesture import Gesture
from impeto.app.toast import Toast
from impeto.app.unit_choice import UnitChoice
from impeto.app.window_commands import fitting, window_commands
from impeto.core.results.recording import Recording

DECK_HEIGHT = 66  # px


class MainWindow(QMainWindow):
    """Strip, Roster, Stage, Sheet and Health (Build) or charts and Deck (Watch)."""

    def __init__(self, document: Document, settings: QSettings) -> None:
        super().__init__()
        self.document, self.settings = document, settings
        dark = settings.value("theme", "light") == "dark"
        self.look = theme.DARK if dark else theme.LIGHT
        theme.apply(_application(), self.look)
        self.files = FileActions(document, self, settings)
        self.desk = ""
        self.selection = Selection(document, self)
        self.running = Running(document, self, Machines(settings))
        self.poses = Poses(document, self)
        self.units = UnitChoice(settings, self)
        self.setAcceptDrops(True)
        self._build()
        self._connect()
        self.commands = Commands(window_commands(self), self, self.complain)
        self._resize_as_before()
        kept = settings.value("desk", "Build")
        self.show_desk(kept if kept in desks.DESKS else "Build")
        self.preparation = Preparation(self)
        self.preparation.ready.connect(self._ready)
        self.preparation.failed.connect(self.complain)
        QTimer.singleShot(0, self.preparation.start)

    def _resize_as_before(self) -> None:
        """To the size that it was closed with, as far as the screen has room."""
        size, screen = self.settings.value("size"), self.screen()
        wanted = size if isinstance(size, QSize) else QSize(1280, 800)
        self.resize(wanted.boundedTo(screen.availableSize()) if screen is not None else wanted)

    def _build(self) -> None:
        self.strip = RunStrip(self.document, self.look)
        self.roster = Roster(self.document, self.look, self.selection)
        self.stage_panel = StagePanel(self.document, self.look)
        self.stage = self.stage_panel.stage
        self.sheet = Sheet(self.document, self.look)
        self.health = HealthCard(self.document, self.look)
        self.watch = WatchPanel(self.document, self.look)
        self.compare = ComparePanel(self.document, self.look)
        self.deck = Deck(self.document, self.look)
        self.build_side = QWidget()
        side = QVBoxLayout(self.build_side)
        side.setContentsMargins(0, 0, 0, 0)
        side.setSpacing(0)
        side.addWidget(self.sheet, 1)
        side.addWidget(framed(self.health))
        self.split = QSplitter()
        self.split.setHandleWidth(1)
        self.parts: dict[str, QWidget] = {
            desks.ROSTER: self.roster, desks.STAGE: self.stage_panel, desks.SIDE: self.build_side,
            desks.CASES: self.compare, desks.CHARTS: self.watch, desks.DECK: self.deck,
        }  # fmt: skip
        for part in desks.SPLIT:
            self.split.addWidget(self.parts[part])
        self.split.setChildrenCollapsible(False)
        centre = QWidget()
        layout = QVBoxLayout(centre)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.strip)
        layout.addWidget(self.split, 1)
        layout.addWidget(self.deck)
        self.setCentralWidget(centre)
        self.toast = Toast(centre)

        self.beside = Beside(
            self, self.document, self.stage, self.watch, self.show_desk, self.tell, self.run_cases,
            self.running.machines,
        )  # fmt: skip

    def _connect(self) -> None:
        self.strip.desk_chosen.connect(self.show_desk)
        self.strip.run_asked.connect(self.run)
        self.strip.stop_asked.connect(self.stop)
        self.strip.menu_asked.connect(self._open_menu)
        self.document.complained.connect(self.complain)
        self.deck.playing_changed.connect(self.stage_panel.views.set_playing)
        self.running.began.connect(self.deck.pause)
        self.strip.follow(self.running)
        self.running.solved.connect(self._run_finished)
        self.running.grew.connect(self._run_grew)
        self.document.arranged = self.watch.arranged
        self.watch.seen.connect(self.deck.show_seen)
        self.watch.charted.connect(self.deck.flags.chart)
        self.deck.flags_asked.connect(lambda: self.beside.list_flags(self.deck.flags))
        self.views = KeptViews(self.document, self.stage_panel)
        self.views.told.connect(self.tell)
        self.stage_panel.view_chosen.connect(self.views.show)
        self.running.failed.connect(self.complain)
        self.document.model_changed.connect(self._title)
        self.health.checked.connect(self.stage_panel.map.set_health)
        self.files.told.connect(self.tell)
        self.stage_panel.hand.told.connect(self.tell)
        self.selection.told.connect(self.tell)
        self.poses.told.connect(self.tell)
        self.units.complained.connect(self.complain)
        self.units.changed.connect(self._show_anew)
        self.document.made.connect(lambda _name: self.rename())
        self.roster.addition_asked.connect(self._open_additions)
        self.roster.menu_asked.connect(self._open_context)
        self.roster.fields_asked.connect(self.open_fields)
        self.stage.menu_asked.connect(self._open_context)
        self.files.opened.connect(self.show_opened)
        self.files.watched.connect(self._show_run)
        self.stage_panel.begin_card.offer_ways(
            lambda: self.begin(BARS), self.files.importing.ask,
            lambda: self.files.open_demo("gang_saw"),
        )  # fmt: skip
        self.compare.run_asked.connect(self.run_cases)
        self.compare.studies_asked.connect(self.beside.studies)
        self.compare.follow(self.running)
        self._title()

    # what happens

    def show_desk(self, name: str) -> None:
        """One of desks.DESKS; the Stage, selection and instant stay."""
        self._keep_split()
        desk = desks.DESKS[name]
        self.desk = name
        self.strip.desk_buttons[name].setChecked(True)
        for part, widget in self.parts.items():
            widget.setVisible(desk.shows(part))
        self.stage_panel.set_building(desk.builds)
        kept = self.settings.value(f"split {name}")
        sizes = [int(size) for size in kept] if isinstance(kept, list) else desk.sizes
        self.split.setSizes(sizes if len(sizes) == len(desks.SPLIT) else desk.sizes)
        if self.toast.isVisible():
            self.toast.place(self._below_toast)

    def _keep_split(self) -> None:
        """How the present desk's parts share the width, for the next time."""
        if self.desk and self.isVisible():
            self.settings.setValue(f"split {self.desk}", self.split.sizes())

    @property
    def job(self) -> Job | None:
        """The run that goes on."""
        return self.running.job

    def run(self) -> None:
        """Solve the present case."""
        if self.preparation.done:
            self.running.run()

    def run_all(self) -> None:
        """Solve every case."""
        self.run_cases(list(self.document.model.cases))

    def run_cases(self, names: list[str]) -> None:
        if self.preparation.done:
            self.running.run_cases(names)

    def _show_anew(self) -> None:
        """All values, in other units."""
        self.roster.forget()
        self.document.model_changed.emit()
        self.document.runs_changed.emit()

    def set_end_time(self) -> None:
        self.strip.until.setFocus()
        self.strip.until.selectAll()

    def stop(self) -> None:
        self.running.stop()

    def show_help(self) -> None:
        self.beside.help(self.desk)

    def show_keys(self) -> None:
        """All keys and commands on one page."""
        self.beside.dialogs.open(KeysPage, lambda: KeysPage(self.commands, self.look, self))

    def _run_finished(self, recording: Recording) -> None:
        if len(recording.time) > 1:
            self.document.add_run(recording)
        if recording.stopped:
            self.complain(recording.stopped)
        self._show_run()
        self.watch.begin_with_a_few()

    def _run_grew(self, recording: Recording) -> None:
        if self.document.growing is None:
            self._show_run()
        self.document.grow(recording)

    def _show_run(self) -> None:
        self.watch.start_charts()
        if self.desk != desks.COMPARE.name:
            self.show_desk("Watch")

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Files from outside: models, recordings, meshes, tables."""
        assert event is not None
        data = event.mimeData()
        for url in data.urls() if data is not None else []:
            self.files.take(Path(url.toLocalFile()))

    def _ready(self) -> None:
        self.strip.set_ready()
        self.health.set_ready()

    def show_opened(self) -> None:
        self.stop()
        self.watch.clear()
        self.stage.vectors.clear()
        self.stage.paths.clear()
        self.stage.turned = False
        self.stage.set_view("oblique")
        self.show_desk("Build")

    def export_csv(self) -> None:
        self.files.export_csv(self.watch.table.channels)

    def begin(self, gesture: Gesture) -> None:
        """Build by pointing on the Stage."""
        self.show_desk("Build")
        self.stage_panel.begin(gesture)

    def rename(self) -> None:
        """The name in the Sheet, marked: typing replaces it."""
        self.sheet.edit_name()

    def open_fields(self) -> None:
        """The first field in the Sheet."""
        self.sheet.edit_fields()

    def _open_context(self, here: QPoint) -> None:
        """What can be done with the selection, what fits it first."""
        self._offer(here, SELECTION, BUILD, ADD)

    def _open_additions(self, here: QPoint) -> None:
        self._offer(here, ADD, BUILD)

    def _offer(self, here: QPoint, *groups: str) -> None:
        first = fitting(self.commands.listed, self.document)
        menu = self.commands.context_menu(first, groups, self)
        offer_quantities(menu, self.document, self._chart)
        menu.exec(here)
        menu.deleteLater()

    def _chart(self, name: str) -> None:
        self.show_desk("Watch")
        self.watch.add_channel(name)

    def find_in_roster(self) -> None:
        self.roster.search.setFocus()

    def find_channel(self) -> None:
        self.show_desk("Watch")
        self.watch.table.search.setFocus()

    def undo(self) -> None:
        self._undone(self.document.undo(), "Took back")

    def redo(self) -> None:
        self._undone(self.document.redo(), "Did again")

    def _undone(self, text: str, what: str) -> None:
        self.tell(f"{what}: {text}." if text else "There is nothing more to take back or do again.")

    def switch_theme(self) -> None:
        """Light to dark and back, kept for the next start."""
        self.look = theme.LIGHT if self.look is theme.DARK else theme.DARK
        self.settings.setValue("theme", self.look.name)
        theme.apply(_application(), self.look)
        for part in (
            self.strip, self.roster, self.stage_panel, self.sheet, self.health, self.watch,
            self.compare, self.deck,
        ):  # fmt: skip
            part.set_look(self.look)
        self.beside.dialogs.set_look(self.look)

    def search_commands(self) -> None:
        """By words; what is chosen is done."""
        dialog = self.beside.dialogs.ready(
            CommandSearch, lambda: CommandSearch(self.commands, self.look, self)
        )
        if dialog.exec() and dialog.chosen is not None:
            self.activateWindow()  # before anything there asks for the focus
            self.commands.do(dialog.chosen)

    def _open_menu(self) -> None:
        recent = [(path, partial(self._open_recent, path)) for path in self.files.recent()]
        menu = self.commands.menu(recent, self)
        menu.exec(self.strip.menu.mapToGlobal(QPoint(0, self.strip.menu.height() + 2)))
        menu.deleteLater()

    def _open_recent(self, path: str) -> None:
        self.files.open_path(Path(path))

    # messages

    def tell(self, text: str) -> None:
        """One sentence at the bottom, for a while."""
        self.toast.tell(text, self._below_toast)

    def complain(self, text: str) -> None:
        self.toast.tell(text, self._below_toast, times=2)

    @property
    def _below_toast(self) -> int:
        """px that the Deck takes where it is shown."""
        return DECK_HEIGHT if self.deck.isVisible() else 0

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Plain keys that no widget wanted: play, step, fit."""
        assert event is not None
        if not self.commands.key_pressed(event):
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.toast.isVisible():
            self.toast.place(self._below_toast)

    def _title(self) -> None:
        mark = "*" if self.document.dirty else ""
        self.setWindowTitle(f"{self.document.model.name}{mark} – Impeto")

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.files.may_leave():
            event.ignore()
            return
        self.deck.pause()
        for job in self.findChildren(Job):
            job.wait()
        self.beside.dialogs.close()
        self.health.stop()
        self.preparation.stop()
        self.stage_panel.views.finish()
        self._keep_split()
        self.settings.setValue("desk", self.desk)
        self.settings.setValue("size", self.size())
        event.accept()


def _application() -> QApplication:
    application = QApplication.instance()
    assert isinstance(application, QApplication)
    return application
