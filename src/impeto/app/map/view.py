"""The Map: the drawing of which body is connected to which, in step with the selection."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QWheelEvent
from PyQt6.QtWidgets import QGraphicsScene, QGraphicsView

from impeto.app.describe import kind_of, values_line
from impeto.app.document import Document
from impeto.app.map import items
from impeto.app.map.arrangement import arrange
from impeto.app.map.items import (
    BADGE,
    HIGH,
    WIDE,
    Badge,
    BodyBox,
    Clickable,
    Ground,
    Line,
    State,
    place_labels,
)
from impeto.app.map.network import Link, Network, network
from impeto.app.theme import Theme
from impeto.app.widgets import label
from impeto.core.drives.model import Powered
from impeto.core.elements import Joint
from impeto.core.errors import ModelError
from impeto.core.model.element import GROUND
from impeto.core.model.scope import Scope

if TYPE_CHECKING:  # else the first picture would wait for the solver
    from impeto.core.check import Health

COLUMN, ROW = 178.0, 128.0  # pixels from body to body
BESIDE = 34.0  # pixels between lines that join the same bodies
EDGE = 40.0  # pixels around everything
SMALLEST, LARGEST = 0.15, 3.0  # scales of the picture
LEGIBLE, LARGE = 0.35, 1.25  # scales within which fitting stays
BOWED = 0.22  # of its length: how far a line past other bodies swings out
MOST_PAIRS = 60  # contact pairs that are drawn without being asked for
WAYS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class MapView(QGraphicsView):
    """Drawn anew when the model or case changes while it is visible."""

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.document, self.look = document, look
        self.model = document.model  # the one that is drawn
        self.network = Network((), (), {}, {}, {}, {}, frozenset(), frozenset())
        self.places: dict[str, QPointF] = {}
        self.lines: dict[str, str] = {}  # what is said of each body
        self.redundant: dict[str, int] = {}
        self.partners: frozenset[str] = frozenset()  # what the selected body or rule may touch
        self._badges: list[Badge] = []
        self._health: Health | None = None
        self._stale = True
        self._pressed = QPoint()
        self.setAccessibleName("Map")
        self.setFrameShape(QGraphicsView.Shape.NoFrame)
        self.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.setDragMode(QGraphicsView.DragMode.ScrollHandDrag)
        self.setTransformationAnchor(QGraphicsView.ViewportAnchor.AnchorUnderMouse)
        for bar in (self.setHorizontalScrollBarPolicy, self.setVerticalScrollBarPolicy):
            bar(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.board = QGraphicsScene(self)
        self.setScene(self.board)
        self.hint = label("", "hint")
        self.hint.setParent(self)
        self._point_at_things()
        document.model_changed.connect(self._change)
        document.case_changed.connect(self._change)
        document.selection_changed.connect(self._reselect)
        self.set_look(look)

    # what is shown

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.setBackgroundBrush(look.colour("stage"))
        self.refresh()

    def set_health(self, health: Health) -> None:
        """Colour what is free, driven, held or redundant."""
        self._health = health
        before, self.redundant = self.redundant, Counter(row.owner for row in health.redundant)
        if self.redundant != before and not self._stale:
            self._draw()  # other labels
        self.refresh()

    def refresh(self) -> None:
        """Paint again; what is where stays."""
        self.board.update()

    def state_of(self, body: str) -> State:
        """How a body can move, as far as it is known."""
        health = self._health
        if health is None or any(finding.severity == "bad" for finding in health.findings):
            return items.UNKNOWN
        if body in self.network.fed:
            return items.FED
        if body in health.floating:
            return items.LOST
        if body in health.loose:
            return items.FREE
        return items.LED if body in health.led else items.HELD

    def driven_freedoms(self, joint: str) -> tuple[str, ...]:
        """The freedoms of a joint that something powers."""
        powered = (self.model[name] for name in self.network.powered.get(joint, ()))
        return tuple(
            drive.freedom
            for drive in powered
            if isinstance(drive, Powered) and drive.name not in self.network.off
        )

    @property
    def chosen(self) -> str:
        """What is selected, by its name here."""
        return next(iter(self.document.marked), "")

    def _change(self) -> None:
        self._stale = True
        if self.isVisible():
            self.rebuild()

    def showEvent(self, event: object) -> None:
        if self._stale:
            self.rebuild()
            self.fit()

    def rebuild(self) -> None:
        """Lay the model out anew; the view moves only when there are other bodies than before."""
        document = self.document
        try:
            made = network(document.whole, document.case)
            scope = Scope(document.whole, document.case)
        except ModelError:
            return  # the Health card tells; the last good Map stays
        others = made.bodies != self.network.bodies
        self.model, self.network, self._stale = document.whole, made, False
        self.places = {
            body: QPointF(COLUMN * x, -ROW * y) for body, (x, y) in arrange(made).items()
        }
        self.lines = {name: values_line(self.model[name], scope) for name in made.bodies}
        self._draw()
        if others:
            self.fit()

    # what it is made of

    def _draw(self) -> None:
        self.board.clear()
        self._badges = []
        self._mark_partners()
        self._add_bodies()
        joints = self._add_links()
        self._add_ties(joints)
        self._add_pairs()
        place_labels(
            self._badges,
            [
                QRectF(here.x() - WIDE / 2, here.y() - HIGH / 2, WIDE, HIGH)
                for here in self.places.values()
            ],
        )
        around = self.board.itemsBoundingRect()
        self.board.setSceneRect(around.adjusted(-EDGE, -EDGE, EDGE, EDGE))

    def _add_bodies(self) -> None:
        others = [name for name in self.network.bodies if name != GROUND]
        columns = [self.places[name].x() for name in others] or [0.0]
        left, right = min(columns) - WIDE / 2, max(columns) + WIDE / 2
        self.board.addItem(Ground(self, left, right))
        self._add_carried(GROUND, QPointF(right, -2 * BADGE - 4))
        for name in others:
            here, box = self.places[name], BodyBox(self, self.model[name], self.lines[name])
            box.setPos(here)
            self.board.addItem(box)
            self._add_carried(name, here + QPointF(WIDE / 2 - 8, -HIGH / 2))

    def _add_carried(self, body: str, corner: QPointF) -> None:
        """Loads, belts, feeders and outlets at the upper right corner of what they are on."""
        for number, name in enumerate(self.network.carried.get(body, ())):
            self._add_badge(name, corner - QPointF(number * (2 * BADGE + 3), 0))

    def _add_links(self) -> dict[str, QPointF]:
        """Joints and force elements; returns where the badges are."""
        together: dict[frozenset[str], list[Link]] = {}
        for link in self.network.links:
            together.setdefault(frozenset((link.first, link.second)), []).append(link)
        badges = {}
        for links in together.values():
            for number, link in enumerate(links):
                aside = (number - 0.5 * (len(links) - 1)) * BESIDE
                badges[link.name] = self._add_link(link, aside, named=len(links) == 1)
        return badges

    def _add_link(self, link: Link, aside: float, named: bool) -> QPointF:
        a, b = self._ends(link, aside)
        _, middle = _bow(a, b)
        middle += QPointF(0, -aside) if abs(a.y() - b.y()) < ROW / 2 else QPointF(aside, 0)
        path = QPainterPath(a)
        path.quadTo(2.0 * middle - 0.5 * (a + b), b)
        joint = isinstance(self.model[link.name], Joint)
        style = Qt.PenStyle.SolidLine if joint else Qt.PenStyle.DashLine
        self.board.addItem(Line(self, link.name, path, style))
        self._add_badge(link.name, middle, named)
        for number, name in enumerate(self.network.powered.get(link.name, ())):
            self._add_badge(name, middle - QPointF((number + 1) * (2 * BADGE + 3), 0))
        return middle

    def _ends(self, link: Link, aside: float) -> tuple[QPointF, QPointF]:
        """Where a line begins and ends; on the ground straight below the other body."""
        a, b = self.places[link.first], self.places[link.second]
        if GROUND in (link.first, link.second):
            body = b if link.first == GROUND else a
            foot = QPointF(body.x() + aside, 0.0)
            return (foot, body) if link.first == GROUND else (body, foot)
        return a, b

    def _add_ties(self, joints: dict[str, QPointF]) -> None:
        """Couplers, between the badges of their joints."""
        for name, coupled in self.network.ties.items():
            ends = [joints[joint] for joint in coupled if joint in joints]
            if not ends:
                continue
            middle = sum(ends, QPointF()) / len(ends)
            if len(ends) == 1:
                middle += QPointF(0, -2 * BADGE - 6)
            for end in ends:
                path = QPainterPath(end)
                path.lineTo(middle)
                self.board.addItem(Line(self, name, path, Qt.PenStyle.DotLine))
            self._add_badge(name, middle)

    def _add_badge(self, name: str, here: QPointF, named: bool = False, tip: str = "") -> None:
        element = self.model[name]
        badge = Badge(self, name, tip or f"{name}: {kind_of(element)}", named)
        badge.setPos(here)
        self.board.addItem(badge)
        self._badges.append(badge)

    # contact

    def _add_pairs(self) -> None:
        """The pairs of bodies that may touch: a line between two bodies, a badge under one that may
        touch the ground."""
        pairs, chosen = self._pairs(), self.chosen
        shown = pairs if len(pairs) <= MOST_PAIRS else [pair for pair in pairs if chosen in pair]
        hidden = len(pairs) - len(shown)
        on_ground: dict[str, int] = {}
        for rule, a, b in shown:
            if GROUND in (a, b):
                body = a if b == GROUND else b
                aside = on_ground.get(body, 0) * (2 * BADGE + 3)
                on_ground[body] = on_ground.get(body, 0) + 1
                here = self.places[body] + QPointF(BADGE + 8 - WIDE / 2 + aside, HIGH / 2 + BADGE)
                self._add_badge(rule, here, tip=f"{rule}: {body} on the ground")
                continue
            path, middle = _bow(self.places[a], self.places[b])
            self.board.addItem(Line(self, rule, path, Qt.PenStyle.DotLine, (a, b)))
            if not hidden:
                self._add_badge(rule, middle, tip=f"{rule}: {a} on {b}")
        text = f"{hidden} more contact pairs: select a rule or a body to see its own"
        self.hint.setText(text if hidden else "")
        self.hint.adjustSize()
        self._place_hint()

    def _pairs(self) -> list[tuple[str, str, str]]:
        """All (rule, body, body) that may touch; not copies of one body among each other."""
        pairs = self.network.pairs.items()
        return [(rule, a, b) for rule, found in pairs for a, b in found if a != b]

    def _mark_partners(self) -> None:
        chosen = self.chosen
        pairs = (pair for pair in self._pairs() if chosen in pair)
        self.partners = frozenset(body for pair in pairs for body in pair[1:])

    # selection and sight

    def _reselect(self) -> None:
        if self._stale or not self.isVisible():
            return
        self._mark_partners()
        if len(self._pairs()) > MOST_PAIRS:
            self._draw()  # other pairs
        self.refresh()
        chosen = self.items_of(self.chosen)
        if len(chosen) == 1 and not isinstance(chosen[0], Ground):
            self.ensureVisible(chosen[0], 20, 20)

    def items_of(self, name: str) -> list[Clickable]:
        """What stands for an element on the Map."""
        return [i for i in self.board.items() if isinstance(i, Clickable) and i.name == name]

    def fit(self) -> None:
        """Show everything, or as much as can be read, from the ground up."""
        whole = self.board.sceneRect()
        if whole.isEmpty():
            return
        size = self.size()
        scale = min(size.width() / whole.width(), size.height() / whole.height(), LARGE)
        self.resetTransform()
        self.scale(max(scale, LEGIBLE), max(scale, LEGIBLE))
        self.centerOn(whole.center())
        if scale < LEGIBLE:
            self.centerOn(QPointF(whole.center().x(), whole.bottom()))

    def _zoom(self, factor: float) -> None:
        scale = min(max(self.transform().m11() * factor, SMALLEST), LARGEST)
        self.resetTransform()
        self.scale(scale, scale)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._place_hint()

    def _place_hint(self) -> None:
        self.hint.move(14, self.height() - self.hint.height() - 10)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self._zoom(1.0015 ** event.angleDelta().y())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._pressed = event.pos()
        super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A click selects; what moved was a drag of the view."""
        assert event is not None
        super().mouseReleaseEvent(event)
        self._point_at_things()
        if (event.pos() - self._pressed).manhattanLength() < 5:
            self.document.select(self.element_at(event.pos()))

    def _point_at_things(self) -> None:
        port = self.viewport()
        assert port is not None
        port.setCursor(Qt.CursorShape.ArrowCursor)

    def element_at(self, here: QPoint) -> str:
        """The element under a pixel, '' where there is none."""
        for item in self.items(QRectF(here.x() - 2, here.y() - 2, 4, 4).toRect()):
            if isinstance(item, (Clickable, Line)):
                return item.name
        return ""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows go from body to body; F fits, + and − zoom."""
        assert event is not None
        key = Qt.Key(event.key())
        if key in WAYS:
            self._go(*WAYS[key])
        elif key == Qt.Key.Key_F:
            self.fit()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self._zoom(1 / 1.2 if key == Qt.Key.Key_Minus else 1.2)
        else:
            event.ignore()

    def _go(self, right: int, down: int) -> None:
        """Select the nearest body that way from the selected one."""
        begin = self.places.get(self.chosen, self.places.get(GROUND, QPointF()))

        def cost(place: QPointF) -> float:
            off = place - begin
            along = right * off.x() + down * off.y()
            across = abs(down * off.x()) + abs(right * off.y())
            return along + 3.0 * across if along > 1.0 else float("inf")

        best = min(self.places, key=lambda name: cost(self.places[name]), default="")
        if best and cost(self.places[best]) < float("inf"):
            self.document.select(best)


def _bow(a: QPointF, b: QPointF) -> tuple[QPainterPath, QPointF]:
    """A line between two bodies, and its middle; bowed where it would run through others in the
    same row or column."""
    along, aside = b - a, QPointF(0, 0)
    if abs(along.y()) < 1.0 and abs(along.x()) > 1.5 * COLUMN:
        aside = QPointF(0, -BOWED * abs(along.x()))
    elif abs(along.x()) < 1.0 and abs(along.y()) > ROW:
        aside = QPointF(BOWED * abs(along.y()), 0)
    path = QPainterPath(a)
    path.quadTo(0.5 * (a + b) + 2.0 * aside, b)
    return path, 0.5 * (a + b) + aside
