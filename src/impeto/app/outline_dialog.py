"""Drawing outlines and road profiles: points by pointer, with their coordinates beside them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from impeto.app.outline_canvas import OutlineCanvas
from impeto.app.theme import Theme
from impeto.app.widgets import button, label
from impeto.core.errors import ImpetoError, ModelError
from impeto.core.geometry.outlines import drawn, edges_of
from impeto.core.model import units
from impeto.core.model.curves import Curve
from impeto.core.model.outlines import Outline
from impeto.core.model.profiles import EXAMPLES, made_profile, written_profile
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
COLUMN = 78  # px
ZERO = "0"
COLUMNS = {True: ("x", "y", "round", "arc"), False: ("length", "height")}
Row = list[str]


class OutlineDialog(QDialog):
    """Closed outlines, or profiles of height over length; `text` is what was drawn."""

    def __init__(
        self, text: str, scope: Scope, look: Theme, parent: QWidget, closed: bool = True
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Outline" if closed else "Profile")
        self.scope, self.closed = scope, closed
        self.rows = _rows(text, closed)
        self.canvas = OutlineCanvas(look, closed)
        self.table = QTableWidget(0, len(COLUMNS[closed]))
        self.table.setAccessibleName("Points")
        self.table.setHorizontalHeaderLabels(COLUMNS[closed])
        self.table.setFixedWidth(COLUMN * len(COLUMNS[closed]) + 38)
        head = self.table.horizontalHeader()
        assert head is not None
        head.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.message = label("", "bad")
        self.take = button("Take it", "run")
        self.make = QLineEdit()
        self.make.setAccessibleName("Made by numbers")
        self.make.setPlaceholderText("; ".join(EXAMPLES))
        self._lay_out()
        self.table.itemChanged.connect(self._typed)
        self.table.itemSelectionChanged.connect(self._choose)
        self.canvas.moved.connect(self._moved)
        self.canvas.added.connect(self._added)
        self.canvas.chosen_changed.connect(self._select)
        self.resize(820, 520)
        self._show()
        self.canvas.fit()

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        mirror, remove, fit = (button(t) for t in ("Mirror left to right", "Remove point", "Fit"))
        file, leave = button("Points from a CSV file"), button("Leave")
        mirror.clicked.connect(self.mirror)
        remove.clicked.connect(self.remove)
        fit.clicked.connect(self.canvas.fit)
        file.clicked.connect(self._ask_file)
        leave.clicked.connect(self.reject)
        self.take.clicked.connect(self.accept)
        self.make.returnPressed.connect(self._make)
        for each in (mirror, remove, fit) if self.closed else (remove, fit, file):
            each.setAutoDefault(False)
            row.addWidget(each)
        row.addStretch()
        for each in (leave, self.take):
            each.setAutoDefault(False)
            row.addWidget(each)
        hint = "Click adds a point, drag moves it; type its coordinates beside."
        layout = QGridLayout(self)
        layout.addWidget(self.canvas, 0, 0)
        layout.addWidget(self.table, 0, 1)
        layout.addWidget(label(hint, "hint"), 1, 0)
        layout.addWidget(self.message, 2, 0, 1, 2)
        if not self.closed:
            layout.addWidget(self.make, 3, 0, 1, 2)
        layout.addLayout(row, 4, 0, 1, 2)
        layout.setColumnStretch(0, 1)

    @property
    def text(self) -> str:
        """As the field has it."""
        if not self.closed:
            return "; ".join(f"{x}: {y}" for x, y, *_ in self.rows)
        words = []
        for x, y, bend, arc in self.rows:
            extra = f" round {bend}" if bend != ZERO else ""
            extra += f" arc {arc}" if arc != ZERO else ""
            words.append(f"{x}, {y}{extra}")
        return "; ".join(words)

    # what is shown

    def _show(self) -> None:
        """The rows in the table, and the line that they make."""
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(self.rows))
            for number, row in enumerate(self.rows):
                for column, value in enumerate(row[: self.table.columnCount()]):
                    shown = "" if value == ZERO and column > 1 else value
                    self.table.setItem(number, column, QTableWidgetItem(shown))
        self.take.setEnabled(False)
        try:
            values = np.array([
                [self.scope.si(Quantity(text), "length") for text in row] for row in self.rows
            ]).reshape(len(self.rows), -1)  # fmt: skip
            self.canvas.show_points(values[:, :2])  # where no line goes through them, too
            self.canvas.show_line(self._line(values))
        except ModelError as error:
            self.message.setText(str(error))
            return
        self.message.setText("")
        self.take.setEnabled(True)

    def _line(self, values: Floats) -> Floats:
        """(N, 2) m, through the points of all rows. Raises ModelError."""
        if not self.closed:
            if (np.diff(values[:, 0]) <= 0.0).any():
                raise ModelError("the lengths must rise from point to point")
            return values
        Outline(self.text)
        return drawn(edges_of(values[:, :2], *values[:, 2:].T))

    # edits

    def _typed(self, item: QTableWidgetItem) -> None:
        text = item.text().strip() or ZERO
        if text != ZERO:
            try:
                float(text)
            except ValueError:
                pass
            else:
                text = f"{text} mm"
        self.rows[item.row()][item.column()] = text
        self._show()

    def _moved(self, number: int, x: float, y: float) -> None:
        self.rows[number][:2] = _mm(x), _mm(y)
        self._show()

    def _added(self, before: int, x: float, y: float) -> None:
        self.rows.insert(before, [_mm(x), _mm(y), ZERO, ZERO][: len(COLUMNS[self.closed])])
        self._show()

    def _choose(self) -> None:
        self.canvas.chosen = self.table.currentRow()
        self.canvas.update()

    def _select(self, number: int) -> None:
        with QSignalBlocker(self.table):
            self.table.selectRow(number)

    def remove(self) -> None:
        """The chosen point."""
        if 0 <= self.canvas.chosen < len(self.rows) and len(self.rows) > 2:
            del self.rows[self.canvas.chosen]
            self.canvas.chosen = -1
            self._show()

    def mirror(self) -> None:
        """The other half: every point again with the other sign of x, in reverse; points on the
        line of x = 0 stay single."""
        on = [self.scope.si(Quantity(row[0]), "length") == 0.0 for row in self.rows]
        count, other = len(self.rows), []
        for index in reversed(range(count)):
            x, y, bend, _ = self.rows[index]
            # the way to the next point is the mirrored way from the one before
            arc = self.rows[index - 1][3]
            if not on[index]:
                other.append([_negative(x), y, bend, arc if index else ZERO])
        self.rows += other
        self._show()
        self.canvas.fit()

    def _make(self) -> None:
        try:
            text = made_profile(
                self.make.text(), lambda part: self.scope.si(Quantity(part), "length")
            )
        except ModelError as error:
            self.message.setText(str(error))
            return
        self._replace(text)

    def _ask_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Points", "", "Tables (*.csv *.txt)")
        if path:
            self.read(Path(path))

    def read(self, path: Path) -> None:
        """Length and height [m or with units] from the first two columns of a table."""
        from impeto.services.tables import import_csv

        try:
            table = import_csv(path, "profile")
            places, heights = (
                np.asarray(values) * _factor(title)
                for title, values in list(table.columns.items())[:2]
            )
        except ImpetoError as error:
            self.message.setText(str(error))
            return
        self._replace(written_profile(zip(places, heights, strict=True)))

    def _replace(self, text: str) -> None:
        self.rows = _rows(text, self.closed)
        self._show()
        self.canvas.fit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Delete:
            self.remove()
        else:
            super().keyPressEvent(event)


def _rows(text: str, closed: bool) -> list[Row]:
    if closed:
        return [[str(value) for value in point] for point in Outline(text).points]
    return [[str(x), str(y)] for x, y in Curve(text).points]


def _factor(title: str) -> float:
    """To metres, of a column called 'height [mm]'; metres where no unit is given."""
    unit = title.partition("[")[2].rstrip("] ")
    return units.to_kind(*units.unit(unit), "length") if unit else 1.0


def _mm(value: float) -> str:
    return f"{round(1e3 * value, 6) + 0.0:g} mm"


def _negative(text: str) -> str:
    """The other sign of a value as written."""
    if text.startswith("-") and not set("+-*/") & set(text[1:]):
        return text[1:].lstrip()
    return f"-({text})" if set("+-*/") & set(text) else f"-{text}"
