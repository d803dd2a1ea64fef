"""What is drawn on the Map: bodies, the lines between them, badges and the ground."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass
from typing import Protocol

from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import (
    QGraphicsItem,
    QGraphicsPathItem,
    QStyleOptionGraphicsItem,
    QWidget,
)

from impeto.app import glyphs, theme
from impeto.app.document import Document
from impeto.app.map.network import Network
from impeto.app.plain_text import as_tip
from impeto.app.theme import Theme, font
from impeto.core.elements import Body, Joint
from impeto.core.model.model import Model

WIDE, HIGH = 140.0, 42.0  # pixels of a body's box
BADGE = 11.0  # pixels, radius of a badge
WIDEST_LABEL, LINE_HIGH = 110.0, 15.0  # pixels of a name, and of one line
FAINT = 0.4  # opacity of what is switched off
BEHIND, BETWEEN, BEFORE = -1.0, 0.0, 1.0  # depths: lines, bodies, badges


@dataclass(frozen=True, slots=True)
class State:
    """How a body can move, in a word and a colour token."""

    word: str
    colour: str


FREE, LED, HELD = State("free", "good"), State("driven", "accent"), State("held", "soft")
FED = State("fed in", "soft")
LOST, UNKNOWN = State("! not held", "warn"), State("", "line")


class Board(Protocol):
    """The Map as its items know it."""

    document: Document
    look: Theme
    model: Model  # the one that is drawn
    network: Network
    redundant: dict[str, int]
    partners: frozenset[str]  # what the selected body or rule may touch

    def state_of(self, body: str) -> State:
        """How a body can move, as far as it is known."""
        ...

    def driven_freedoms(self, joint: str) -> tuple[str, ...]:
        """The freedoms of a joint that something powers."""
        ...


class Clickable(QGraphicsItem):
    """An item that stands for an element: hover tells what it is, a click selects it."""

    def __init__(self, view: Board, name: str, tip: str) -> None:
        super().__init__()
        self.view, self.name = view, name
        self.setToolTip(as_tip(tip))
        if name in view.network.off:
            self.setOpacity(FAINT)

    @property
    def chosen(self) -> bool:
        return self.name in self.view.document.marked

    def paint(
        self,
        painter: QPainter | None,
        option: QStyleOptionGraphicsItem | None,
        widget: QWidget | None = None,
    ) -> None:
        assert painter is not None
        self.draw(painter)

    @abstractmethod
    def draw(self, painter: QPainter) -> None:
        """Paint the item around its own origin."""


class BodyBox(Clickable):
    """A body: its colour, name, mass and how it can move."""

    def __init__(self, view: Board, body: Body, line: str) -> None:
        super().__init__(view, body.name, f"{body.name}: {line}")
        self.body, self.line = body, line
        self.setZValue(BETWEEN)

    def boundingRect(self) -> QRectF:
        return QRectF(-WIDE / 2 - 2, -HIGH / 2 - 2, WIDE + 4, HIGH + 4)

    def draw(self, painter: QPainter) -> None:
        look, state = self.view.look, self.view.state_of(self.name)
        box = QRectF(-WIDE / 2, -HIGH / 2, WIDE, HIGH)
        marked = self.chosen or self.name in self.view.partners
        painter.setPen(QPen(look.colour("accent" if marked else "line"), 1.0 + self.chosen))
        painter.setBrush(look.colour("wash" if self.chosen else "field"))
        painter.drawRoundedRect(box, 6, 6)
        painter.fillRect(QRectF(box.left(), box.top() + 6, 3, HIGH - 12), look.colour(state.colour))
        painter.setPen(QPen(look.colour("ink"), 0.6))
        painter.setBrush(QColor(theme.body_colour(self.body.colour)))
        painter.drawRoundedRect(QRectF(box.left() + 11, box.top() + 8, 11, 11), 2.5, 2.5)
        name, second = box.adjusted(30, 5, -8, 0), box.adjusted(11, 23, -8, 0)
        write(painter, name, self.body.name, font(13), look.colour("ink"))
        write(painter, second, self.line, font(11), look.colour("soft"))
        taken = painter.fontMetrics().horizontalAdvance(self.line + "  ")
        second = second.adjusted(taken, 0, 0, 0)
        write(painter, second, state.word, font(11), look.colour(state.colour))


class Ground(Clickable):
    """The ground: a bar along the foot of the Map, hatched below."""

    def __init__(self, view: Board, left: float, right: float) -> None:
        super().__init__(view, view.network.bodies[0], "the ground does not move")
        self.left, self.right = left, right
        self.setZValue(BETWEEN)

    def boundingRect(self) -> QRectF:
        return QRectF(self.left - 2, -4, self.right - self.left + 4, 34)

    def draw(self, painter: QPainter) -> None:
        look = self.view.look
        painter.setPen(QPen(look.colour("line"), 1.0))
        x = self.left + 6
        while x < self.right:
            painter.drawLine(QPointF(x, 0), QPointF(x - 6, 7))
            x += 9
        painter.setPen(QPen(look.colour("accent" if self.chosen else "ink"), 2.0))
        painter.drawLine(QPointF(self.left, 0), QPointF(self.right, 0))
        painter.setFont(font(13))
        painter.drawText(QPointF(self.left, 24), self.name)


class Badge(Clickable):
    """The round glyph of an element, with its name beside it where `place_labels` found room."""

    def __init__(self, view: Board, name: str, tip: str, named: bool) -> None:
        super().__init__(view, name, tip)
        self.element = view.model[name]
        self.named, self.label = named, QRectF()
        self.doubled = view.redundant.get(name, 0)
        self.setZValue(BEFORE)

    def label_size(self) -> QSizeF:
        """Pixels that the name and what is redundant take."""
        metrics = QFontMetricsF(font(11))
        wide = max(metrics.horizontalAdvance(line) for line in self.lines())
        return QSizeF(min(wide + 1.0, WIDEST_LABEL), LINE_HIGH * len(self.lines()))

    def lines(self) -> list[str]:
        return [self.name] + ([f"{self.doubled} redundant"] if self.doubled else [])

    def boundingRect(self) -> QRectF:
        around = QRectF(-BADGE - 4, -BADGE - 4, 2 * BADGE + 8, 2 * BADGE + 8)
        return around.united(self.label) if self.label.isValid() else around

    def shape(self) -> QPainterPath:
        path = QPainterPath()
        path.addEllipse(QPointF(0, 0), BADGE + 2, BADGE + 2)
        return path

    def draw(self, painter: QPainter) -> None:
        look, here = self.view.look, QPointF(0, 0)
        if isinstance(self.element, Joint):
            driven = self.view.driven_freedoms(self.name)
            glyphs.draw_badge(painter, here, self.element.motions, look, self.chosen, driven)
        else:
            glyphs.draw_element_badge(painter, here, self.element, look, self.chosen)
        if self.doubled:
            painter.setPen(QPen(look.colour("warn"), 2.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(here, BADGE + 2, BADGE + 2)
        if self.label.isValid():
            colours = ("accent" if self.chosen else "soft", "warn")
            box = QRectF(self.label.topLeft(), QSizeF(self.label.width(), LINE_HIGH))
            for line, colour in zip(self.lines(), colours, strict=False):
                write(painter, box, line, font(11), look.colour(colour))
                box.translate(0, LINE_HIGH)


def write(painter: QPainter, box: QRectF, text: str, letters: QFont, colour: QColor) -> None:
    """Text from the upper left corner of a box, cut off at its end."""
    painter.setFont(letters)
    painter.setPen(colour)
    elided = Qt.TextElideMode.ElideRight
    shown = painter.fontMetrics().elidedText(text, elided, max(int(box.width()), 0))
    painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, shown)


def place_labels(badges: list[Badge], boxes: list[QRectF]) -> None:
    """Names beside their badges, to the right or the left, where nothing else is."""
    taken = [*boxes, *(badge.shape().boundingRect().translated(badge.pos()) for badge in badges)]
    for badge in (badge for badge in badges if badge.named):
        size, top = badge.label_size(), -badge.label_size().height() / 2
        for left in (BADGE + 5, -BADGE - 5 - size.width()):
            label = QRectF(QPointF(left, top), size)
            if not any(label.translated(badge.pos()).intersects(other) for other in taken):
                badge.label = label
                taken.append(label.translated(badge.pos()))
                break


class Line(QGraphicsPathItem):
    """A line of an element between two bodies; ends : bodies whose selection marks it too."""

    def __init__(
        self,
        view: Board,
        name: str,
        path: QPainterPath,
        dashes: Qt.PenStyle,
        ends: tuple[str, ...] = (),
    ) -> None:
        super().__init__(path)
        self.view, self.name, self.dashes, self.ends = view, name, dashes, ends
        self.setZValue(BEHIND)
        if name in view.network.off:
            self.setOpacity(FAINT)

    def paint(
        self,
        painter: QPainter | None,
        option: QStyleOptionGraphicsItem | None,
        widget: QWidget | None = None,
    ) -> None:
        chosen = not {self.name, *self.ends}.isdisjoint(self.view.document.marked)
        solid = self.dashes == Qt.PenStyle.SolidLine
        colour = "accent" if chosen else ("ink" if solid else "soft")
        pen = QPen(self.view.look.colour(colour), 1.8 if chosen else 1.2, self.dashes)
        self.setPen(pen)
        super().paint(painter, option, widget)
