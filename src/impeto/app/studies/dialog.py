"""Sweeps, sensitivities and best values, beside the work: set up, solved, looked at."""

from __future__ import annotations

import os
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
from impeto.app.sheet.line import Line
from impeto.app.studies.pictures import Picture, views_of
from impeto.app.studies.saying import (
    fit_said,
    points_told,
    rows_of,
    search_said,
    spread_of,
    sweep_said,
)
from impeto.app.studies.setup import BEST, FIT, SCATTER, SLOPES, SWEEP, Setup
from impeto.app.theme import Theme
from impeto.app.widgets import button, label, plain_table, wrapped
from impeto.core.elements import Fit, Optimisation, ParameterSweep
from impeto.core.errors import ImpetoError, ModelError
from impeto.core.model import units
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.studies.fitting import Fitted
from impeto.core.studies.optimum import History
from impeto.core.studies.point import Answer, Asked
from impeto.core.studies.sampling import effort
from impeto.core.studies.sensitivity import Indices, Slope
from impeto.core.studies.solved import Solved
from impeto.services.caches import made_folder
from impeto.services.studies import searching, sweeping
from impeto.services.studies.searching import Found

Floats = npt.NDArray[np.float64]
STEMS = {SWEEP: "sweep", SLOPES: "sweep", SCATTER: "scatter", BEST: "best", FIT: "fit"}
REDRAW = 400  # ms between two pictures while runs go on
SHOWN = 2000  # rows of the table
MANY = 10_000  # runs from which Run is to be pressed twice
BUSY = 10  # times as long as a picture takes until the next one


