"""Search for channels, and the figures of those on the charts."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QMimeData, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
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

from impeto.app.deck.dragging import channel_data
from impeto.app.document import Document, Run
from impeto.app.plain_text import as_tip
from impeto.app.widgets import button, label, search_field
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.results.figures import FIGURES, SAME, largest, within
from impeto.core.results.gauges import is_formula
from impeto.core.results.poses import value_at

HEADS = ("channel", "run", "now", "min", "max", "mean", "RMS")
USUAL = ("min", "max", "mean", "RMS")  # figures that are always there
FURTHER = [title for title in FIGURES if title not in USUAL]
RUN_WIDTH, RUN_MOST, NAME_WIDTH = 66, 116, 130  # pixels; names get more where there is room
LEAST = 98  # the same: heads and three rows, however many charts there are
WAITS = 120  # ms after the last change of the time that is shown


TOGETHER = Qt.ItemDataRole.UserRole  # names that one row stands for
MOST_FOUND = 300


def ranked(names: list[str], words: str) -> list[str]:
    """Names with whole words first, then those with words that begin so; shorter ones first."""
    wanted = words.lower().split()

    def rank(name: str) -> tuple[int, int]:
        words_of = name.lower().replace("_", ".").split(".")
        parts = {*words_of, *name.lower().split(".")}
        whole = all(word.strip(".") in parts for word in wanted)
        begun = all(any(part.startswith(word) for part in parts) for word in wanted)
        return (0 if whole else 1 if begun else 2), name.count(".")

    return sorted(names, key=rank)


def with_vectors(names: list[str]) -> list[tuple[str, list[str] | None]]:
    """The names, and before the parts of a vector, where all are there, a row for the three."""
    rows: list[tuple[str, list[str] | None]] = []
    known, told = set(names), set[str]()
    for name in names:
        base, _, axis = name.rpartition(".")
        parts = [f"{base}.{k}" for k in "xyz"]
        if axis in ("x", "y", "z") and base not in told and known.issuperset(parts):
            told.add(base)
            rows.append((f"{base}.x, y, z", parts))
        rows.append((name, None))
    return rows


class ChannelList(QListWidget):
    """Names that can be dragged onto a chart."""

    def mimeData(self, items: object) -> QMimeData:
        chosen = self.currentItem()
        if chosen is None:
            return channel_data("")
        return channel_data("\n".join(chosen.data(TOGETHER) or [chosen.text()]))


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
        self.of_selected = button("", "chip")
        self.of_selected.setToolTip("The quantities of what is selected")
        self.of_selected.clicked.connect(self._find_of_selected)
        self.further = QComboBox()
        self.further.setAccessibleName("Further figure")
        self.further.addItems(FURTHER)
        self.further.setCurrentText("peak to peak")
        self.further.textActivated.connect(lambda _title: self.refresh())
        self.span: tuple[float, float] | None = None
        self.told = label("", "hint")
        kept = self.told.sizePolicy()
        kept.setRetainSizeWhenHidden(True)  # charts do not jump when a span is chosen
        self.told.setSizePolicy(kept)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self.refresh)
        self.found = ChannelList()
        self.found.setDragEnabled(True)
        self.found.setAccessibleName("Channels found")
        self.table = QTableWidget(0, len(HEADS) + 1)
        self.table.setHorizontalHeaderLabels([*HEADS, ""])
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
        self.table.setWordWrap(False)  # or a name of two words is cut after the first
        self.stack = QStackedWidget()
        self.stack.addWidget(self.table)
        self.stack.addWidget(self.found)
        self.stack.setMinimumHeight(LEAST)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 8)
        top_row = QHBoxLayout()
        top_row.addWidget(self.search, 1)
        top_row.addWidget(self.of_selected)
        top_row.addWidget(self.further)
        layout.addLayout(top_row)
        layout.addWidget(self.stack)
        layout.addWidget(self.told)
        self.search.textChanged.connect(self._find)
        self.search.returnPressed.connect(self._take_first)
        self.found.itemDoubleClicked.connect(self._take)
        self.found.itemActivated.connect(self._take)
        document.instant_changed.connect(self._now)
        document.runs_changed.connect(self.refresh)
        document.runs_changed.connect(self._offer_selected)
        document.selection_changed.connect(self._offer_selected)
        self._offer_selected()
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
        names = ranked(run.recording.channels(words), words)[:MOST_FOUND]
        reason = "No channel has these words in its name."
        if is_formula(words) and not names:
            reason = run.recording.complaint(words)
            names = [] if reason else [words.strip()]
        for text, together in with_vectors(names):
            item = QListWidgetItem(text)
            item.setData(TOGETHER, together)
            self.found.addItem(item)
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
            self._take(item)

    def _take(self, item: QListWidgetItem) -> None:
        """Draw what was found, of a vector its three parts."""
        for name in item.data(TOGETHER) or [item.text()]:
            self.chosen.emit(name)
        self.search.clear()

    def _offer_selected(self) -> None:
        """A chip for the quantities of what is selected."""
        name, run = self.document.selected, self.document.run
        known = run is not None and any(c.startswith(f"{name}.") for c in run.recording.channels())
        self.of_selected.setVisible(bool(name) and known)
        self.of_selected.setText(f"of {name}")

    def _find_of_selected(self) -> None:
        self.search.setText(f"{self.document.selected}.")
        self.search.setFocus()

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
            peak = largest(run.recording[name])
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
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Names stay readable: where the panel is narrow, figures are scrolled; those of runs have
        what is left else."""
        top, view = self.table.horizontalHeader(), self.table.viewport()
        assert top is not None
        assert view is not None
        figures = sum(self.table.columnWidth(k) for k in range(2, self.table.columnCount()))
        wanted = min(max(RUN_WIDTH, self.table.sizeHintForColumn(1)), RUN_MOST)
        room = view.width() - figures - NAME_WIDTH
        top.resizeSection(1, wanted if room < RUN_WIDTH else min(wanted, room))
        narrow = room < self.table.columnWidth(1)
        mode = QHeaderView.ResizeMode.Interactive if narrow else QHeaderView.ResizeMode.Stretch
        top.setSectionResizeMode(0, mode)
        bar = self.table.horizontalScrollBar()
        assert bar is not None
        self.stack.setMinimumHeight(LEAST + (bar.sizeHint().height() if narrow else 0))
        if narrow:
            top.resizeSection(0, NAME_WIDTH)

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
