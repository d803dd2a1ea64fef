"""Text from models and files is shown as it is written, never read as markup.

Qt guesses from the letters of a text whether it is markup, in labels and in tips; a name could then
make it load files. One filter for the application takes the guess away: labels are plain unless a
view has said that it writes markup itself, and then it escapes what it did not write.
"""

from __future__ import annotations

import html

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QLabel, QToolTip, QWidget


def escaped(text: str) -> str:
    """A text for a place that is markup."""
    return html.escape(text)


def show_plainly(application: QApplication) -> None:
    """Take the guess away in all windows of an application."""
    application.installEventFilter(_Filter(application))


class _Filter(QObject):
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        assert event is not None
        if event.type() == QEvent.Type.Polish and isinstance(watched, QLabel):
            if watched.textFormat() == Qt.TextFormat.AutoText:
                watched.setTextFormat(Qt.TextFormat.PlainText)
        elif event.type() == QEvent.Type.ToolTip and isinstance(watched, QWidget):
            assert isinstance(event, QHelpEvent)
            text = _tip(watched, event)
            if text:
                QToolTip.showText(event.globalPos(), as_tip(text), watched)
                return True
        return False


def as_tip(text: str) -> str:
    """A tip that shows the letters of a text and its line ends."""
    return f"<qt>{escaped(text)}</qt>".replace("\n", "<br>")


def _tip(widget: QWidget, event: QHelpEvent) -> str:
    """The tip of a widget, or of the row of a list under the pointer."""
    view = widget.parent()
    if isinstance(view, QAbstractItemView) and widget is view.viewport():
        return str(view.indexAt(event.pos()).data(Qt.ItemDataRole.ToolTipRole) or "")
    return widget.toolTip()