class StudyDialog(Dialog):
    """Stays open beside the work. What is solved stays on disk: a sweep that is run again goes on
    where it was."""

    run_asked = pyqtSignal(list)  # cases that were made of points

    def __init__(self, document: Document, look: Theme, parent: QWidget) -> None:
        super().__init__("Try many values", look, parent)
        self.resize(1000, 720)
        self.document = document
        self.setup = Setup(document)
        self.go, self.keep = button("Run", "run"), button("Keep in the model")
        self.case = button("Best values as a case")
        self.address = Line("")
        self.address.setAccessibleName("Dask scheduler")
        self.address.setPlaceholderText("on this machine, or tcp://… of a Dask scheduler")
        self.progress, self.told = QProgressBar(), wrapped("", "soft")
        self.view = QComboBox()
        self.view.setAccessibleName("Shown as")
        self.picture = Picture(look, self.pick)
        self.table = plain_table((), "Points")
        self.solved: Solved | None = None
        self.slopes: list[Slope] = []
        self.indices: list[Indices] = []
        self.found: Found | None = None
        self.fitted: tuple[Asked, Fitted] | None = None
        self._answers: dict[int, Answer] = {}
        self._history: History | None = None
        self._sure: Path | None = None  # of a sweep of many runs that was asked for once
        self._timer = QTimer(self)
        self._timer.setInterval(REDRAW)
        self._timer.timeout.connect(self._follow)
        self._lay_out()
        self.go.clicked.connect(self.run_or_stop)
        self.keep.clicked.connect(self.keep_study)
        self.case.clicked.connect(self.make_case)
        self.view.textActivated.connect(self.draw)
        self.setup.changed.connect(self.draw)
        self.table.cellDoubleClicked.connect(lambda row, _column: self.open_point(row))

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        layout.addWidget(self.setup)
        row = QHBoxLayout()
        row.addWidget(self.go)
        row.addWidget(self.keep)
        row.addWidget(self.case)
        row.addWidget(self.address, 1)
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
        self.setup.renew()
        if not self.told.text():
            self.told.setText(
                "Add parameters and type the values that they take: 60 mm : 200 mm : 12, a list, "
                "uniform(60 mm, 80 mm) or normal(70 mm, 1 mm)."
            )

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
        model, where = self.document.model, self.address.text().strip() or None
        kind = self.setup.kind.currentText()
        self._answers, self._history, self.found, self.slopes = {}, None, None, []
        self.indices, self.fitted = [], None
        try:
            study = self.setup.study()
            vary = {v.parameter: v.values for v in study.vary}
            if kind == SLOPES:
                task = self._slopes_task(model, vary, where)
            elif kind == SCATTER:
                task = self._scatter_task(model, vary, where)
            elif isinstance(study, Fit):
                task = self._fit_task(model, study, where)
            elif isinstance(study, Optimisation):
                task = self._search_task(model, study, where)
            else:
                task = self._sweep_task(model, study, where)
        except ImpetoError as error:
            self.told.setText(str(error))
            return
        self.case.hide()
        if self.start(task, self._show):
            assert self.job is not None
            self.job.progressed.connect(
                lambda share, *_: self.progress.setValue(round(100 * share))
            )
            self.progress.setValue(0)
            self.progress.show()
            self.go.setText("Stop")
            self._timer.start()

    def _sweep_task(self, model: Model, study: ParameterSweep, where: str | None) -> Any:
        whole = sweeping.asked_of(model, study)
        self.solved = whole
        path = Path(made_folder("studies", sweeping.key_of(whole).encode())) / "points.study"
        said = self._effort(whole)
        if len(whole.values) > MANY and self._sure != path:
            self._sure = path
            raise ModelError(said, remedy="Press Run once more to begin")
        self.told.setText(f"{said}. Each is kept as soon as it is solved: stop, go on as you like.")
        self._views(views_of(whole))

        def task(progress: Callable[[float, float], bool]) -> Solved:
            def told(done: int, of: int, number: int, answer: Answer) -> bool:
                self._answers[number] = answer
                return progress(done / of, 0.0)

            return sweeping.solve_sweep(model, study, path, where, told=told)

        return task

    def _effort(self, whole: Solved) -> str:
        """How many runs, and how long they take by the last run of the case where there is one."""
        runs = [r.recording for r in self.document.runs if r.recording.case == whole.asked.case]
        if not runs:
            return f"{len(whole.values):,} runs"
        workers = os.cpu_count() or 1
        return effort(len(whole.values), runs[-1].statistics.wall_seconds, workers)

    def _slopes_task(self, model: Model, vary: dict[str, str], where: str | None) -> Any:
        case = self.document.case
        self._views(["bars"])
        self.told.setText("Eight runs for each parameter, about the present values.")

        def task(progress: Callable[[float, float], bool]) -> list[Slope]:
            return searching.sensitivities(model, vary, case, workers=where,
                                           wanted=lambda: progress(0.5, 0.0))  # fmt: skip

        return task

    def _scatter_task(self, model: Model, vary: dict[str, str], where: str | None) -> Any:
        case, runs = self.document.case, 1 << max(self.setup.points.value() - 1, 1).bit_length()
        self._views(["bars"])
        self.told.setText(f"{(2 + len(vary)) * runs} runs with values drawn by chance.")

        def task(progress: Callable[[float, float], bool]) -> list[Indices]:
            return searching.variance(model, vary, runs, case, workers=where,
                                      wanted=lambda: progress(0.5, 0.0))  # fmt: skip

        return task

    def _fit_task(self, model: Model, study: Fit, where: str | None) -> Any:
        self._views(["curves"])
        self.told.setText(
            "Runs until the curve is followed as well as can be; Stop keeps the best."
        )

        def task(progress: Callable[[float, float], bool]) -> tuple[Asked, Fitted]:
            return searching.fit(
                model,
                study,
                workers=where,
                told=lambda rounds, _left: progress(rounds / (rounds + 10), 0.0),
            )

        return task

    def _search_task(self, model: Model, study: Optimisation, where: str | None) -> Any:
        self._views(["history"])
        runs = self.setup.points.value()
        self.told.setText(f"At most {runs} runs; Stop keeps the best.")

        def task(progress: Callable[[float, float], bool]) -> Found:
            def told(history: History) -> bool:
                self._history = history.so_far()
                return progress(len(history.values) / runs, 0.0)

            return searching.optimise(model, study, workers=where, told=told)

        return task

    def _follow(self) -> None:
        """What is solved so far."""
        if self.solved is not None and self._answers:
            self.solved = Solved(self.solved.asked, self.solved.points,
                                 MappingProxyType(dict(self._answers)))  # fmt: skip
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
            self.found, self._history = result, result.history
            self.told.setText(search_said(result))
            self.case.show()
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
        elif kind == BEST and self._history is not None and self._history.answers:
            answers = self._history.answers
            kinds = next((a.kinds for a in answers if a.kinds), {})
            self.picture.show_history(self._history, figure, kinds.get(figure, "number"))
            if self.found is not None:
                self._fill(["", "best"], rows_of(self.found))

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
        if self.solved is not None and number in self.solved.answers:
            row = sorted(self.solved.answers).index(number)
            if row < self.table.rowCount():
                self.table.selectRow(row)

    # what follows from it

    def open_point(self, row: int) -> None:
        """The point of a row as a case, solved in full."""
        if self.setup.kind.currentText() != SWEEP or self.solved is None:
            return
        number = sorted(self.solved.answers)[row]
        self._as_case(self.solved.asked, self.solved.values[number], f"Point {number}")

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
