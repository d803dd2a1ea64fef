"""Every command by words and shortcut: the menu, the search and the keys all come from here."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QMenu, QVBoxLayout, QWidget

from impeto.app.widgets import search_field


@dataclass(frozen=True, slots=True)
class Command:
    title: str
    keys: str
    action: Callable[[], object]
    adds: bool = False  # an element to the model


PLAIN = {"Space": Qt.Key.Key_Space, ",": Qt.Key.Key_Comma, ".": Qt.Key.Key_Period}


def bind(commands: list[Command], window: QWidget) -> dict[int, Command]:
    """Make the shortcuts of a window; return the commands of plain keys.

    Plain keys belong first to the widget that has the focus (a button is pressed with Space), so
    the window takes them only where nobody else wants them.
    """
    for command in commands:
        if command.keys and command.keys not in PLAIN:
            shortcut = QShortcut(QKeySequence(command.keys), window)
            shortcut.activated.connect(command.action)
    return {PLAIN[command.keys]: command for command in commands if command.keys in PLAIN}


class CommandSearch(QDialog):
    """Type some words, press Enter."""

    def __init__(self, commands: list[Command], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Commands")
        self.setMinimumSize(460, 420)
        self.commands = commands
        self.search = search_field("What do you want to do?", "Find a command")
        self.search.setAccessibleName("Find a command")
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        layout = QVBoxLayout(self)
        layout.addWidget(self.search)
        layout.addWidget(self.list)
        self.search.textChanged.connect(self._find)
        self.search.installEventFilter(self)
        self.search.returnPressed.connect(self._go)
        self.list.itemActivated.connect(self._go)
        self.chosen: Command | None = None
        self._find("")

    def _find(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        for command in self.commands:
            if all(word in command.title.lower() for word in words):
                label = command.title + (f"    {command.keys}" if command.keys else "")
                item = QListWidgetItem(label)
                item.setData(Qt.ItemDataRole.UserRole, command)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up and Down move in the list while typing."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
            if step:
                row = self.list.currentRow() + step
                self.list.setCurrentRow(min(max(row, 0), self.list.count() - 1))
                return True
        return False

    def _go(self, _item: object = None) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.chosen = item.data(Qt.ItemDataRole.UserRole)
            self.accept()


def menu_of(
    commands: list[Command], recent: Sequence[tuple[str, Callable[[], None]]], parent: QWidget
) -> QMenu:
    """All commands, what adds to the model in a menu of its own, then files opened lately."""
    menu = QMenu(parent)
    for command in commands:
        if not command.adds:
            action = menu.addAction(command.title + (f"\t{command.keys}" if command.keys else ""))
            assert action is not None
            action.triggered.connect(command.action)
    adding = menu.addMenu("Add to the model")
    assert adding is not None
    for command in commands:
        if command.adds:
            action = adding.addAction(command.title)
            assert action is not None
            action.triggered.connect(command.action)
    if recent:
        menu.addSeparator()
    for path, opens in recent:
        action = menu.addAction(f"Open {path}")
        assert action is not None
        action.triggered.connect(lambda _=False, o=opens: o())
    return menu
