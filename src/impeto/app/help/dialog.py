"""The help: pages by title, searched by words."""

from __future__ import annotations

import re

from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from impeto.app.dialog import Dialog
from impeto.app.help.pages import pages
from impeto.app.theme import Theme
from impeto.app.widgets import search_field

TAGS = re.compile("<[^>]+>")


class HelpDialog(Dialog):
    """A list of pages beside the one that is read."""

    def __init__(self, look: Theme, parent: QWidget) -> None:
        super().__init__("Help", look, parent)
        self.resize(760, 600)
        self.pages = pages()
        self.search = search_field("Find in the help", "Find in the help")
        self.list = QListWidget()
        self.list.setAccessibleName("Pages")
        for part in (self.search, self.list):
            part.setFixedWidth(200)
        self.text = QTextBrowser()
        self.text.setAccessibleName("Help page")
        self.text.setOpenLinks(False)
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list)
        layout = QHBoxLayout(self)
        layout.addLayout(left)
        layout.addWidget(self.text)
        self.search.textChanged.connect(self._find)
        self.list.currentTextChanged.connect(self._show)

    def renew(self) -> None:
        """All pages."""
        self.search.clear()
        self._find("")
        self.search.setFocus()

    def turn_to(self, title: str) -> None:
        """Show a page."""
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None and item.text() == title:
                self.list.setCurrentRow(row)

    def _find(self, text: str) -> None:
        """Pages with all words, those with them in the title first."""
        words = text.lower().split()
        fits = [
            title for title, page in self.pages.items()
            if all(word in f"{title} {TAGS.sub(' ', page)}".lower() for word in words)
        ]  # fmt: skip
        fits.sort(key=lambda title: not all(word in title.lower() for word in words))
        self.list.clear()
        self.list.addItems(fits)
        self.list.setCurrentRow(0)

    def _show(self, title: str) -> None:
        self.text.setHtml(f"<h3>{title}</h3>{self.pages[title]}" if title in self.pages else "")
