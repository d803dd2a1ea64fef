"""The page of all keys and commands, as they are grouped in the menus."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from impeto.app.commands import GROUPS, Command, Commands
from impeto.app.dialog import Dialog
from impeto.app.theme import Theme
from impeto.app.widgets import search_field

MOUSE = (
    ("Drag", "turn the Stage"),
    ("Shift + drag, middle button", "move it"),
    ("Wheel", "nearer and further"),
    ("Click", "select what is under the pointer"),
)


class KeysPage(Dialog):
    """A table: keys, what they do, where it is in the menu."""

    def __init__(self, commands: Commands, look: Theme, parent: QWidget) -> None:
        super().__init__("Keys and commands", look, parent)
        self.resize(560, 620)
        self.commands = commands
        self.search = search_field("Find", "Find among keys and commands")
        self.search.textChanged.connect(self._fill)
        self.table = QTableWidget(0, 3)
        self.table.setAccessibleName("Keys and commands")
        self.table.setHorizontalHeaderLabels(("keys", "what it does", "menu"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        side, head = self.table.verticalHeader(), self.table.horizontalHeader()
        assert side is not None
        assert head is not None
        side.hide()
        head.setStretchLastSection(True)
        layout = QVBoxLayout(self)
        layout.addWidget(self.search)
        layout.addWidget(self.table)

    def renew(self) -> None:
        """All of them, from the top."""
        self.search.clear()
        self._fill("")

    def _fill(self, text: str) -> None:
        words = text.lower().split()
        rows = [(*pair, "Stage") for pair in MOUSE]
        for group in GROUPS:
            listed = [c for c in self.commands.listed if c.group == group]
            rows += [_row(c) for c in sorted(listed, key=lambda c: not c.keys)]
        shown = [row for row in rows if all(w in " ".join(row).lower() for w in words)]
        self.table.setRowCount(len(shown))
        for row, texts in enumerate(shown):
            for column, told in enumerate(texts):
                self.table.setItem(row, column, QTableWidgetItem(told))
        self.table.resizeColumnsToContents()


def _row(command: Command) -> tuple[str, str, str]:
    where = f"{command.group}, {command.within}" if command.within else command.group
    return command.keys, command.title, where
