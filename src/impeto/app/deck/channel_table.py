"""Search for channels, and the figures of those on the charts."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QMimeData, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QListWidget,
    QListWidgetItem,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from impeto.app.deck.plotting import channel_data
from impeto.app.document import Document, Run
from impeto.app.plain_text import as_tip
from impeto.app.widgets import label, search_field
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.results.figures import FIGURES, SAME, within
from impeto.core.results.gauges import is_formula
from impeto.core.results.poses import value_at

HEADS = ("channel", "run", "now", "min", "max", "mean", "RMS")
USUAL = ("min", "max", "mean", "RMS")  # figures that are always there
FURTHER = [title for title in FIGURES if title not in USUAL]
RUN_WIDTH = 66  # px
WAITS = 120  # ms after the last change of the time that is shown


class ChannelList(QListWidget):
    """Names that can be dragged onto a chart."""

    def mimeData(self, items: object) -> QMimeData:
        chosen = self.currentItem()
        return channel_data(chosen.text() if chosen else "")


class ChannelTable(QFrame):
    """A search field; below it what was found, or the figures while nothing is searched."""

    chosen = pyqtSignal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("card")
        self.document = document
        self.channels: list[str] = []
        self.rows: list[tuple[str, Run]] = []
        self._peaks: dict[str, float] = {}
        self.search = search_field(
            "Find a channel: “pin force”, “rate(pin.force)” …", "Find a channel"
        )
        self.search.setAccessibleName("Find a channel")
        self.further = QComboBox()
        self.further.setAccessibleName("Further figure")
        self.further.addItems(FURTHER)
        self.further.setCurrentText("peak to peak")
        self.further.textActivated.connect(lambda _title: self.refresh())
        self.span: tuple[float, float] | None = None
        self.told = label("", "hint")
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self.refresh)
        self.found = ChannelList()
        self.found.setDragEnabled(True)
        self.found.setAccessibleName("Channels found")
        self.table = QTableWidget(0, len(HEADS) + 1)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Figures")
        side, top = self.table.verticalHeader(), self.table.horizontalHeader()
        assert side is not None
        assert top is not None
        side.hide()
        side.setDefaultSectionSize(24)
        top.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        top.setMinimumSectionSize(24)
        top.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        top.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        top.setSectionResizeMode(1, QHeaderView.ResizeMode.Interactive)
        top.resizeSection(1, RUN_WIDTH)
        self.table.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.table)
        self.stack.addWidget(self.found)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 8)
        top_row = QHBoxLayout()
        top_row.addWidget(self.search, 1)
        top_row.addWidget(self.further)
        layout.addLayout(top_row)
        layout.addWidget(self.stack)
        layout.addWidget(self.told)
        self.search.textChanged.connect(self._find)
        self.search.returnPressed.connect(self._take_first)
        self.found.itemDoubleClicked.connect(lambda item: self._take(item.text()))
        self.found.itemActivated.connect(lambda item: self._take(item.text()))
        document.instant_changed.connect(self._now)
        document.runs_changed.connect(self.refresh)
        document.run_grew.connect(self.refresh)

    def show_channels(self, channels: list[str]) -> None:
        """List the figures of these channels."""
        self.channels = channels
        self.refresh()

    def set_span(self, span: tuple[float, float] | None) -> None:
        """Figures of a span of time [s], None for the whole run."""
        if span != self.span:
            self.span = span
            self._later.start(WAITS)

    def _find(self, words: str) -> None:
        run = self.document.run
        self.found.clear()
        if run is None or not words.strip():
            self.stack.setCurrentWidget(self.table)
            return
        names = run.recording.channels(words)[:300]
        reason = "No channel has these words in its name."
        if is_formula(words) and not names:
            reason = run.recording.complaint(words)
            names = [] if reason else [words.strip()]
        for name in names:
            self.found.addItem(QListWidgetItem(name))
        if not self.found.count():
            nothing = QListWidgetItem(reason)
            nothing.setToolTip(as_tip(reason))
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.found.addItem(nothing)
        else:
            self.found.setCurrentRow(0)
        self.stack.setCurrentWidget(self.found)

    def _take_first(self) -> None:
        item = self.found.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self._take(item.text())

    def _take(self, name: str) -> None:
        self.chosen.emit(name)
        self.search.clear()

    def refresh(self) -> None:
        """Figures of every channel in every shown run."""
        rows = []
        for name in self.channels:
            for run in self.document.shown:
                if run.recording.has(name):
                    rows.append((name, run))
        self.rows = rows
        self._peaks = dict.fromkeys(self.channels, 0.0)  # of all runs: one unit for a channel
        for name, run in rows:
            peak = float(np.nanmax(np.abs(run.recording[name]), initial=0.0))
            self._peaks[name] = max(self._peaks[name], peak)
        self.table.setHorizontalHeaderLabels([*HEADS, self.further.currentText()])
        whole = self.span is None
        self.told.setVisible(not whole)
        if self.span is not None:
            begin, end = (units.digits(value, 4) for value in self.span)
            self.told.setText(f"Figures from {begin} to {end} s")
        self.table.setRowCount(len(rows))
        self.table.setColumnHidden(1, len({run.name for _, run in rows}) < 2)
        for row, (name, run) in enumerate(rows):
            for column, (text, tip) in enumerate(self._cells(name, run)):
                item = QTableWidgetItem(text)
                item.setToolTip(tip)
                self.table.setItem(row, column, item)
        self._now(self.document.instant)

    def _cells(self, name: str, run: Run) -> list[tuple[str, str]]:
        """Texts of a row, with tips that have all digits."""
        channel, peak = run.recording.channel(name), self._peaks[name]
        cells = [(name, name), (run.name, run.name), ("", "")]
        try:
            time, values = within(run.recording.time, channel.values, self.span)
        except ModelError as error:
            return [*cells, *[("–", str(error))] * (len(USUAL) + 1)]
        for title in (*USUAL, self.further.currentText()):
            figure = FIGURES[title]
            value = figure.of(time, values)
            kind = channel.kind if figure.kind == SAME else figure.kind
            largest = peak if figure.kind == SAME else abs(value)
            cells.append(_shown(value, kind, largest, title not in USUAL))
        return cells

    def _now(self, moment: float) -> None:
        for row, (name, run) in enumerate(self.rows):
            channel = run.recording.channel(name)
            peak = self._peaks[name]
            unit, factor = units.shown_unit(channel.kind, peak)
            value = float(value_at(run.recording, channel.values, moment))
            value = units.against(value, peak) / factor
            item = self.table.item(row, 2)
            if item is not None:
                item.setText(f"{units.digits(value)} {units.spoken(unit)}")


def _shown(value: float, kind: str, largest: float, with_unit: bool) -> tuple[str, str]:
    """A figure in a unit that suits its largest value, and with all digits in SI."""
    if not np.isfinite(value):
        return "–", "It makes no sense of this curve."
    unit, factor = units.shown_unit(kind, largest)
    text = units.digits(units.against(value, largest) / factor)
    said = f"{text} {units.spoken(unit)}" if with_unit else text
    return said, f"{value!r} {units.KINDS[kind].si}"
