"""Names offered while something is typed: of parameters, bodies, groups, channels."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QModelIndex, QStringListModel, Qt
from PyQt6.QtWidgets import QCompleter, QLineEdit

from impeto.app.sheet.line import Line

WORD = re.compile(r"[A-Za-z_][\w.]*$")
MOST = 10


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
