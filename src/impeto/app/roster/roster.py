"""The Roster: every element with its glyph, name, values and a tick, grouped and searchable."""

from __future__ import annotations

from PyQt6.QtCore import (
    QAbstractItemModel,
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPoint,
    QPointF,
    QRectF,
    QSignalBlocker,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import (
    QFont,
    QMouseEvent,
    QPainter,
    QPen,
    QPolygonF,
    QStandardItem,
    QStandardItemModel,
)
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from impeto.app import glyphs
from impeto.app.describe import GROUPS, OFTEN_EMPTY, kind_of, values_line
from impeto.app.document import Document
from impeto.app.kept import Kept
from impeto.app.roster.pieces import PieceBar, alike_rows, sorted_out
from impeto.app.roster.row import HEAD, LINE, NAMES, ON, Row
from impeto.app.selection import Selection, can_switch
from impeto.app.theme import Theme, font
from impeto.app.widgets import button, search_field
from impeto.core.assembly.resolve import body_mass
from impeto.core.elements import Body, Piece
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.element import GROUND, Element
from impeto.core.model.scope import Scope

ROW, TICK = 27, 26


class RosterDelegate(QStyledItemDelegate):
    """Paints one row; a click on the tick at the right switches the element."""

    def __init__(self, roster: Roster) -> None:
        super().__init__(roster)
        self.roster = roster

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(100, 30 if index.data(HEAD) else ROW)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        assert painter is not None
        look, box = self.roster.look, QRectF(option.rect)
        painter.save()
        if index.data(HEAD):
            painter.setFont(font(11, QFont.Weight.DemiBold))
            painter.setPen(look.colour("soft"))
            inner = box.adjusted(14, 8, -14, -2)
            painter.drawText(inner, Qt.AlignmentFlag.AlignLeft, index.data(HEAD))
            painter.drawText(inner, Qt.AlignmentFlag.AlignRight, index.data(LINE))
            painter.restore()
            return
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, look.colour("wash"))
            painter.fillRect(QRectF(box.left(), box.top(), 3, box.height()), look.colour("accent"))
        names = index.data(NAMES)
        element = self.roster.document.model.elements.get(names[0] if names else "")
        if element is not None:
            painter.setOpacity(1.0 if index.data(ON) else 0.45)
            self._paint_element(painter, box, element, index)
        painter.restore()

    def _paint_element(
        self, painter: QPainter, box: QRectF, element: Element, index: QModelIndex
    ) -> None:
        look = self.roster.look
        middle = box.center().y()
        glyphs.draw_element(painter, QRectF(box.left() + 12, middle - 8, 16, 16), element, look)
        painter.setFont(font())
        painter.setPen(look.colour("ink"))
        inner = box.adjusted(38, 0, -TICK - 4, 0)
        metrics = painter.fontMetrics()
        title = str(index.data(Qt.ItemDataRole.DisplayRole))
        taken = metrics.horizontalAdvance(title) + 12
        vertical = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(inner, Qt.AlignmentFlag.AlignLeft | vertical, title)
        painter.setFont(font(12))
        painter.setPen(look.colour("soft"))
        line = self.roster.line_of(index)
        room = int(inner.width() - taken)
        shown = painter.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, max(room, 0))
        painter.drawText(inner, Qt.AlignmentFlag.AlignRight | vertical, shown)
        if can_switch(element):
            self._paint_tick(painter, tick_box(box), bool(index.data(ON)))

    def _paint_tick(self, painter: QPainter, box: QRectF, on: bool) -> None:
        look = self.roster.look
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(look.colour("line"), 1))
        painter.setBrush(look.colour("field"))
        painter.drawRoundedRect(box, 3, 3)
        if on:
            painter.setPen(QPen(look.colour("soft"), 1.4))
            x, y = box.left(), box.top()
            painter.drawPolyline(
                QPolygonF([QPointF(x + 3, y + 6), QPointF(x + 5, y + 8), QPointF(x + 9, y + 3)])
            )

    def editorEvent(
        self,
        event: QEvent | None,
        model: QAbstractItemModel | None,
        option: QStyleOptionViewItem,
        index: QModelIndex,
    ) -> bool:
        if (
            isinstance(event, QMouseEvent)
            and event.type() == QEvent.Type.MouseButtonRelease
            and index.data(NAMES)
            and tick_box(QRectF(option.rect)).adjusted(-5, -6, 5, 6).contains(event.position())
        ):
            self.roster.toggle(index.data(NAMES)[0])
            return True
        return super().editorEvent(event, model, option, index)


