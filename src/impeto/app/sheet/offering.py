"""Names offered while something is typed: of parameters, bodies, groups, channels."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QModelIndex, QStringListModel, Qt
from PyQt6.QtWidgets import QCompleter, QLineEdit

from impeto.app.sheet.line import Line
from impeto.core.errors import ModelError
from impeto.core.model.element import Element
from impeto.core.model.scope import Scope

WORD = re.compile(r"[A-Za-z_][\w.]*$")
MOST = 10


def named(scope: Scope, kinds: tuple[type[Element], ...]) -> list[str]:
    """Names of elements of these kinds; of what is repeated its own and the first and last of its
    members, which say how the others are called."""
    found = []
    try:
        members = scope.members
    except ModelError:
        members = {}  # the Health card tells
    for element in scope.written.elements.values():
        if isinstance(element, kinds):
            made = members.get(element.name, ())
            found += [element.name, *(made if len(made) <= MOST else (made[0], made[-1]))]
    return found


class WordCompleter(QCompleter):
    """Completes the last word of a line and leaves what stands before it."""

    def __init__(self, line: QLineEdit, names: Callable[[], Sequence[str]]) -> None:
        super().__init__(line)
        self.line, self.names = line, names
        self._before = ""
        self.words = QStringListModel(self)
        self.setModel(self.words)
        self.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.setFilterMode(Qt.MatchFlag.MatchContains)
        self.setMaxVisibleItems(MOST)
        line.textEdited.connect(self._renew)

    def _renew(self, text: str) -> None:
        """The names of the model as it now is, once something is typed."""
        if self.words.rowCount() == 0:
            self.words.setStringList(sorted(self.names()))

    def splitPath(self, path: str | None) -> list[str]:
        """Of what is typed only the word at its end; one letter alone offers nothing."""
        found = WORD.search(path or "")
        if found is None or len(found.group()) < 2:
            return ["\0"]
        self._before = (path or "")[: found.start()]
        return [found.group()]

    def pathFromIndex(self, index: QModelIndex) -> str:
        return self._before + str(index.data())


def offer(line: Line, names: Callable[[], Sequence[str]]) -> None:
    """Offer names at the end of what is typed into a line, from when it first has the focus."""

    def begin() -> None:
        if line.completer() is None:
            line.setCompleter(WordCompleter(line, names))

    line.entered.connect(begin)
