"""A row of the Roster, and the data that its item has."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QStandardItem

from impeto.app.plain_text import as_tip

NAMES, LINE, ON, HEAD = (Qt.ItemDataRole.UserRole + k for k in range(4))


@dataclass(frozen=True, slots=True)
class Row:
    """One row. names : of its element, or of several that are alike, none for the heading of a
    group;  note : of its tip"""

    title: str
    names: tuple[str, ...]
    line: str
    on: bool
    note: str = ""

    def fill(self, item: QStandardItem) -> None:
        """Show it."""
        item.setText(self.title)
        item.setData(self.line, LINE)
        if self.names:
            item.setData(self.names, NAMES)
            item.setData(self.on, ON)
            item.setToolTip(as_tip(f"{self.title}: {self.line}{self.note}"))
        else:
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            item.setData(self.title, HEAD)
