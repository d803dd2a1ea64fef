"""Every command by words and shortcut: menus, the search, keys and their page come from here."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QMenu, QVBoxLayout, QWidget

from impeto.app.dialog import Dialog
from impeto.app.theme import Theme
from impeto.app.widgets import search_field

FILE, MODEL, SELECTION, BUILD, ADD = "File", "Model", "Selection", "Build", "Add"
RUN, VIEW, WATCH, HELP = "Run", "View", "Watch", "Help"
GROUPS = (FILE, MODEL, SELECTION, BUILD, ADD, RUN, VIEW, WATCH, HELP)
# Keys that belong first to the widget that has the focus: a button is pressed with Space.
PLAIN = {
    "Space": Qt.Key.Key_Space,
    ",": Qt.Key.Key_Comma,
    ".": Qt.Key.Key_Period,
    "F": Qt.Key.Key_F,
}


@dataclass(frozen=True, slots=True)
class Command:
    """lacks : says in a sentence what is missing for it, '' where it can be done
    within : a menu of its own inside the group's"""

    title: str
    keys: str
    action: Callable[[], object]
    group: str = MODEL
    lacks: Callable[[], str] | None = None
    within: str = ""

    @property
    def missing(self) -> str:
        return self.lacks() if self.lacks is not None else ""


class Commands(QObject):
    """The commands of a window as actions with shortcuts. What cannot be done is grey in menus and
    in the search; its keys say what is missing."""

    def __init__(
        self, listed: Sequence[Command], window: QWidget, complain: Callable[[str], None]
    ) -> None:
        super().__init__(window)
        self.listed, self.complain = list(listed), complain
        self.actions: dict[str, QAction] = {}
        for command in self.listed:
            action = QAction(command.title, window)
            if command.keys:
                action.setShortcut(QKeySequence(command.keys))
                action.setShortcutVisibleInContextMenu(True)
            if command.keys in PLAIN:  # only shown, see key_pressed
                action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
            action.triggered.connect(lambda _=False, c=command: self.do(c))
            window.addAction(action)
            self.actions[command.title] = action

    def do(self, command: Command) -> None:
        """Do it, or say what is missing."""
        missing = command.missing
        if missing:
            self.complain(missing)
        else:
            command.action()

    def named(self, title: str) -> Command:
        return next(command for command in self.listed if command.title == title)

    def key_pressed(self, event: QKeyEvent) -> bool:
        """Plain keys that no widget wanted."""
        for command in self.listed:
            if PLAIN.get(command.keys) == event.key() and not event.modifiers():
                self.do(command)
                return True
        return False

    def menu(self, recent: Sequence[tuple[str, Callable[[], None]]], parent: QWidget) -> QMenu:
        """A menu for each group; files opened lately among those of files."""
        menu = self._new_menu(parent)
        for group in GROUPS:
            part = _submenu(menu, group)
            self._fill(part, group)
            if group == FILE:
                _list_recent(part, recent)
        return menu

    def context_menu(
        self, first: Sequence[Command], groups: Sequence[str], parent: QWidget
    ) -> QMenu:
        """What fits the selection, then what can be done there in these groups."""
        menu = self._new_menu(parent)
        for command in first:
            menu.addAction(self.actions[command.title])
        if first:
            menu.addSeparator()
        head, *further = groups
        self._fill(menu, head)
        for group in further:
            self._fill(_submenu(menu, group), group)
        return menu

    def _new_menu(self, parent: QWidget) -> QMenu:
        menu = QMenu(parent)
        menu.aboutToShow.connect(self._show_states)
        menu.aboutToHide.connect(self._allow_all)
        return menu

    def _fill(self, menu: QMenu, group: str) -> None:
        inner: dict[str, QMenu] = {}
        for command in (c for c in self.listed if c.group == group):
            if command.within and command.within not in inner:
                inner[command.within] = _submenu(menu, command.within)
            action = self.actions[command.title]
            (inner[command.within] if command.within else menu).addAction(action)

    def _show_states(self) -> None:
        for command in self.listed:
            missing = command.missing
            self.actions[command.title].setEnabled(not missing)
            self.actions[command.title].setToolTip(missing or command.title)

    def _allow_all(self) -> None:
        """Keys always answer: with what they do, or with what is missing."""
        for action in self.actions.values():
            action.setEnabled(True)


def _submenu(menu: QMenu, title: str) -> QMenu:
    made = menu.addMenu(title)
    assert made is not None
    made.setToolTipsVisible(True)
    return made


def _list_recent(menu: QMenu, recent: Sequence[tuple[str, Callable[[], None]]]) -> None:
    if recent:
        menu.addSeparator()
    for path, opens in recent:
        action = menu.addAction(f"Open {path}")
        assert action is not None
        action.triggered.connect(lambda _=False, o=opens: o())


class CommandSearch(Dialog):
    """Type some words, press Enter."""

    def __init__(self, commands: Commands, look: Theme, parent: QWidget) -> None:
        super().__init__("Commands", look, parent)
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

    def renew(self) -> None:
        """Nothing typed yet."""
        self.chosen = None
        self.search.clear()
        self.search.setFocus()
        self._find("")

    def _find(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        for command in self.commands.listed:
            told = f"{command.title} {command.group}".lower()
            if all(word in told for word in words):
                label = command.title + (f"    {command.keys}" if command.keys else "")
                item = QListWidgetItem(label)
                item.setData(Qt.ItemDataRole.UserRole, command)
                missing = command.missing
                if missing:
                    item.setForeground(self.palette().placeholderText())
                    item.setToolTip(missing)
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
