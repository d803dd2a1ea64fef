"""What can be done in the window, in the order of its menus."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import Protocol

from impeto.app.beside import Beside
from impeto.app.commands import BUILD, FILE, HELP, MODEL, RUN, VIEW, WATCH, Command
from impeto.app.deck.deck import Deck
from impeto.app.desks.desk import DESKS
from impeto.app.desks.stage_panel import StagePanel
from impeto.app.desks.watch import WatchPanel
from impeto.app.document import Document
from impeto.app.file_actions import FileActions
from impeto.app.gestures import (
    BARS,
    BENT,
    CHAIN,
    CONNECT,
    COUPLERS,
    FRAME,
    GAUGE,
    LOAD,
    MEASURE,
    MOVE,
    ON_JOINT,
    PASTE,
    SOLIDS,
    STRUNG,
    couple,
    on_joint,
    set_down,
    string,
)
from impeto.app.jobs import Job, Preparation
from impeto.app.kept_views import KeptViews
from impeto.app.new_elements import additions
from impeto.app.poses import Poses
from impeto.app.selection import Selection, selection_commands
from impeto.app.sheet.health_card import HealthCard
from impeto.app.stage.camera import VIEWS
from impeto.app.stage.gesture import Gesture
from impeto.app.stage.view import StageView
from impeto.app.unit_choice import UnitChoice
from impeto.core.elements import Body, Joint, Pose, View
from impeto.core.model import units
from impeto.core.model.unit_sets import OWN, SETS
from impeto.services import model_file
from impeto.services.step import reader


class Window(Protocol):
    """What the commands ask of the window."""

    document: Document
    files: FileActions
    preparation: Preparation
    stage: StageView
    stage_panel: StagePanel
    watch: WatchPanel
    deck: Deck
    selection: Selection
    health: HealthCard
    poses: Poses
    views: KeptViews
    units: UnitChoice
    beside: Beside

    @property
    def job(self) -> Job | None: ...
    def undo(self) -> None: ...
    def redo(self) -> None: ...
    def run(self) -> None: ...
    def run_all(self) -> None: ...
    def stop(self) -> None: ...
    def set_end_time(self) -> None: ...
    def show_desk(self, name: str) -> None: ...
    def switch_theme(self) -> None: ...
    def begin(self, gesture: Gesture) -> None: ...
    def rename(self) -> None: ...
    def open_fields(self) -> None: ...
    def find_in_roster(self) -> None: ...
    def find_channel(self) -> None: ...
    def export_csv(self) -> None: ...
    def search_commands(self) -> None: ...
    def show_keys(self) -> None: ...
    def show_help(self) -> None: ...
    def close(self) -> bool: ...


def window_commands(window: Window) -> list[Command]:
    """All commands of a window."""
    return [
        *_files(window), *_model(window),
        *selection_commands(window.selection, window.rename, window.open_fields),
        *_by_pointing(window), *additions(window.document), *_runs(window), *_views(window),
        *_watching(window),
        Command("Find a command", "Ctrl+K", window.search_commands, HELP),
        Command("Help", "F1", window.show_help, HELP),
        Command("Keys and commands", "Shift+F1", window.show_keys, HELP),
    ]  # fmt: skip


def _files(window: Window) -> list[Command]:
    files = window.files

    def nothing_run() -> str:
        ran = window.document.run is not None
        return "" if ran else "There is no run to save yet: run a case first."

    def has_reader() -> str:
        return "The STEP reader is installed." if reader.is_installed() else ""

    return [
        Command("New model", "Ctrl+N", files.new, FILE),
        Command("Open a model", "Ctrl+O", files.open, FILE),
        Command("Save", "Ctrl+S", files.save, FILE),
        Command("Save as", "Ctrl+Shift+S", files.save_as, FILE),
        Command("Save the recording", "", files.save_recording, FILE, nothing_run),
        Command("Read time histories from a CSV file", "Ctrl+I", files.import_csv, FILE),
        Command("Bring geometry in", "Ctrl+Shift+I", files.importing.ask, FILE),
        Command("Install the STEP reader", "", files.importing.install, FILE, has_reader),
        *(
            Command(f"Open demo {name}", "", partial(files.open_demo, name), FILE, within="Demos")
            for name in model_file.demo_names()
        ),
        Command("Close", "Ctrl+Q", window.close, FILE),
    ]


def _model(window: Window) -> list[Command]:
    document = window.document

    def nothing_done() -> str:
        return "" if document.can_undo else "There is nothing more to take back."

    def nothing_to_mend() -> str:
        return "" if window.health.mendable else "The Health card has nothing to mend."

    def nothing_undone() -> str:
        return "" if document.can_redo else "There is nothing to do again."

    return [
        Command("Undo", "Ctrl+Z", window.undo, MODEL, nothing_done),
        Command("Redo", "Ctrl+Shift+Z", window.redo, MODEL, nothing_undone),
        Command(
            "Take the first mend of the Health card",
            "Ctrl+Alt+M",
            window.health.first_mend,
            MODEL,
            nothing_to_mend,
        ),
        Command("Table of masses", "Ctrl+Shift+W", window.beside.masses, MODEL),
        Command("Find in the Roster", "Ctrl+F", window.find_in_roster, MODEL),
    ]


def _by_pointing(window: Window) -> list[Command]:
    """Gestures on the Stage."""

    def no_pose() -> str:
        chosen = window.document.model.elements.get(window.document.selected)
        return "" if isinstance(chosen, Pose) else "Select a pose in the Roster first."

    def nothing_measured() -> str:
        measured = window.stage_panel.hand.measured is not None
        return "" if measured else "Measure between two features first (Ctrl+Shift+M)."

    def gesture(title: str, keys: str, made: Gesture, within: str = "") -> Command:
        return Command(title, keys, partial(window.begin, made), BUILD, within=within)

    def family(
        titles: str, within: str, made: Callable[[str], Gesture], tags: Iterable[str], **keys: str
    ) -> list[Command]:
        """One for each kind; keys : of those that have any"""
        return [
            gesture(titles.format(units.article(tag)), keys.get(tag, ""), made(tag), within)
            for tag in tags
        ]

    return [
        gesture("Connect two features", "Ctrl+J", CONNECT),
        gesture("Draw bars from point to point", "Ctrl+B", BARS),
        gesture("Draw a bent bar or pipe along points", "Ctrl+Alt+B", BENT),
        *family("Set down {}", "Set down a solid", set_down, SOLIDS, box="Ctrl+Shift+B"),
        *family("Connect two features by {}", "Connect by", string, STRUNG),
        gesture("Paste at a place or feature", "Ctrl+V", PASTE),
        gesture("Repeat a body end to end", "Ctrl+Alt+E", CHAIN),
        gesture("Put a load on a feature", "Ctrl+Shift+F", LOAD),
        gesture("Put a frame on a feature", "Ctrl+Shift+J", FRAME),
        *family("Put {} on a joint", "Act on a joint", on_joint, ON_JOINT, drive="Ctrl+Shift+D"),
        *family("Couple two joints by {}", "Couple two joints", couple, COUPLERS),
        gesture("Move a body from feature to feature", "Ctrl+Shift+X", MOVE),
        Command("Keep the drawing as a pose", "Ctrl+Shift+P", window.poses.keep_drawing, BUILD),
        Command("Draw the selected pose", "", window.poses.draw, BUILD, no_pose),
        gesture("Measure between two features", "Ctrl+Shift+M", MEASURE),
        gesture("Put a gauge between two features", "Ctrl+Alt+D", string(GAUGE)),
        Command("Keep what was measured as a gauge", "Ctrl+Alt+K",
                window.stage_panel.hand.keep_measured, BUILD, nothing_measured),
    ]  # fmt: skip


def _runs(window: Window) -> list[Command]:
    document = window.document

    def unprepared() -> str:
        ready = window.preparation.done
        return "" if ready else "The solver is being prepared; this happens once."

    def busy() -> str:
        going = window.job is not None
        return unprepared() or ("A run is going on: stop it or let it end." if going else "")

    def idle() -> str:
        return "" if window.job is not None else "Nothing is being solved."

    def no_instant() -> str:
        ran = document.run is not None
        return "" if ran else "There is no run to take an instant from: run a case first."

    def no_shapes() -> str:
        drawn = any(body.shapes for body in document.model.of(Body))
        return "" if drawn else "No body has a shape yet: add shapes first."

    return [
        Command("Run this case", "Ctrl+R", window.run, RUN, busy),
        Command("Set the end time", "F6", window.set_end_time, RUN),
        Command("Run all cases", "Ctrl+Shift+R", window.run_all, RUN, busy),
        Command("Stop the run", "Ctrl+.", window.stop, RUN, idle),
        Command(
            "Natural frequencies and response", "Ctrl+M", window.beside.linear_view, RUN, unprepared
        ),
        Command("Try many values", "Ctrl+Alt+A", window.beside.studies, RUN, unprepared),
        Command("Where runs are solved", "Ctrl+Alt+N", window.beside.choose_machines, RUN),
        Command("Clearance between two bodies", "Ctrl+D", window.beside.clearance, RUN, no_shapes),
        Command(
            "Keep this instant as a start pose",
            "Ctrl+P",
            window.poses.keep_instant,
            RUN,
            no_instant,
        ),
    ]


def _views(window: Window) -> list[Command]:
    def no_body() -> str:
        return "" if window.stage_panel.followable else "Select the body that is to be followed."

    def no_view() -> str:
        chosen = window.document.model.elements.get(window.document.selected)
        return "" if isinstance(chosen, View) else "Select a view in the Roster first."

    return [
        *(
            Command(f"{desk.name} desk", desk.keys, partial(window.show_desk, desk.name), VIEW)
            for desk in DESKS.values()
        ),
        Command("Stage or Map", "Ctrl+G", window.stage_panel.swap, VIEW),
        Command("Fit all", "F", window.stage.fit, VIEW),
        Command(
            "Stand still with the selected body",
            "Ctrl+Alt+S",
            partial(window.stage_panel.follow, False),
            VIEW,
            no_body,
        ),
        Command(
            "Turn with the selected body",
            "Ctrl+Alt+T",
            partial(window.stage_panel.follow, True),
            VIEW,
            no_body,
        ),
        Command("Keep this view", "Ctrl+Alt+V", window.views.keep, VIEW),
        Command("Look as in the selected view", "", window.views.show_selected, VIEW, no_view),
        Command("Follow nothing", "", partial(window.stage_panel.follow, None), VIEW),
        *(
            Command(
                f"View from the {view}", f"Alt+{number}", partial(window.stage.set_view, view), VIEW
            )
            for number, view in enumerate(VIEWS, start=1)
        ),
        *(
            Command(f"Units: {name}", "", partial(window.units.choose, name), VIEW, within="Units")
            for name in (*SETS, OWN)
        ),
        Command("Light or dark", "Ctrl+Shift+L", window.switch_theme, VIEW),
    ]


def _watching(window: Window) -> list[Command]:
    deck = window.deck

    def no_run() -> str:
        return "" if window.document.run is not None else "There is no run yet: run a case first."

    def no_chart() -> str:
        return "" if window.watch.active is not None else "There is no chart yet."

    def no_shown() -> str:
        return no_run() or ("" if window.document.shown_runs else "Press the chip of a run first.")

    return [
        Command("Play or pause", "Space", deck.toggle, WATCH, no_run),
        Command("One step back", ",", partial(deck.step, -1), WATCH, no_run),
        Command("One step forward", ".", partial(deck.step, 1), WATCH, no_run),
        Command("Mark A here", "[", partial(deck.mark, False), WATCH, no_run),
        Command("Mark B here", "]", partial(deck.mark, True), WATCH, no_run),
        Command("Forget A and B", "Shift+X", partial(window.document.set_span, None, None), WATCH),
        Command(
            "Flags by kind",
            "Ctrl+Alt+L",
            partial(window.beside.list_flags, deck.flags),
            WATCH,
            no_run,
        ),
        Command(
            "Where energy comes from and goes to",
            "Ctrl+Alt+W",
            window.beside.energy_flow,
            WATCH,
            no_run,
        ),
        Command("New chart", "Ctrl+T", window.watch.add_chart, WATCH),
        Command("Find a channel", "Ctrl+L", window.find_channel, WATCH),
        Command("Film of this run", "Ctrl+Shift+E", window.beside.film, WATCH, no_run),
        Command("Report on what is shown", "Ctrl+Alt+R", window.beside.report, WATCH, no_shown),
        Command("Save the picture of the Stage", "", window.beside.picture, WATCH),
        Command("Save the picture of the chart", "", window.beside.chart_picture, WATCH, no_chart),
        Command("Export the charts' channels as CSV", "Ctrl+E", window.export_csv, WATCH, no_run),
    ]


def fitting(commands: Sequence[Command], document: Document) -> list[Command]:
    """What suits what is selected: drives for a joint, couplers for two, frames and loads for
    bodies."""
    kinds = [type(document.model[name]) for name in document.chosen]
    if not kinds:
        titles = ["Draw bars from point to point", "Set down a box", "Connect two features"]
    elif kinds == [Joint]:
        titles = [f"Put {units.article(t)} on a joint" for t in ON_JOINT]
    elif kinds == [Joint, Joint]:
        titles = [f"Couple two joints by {units.article(t)}" for t in COUPLERS]
    elif kinds[0] is Body:
        titles = ["Connect two features", "Put a load on a feature", "Put a frame on a feature"]
    else:
        titles = []
    return [command for command in commands if command.title in titles]
