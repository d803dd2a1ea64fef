"""The table of cases: changed values are edited in place, runs and verdicts stand below."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QKeyEvent, QKeySequence, QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QTableWidget, QTableWidgetItem

from impeto.app.compare.rows import (
    BAD,
    CHANGED,
    GOOD,
    HEAD,
    PALE,
    SOLVED,
    TAKEN,
    VERDICT,
    Cell,
    Row,
    edited,
    rows_of,
)
from impeto.app.document import Document
from impeto.app.plain_text import as_tip
from impeto.app.theme import Theme, font
from impeto.core.errors import ModelError

TITLE, COLUMN, LINE = 210, 118, 29  # px
TOKENS = {CHANGED: "accent", TAKEN: "accent", GOOD: "good", BAD: "bad", PALE: "soft"}


class CaseTable(QTableWidget):
    """A column for each case. Copy and paste go by cells, also from and to spreadsheets; an empty
    cell is as in the model."""

    run_asked = pyqtSignal(str)  # a case
    case_menu_asked = pyqtSignal(str, QPoint)

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__(0, 1)
        self.document, self.look = document, look
        self.further: list[str] = []
        self.reference = ""  # the case to which figures tell their difference
        self.rows: list[Row] = []
        self._drawn: dict[tuple[int, int], Cell] = {}
        self._typed = -1  # the row in which a cell was written
        self.cases: list[str] = []
        self.shares: dict[str, float] = {}  # of cases that are being solved
        self.setAccessibleName("Cases")
        self.setShowGrid(False)
        self.setTabKeyNavigation(True)
        self.setWordWrap(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ContiguousSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        down, across = self.verticalHeader(), self.horizontalHeader()
        assert down is not None
        assert across is not None
        down.hide()
        down.setDefaultSectionSize(LINE)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        across.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        across.customContextMenuRequested.connect(self._ask_menu)
        self.itemChanged.connect(self._take)
        self.cellDoubleClicked.connect(self._double_clicked)

    @property
    def outdated(self) -> list[str]:
        """Cases that are not solved as the model is now."""
        states = next((row.cells for row in self.rows if row.kind == HEAD and row.cells), {})
        return [case for case, cell in states.items() if cell.text != SOLVED]

    def renew(self) -> None:
        """Everything from the document; cells that stay are left alone."""
        before, cases = self.rows, self.cases
        self.cases = list(self.document.model.cases)
        self.rows = rows_of(self.document, self.further, self.reference)
        alike = cases == self.cases and [(r.kind, r.title) for r in before] == [
            (r.kind, r.title) for r in self.rows
        ]
        with QSignalBlocker(self):
            if not alike:
                self._drawn = {}
                self.setColumnCount(1 + len(self.cases))
                self.setRowCount(len(self.rows))
                self._fill()
            self._head()
            for number, row in enumerate(self.rows):
                if alike and row == before[number] and row.kind != HEAD and number != self._typed:
                    continue
                self._set(number, 0, Cell(row.title, "", row.tip), row)
                for column, case in enumerate(self.cases, start=1):
                    self._set(number, column, self._cell(row, case), row)
        self._typed = -1

    def _fill(self) -> None:
        """The whole width, where there is more than the cases need."""
        view, count = self.viewport(), self.columnCount()
        assert view is not None
        room = max(view.width() - TITLE, COLUMN * (count - 1))
        self.setColumnWidth(0, TITLE)
        for column in range(1, count):
            begin, end = (room * k // (count - 1) for k in (column - 1, column))
            self.setColumnWidth(column, end - begin)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fill()

    def _head(self) -> None:
        """Names of the cases, each with whether it does what is asked."""
        for column, title in enumerate(["", *self.cases]):
            styles = {row.cells[title].style for row in self.rows
                      if row.kind == VERDICT and title in row.cells}  # fmt: skip
            mark = "  ✕" if BAD in styles else "  ✓" if styles == {GOOD} else ""
            old = self.horizontalHeaderItem(column)
            if old is not None and old.text() == f"{title}{mark}":
                continue
            item = QTableWidgetItem(f"{title}{mark}")
            if mark:
                item.setForeground(self.look.colour("bad" if BAD in styles else "good"))
            self.setHorizontalHeaderItem(column, item)

    def _cell(self, row: Row, case: str) -> Cell:
        cell = row.cells.get(case, Cell(""))
        if row.kind == HEAD and row.cells and self.shares.get(case, 1.0) < 1.0:
            return Cell(f"{100.0 * self.shares[case]:.0f} % …", PALE)
        return cell

    def _set(self, number: int, column: int, cell: Cell, row: Row) -> None:
        if self._drawn.get((number, column)) == cell:
            return
        self._drawn[number, column] = cell
        item = QTableWidgetItem(cell.text)
        edits = row.takes and column > 0
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        item.setFlags(flags | Qt.ItemFlag.ItemIsEditable if edits else flags)
        item.setToolTip(as_tip(cell.tip) if cell.tip else "")
        if row.kind == HEAD:
            item.setBackground(self.look.colour("paper"))
            item.setForeground(self.look.colour("soft"))
            item.setFont(font(11, QFont.Weight.DemiBold))
        if cell.style:
            item.setForeground(self.look.colour(TOKENS[cell.style]))
        if cell.style == CHANGED:
            item.setBackground(QColor(self.look.wash))
            item.setFont(font(13, QFont.Weight.DemiBold))
        self.setItem(number, column, item)

    def show_shares(self, shares: dict[str, float]) -> None:
        """How far cases are solved, {} when nothing is."""
        self.shares = shares
        for number, row in enumerate(self.rows):
            if row.kind == HEAD and row.cells:
                with QSignalBlocker(self):
                    for column, case in enumerate(self.cases, start=1):
                        self._set(number, column, self._cell(row, case), row)

    def set_look(self, look: Theme) -> None:
        self.look, self.rows = look, []
        self.setColumnCount(0)
        self.renew()

    # edits

    def _take(self, item: QTableWidgetItem) -> None:
        """A cell was written: into the case, or a sentence and the old value."""
        self._drawn.pop((item.row(), item.column()), None)  # it shows what was typed
        self._typed = item.row()
        self._write([(item.row(), item.column(), item.text())])

    def _write(self, cells: list[tuple[int, int, str]]) -> None:
        """Several cells as one step of undo; none of them where one does not fit."""
        model, names = self.document.model, set[str]()
        try:
            for number, column, text in cells:
                row, case = self.rows[number], self.cases[column - 1]
                if row.takes and text != row.cells[case].text:
                    model = edited(model, row, model.cases[case], text)
                    names.add(row.title)
        except ModelError as error:
            self.document.complained.emit(str(error))
            self.renew()
            return
        if names:
            self.document.edit(f"change of {', '.join(sorted(names))} in cases", model)
        else:
            self.renew()

    def _double_clicked(self, number: int, column: int) -> None:
        """A state: solve that case."""
        row = self.rows[number]
        if row.kind == HEAD and row.cells and column > 0:
            self.run_asked.emit(self.cases[column - 1])

    def _ask_menu(self, here: QPoint) -> None:
        column = self.columnAt(here.x())
        header = self.horizontalHeader()
        if column > 0 and header is not None:
            self.case_menu_asked.emit(self.cases[column - 1], header.mapToGlobal(here))

    def event(self, event: QEvent | None) -> bool:
        """Copy, paste and delete are of cells here, not of what is selected in the model."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            keys = QKeySequence.StandardKey
            if any(event.matches(key) for key in (keys.Copy, keys.Paste, keys.Delete)):
                event.accept()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        keys = QKeySequence.StandardKey
        clipboard = QApplication.clipboard()
        chosen = self.selectedIndexes()
        if event.matches(keys.Copy) and chosen and clipboard is not None:
            clipboard.setText(self.copied())
        elif event.matches(keys.Paste) and chosen and clipboard is not None:
            self.paste(clipboard.text())
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._write([(i.row(), i.column(), "") for i in chosen if i.column() > 0])
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and chosen:
            if self.rows[chosen[0].row()].takes:
                self.editItem(self.item(chosen[0].row(), chosen[0].column()))
            else:
                self._double_clicked(chosen[0].row(), chosen[0].column())
        else:
            super().keyPressEvent(event)

    def copied(self) -> str:
        """The selected cells as lines with tabs between."""
        lines: dict[int, list[str]] = {}
        for index in sorted(self.selectedIndexes(), key=lambda i: (i.row(), i.column())):
            lines.setdefault(index.row(), []).append(str(index.data() or ""))
        return "\n".join("\t".join(line) for line in lines.values())

    def paste(self, text: str) -> None:
        """Lines with tabs between, from the first selected cell on; one value fills all that is
        selected."""
        chosen = self.selectedIndexes()
        lines = [line.split("\t") for line in text.rstrip("\n").splitlines()]
        if not lines or not chosen:
            return
        if len(lines) == 1 and len(lines[0]) == 1:
            cells = [(i.row(), i.column(), lines[0][0]) for i in chosen]
        else:
            first, left = min(i.row() for i in chosen), min(i.column() for i in chosen)
            cells = [
                (first + down, left + right, value)
                for down, line in enumerate(lines) for right, value in enumerate(line)
            ]  # fmt: skip
        fits = [c for c in cells if c[0] < self.rowCount() and 0 < c[1] < self.columnCount()]
        self._write(fits)
