"""Where the energy of a run comes from and goes to, as a picture of streams."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from impeto.app.dialog import Dialog
from impeto.app.document import Document
from impeto.app.theme import Theme, font
from impeto.app.widgets import label, wrapped
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.results.energy import LOSS, REST, STORE, WORK, EnergyFlow, Part, energy_flow

COLOURS = {WORK: "accent", STORE: "good", LOSS: "force", REST: "bad"}
SAID = {WORK: "drives and loads", STORE: "springs, motion and height", LOSS: "losses",
        REST: "not accounted for"}  # fmt: skip
FEWER = 0.01  # of the whole: smaller ones are one
SEEN = 1e-4  # of the whole: what the balance lacks is told, and from there on drawn
BAR, GAP, SIDE = 12.0, 7.0, 275.0  # px: width of an end, between streams, for names
LEAST = 15.0  # px between names
VEIL = 90  # of 255: how thick a stream is painted


@dataclass(frozen=True)
class Stream:
    """One side of the picture: name, role, J above zero"""

    name: str
    role: str
    amount: float


def streams(parts: Sequence[Part], sign: float, whole: float) -> list[Stream]:
    """What gave (sign 1) or took (−1), the small ones of each role as one."""
    found, small = list[Stream](), dict[str, float]()
    for part in parts:
        amount = sign * part.amount
        if amount >= FEWER * whole or (amount > SEEN * whole and part.role == REST):
            found.append(Stream(part.name, part.role, amount))
        elif amount > 0.0 and part.role != REST:
            small[part.role] = small.get(part.role, 0.0) + amount
    found += [Stream(f"others: {SAID[role]}", role, j) for role, j in small.items()]
    return sorted(found, key=lambda stream: -stream.amount)


class FlowPicture(QWidget):
    """Streams from the left into one trunk, and from it to the right; as wide as their joules."""

    def __init__(self, look: Theme) -> None:
        super().__init__()
        self.look = look
        self.flow: EnergyFlow | None = None
        self.setAccessibleName("Energy")

    def sizeHint(self) -> QSize:
        return QSize(760, 380)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.look.colour("field"))
        if self.flow is not None and self.flow.given:
            whole = sum(self.flow.given.values())
            sides = [streams(self.flow.parts, sign, whole) for sign in (1.0, -1.0)]
            most = max(len(side) for side in sides)
            room = self.height() - 40.0 - GAP * (most - 1)
            for side, left in zip(sides, (True, False), strict=True):
                self._paint_side(painter, side, whole, max(room, 60.0), left)
        painter.end()

    def _paint_side(
        self, painter: QPainter, side: Sequence[Stream], whole: float, room: float, left: bool
    ) -> None:
        trunk_x = self.width() / 2.0
        end_x = SIDE if left else self.width() - SIDE
        down = trunk = (self.height() - room) / 2.0
        down = (self.height() - room - GAP * (len(side) - 1)) / 2.0
        named = -LEAST
        for stream in side:
            tall = room * stream.amount / whole
            colour = self.look.colour(COLOURS[stream.role])
            self._paint_stream(painter, QPointF(end_x, down), QPointF(trunk_x, trunk), tall, colour)
            inner = end_x - BAR if left else end_x
            painter.fillRect(QRectF(inner, down, BAR, max(tall, 1.5)), colour)
            named = max(down + tall / 2.0 - 8.0, named + LEAST)
            self._write(painter, stream, whole, named, left)
            down, trunk = down + tall + GAP, trunk + tall

    def _paint_stream(
        self, painter: QPainter, end: QPointF, trunk: QPointF, tall: float, colour: QColor
    ) -> None:
        bend, veiled = (trunk.x() - end.x()) / 2.0, QColor(colour)
        veiled.setAlpha(VEIL)
        path = QPainterPath(end)
        across = QPointF(bend, 0.0)
        path.cubicTo(end + across, trunk - across, trunk)
        low, foot = QPointF(0.0, tall), trunk + QPointF(0.0, tall)
        path.lineTo(foot)
        path.cubicTo(foot - across, end + low + across, end + low)
        path.closeSubpath()
        painter.fillPath(path, veiled)

    def _write(self, painter: QPainter, stream: Stream, whole: float, y: float, left: bool) -> None:
        said = f"{units.shown(stream.amount, 'energy', 3)} · {stream.amount / whole:.1%}"
        said = said.replace("%", " %")
        side = Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft
        x = 6.0 if left else self.width() - SIDE + BAR + 8.0
        box = QRectF(x, y, SIDE - BAR - 14.0, 16.0)
        painter.setFont(font(11))
        painter.setPen(self.look.colour("soft"))
        painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, said)
        wide = painter.fontMetrics().horizontalAdvance(said) + 8
        painter.setFont(font(12, QFont.Weight.DemiBold))
        painter.setPen(self.look.colour("ink"))
        rest = box.adjusted(0.0, 0.0, -wide, 0.0) if left else box.adjusted(wide, 0.0, 0.0, 0.0)
        metrics = painter.fontMetrics()
        name = metrics.elidedText(stream.name, Qt.TextElideMode.ElideRight, int(rest.width()))
        painter.drawText(rest, side | Qt.AlignmentFlag.AlignVCenter, name)


class EnergyDialog(Dialog):
    """Stays open beside the work and follows the shown run, and A and B."""

    def __init__(self, document: Document, look: Theme, parent: QWidget) -> None:
        super().__init__("Energy", look, parent)
        self.document = document
        self.resize(900, 470)
        self.title, self.told = label("", "title"), wrapped("", "soft")
        self.picture = FlowPicture(look)
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        layout.addWidget(self.title)
        layout.addWidget(self.picture, 1)
        layout.addWidget(self.told)
        document.runs_changed.connect(self._follow)
        document.span_changed.connect(self._follow)

    def set_look(self, look: Theme) -> None:
        super().set_look(look)
        self.picture.look = look
        self.picture.update()

    def renew(self) -> None:
        """From A to B where both are set, else the whole run."""
        run, (a, b) = self.document.run, self.document.span
        self.picture.flow = None
        self.title.setText("")
        if run is None:
            self.told.setText("There is no run yet: run a case first (Ctrl+R).")
        else:
            ends = (a, b) if a is not None and b is not None else (0.0, float("inf"))
            try:
                flow = self.picture.flow = energy_flow(run.recording, *ends)
            except ModelError as error:
                self.told.setText(str(error))
            else:
                self.title.setText(
                    f"{run.name}, {units.digits(flow.begin)} s to {units.digits(flow.end)} s"
                )
                self.told.setText(_sentence(flow))
        self.picture.update()

    def _follow(self) -> None:
        if self.isVisible():
            self.renew()


def _sentence(flow: EnergyFlow) -> str:
    whole = sum(flow.given.values())
    if whole <= 0.0:
        return "Nothing gave or took energy in this time."
    return (
        f"{units.shown(whole, 'energy', 4)} changed places: left what gave it, right what took "
        f"it. The balance lacks {units.shown(abs(flow.missing), 'energy', 2)}."
    )
