"""One chart: channels of the shown runs over time, with a cursor in step with playback."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph
from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDragEnterEvent, QDropEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QInputDialog, QVBoxLayout

from impeto.app.deck import spectrogram_view
from impeto.app.deck.dragging import dropped_channels, take_channels
from impeto.app.deck.field import Field
from impeto.app.deck.head import Head
from impeto.app.deck.legend import legend_of
from impeto.app.deck.limit_line import LimitLine
from impeto.app.deck.looks import Line, against, spectrum_of
from impeto.app.deck.parts_view import PartsView
from impeto.app.deck.plotting import DASHES, Cursor, Drawn
from impeto.app.document import Document, Run
from impeto.app.theme import Theme
from impeto.core.elements import Chart as KeptChart
from impeto.core.errors import ChannelError, ModelError
from impeto.core.model import units
from impeto.core.model.looking import (
    AGAINST,
    AMPLITUDES,
    DENSITY,
    PARTS,
    SPECTROGRAM,
    TIME,
    TIMED,
)
from impeto.core.results.figures import largest
from impeto.core.results.poses import value_at
from impeto.core.results.spectrum import Spectrogram


class Chart(QFrame):
    """Takes channels by drop or `add`; those of another kind of quantity go to the right axis."""

    activated = pyqtSignal(object)
    looked = pyqtSignal(object)  # otherwise at its channels
    changed = pyqtSignal()
    sided = pyqtSignal()  # has an axis on the right, or none any more
    removed = pyqtSignal(object)

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setAcceptDrops(True)
        self.setMinimumHeight(130)
        self.document, self.look = document, look
        self.channels: list[str] = []
        self.look_at, self.span = TIME, (0.0, np.inf)
        self.complaint = ""
        self.parts = PartsView(self)
        self.parts.changed.connect(self.redraw)
        self.limit = LimitLine()
        self.windows: Spectrogram | None = None
        head = self.head = Head()
        self.legend, self.log, self.chooser = head.legend, head.log, head.chooser
        head.chooser.textActivated.connect(self.show_as)
        head.log.toggled.connect(self._switch_log)
        head.limit.clicked.connect(self._ask_limit)
        head.legend.linkActivated.connect(self.remove)
        head.close.clicked.connect(lambda: self.removed.emit(self))
        self.plot = Field(look)
        self.plot.boxed.connect(self._was_boxed)
        self.plot.viewport().installEventFilter(self)
        item = self.plot.getPlotItem()
        self.cursor_line = Cursor(self, self.plot)
        item.vb.sigRangeChanged.connect(self.cursor_line.update)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 7, 8, 4)
        layout.setSpacing(2)
        layout.addLayout(head)
        layout.addWidget(self.plot, 1)
        self._zoomed = self._boxed = False  # by hand; upwards too
        self.few = 0.0  # s, see show_few
        item.vb.sigRangeChangedManually.connect(self._zoom_by_hand)
        self._drawn: list[tuple[Any, Any]] = []  # curves and what they are drawn in
        self.curves: list[Drawn] = []
        document.runs_changed.connect(self.redraw)
        document.run_grew.connect(self.redraw)
        document.instant_changed.connect(self._follow)
        document.span_changed.connect(self._span_moved)
        self.set_look(look)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A press makes this the chart in use, a double-click shows the whole time; with Shift, a
        press sets A and a drag B."""
        if isinstance(event, QMouseEvent) and self._spans(event):
            return True
        if event is not None and event.type() == QEvent.Type.MouseButtonPress:
            self.activated.emit(self)
        elif event is not None and event.type() == QEvent.Type.MouseButtonDblClick:
            self.show_all()
        return False

    def _spans(self, event: QMouseEvent) -> bool:
        """Whether a mouse event sets A or B."""
        kind, held = event.type(), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if self.look_at not in TIMED or not held:
            return False
        scene = self.plot.mapToScene(event.position().toPoint())
        moment = float(self.plot.getViewBox().mapSceneToView(scene).x())
        if kind == QEvent.Type.MouseButtonPress:
            self.document.set_span(moment, None)
        elif kind == QEvent.Type.MouseMove and event.buttons():
            self.document.set_span(self.document.span[0], moment)
        return kind in (QEvent.Type.MouseButtonPress, QEvent.Type.MouseMove)

    def show_all(self) -> None:
        """The whole time on this chart and those linked with it."""
        self._zoomed = self._boxed = False
        self.plot.show_all()
        self._fit_windows()

    def _fit_windows(self) -> None:
        """Of a spectrogram what is not empty."""
        if self.windows is not None and not self._boxed:
            top = spectrogram_view.top_of(self.windows)
            self.plot.getPlotItem().setYRange(0.0, top, padding=0.0)

    def _was_boxed(self) -> None:
        self._zoomed = self._boxed = True

    def _zoom_by_hand(self, *_changed: object) -> None:
        self._zoomed = True

    def show_few(self, end: float) -> None:
        """Only the first while [s] of a run that comes to and fro often, unless somebody has chosen
        what is shown."""
        if self.look_at == TIME and not self._zoomed:
            self.few = end
            self.plot.getPlotItem().setXRange(0.0, end, padding=0.0)

    @property
    def shows_few(self) -> bool:
        """Whether it shows what `show_few` has chosen: no span that figures are to be of."""
        begin, end = self.plot.getPlotItem().vb.viewRange()[0]
        return self.few > 0.0 and abs(begin) + abs(end - self.few) < 1e-6 * self.few

    def show_as(self, look: str) -> None:
        """Look otherwise at the same channels; spectra are of the time that is shown."""
        if look == self.look_at:
            return
        if self.look_at in TIMED:
            begin, end = self.plot.getPlotItem().vb.viewRange()[0]
            self.span = float(begin), float(end)
        self.look_at = look
        self.head.show_look(look)
        self.looked.emit(self)
        self._show_log()
        self.show_all()

    def _set_right(self, needed: bool) -> None:
        if needed != self.plot.has_right:
            self.plot.has_right = needed
            self.plot.reserve_right(needed)
            self.sided.emit()

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.plot.set_look(look)
        self.redraw()

    def add(self, name: str) -> None:
        """Draw a channel, once."""
        if name not in self.channels:
            self.channels.append(name)
            self.redraw()
            self.changed.emit()

    def remove(self, name: str) -> None:
        if name in self.channels:
            self.channels.remove(name)
            self.redraw()
            self.changed.emit()

    def redraw(self) -> None:
        """All curves again, from the shown runs."""
        item, was_empty = self.plot.getPlotItem(), not self.curves
        for curve, box in self._drawn:
            if isinstance(curve, pyqtgraph.PlotDataItem):
                curve.setClipToView(False)  # else it asks the widget it is taken from for a range
            box.removeItem(curve)
        self._drawn, self.curves, self.complaint = [], [], ""
        shown = self.document.shown
        self.windows = None
        if self.look_at in (PARTS, SPECTROGRAM):
            self._show_one(shown)
            return
        kinds: list[str] = []
        scales: dict[str, tuple[str, float]] = {}
        drawn = self.channels[1:] if self.look_at == AGAINST else self.channels
        for index, name in enumerate(drawn):
            for number, run in enumerate(shown):
                paint = self.look.curves[(index + len(drawn) * number) % 6]
                colour = QColor(paint)
                if not run.recording.has(name):
                    continue
                channel = run.recording.channel(name)
                if channel.kind not in kinds:
                    kinds.append(channel.kind)
                    scales[channel.kind] = self._scale(channel.kind, shown)
                dash = DASHES[number % len(DASHES)]
                factor = scales[channel.kind][1]
                try:
                    line = self._line(run, name, factor)
                except (ModelError, ChannelError) as error:
                    self.complaint = str(error)
                    continue
                axis = kinds.index(channel.kind)
                self._draw(line, axis, colour, dash)
                unit = scales[channel.kind][0]
                self.curves.append(Drawn(run, name, unit, factor, colour, dash, line.told, axis))
        self._set_right(len(kinds) > 1)
        self._draw_limit(kinds[0] if kinds else "")
        if not self._boxed:
            item.vb.enableAutoRange(axis="y")
        if self.curves and (was_empty or (self.document.growing and not self._zoomed)):
            self.show_all()
        elif (
            shown and not self.curves and self.look_at == TIME
        ):  # or the charts that follow its time would show its 1 s
            item.setXRange(0.0, max(float(run.recording.time[-1]) for run in shown), padding=0.0)
        self.plot.fit_right()
        self._tell()

    def _draw_limit(self, kind: str) -> None:
        """The line that is not to be passed, where this look has one."""
        if not self.curves or self.look_at not in (TIME, AGAINST):
            return
        run, first = self.curves[0].run, self.channels[0]
        over = self.look_at == AGAINST
        below = run.recording.channel(first).kind if over else "time"
        self.limit.read(self.document.model, run.recording.case, below, kind)
        self.limit.judge(self.curves, first if over else "", self.look)
        if self.limit.points is not None:
            x_factor, plot = self.across()[1] if over else 1.0, self.plot.getPlotItem()
            factors = x_factor, self.curves[0].factor
            line = self.limit.draw(plot, *factors, self._log_axes(), self.look)
            self._drawn.append((line, plot))

    def _ask_limit(self) -> None:
        """Points of the limit, typed; nothing takes it away."""
        across = "time" if self.look_at == TIME else "the first channel"
        text, taken = QInputDialog.getText(
            self, "Limit", f"Not above these points, {across} and value: x, y; x, y",
            text=self.limit.text,
        )  # fmt: skip
        if taken:
            self.set_limit(text.strip())
            self.changed.emit()

    def take(self, kept: KeptChart) -> None:
        """Be as a model keeps it."""
        for name in kept.listed:
            self.add(name)
        self.log.setChecked(kept.log)
        self.set_limit(kept.limit)
        self.show_as(kept.shows)

    def set_limit(self, text: str) -> None:
        """As the Chart element has it."""
        self.limit.text = text
        self.redraw()

    def _show_one(self, shown: list[Run]) -> None:
        """The first channel of the latest run that is shown, in layers or over its frequencies."""
        self._set_right(False)
        names = [name for name in self.channels if shown and shown[-1].recording.has(name)]
        if not names:
            self._tell()
            return
        run, name = shown[-1], names[0]
        unit, factor = self._scale(run.recording.channel(name).kind, shown)
        self.curves = [Drawn(run, name, unit, factor, QColor(self.look.ink), DASHES[0], "", 0)]
        plot = self.plot.getPlotItem()
        if self.look_at == SPECTROGRAM:
            try:
                self.windows = spectrogram_view.found_in(self.curves[0], self.span)
            except ModelError as error:
                self.curves, self.complaint = [], str(error)
            else:
                self._drawn = [(spectrogram_view.drawn(self.windows, plot), plot)]
                self._fit_windows()
            self._tell()
            return
        self.parts.ask(run, name, self.span)
        if self.parts.layers is not None:
            self._drawn = self.parts.draw(plot, factor, self.look)
            plot.vb.enableAutoRange(axis="y")
        self._tell()

    def _log_axes(self) -> tuple[bool, bool]:
        """Whether the axes below and beside go by powers of ten."""
        on = self.log.isChecked() and self.look_at not in (PARTS, SPECTROGRAM)
        return on and self.look_at in (AMPLITUDES, DENSITY), on

    def _show_log(self) -> None:
        self.plot.set_log(*self._log_axes())
        self.redraw()

    def _switch_log(self) -> None:
        """What is shown along x stays, but where that goes by powers of ten too."""
        self._show_log()
        if self.look_at in (AMPLITUDES, DENSITY):
            self.show_all()

    def _scale(self, kind: str, shown: list[Run]) -> tuple[str, float]:
        """One unit for all curves of a kind on this chart."""
        peak = 0.0
        for name in self.channels:
            for run in shown:
                if run.recording.has(name):
                    channel = run.recording.channel(name)
                    if channel.kind == kind:
                        peak = max(peak, largest(channel.values))
        return units.shown_unit(kind, peak)

    def _line(self, run: Run, name: str, factor: float) -> Line:
        """A channel as it is looked at, in the unit of its axis."""
        if self.look_at == TIME:
            return Line(run.recording.time, run.recording[name] / factor, "")
        if self.look_at == AGAINST:
            return against(run.recording, self.channels[0], self.across()[1], name, factor)
        return spectrum_of(run.recording, name, self.look_at, self.span, factor)

    def across(self) -> tuple[str, float]:
        """Unit of the axis below, of a channel over another, and SI units in one of it."""
        first = self.channels[0]
        shown = [run for run in self.document.shown if run.recording.has(first)]
        return self._scale(shown[0].recording.channel(first).kind, shown) if shown else ("", 1.0)

    def dots(self) -> list[tuple[Drawn, float, float, Any]]:
        """Where curves of one channel against another are at the present instant."""
        moment, found = self.document.instant, list[tuple[Drawn, float, float, Any]]()
        across = self.across()[1] if self.curves else 1.0
        for curve in self.curves:
            r = curve.run.recording
            x, y = (float(value_at(r, r[name], moment)) for name in (self.channels[0], curve.name))
            box = self.plot.getViewBox() if curve.axis == 0 else self.plot.right
            with np.errstate(all="ignore"):
                y = float(np.log10(y / curve.factor)) if self.log.isChecked() else y / curve.factor
            found.append((curve, x / across, y, box))
        return found

    def _draw(self, line: Line, axis: int, colour: QColor, dash: Qt.PenStyle) -> None:
        curve = pyqtgraph.PlotDataItem(
            line.x, line.y, pen=pyqtgraph.mkPen(colour, width=1, style=dash),
            autoDownsampleFactor=1.0,  # the least and the largest value of each pixel
        )  # fmt: skip
        ordered = self.look_at != AGAINST  # along x
        box = self.plot.getPlotItem() if axis == 0 else self.plot.right
        box.addItem(curve)
        curve.setDownsampling(auto=ordered, method="peak")  # only now: the plot sets its own
        curve.setLogMode(*self._log_axes())
        curve.setClipToView(ordered)  # only now: before, it would ask the wrong widget for a range
        self._drawn.append((curve, box))

    def _tell(self) -> None:
        """Names, runs and the values at the cursor."""
        self.head.tell(legend_of(self))

    def _span_moved(self) -> None:
        self.cursor_line.update()
        self._tell()

    def _follow(self, _moment: float) -> None:
        self.cursor_line.follow()
        self._tell()

    def mousePressEvent(self, event: object) -> None:
        self.activated.emit(self)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        take_channels(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        for name in dropped_channels(event):
            self.add(name)
