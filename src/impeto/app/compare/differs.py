"""What differs between any two runs, or a run and the model as it is now."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from impeto.app.dialog import Dialog
from impeto.app.document import Document, Run
from impeto.app.plain_text import as_tip
from impeto.app.theme import Theme
from impeto.app.widgets import label, plain_table
from impeto.core.model.differing import differences
from impeto.core.results.judging import judged

NOW = "the model now"
FIGURE = "figure"


class DiffersDialog(Dialog):
    """A row for each field that differs, then for each figure that follows from it."""

    def __init__(self, document: Document, look: Theme, parent: QWidget) -> None:
        super().__init__("What differs", look, parent)
        self.resize(860, 420)
        self.document = document
        self.title = label("", "title")
        self.first, self.second = QComboBox(), QComboBox()
        self.table = plain_table(("of", "field", "", ""), "What differs")
        across = self.table.horizontalHeader()
        assert across is not None
        for column in (2, 3):
            across.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        layout, row = QVBoxLayout(self), QHBoxLayout()
        layout.setSpacing(8)
        row.addWidget(self.title)
        row.addStretch()
        for box, name, said in ((self.first, "From", "between"), (self.second, "To", "and")):
            box.setAccessibleName(name)
            box.textActivated.connect(self.compare)
            row.addWidget(label(said, "soft"))
            row.addWidget(box)
        layout.addLayout(row)
        layout.addWidget(self.table)

    def show_since(self, run: str) -> None:
        """What has been changed since a run."""
        names = [each.name for each in self.document.runs]
        for box, chosen in ((self.first, run), (self.second, NOW)):
            box.clear()
            box.addItems([*names, NOW])
            box.setCurrentText(chosen)
        self.compare()
        self.show()
        self.raise_()

    def compare(self) -> None:
        """The two that are chosen."""
        runs = [self._run(box) for box in (self.first, self.second)]
        models = [self.document.model if run is None else run.recording.model for run in runs]
        found = [(row.of, row.field, row.before, row.after) for row in differences(*models)]
        count = "Nothing" if not found else f"{len(found)} field{'s' if len(found) > 1 else ''}"
        self.title.setText(f"{count} {'differ' if len(found) > 1 else 'differs'}")
        ends = [box.currentText() for box in (self.first, self.second)]
        self.table.setHorizontalHeaderLabels(["of", "field", *ends])
        rows = found + self._figures(*runs)
        self.table.setRowCount(len(rows))
        for number, texts in enumerate(rows):
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setToolTip(as_tip(text))
                self.table.setItem(number, column, item)

    def _run(self, box: QComboBox) -> Run | None:
        return next((r for r in self.document.runs if r.name == box.currentText()), None)

    def _figures(self, first: Run | None, second: Run | None) -> list[tuple[str, str, str, str]]:
        """Figures of two runs that are not told alike."""
        if first is None or second is None:
            return []
        a, b = (judged(run.recording, self.document.model).figures for run in (first, second))
        return [(name, FIGURE, a[name].told, b[name].told) for name in a
                if a[name].told != b[name].told]  # fmt: skip
