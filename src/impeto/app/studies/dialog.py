"""Sweeps, sensitivities and best values, beside the work: set up, solved, looked at."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QProgressBar,
    QSplitter,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from impeto.app.dialog import Dialog
from impeto.app.document import Document
from impeto.app.machines import Machines
from impeto.app.sheet.line import Line
from impeto.app.studies.pictures import Picture
from impeto.app.studies.saying import (
    fit_said,
    points_told,
    rows_of,
    search_said,
    spread_of,
    sweep_said,
    titles_of,
)
from impeto.app.studies.setup import BEST, FIT, SCATTER, SLOPES, SWEEP, TRADE, Setup
from impeto.app.studies.solving import Prepared, SoFar, prepared
from impeto.app.theme import Theme
from impeto.app.widgets import button, label, plain_table, wrapped
from impeto.core.errors import FileError, ImpetoError, ModelError
from impeto.core.model import units
from impeto.core.model.cases import Case
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.results.recording import Recording
from impeto.core.studies.fitting import Fitted
from impeto.core.studies.optimum import History
from impeto.core.studies.point import Asked
from impeto.core.studies.sampling import effort
from impeto.core.studies.sensitivity import Indices, Slope
from impeto.core.studies.solved import Solved
from impeto.services.recording_file import open_recording
from impeto.services.studies import searching, tasks
from impeto.services.studies.searching import Found
from impeto.services.workers.processes import cores, get_ready

Floats = npt.NDArray[np.float64]
STEMS = {SWEEP: "sweep", SLOPES: "sweep", SCATTER: "scatter", BEST: "best", TRADE: "trade_off",
         FIT: "fit"}  # fmt: skip
REDRAW = 400  # ms between two pictures while runs go on
SHOWN = 2000  # rows of the table
MANY = 10_000  # runs from which Run is to be pressed twice
BUSY = 10  # times as long as a picture takes until the next one


class StudyDialog(Dialog):
    """Stays open beside the work. What is solved stays on disk: a sweep that is run again goes on
    where it was."""

    run_asked = pyqtSignal(list)  # cases that were made of points
    machines_asked = pyqtSignal()

    def __init__(
        self, document: Document, machines: Machines, look: Theme, parent: QWidget
    ) -> None:
        super().__init__("Try many values", look, parent)
        self.resize(1000, 720)
        self.document, self.machines = document, machines
        self.setup = Setup(document)
        self.go, self.keep = button("Run", "run"), button("Keep in the model")
        self.case = button("Best values as a case")
        self.where = button("", "link")
        self.where.setAccessibleName("Where runs are solved")
        self.folder = Line("")
        self.folder.setAccessibleName("Folder for recordings")
        self.folder.setPlaceholderText("no recordings are kept, or a folder for them")
        self.progress, self.told = QProgressBar(), wrapped("", "soft")
        self.view = QComboBox()
        self.view.setAccessibleName("Shown as")
        self.view.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.picture = Picture(look, self.pick)
        self.table = plain_table((), "Points")
        self.solved: Solved | None = None
        self.slopes: list[Slope] = []
        self.indices: list[Indices] = []
        self.found: Found | None = None
        self.fitted: tuple[Asked, Fitted] | None = None
        self.so_far = SoFar()
        self._folder = ""  # of the recordings of the sweep that is shown
        self._sure: Path | None = None  # of a sweep of many runs that was asked for once
        self._timer = QTimer(self)
        self._timer.setInterval(REDRAW)
        self._timer.timeout.connect(self._follow)
        self._lay_out()
        self.go.clicked.connect(self.run_or_stop)
        self.keep.clicked.connect(self.keep_study)
        self.case.clicked.connect(self.make_case)
        self.view.textActivated.connect(self.draw)
        self.setup.changed.connect(self._suit)
        self.where.clicked.connect(self.machines_asked)
        machines.changed.connect(self._suit)
        self.table.cellDoubleClicked.connect(lambda row, _column: self.open_point(row))

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        layout.addWidget(self.setup)
        row = QHBoxLayout()
        row.addWidget(self.go)
        row.addWidget(self.keep)
        row.addWidget(self.case)
        row.addWidget(self.where)
        row.addWidget(self.folder, 10)
        row.addStretch(1)
        row.addWidget(self.progress)
        layout.addLayout(row)
        layout.addWidget(self.told)
        shown = QHBoxLayout()
        shown.addWidget(label("shown as", "soft"))
        shown.addWidget(self.view)
        shown.addStretch()
        layout.addLayout(shown)
        both = QSplitter()
        both.addWidget(self.picture)
        both.addWidget(self.table)
        both.setSizes([620, 380])
        layout.addWidget(both, 1)
        self.progress.setMaximumWidth(160)
        self.progress.hide()
        self.case.hide()

    def renew(self) -> None:
        get_ready()
        self.setup.renew()
        self._suit()
        if not self.told.text():
            self.told.setText(
                "Add parameters and type the values that they take: 60 mm : 200 mm : 12, a list, "
                "uniform(60 mm, 80 mm) or normal(70 mm, 1 mm)."
            )

    def _suit(self) -> None:
        """What else matters for what is to be found."""
        self.where.setText(self.machines.said)
        self.folder.setVisible(self.setup.kind.currentText() == SWEEP)
        self.draw()

    def set_look(self, look: Theme) -> None:
        super().set_look(look)
        self.picture.set_look(look)
        self.draw()

    def complain(self, text: str) -> None:
        self._ended()
        self.told.setText(text)

    # running

    def run_or_stop(self) -> None:
        if self.job is not None:
            self.job.cancel()
            return
        where = self.machines.address or None
        self.so_far, self.found, self.slopes = SoFar(), None, []
        self.indices, self.fitted, self.solved = [], None, None
        self._folder = self.folder.text().strip()
        try:
            ready = prepared(self.document.model, self.setup, where, self.so_far, self._folder)
            self.told.setText(self._told_before(ready))
        except ImpetoError as error:
            self.told.setText(str(error))
            return
        self.solved = ready.whole
        self._views(ready.views)
        self.case.hide()
        if self.start(ready.task, self._show):
            assert self.job is not None
            self.job.progressed.connect(
                lambda share, *_: self.progress.setValue(round(100 * share))
            )
            self.progress.setValue(0)
            self.progress.show()
            self.go.setText("Stop")
            self._timer.start()

    def _told_before(self, ready: Prepared) -> str:
        """What is going to happen. Raises ModelError for very many runs asked for once."""
        if ready.whole is None:
            return ready.told
        said = self._effort(ready.whole)
        if len(ready.whole.values) > MANY and self._sure != ready.path:
            self._sure = ready.path
            raise ModelError(said, remedy="Press Run once more to begin")
        return f"{said}. {ready.told}"

    def _effort(self, whole: Solved) -> str:
        """How many runs, and how long they take by the last run of the case where there is one."""
        runs = [r.recording for r in self.document.runs if r.recording.case == whole.asked.case]
        if not runs:
            return f"{len(whole.values):,} runs"
        workers = cores()
        return effort(len(whole.values), runs[-1].statistics.wall_seconds, workers)

    def _follow(self) -> None:
        """What is solved so far."""
        if self.solved is not None and self.so_far.answers:
            self.solved = Solved(self.solved.asked, self.solved.points,
                                 MappingProxyType(dict(self.so_far.answers)))  # fmt: skip
        began = time.monotonic()
        self.draw()
        spent = round(1000 * (time.monotonic() - began))
        self._timer.setInterval(max(REDRAW, BUSY * spent))

    def _ended(self) -> None:
        self._timer.stop()
        self.progress.hide()
        self.go.setText("Run")

    def _show(self, result: Any) -> None:
        self._ended()
        if isinstance(result, Solved):
            self.solved = result
            self.told.setText(sweep_said(result))
        elif isinstance(result, Found):
            self.found, self.so_far.history = result, result.history
            self.told.setText(search_said(result))
            self.case.setVisible(not result.against)
        elif isinstance(result, tuple):
            self.fitted = result
            self.told.setText(fit_said(result[1]))
            self.case.show()
        elif result and isinstance(result[0], Indices):
            self.indices = result
            self.told.setText("Which parameter the scatter of the figure comes from (95 %).")
        else:
            self.slopes = result
            self.told.setText("Percent of the figure for one percent of each parameter.")
        self.draw()

    # what is shown

    def _views(self, names: list[str]) -> None:
        chosen = self.view.currentText()
        self.view.clear()
        self.view.addItems(names)
        if chosen in names:
            self.view.setCurrentText(chosen)

    def draw(self) -> None:
        """The picture that is chosen, of the figure that is chosen, and the table beside it."""
        kind, figure = self.setup.kind.currentText(), self.setup.figure.currentText()
        if kind == SWEEP and self.solved is not None:
            self.picture.show_solved(self.solved, self.view.currentText(), figure)
            self._tabulate(self.solved)
        elif kind == SLOPES and self.slopes:
            self.picture.show_slopes(self.slopes, figure)
            self._fill(["parameter", "% for 1 %", "±"], [
                [s.parameter, units.digits(s.elasticity, 3), units.digits(spread_of(s), 1)]
                for s in self.slopes if s.figure == figure
            ])  # fmt: skip
        elif kind == SCATTER and self.indices:
            own = next((i for i in self.indices if i.figure == figure), self.indices[0])
            self.picture.show_indices(own)
            self._fill(["parameter", "alone", "in all", "95 %"], [
                [name, f"{own.first[k]:.3f}", f"{own.total[k]:.3f}",
                 f"{own.low[1, k]:.2f} to {own.high[1, k]:.2f}"]
                for k, name in enumerate(own.parameters)
            ])  # fmt: skip
        elif kind == FIT and self.fitted is not None:
            asked, found = self.fitted
            self.picture.show_fit(asked.times, found.measured, found.curve, asked.channel)
            self._fill(["", "fitted", "± (95 %)"], [
                [s.name, s.told(found.values[k]), s.told(found.deviations[k])]
                for k, s in enumerate(asked.varied)
            ])  # fmt: skip
        elif kind in (BEST, TRADE) and self.so_far.history is not None:
            self._draw_search(kind, figure, self.so_far.history)

    def _draw_search(self, kind: str, figure: str, history: History) -> None:
        if not history.answers or (self.found and bool(self.found.against) != (kind == TRADE)):
            return
        if kind == TRADE:
            self.picture.show_front(history, (figure, self.setup.other.currentText()))
        else:
            kinds = next((a.kinds for a in history.answers if a.kinds), {})
            self.picture.show_history(history, figure, kinds.get(figure, "number"))
        if self.found is not None:
            self._fill(titles_of(self.found), rows_of(self.found))

    def _tabulate(self, solved: Solved) -> None:
        self._fill(["", *solved.names, *solved.figures], points_told(solved, SHOWN))

    def _fill(self, titles: list[str], rows: list[list[str]]) -> None:
        self.table.setColumnCount(len(titles))
        self.table.setHorizontalHeaderLabels(titles)
        self.table.setRowCount(len(rows))
        for row, texts in enumerate(rows):
            for column, text in enumerate(texts):
                self.table.setItem(row, column, QTableWidgetItem(text))

    def pick(self, number: int) -> None:
        """A point was clicked: its row."""
        found = self.found
        front = found.front if found is not None and found.against else []
        listed = front if self.solved is None else sorted(self.solved.answers)
        if number in listed and listed.index(number) < self.table.rowCount():
            self.table.selectRow(listed.index(number))

    # what follows from it

    def open_point(self, row: int) -> None:
        """The point of a row: its recording where that was kept, else as a case that is solved."""
        kind, found = self.setup.kind.currentText(), self.found
        if kind == TRADE and found is not None and found.against:
            values = found.history.values[found.front[row]]
            self._as_case(found.asked, values, f"{found.figure} {row + 1}")
        if kind != SWEEP or self.solved is None:
            return
        number = sorted(self.solved.answers)[row]
        kept = tasks.path_of(self._folder, number)
        if self._folder and kept.exists():
            self._open_kept(self.solved.model_at(number), self.solved.asked.case, kept,
                            f"Point {number}")  # fmt: skip
            return
        self._as_case(self.solved.asked, self.solved.values[number], f"Point {number}")

    def _open_kept(self, model: Model, case: str, path: Path, title: str) -> None:
        """A run from its file, if that is of this point: as one of a case of its own, so that it
        does not count as a run of the case that was varied."""

        def task(_progress: Callable[[float, float], bool]) -> Recording:
            recording = open_recording(path)
            if recording.model != model:
                raise FileError(
                    f"'{path}' is of another model than this point: choose another folder and run "
                    "the sweep again."
                )
            return replace(
                recording, model=model.with_case(Case(name=title, built_on=case)), case=title
            )

        if not self.start(task, self.document.add_run):
            self.told.setText("Recordings are opened once the runs have ended.")

    def make_case(self) -> None:
        """The best values as a case, solved in full."""
        if self.found is not None:
            best = self.found.history.values[self.found.history.best]
            self._as_case(self.found.asked, best, "Best")
        elif self.fitted is not None:
            self._as_case(self.fitted[0], self.fitted[1].values, "Fitted")

    def _as_case(self, asked: Asked, values: Floats, name: str) -> None:
        """A new case of the model as it is now, with the values (D,) of what varied, solved."""
        model = self.document.model
        if asked.case not in model.cases:
            self.told.setText(f"The case {asked.case} is not there any more.")
            return
        made = searching.with_case(replace(asked, model=model), values, name)
        new = list(made.cases)[-1]
        self.document.edit(f"new case {new}", made)
        self.run_asked.emit([new])

    def keep_study(self) -> None:
        """What is typed, as an element of the model."""
        model = self.document.model
        name = free_name(model, STEMS[self.setup.kind.currentText()])
        try:
            study = self.setup.study(name)
        except ImpetoError as error:
            self.told.setText(str(error))
            return
        self.document.edit(f"new {study.tag.replace('_', ' ')} {name}", model.with_element(study))
        self.told.setText(f"Kept in the model as {name}: it is saved with it.")
