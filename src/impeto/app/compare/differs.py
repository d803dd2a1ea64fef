"""What has been changed in a model since a run of it."""

from __future__ import annotations

from PyQt6.QtWidgets import QTableWidgetItem, QVBoxLayout, QWidget

from impeto.app.dialog import Dialog
from impeto.app.theme import Theme
from impeto.app.widgets import label, plain_table
from impeto.core.model.differing import differences
from impeto.core.model.model import Model

TITLES = ("of", "field", "in the run", "now")


class DiffersDialog(Dialog):
    """A row for each field that differs."""

    def __init__(self, look: Theme, parent: QWidget) -> None:
        super().__init__("What differs", look, parent)
        self.resize(640, 360)
        self.title = label("", "title")
        self.table = plain_table(TITLES, "What differs")
        across = self.table.horizontalHeader()
        assert across is not None
        across.setStretchLastSection(True)
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        layout.addWidget(self.title)
        layout.addWidget(self.table)

    def show_between(self, before: Model, now: Model, run: str) -> None:
        """What differs from the model of a run."""
        found = differences(before, now)
        count = "Nothing" if not found else f"{len(found)} field{'s' if len(found) > 1 else ''}"
        verb = "differ" if len(found) > 1 else "differs"
        self.title.setText(f"{count} {verb} from the run {run}")
        self.table.setRowCount(len(found))
        for number, row in enumerate(found):
            for column, text in enumerate((row.of, row.field, row.before, row.after)):
                self.table.setItem(number, column, QTableWidgetItem(text))
        self.show()
        self.raise_()