def tick_box(row: QRectF) -> QRectF:
    """Where the tick of a row is drawn."""
    return QRectF(row.right() - TICK + 4, row.center().y() - 6, 12, 12)


class Roster(QWidget):
    """Search field and list, in step with the document."""

    addition_asked = pyqtSignal(QPoint)  # where the menu is to open
    menu_asked = pyqtSignal(QPoint)
    fields_asked = pyqtSignal()

    def __init__(self, document: Document, look: Theme, chosen: Selection) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document, self.look = document, look
        self._rows: list[Row] = []
        self._numbers: dict[str, int] = {}
        self._lines: Kept[str] = Kept(values_line)
        self._masses: Kept[float] = Kept(_mass)
        self.search = search_field("Find name, kind or value", "Find in the Roster")
        self.search.setAccessibleName("Find in the Roster")
        self.list = QListView()
        self.list.setAccessibleName("Roster")
        self.items = QStandardItemModel()
        self.list.setModel(self.items)
        self.list.setItemDelegate(RosterDelegate(self))
        self.list.setEditTriggers(QListView.EditTrigger.NoEditTriggers)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 12, 0, 0)
        layout.setSpacing(4)
        self.add = button("+ add", "link")
        self.add.setAccessibleName("Add to the model")
        self.add.clicked.connect(
            lambda: self.addition_asked.emit(self.add.mapToGlobal(QPoint(0, self.add.height() + 2)))
        )
        head = QHBoxLayout()
        head.setContentsMargins(12, 0, 12, 0)
        head.addWidget(self.search)
        head.addWidget(self.add)
        layout.addLayout(head)
        layout.addWidget(self.list)
        self.bar = PieceBar(document, chosen)
        layout.addWidget(self.bar)
        self.search.textChanged.connect(self.refresh)
        selection = self.list.selectionModel()
        assert selection is not None
        self.list.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        selection.selectionChanged.connect(self._picked)
        self.list.clicked.connect(self._clicked)
        self.list.activated.connect(lambda _: self.fields_asked.emit())
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._ask_menu)
        document.model_changed.connect(self.refresh)
        document.case_changed.connect(self.refresh)
        document.selection_changed.connect(self._follow)
        self.refresh()

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.update()

    def forget(self) -> None:
        """Values are to be written anew."""
        self._lines.forget()

    def refresh(self) -> None:
        """List everything that matches the search; rows that stay are changed in place."""
        words = self.search.text().lower().split()
        try:
            scope = Scope(self.document.model, self.document.case)
        except ModelError as error:
            self.document.complained.emit(str(error))
            return
        self._lines.begin(scope)
        self._masses.begin(scope)
        grouped: dict[str, list[Element]] = {group: [] for group in GROUPS}
        for element in self.document.model.elements.values():
            if element.group in grouped:
                grouped[element.group].append(element)
        rows = [
            row for g, members in grouped.items() for row in self._group(g, members, words, scope)
        ]
        selection = self.list.selectionModel()
        assert selection is not None
        with QSignalBlocker(selection):
            if [row.title for row in rows] != [row.title for row in self._rows]:
                self.items.clear()
                for row in rows:
                    self.items.appendRow(QStandardItem(row.title))
                self._rows = []
            for number, row in enumerate(rows):
                before = self._rows[number] if number < len(self._rows) else None
                if row is not before and row != before:
                    item = self.items.item(number)
                    assert item is not None
                    row.fill(item)
            self._rows = rows
        self._numbers = {name: number for number, row in enumerate(rows) for name in row.names}
        self._follow()

    def _group(
        self, group: str, members: list[Element], words: list[str], scope: Scope
    ) -> list[Row]:
        """Its heading with what belongs to it."""
        if group == Piece.group:
            return self._pieces(words)
        rows = []
        for element in members:
            line = self._lines.of(element)
            text = f"{element.name} {kind_of(element)} {line}".lower() if words else ""
            if all(word in text for word in words):
                rows.append(self._row(element, line))
        if not rows and (words or group in OFTEN_EMPTY):
            return []
        return [Row(GROUPS[group], (), self._total(members, scope), True), *rows]

    def _row(self, element: Element, line: str) -> Row:
        """Of an element: the one that is listed already, where nothing has changed."""
        on, number = self.document.is_on(element), self._numbers.get(element.name)
        note = f"\n{element.note}" if element.note else ""
        if number is not None:
            row = self._rows[number]
            same = row.title == element.name and (row.line, row.on, row.note) == (line, on, note)
            if same:
                return row
        return Row(element.name, (element.name,), line, on, note)

    def _pieces(self, words: list[str]) -> list[Row]:
        """What of an import is loose: parts that are alike in one row, all of them when looking for
        something."""
        model, rows = self.document.model, list[Row]()
        pieces = {piece.name: piece for piece in model.of(Piece)}
        for title, names in alike_rows(list(pieces.values()), bool(words)):
            first = pieces[names[0]]
            line = self._lines.of(first) if len(names) == 1 else f"{len(names)} alike"
            text = f"{title} {first.way} {first.product} {kind_of(first)} {line}".lower()
            if all(word in text for word in words):
                rows.append(Row(title, names, line, True, f"\n{first.way}"))
        if not rows:
            return []
        loose, all_of = sorted_out(model)
        return [Row(GROUPS[Piece.group], (), f"{loose} of {all_of} left", True), *rows]

    def _total(self, members: list[Element], scope: Scope) -> str:
        """How many there are, members of Repeats too; for bodies also what they weigh together."""
        unfolded = self.document.unfolded
        numbers = {e.name: unfolded.number(e) for e in members}
        count = str(sum(numbers.values())) if members else "none"
        bodies = [e for e in members if isinstance(e, Body) and e.name != GROUND and scope.on(e)]
        try:
            total = sum(numbers[body.name] * self._masses.of(body) for body in bodies)
        except ModelError:
            return count  # the row of the body says what is wrong
        return f"{count} · {units.shown(total, 'mass')}" if bodies else count

    def line_of(self, index: QModelIndex) -> str:
        """What stands at the end of a row; where a part of it is chosen how many."""
        names = index.data(NAMES)
        some = sum(name in self.document.chosen for name in names) if len(names) > 1 else 0
        return f"{some} of {len(names)}" if 0 < some < len(names) else str(index.data(LINE))

    def row_of(self, name: str) -> QModelIndex:
        """Index of an element's row, invalid when it is filtered out."""
        number = self._numbers.get(name)
        return QModelIndex() if number is None else self.items.index(number, 0)

    def toggle(self, name: str) -> None:
        """Switch an element on or off in the present case (in the model itself for Base)."""
        element = self.document.model[name]
        if not can_switch(element):
            return
        self.document.switch([element], not self.document.is_on(element))

    def _ask_menu(self, here: QPoint) -> None:
        viewport = self.list.viewport()
        assert viewport is not None
        self.menu_asked.emit(viewport.mapToGlobal(here))

    def _picked(self, new: QItemSelection, _left: QItemSelection) -> None:
        """Rows were chosen: the one that was there first stays what the Sheet shows."""
        selection = self.list.selectionModel()
        assert selection is not None
        rows = sorted(selection.selectedIndexes(), key=lambda index: index.row())
        fresh = set(new.indexes())
        names = [name for index in rows for name in self._chosen_of(index, index in fresh)]
        kept = [name for name in self.document.chosen if name in names]
        self.document.choose([*kept, *(name for name in names if name not in kept)])

    def _chosen_of(self, index: QModelIndex, fresh: bool) -> tuple[str, ...]:
        """What a chosen row stands for: all of several that are alike, or those picked before."""
        names: tuple[str, ...] = index.data(NAMES) or ()
        picked = tuple(name for name in self.document.chosen if name in names)
        return names if fresh or not picked else picked

    def _clicked(self, index: QModelIndex) -> None:
        """On a row of which only some are chosen: all of them."""
        names: tuple[str, ...] = index.data(NAMES) or ()
        if len(names) > 1 and set(self.document.chosen) < set(names):
            self.document.choose(names)

    def _follow(self) -> None:
        selection = self.list.selectionModel()
        assert selection is not None
        wanted = QItemSelection()
        rows = {name: self.row_of(name) for name in self.document.chosen}
        for index in rows.values():
            if index.isValid():
                wanted.select(index, index)
        with QSignalBlocker(selection):
            selection.select(wanted, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            first = rows.get(self.document.selected, QModelIndex())
            if first.isValid():
                selection.setCurrentIndex(first, QItemSelectionModel.SelectionFlag.NoUpdate)
                self.list.scrollTo(first)
        viewport = self.list.viewport()
        assert viewport is not None
        viewport.update()
        self.bar.show_chosen(self._masses.of)


def _mass(element: Element, scope: Scope) -> float:
    """Of a body [kg]."""
    body = element.as_body() if isinstance(element, Piece) else element
    assert isinstance(body, Body)
    return body_mass(scope, body).mass
