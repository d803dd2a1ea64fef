"""Search for channels, and the figures of those on the charts."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QMimeData, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QListWidget,
    QListWidgetItem,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from impeto.app.deck.chart import channel_data
from impeto.app.document import Document, Run
from impeto.app.widgets import search_field
from impeto.core.model import units
from impeto.core.results.figures import figures
from impeto.core.results.poses import value_at

HEADS = ("channel", "run", "now", "min", "max", "mean", "RMS")


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
            "Find a channel: “pin force”, “frame velocity z” …", "Find a channel"
        )
        self.search.setAccessibleName("Find a channel")
        self.found = ChannelList()
        self.found.setDragEnabled(True)
        self.found.setAccessibleName("Channels found")
        self.table = QTableWidget(0, len(HEADS))
        self.table.setHorizontalHeaderLabels(list(HEADS))
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
        top.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        top.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.table)
        self.stack.addWidget(self.found)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 8)
        layout.addWidget(self.search)
        layout.addWidget(self.stack)
        self.search.textChanged.connect(self._find)
        self.search.returnPressed.connect(self._take_first)
        self.found.itemDoubleClicked.connect(lambda item: self._take(item.text()))
        self.found.itemActivated.connect(lambda item: self._take(item.text()))
        document.instant_changed.connect(self._now)
        document.runs_changed.connect(self.refresh)

    def show_channels(self, channels: list[str]) -> None:
        """List the figures of these channels."""
        self.channels = channels
        self.refresh()

    def _find(self, words: str) -> None:
        run = self.document.run
        self.found.clear()
        if run is None or not words.strip():
            self.stack.setCurrentWidget(self.table)
            return
        for name in run.recording.channels(words)[:300]:
            self.found.addItem(QListWidgetItem(name))
        if not self.found.count():
            nothing = QListWidgetItem("No channel has these words in its name.")
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
            for run in self.document.runs:
                if run.name in self.document.shown_runs and name in run.recording.channels(name):
                    rows.append((name, run))
        self.rows = rows
        self._peaks = dict.fromkeys(self.channels, 0.0)  # of all runs: one unit for a channel
        for name, run in rows:
            peak = float(np.nanmax(np.abs(run.recording[name]), initial=0.0))
            self._peaks[name] = max(self._peaks[name], peak)
        self.table.setRowCount(len(rows))
        for row, (name, run) in enumerate(rows):
            channel = run.recording.channel(name)
            f = figures(run.recording.time, channel.values)
            peak = self._peaks[name]
            factor = units.shown_unit(channel.kind, peak)[1]
            texts = [name, run.name, ""]
            shown = (units.against(v, peak) for v in (f.minimum, f.maximum, f.mean, f.rms))
            texts += [units.digits(value / factor) for value in shown]
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column > 2:
                    value = (f.minimum, f.maximum, f.mean, f.rms)[column - 3]
                    item.setToolTip(f"{value!r} {units.KINDS[channel.kind].si}")
                self.table.setItem(row, column, item)
        self._now(self.document.instant)

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
