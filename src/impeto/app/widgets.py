"""Small makers of plain widgets with the style names of theme.py."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLabel,
    QLayout,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QWidget,
)


def label(text: str = "", style: str = "") -> QLabel:
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setObjectName(style)
    return made


def wrapped(text: str, style: str = "") -> QLabel:
    """A label that may take several lines."""
    made = label(text, style)
    made.setWordWrap(True)
    return made


def button(text: str, style: str = "") -> QPushButton:
    made = QPushButton(text)
    made.setObjectName(style)
    return made


def search_field(placeholder: str, name: str) -> QLineEdit:
    made = QLineEdit()
    made.setPlaceholderText(placeholder)
    made.setAccessibleName(name)
    return made


def plain_table(titles: Sequence[str], name: str) -> QTableWidget:
    """A table to read, whose rows are chosen as a whole; as wide as what stands in it."""
    made = QTableWidget(0, len(titles))
    made.setAccessibleName(name)
    made.setHorizontalHeaderLabels(titles)
    made.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    made.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    made.setShowGrid(False)
    made.setTabKeyNavigation(False)
    down, across = made.verticalHeader(), made.horizontalHeader()
    assert down is not None
    assert across is not None
    down.hide()
    across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
    return made


def empty(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()


def panel(style: str = "panel") -> QWidget:
    """A widget that paints its own background."""
    made = QWidget()
    made.setObjectName(style)
    made.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    return made
