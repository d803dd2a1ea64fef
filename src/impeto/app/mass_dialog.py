"""The table of masses: what every body weighs and why, and some of them together."""

from __future__ import annotations

from PyQt6.QtCore import QItemSelectionModel, QSignalBlocker, Qt
from PyQt6.QtGui import QCloseEvent, QHideEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from impeto.app.dialog import Dialog
from impeto.app.document import Document
from impeto.app.stage.view import StageView
from impeto.app.theme import Theme
from impeto.app.widgets import label, plain_table, wrapped
from impeto.core.errors import ModelError
from impeto.core.geometry.mass import MassProperties
from impeto.core.model import units
from impeto.core.weighing import Weight, weighed, weights

TITLES = ("body", "mass", "of", "material", "centre x", "y", "z", "inertia xx", "yy", "zz")
MATERIAL = TITLES.index("material")
WORDS = (0, TITLES.index("of"), MATERIAL)  # columns that hold no numbers
BESIDE, LINE, MOST_SHOWN = 150, 30, 12  # px beside the rows, of a row; rows it opens with
FEW = 3  # names of materials that are listed


class MassDialog(Dialog):
    """Stays open beside the work and follows it; what is selected is weighed together, and its
    centre of mass shown on the Stage."""

    def __init__(self, document: Document, stage: StageView, look: Theme, parent: QWidget) -> None:
        super().__init__("Masses", look, parent)
        self.resize(820, 400)
        self.document, self.stage = document, stage
        self.rows: tuple[Weight, ...] = ()
        self.table = plain_table(TITLES, "Masses")
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        across = self.table.horizontalHeader()
        assert across is not None
        across.setSectionResizeMode(MATERIAL, QHeaderView.ResizeMode.Stretch)
        for column in range(len(TITLES)):
            head = self.table.horizontalHeaderItem(column)
            assert head is not None
            head.setTextAlignment(_aligned(column))
        self.table.itemSelectionChanged.connect(self._choose)
        self.total = label("", "title")
        self.centre = wrapped("", "soft")
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        for part in (self.table, self.total, self.centre):
            layout.addWidget(part)
        document.model_changed.connect(self._follow)
        document.case_changed.connect(self._follow)
        document.selection_changed.connect(self._follow_selection)

    def renew(self) -> None:
        """Weigh the model as it is now."""
        try:
            self.rows = weights(self.document.model, self.document.case)
        except ModelError as error:
            self.rows = ()
            self.table.setRowCount(0)
            self._tell(None, "", str(error))
            return
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(self.rows))
            for number, row in enumerate(self.rows):
                for column, text in enumerate(_texts(row)):
                    item = QTableWidgetItem(text)
                    item.setTextAlignment(_aligned(column))
                    item.setToolTip(_why(row))
                    self.table.setItem(number, column, item)
        if not self.isVisible():
            self.resize(self.width(), BESIDE + LINE * min(len(self.rows), MOST_SHOWN))
        self._follow_selection()

    def _follow(self) -> None:
        if self.isVisible():
            self.renew()

    def _follow_selection(self) -> None:
        """The rows of what is selected in the window, and their sum."""
        if not self.rows:
            return
        chosen = set(self.document.chosen)
        selection = self.table.selectionModel()
        assert selection is not None
        with QSignalBlocker(self.table):
            selection.clearSelection()
            for number, row in enumerate(self.rows):
                if row.name in chosen:
                    selection.select(
                        self.table.model().index(number, 0),  # type: ignore[union-attr]
                        QItemSelectionModel.SelectionFlag.Select
                        | QItemSelectionModel.SelectionFlag.Rows,
                    )
        self._add_up([row for row in self.rows if row.name in chosen])

    def _choose(self) -> None:
        """Rows that are clicked are selected in the window."""
        numbers = sorted({index.row() for index in self.table.selectedIndexes()})
        self.document.choose([self.rows[number].name for number in numbers])

    def _add_up(self, chosen: list[Weight]) -> None:
        taken = chosen or list(self.rows)
        sum_of = weighed(taken)
        count = sum(len(row.names) for row in taken)
        what = f"{count} selected bod{'y' if count == 1 else 'ies'}" if chosen else "All bodies"
        center = ", ".join(units.digits(round(float(v), 9)) for v in sum_of.center)
        inertia = ", ".join(units.digits(float(v)) for v in sum_of.inertia.diagonal())
        self._tell(
            sum_of, f"{what}: {units.shown(sum_of.mass, 'mass')}",
            f"Centre of mass {center} m, inertia about it {inertia} kg·m², in world axes as drawn. "
            "Point masses come on top of shapes and of typed masses.",
        )  # fmt: skip

    def _tell(self, total: MassProperties | None, head: str, text: str) -> None:
        self.total.setText(head)
        self.centre.setText(text)
        self.stage.weighed = None if total is None or not self.isVisible() else total.center
        self.stage.refresh()

    def showEvent(self, event: object) -> None:
        self._follow_selection()

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.stage.weighed = None
        self.stage.refresh()
        super().hideEvent(event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.hide()


def _aligned(column: int) -> Qt.AlignmentFlag:
    side = Qt.AlignmentFlag.AlignLeft if column in WORDS else Qt.AlignmentFlag.AlignRight
    return side | Qt.AlignmentFlag.AlignVCenter


def _texts(row: Weight) -> list[str]:
    """What stands in a row."""
    number = len(row.names)
    mass = units.shown(row.all.mass, "mass")
    names = ", ".join(row.materials[:FEW]) + (" …" if len(row.materials) > FEW else "")
    of = "typed" if row.is_typed else "shapes"
    if row.points:
        of += " + points"
    return [
        row.name if number == 1 else f"{row.name} × {number}", mass, of, names,
        *(f"{units.digits(round(float(v), 9))} m" for v in row.all.center),
        *(units.digits(float(v)) for v in row.all.inertia.diagonal()),
    ]  # fmt: skip


def _why(row: Weight) -> str:
    """How its mass comes about, in a sentence."""
    drawn = units.shown(row.drawn, "mass")
    said = f"{drawn} {'typed' if row.is_typed else 'of its shapes'}"
    if row.points:
        said += f" and {units.shown(row.points, 'mass')} of point masses"
    if len(row.names) > 1:
        said += f", {len(row.names)} times"
    return said
