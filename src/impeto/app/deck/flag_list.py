"""The flags of a run as a list, by kind: what happened, when, and a way there."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from impeto.app.deck.flags import Flags
from impeto.app.dialog import Dialog
from impeto.app.document import Document
from impeto.app.theme import Theme
from impeto.app.widgets import button, empty, label, plain_table
from impeto.core.dynamics.names import Mark
from impeto.core.model import units

TITLES = ("time", "kind", "of", "what happened")
MOST_LISTED = 2000


class FlagList(Dialog):
    """Stays open beside the work. A chip for each kind hides or shows its flags; a row that is
    chosen goes to its instant."""

    def __init__(self, document: Document, flags: Flags, look: Theme, parent: QWidget) -> None:
        super().__init__("Flags", look, parent)
        self.resize(560, 420)
        self.document, self.flags = document, flags
        self.listed: list[Mark] = []
        self.kinds = QHBoxLayout()
        self.table = plain_table(TITLES, "Flags")
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        across = self.table.horizontalHeader()
        assert across is not None
        across.setStretchLastSection(True)
        self.table.currentCellChanged.connect(lambda row, *_: self._go(row))
        self.table.cellClicked.connect(lambda row, _column: self._go(row))
        self.told = label("", "soft")
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        layout.addLayout(self.kinds)
        layout.addWidget(self.table)
        layout.addWidget(self.told)
        flags.changed.connect(self._follow)

    def renew(self) -> None:
        """List what there is now."""
        self._list_kinds()
        found = [mark for mark in self.flags.all if mark.kind not in self.flags.hidden]
        self.listed = found[:MOST_LISTED]
        self.table.blockSignals(True)
        self.table.setRowCount(len(self.listed))
        for number, mark in enumerate(self.listed):
            texts = (f"{units.digits(mark.time, 6)} s", mark.kind, mark.element, mark.text)
            for column, text in enumerate(texts):
                self.table.setItem(number, column, QTableWidgetItem(text))
        self.table.setCurrentCell(-1, -1)
        self.table.blockSignals(False)
        self.told.setText(self._told(len(found)))

    def _told(self, count: int) -> str:
        if self.document.run is None:
            return "There is no run yet: run a case first."
        if not self.flags.counts:
            return "Nothing was marked in this run."
        if count > MOST_LISTED:
            return f"The first {MOST_LISTED} of {count}: hide some kinds to see the others."
        return "Choose a row to go to its instant."

    def _list_kinds(self) -> None:
        """A chip for each kind that there is, with how many."""
        empty(self.kinds)
        for kind, count in self.flags.counts.items():
            chip = button(f"{kind} {count}", "chip")
            chip.setCheckable(True)
            chip.setChecked(kind not in self.flags.hidden)
            chip.clicked.connect(lambda on, k=kind: self.flags.fly(k, on))
            self.kinds.addWidget(chip)
        self.kinds.addStretch()

    def _follow(self) -> None:
        if self.isVisible():
            self.renew()

    def _go(self, row: int) -> None:
        if 0 <= row < len(self.listed):
            self.document.set_instant(self.listed[row].time)
