"""The Deck: one time axis for playback and all charts."""

from __future__ import annotations

import time

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QToolTip, QWidget

from impeto.app.deck.flags import PEAKS, Flags
from impeto.app.document import Document
from impeto.app.plain_text import as_tip
from impeto.app.theme import Theme, font
from impeto.app.widgets import button, label
from impeto.core.dynamics.names import Mark
from impeto.core.model import units

SPEEDS = {
    "1/100 ×": 0.01, "1/50 ×": 0.02, "1/20 ×": 0.05, "1/10 ×": 0.1, "1/4 ×": 0.25, "1/2 ×": 0.5,
    "1 ×": 1.0, "2 ×": 2.0, "4 ×": 4.0,
}  # fmt: skip
FRAME = 33  # ms between pictures
MARGIN = 12
JOINED = 18.0  # px: flags nearer than that are one
MOST_TOLD = 6


class TimeLine(QWidget):
    """A line with ticks and a knob; click or drag to go there."""

    moved = pyqtSignal(float)

    def __init__(self, look: Theme) -> None:
        super().__init__()
        self.look, self.end, self.now = look, 0.0, 0.0
        self.marks: tuple[Mark, ...] = ()
        self.span: tuple[float | None, float | None] = (None, None)
        self.seen: tuple[float, float] | None = None  # that charts show, where not all of it
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Time")
        self.setMinimumWidth(160)

    def sizeHint(self) -> QSize:
        return QSize(500, 46)

    def x_of(self, moment: float) -> float:
        room = self.width() - 2 * MARGIN
        return MARGIN + (room * moment / self.end if self.end > 0 else 0.0)

    def _paint_span(self, painter: QPainter) -> None:
        """A and B, and what lies between them."""
        set_ = [moment for moment in self.span if moment is not None]
        painter.setPen(QPen(self.look.colour("moment"), 1.4))
        for letter, moment in zip("AB", self.span, strict=True):
            if moment is not None:
                at = self.x_of(moment)
                painter.drawLine(QPointF(at, 9.0), QPointF(at, 25.0))
                painter.drawText(QPointF(at - 9.0, 11.0), letter)
        if len(set_) == 2:
            painter.setPen(QPen(self.look.colour("moment"), 4))
            painter.drawLine(QPointF(self.x_of(set_[0]), 17.0), QPointF(self.x_of(set_[1]), 17.0))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look, y = self.look, 17.0
        painter.setPen(QPen(look.colour("line"), 4, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(MARGIN, y), QPointF(self.width() - MARGIN, y))
        if self.end <= 0:
            painter.setPen(look.colour("soft"))
            painter.drawText(
                self.rect().adjusted(MARGIN, 26, 0, 0), 0, "Run a case to have something to play."
            )
            return
        x = self.x_of(self.now)
        painter.setPen(QPen(look.colour("accent"), 4, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(MARGIN, y), QPointF(x, y))
        painter.setFont(font(11))
        painter.setPen(look.colour("soft"))
        for moment in ticks(self.end, max(int(self.width() / 90), 2)):
            at = self.x_of(moment)
            label = f"{units.digits(moment)} s"
            painter.drawText(QRectF(at - 30, 26, 60, 16), Qt.AlignmentFlag.AlignCenter, label)
        painter.setFont(font(9))
        for at, marks in self.flags():
            kinds = {mark.kind for mark in marks}
            token = "force" if kinds == {PEAKS} else "moment"
            painter.setBrush(look.colour(token))
            painter.setPen(QPen(look.colour(token), 1.2))
            painter.drawLine(QPointF(at, y - 12), QPointF(at, y))
            painter.drawPolygon(
                QPolygonF([QPointF(at, y - 13), QPointF(at + 6, y - 10), QPointF(at, y - 7)])
            )
            if len(marks) > 1:
                painter.drawText(QPointF(at + 7, y - 6), str(len(marks)))
        if self.seen is not None:
            painter.setPen(QPen(look.colour("soft"), 1.6))
            begin, last = (self.x_of(moment) for moment in self.seen)
            corners = [(begin, 22.0), (begin, 25.0), (last, 25.0), (last, 22.0)]
            painter.drawPolyline(QPolygonF([QPointF(*corner) for corner in corners]))
        self._paint_span(painter)
        painter.setPen(QPen(look.colour("accent"), 2.5))
        painter.setBrush(look.colour("field"))
        painter.drawEllipse(QPointF(x, y), 7, 7)

    def flags(self) -> list[tuple[float, list[Mark]]]:
        """Pixels with the marks that one flag there stands for: what would be drawn over each other
        is joined, with its number beside it."""
        joined: list[tuple[float, list[Mark]]] = []
        for mark in sorted(self.marks, key=lambda m: m.time):
            at = self.x_of(mark.time)
            if joined and at - joined[-1][0] < JOINED:
                joined[-1][1].append(mark)
            else:
                joined.append((at, [mark]))
        return joined

    def marks_near(self, x: float) -> list[Mark]:
        """What the flag at a pixel stands for."""
        near = [(at, marks) for at, marks in self.flags() if -3 <= x - at <= 12]
        return min(near, key=lambda flag: abs(x - flag[0]))[1] if near else []

    def mark_near(self, x: float) -> Mark | None:
        """The mark nearest to a pixel, of the flag there."""
        marks = self.marks_near(x)
        return min(marks, key=lambda m: abs(x - self.x_of(m.time))) if marks else None

    def event(self, event: QEvent | None) -> bool:
        """What a flag stands for, under the pointer."""
        if isinstance(event, QHelpEvent):
            marks = self.marks_near(event.pos().x())
            lines = [
                f"{units.digits(m.time, 6)} s  {m.element}: {m.text}" for m in marks[:MOST_TOLD]
            ]
            if len(marks) > MOST_TOLD:
                lines.append(f"and {len(marks) - MOST_TOLD} more")
            text = as_tip("\n".join(lines)) if lines else ""
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)

    def _go(self, x: float) -> None:
        room = max(self.width() - 2 * MARGIN, 1)
        self.moved.emit(min(max((x - MARGIN) / room, 0.0), 1.0) * self.end)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        mark = self.mark_near(event.position().x()) if event.position().y() < 14 else None
        if mark is not None:
            self.moved.emit(mark.time)
        else:
            self._go(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons():
            self._go(event.position().x())


def ticks(end: float, most: int) -> list[float]:
    """Round moments from 0 to end, at most this many steps."""
    for exponent in range(-6, 7):
        for lead in (1.0, 2.0, 5.0):
            step = lead * 10.0**exponent
            if end / step <= most:
                return [k * step for k in range(int(end / step + 1e-9) + 1)]
    return [0.0, end]


class Deck(QWidget):
    """Play, step, speed, loop, time line and clock."""

    playing_changed = pyqtSignal(bool)
    flags_asked = pyqtSignal()  # as a list

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setObjectName("deck")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document, self.look = document, look
        self.flags = Flags(document)
        self.back, self.play, self.forward = (QPushButton(sign) for sign in ("◂", "▶", "▸"))
        self.play.setObjectName("play")
        self.loop = button("Loop", "chip")
        self.loop.setCheckable(True)
        self.loop.setChecked(True)
        self.list_flags = button("Flags", "chip")
        self.list_flags.setToolTip("What happened in this run, by kind (Ctrl+Alt+L)")
        self.list_flags.clicked.connect(self.flags_asked)
        self.speed = QComboBox()
        self.speed.addItems(list(SPEEDS))
        self.speed.setCurrentText("1/10 ×")
        self.line = TimeLine(look)
        self.clock = label("0.000 s", "clock")
        self.clock.setMinimumWidth(96)
        self.clock.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        names = ("One step back (,)", "Play or pause (Space)", "One step forward (.)")
        for key, name in zip((self.back, self.play, self.forward), names, strict=True):
            key.setAccessibleName(name)
            key.setToolTip(name)
            key.setFixedWidth(42)
        self.speed.setAccessibleName("Speed of playback")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 8, 16, 8)
        layout.setSpacing(8)
        for widget in (self.back, self.play, self.forward, self.speed, self.loop, self.list_flags):
            layout.addWidget(widget)
        layout.addWidget(self.line, 1)
        layout.addWidget(self.clock)
        self._timer = QTimer(self)
        self._timer.setInterval(FRAME)
        self._timer.timeout.connect(self._tick)
        self._last = 0.0
        self.play.clicked.connect(self.toggle)
        self.back.clicked.connect(lambda: self.step(-1))
        self.forward.clicked.connect(lambda: self.step(1))
        self.line.moved.connect(document.set_instant)
        document.instant_changed.connect(self._follow)
        document.span_changed.connect(self._spanned)
        document.runs_changed.connect(self._runs)
        document.run_grew.connect(self._runs)
        self.flags.changed.connect(self._fly)
        self._runs()

    def set_look(self, look: Theme) -> None:
        self.look = self.line.look = look
        self.line.update()

    @property
    def playing(self) -> bool:
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play from here, from the start when at the end, or pause."""
        if self.playing:
            self.pause()
            return
        if self.document.run is None:
            return
        begin, end = self.played
        if not begin <= self.document.instant < end:
            self.document.set_instant(begin)
        self._last = time.monotonic()
        self._timer.start()
        self.playing_changed.emit(True)
        self.play.setText("❚❚")

    @property
    def played(self) -> tuple[float, float]:
        """Begin and end [s] of what is played: from A to B where both are set."""
        a, b = self.document.span
        if a is None or b is None or not max(a, 0.0) < min(b, self.line.end):
            return 0.0, self.line.end
        return max(a, 0.0), min(b, self.line.end)

    def mark(self, second: bool) -> None:
        """Set A, or B, at the present instant."""
        a, b = self.document.span
        now = self.document.instant
        self.document.set_span(*((a, now) if second else (now, b)))

    def _spanned(self) -> None:
        self.line.span = self.document.span
        self.line.update()

    def show_seen(self, seen: tuple[float, float] | None) -> None:
        """Mark what of the run the charts show."""
        self.line.seen = seen
        self.line.update()

    def pause(self) -> None:
        self._timer.stop()
        self.playing_changed.emit(False)
        self.play.setText("▶")

    def step(self, direction: int) -> None:
        """One stored instant back or forth."""
        run = self.document.run
        if run is None:
            return
        self.pause()
        times = run.recording.time
        spacing = float(times[-1]) / max(len(times) - 1, 1)
        index = round(self.document.instant / spacing) + direction
        self.document.set_instant(float(times[min(max(index, 0), len(times) - 1)]))

    def _tick(self) -> None:
        now = time.monotonic()
        moment = self.document.instant + (now - self._last) * SPEEDS[self.speed.currentText()]
        self._last = now
        begin, end = self.played
        if moment >= end:
            moment = begin if self.loop.isChecked() else end
            if not self.loop.isChecked():
                self.pause()
        self.document.set_instant(moment)

    def _follow(self, moment: float) -> None:
        self.line.now = moment
        self.clock.setText(f"{moment:.3f} s")
        self.line.update()

    def _runs(self) -> None:
        run = self.document.run
        self.line.end = float(run.recording.time[-1]) if run else 0.0
        for widget in (self.play, self.back, self.forward):
            widget.setEnabled(run is not None)
        if run is None:
            self.pause()
        self._fly()
        self._follow(self.document.instant)

    def _fly(self) -> None:
        self.line.marks = self.flags.flown
        self.line.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.step(-1 if event.key() == Qt.Key.Key_Left else 1)
        else:
            super().keyPressEvent(event)
