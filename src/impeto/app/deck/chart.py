"""One chart: channels of the shown runs over time, with a cursor in step with playback."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyqtgraph
from PyQt6.QtCore import QEvent, QMimeData, QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDragEnterEvent, QDropEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from impeto.app.deck.looks import LOOKS, PARTS, TIME, TIPS, Line, spectrum_of
from impeto.app.deck.parts_view import PartsView
from impeto.app.document import Document, Run
from impeto.app.plain_text import escaped
from impeto.app.theme import Theme, font
from impeto.app.widgets import button
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.results.poses import value_at

MIME = "application/x-impeto-channel"
DASHES = (
    Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine,
)  # fmt: skip


@dataclass(frozen=True)
class Drawn:
    """A curve. factor : SI units in one of its axis;  told : what the legend says of it, '' for the
    value at the cursor"""

    run: Run
    name: str
    unit: str
    factor: float
    colour: QColor
    dash: Qt.PenStyle
    told: str


def channel_data(name: str) -> QMimeData:
    """What is dragged when a channel is dragged."""
    data = QMimeData()
    data.setData(MIME, name.encode())
    data.setText(name)
    return data


class Cursor(QWidget):
    """The vertical line at the present instant, over the plot, so that moving it is cheap."""

    def __init__(self, chart: Chart, plot: pyqtgraph.PlotWidget) -> None:
        super().__init__(plot)
        self.chart = chart
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        plot.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self.resize(self.parentWidget().size())  # type: ignore[union-attr]
        return False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.chart.look_at not in (TIME, PARTS):
            return
        box = self.chart.plot.getViewBox()
        area = self.chart.plot.mapFromScene(box.sceneBoundingRect()).boundingRect()
        x = box.mapViewToScene(QPointF(self.chart.document.instant, 0.0)).x()
        if area.left() <= x <= area.right():
            painter = QPainter(self)
            painter.setPen(QPen(self.chart.look.colour("ink"), 1))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.end()


class Axis(pyqtgraph.AxisItem):  # type: ignore[misc]
    """An axis whose numbers carry a real minus sign."""

    def tickStrings(self, values: Any, scale: float, spacing: float) -> list[str]:
        plain: list[str] = super().tickStrings(values, scale, spacing)
        return [text.replace("-", "−") for text in plain]


class Chart(QFrame):
    """Takes channels by drop or `add`; those of another kind of quantity go to the right axis."""

    activated = pyqtSignal(object)
    looked = pyqtSignal(object)  # otherwise at its channels
    changed = pyqtSignal()
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
        self.chooser = QComboBox()
        self.chooser.setAccessibleName("What the chart shows")
        self.chooser.addItems(LOOKS)
        for number, kind in enumerate(LOOKS):
            self.chooser.setItemData(number, TIPS[kind], Qt.ItemDataRole.ToolTipRole)
        self.chooser.textActivated.connect(self.show_as)
        self.legend = QLabel()
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setWordWrap(True)
        self.legend.linkActivated.connect(self.remove)
        self.legend.setToolTip("Click a name to take it off the chart")
        self.close_button = button("×", "link")
        self.close_button.setAccessibleName("Remove chart")
        self.close_button.clicked.connect(lambda: self.removed.emit(self))
        axes = {side: Axis(side) for side in ("left", "right", "bottom")}
        self.plot = pyqtgraph.PlotWidget(enableMenu=False, axisItems=axes)
        self.plot.hideButtons()
        self.plot.getViewBox().setMouseEnabled(x=True, y=False)
        self.plot.viewport().setAcceptDrops(False)
        self.right = pyqtgraph.ViewBox(enableMenu=False)
        self.right.setMouseEnabled(x=False, y=False)
        item = self.plot.getPlotItem()
        item.scene().addItem(self.right)
        item.getAxis("right").linkToView(self.right)
        self.right.setXLink(item)
        item.vb.sigResized.connect(self._fit_right)
        self.plot.viewport().installEventFilter(self)
        self.plot.setToolTip("Wheel or drag along time; double-click shows all of it")
        self.cursor_line = Cursor(self, self.plot)
        item.vb.sigRangeChanged.connect(self.cursor_line.update)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 7, 8, 4)
        layout.setSpacing(2)
        top = QHBoxLayout()
        top.addWidget(self.legend, 1)
        top.addWidget(self.chooser, 0, Qt.AlignmentFlag.AlignTop)
        top.addWidget(self.close_button, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(top)
        layout.addWidget(self.plot, 1)
        self._zoomed = False  # by hand
        item.vb.sigRangeChangedManually.connect(lambda *_: setattr(self, "_zoomed", True))
        self._drawn: list[tuple[Any, Any]] = []  # curves and what they are drawn in
        self._curves: list[Drawn] = []
        document.runs_changed.connect(self.redraw)
        document.run_grew.connect(self.redraw)
        document.instant_changed.connect(self._follow)
        self.set_look(look)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A press makes this the chart in use, a double-click shows the whole time."""
        if event is not None and event.type() == QEvent.Type.MouseButtonPress:
            self.activated.emit(self)
        elif event is not None and event.type() == QEvent.Type.MouseButtonDblClick:
            self.show_all()
        return False

    def show_all(self) -> None:
        """The whole time on this chart and those linked with it."""
        self._zoomed = False
        self.plot.getPlotItem().enableAutoRange(axis="x")

    def show_as(self, look: str) -> None:
        """Look otherwise at the same channels; spectra are of the time that is shown."""
        if look == self.look_at:
            return
        if self.look_at == TIME:
            begin, end = self.plot.getPlotItem().vb.viewRange()[0]
            self.span = float(begin), float(end)
        self.look_at = look
        self.chooser.setCurrentText(look)
        self.looked.emit(self)
        self.redraw()
        self.show_all()

    def _fit_right(self) -> None:
        self.right.setGeometry(self.plot.getPlotItem().vb.sceneBoundingRect())

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.plot.setBackground(look.field)
        for side in ("left", "bottom", "right"):
            axis = self.plot.getAxis(side)
            axis.setPen(QColor(look.line))
            axis.setTextPen(QColor(look.soft))
            axis.setTickFont(font(11))
            axis.setStyle(tickLength=0)
        self.plot.getAxis("left").setWidth(48)
        self.plot.getPlotItem().showGrid(y=True, alpha=0.25)
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
        item, was_empty = self.plot.getPlotItem(), not self._curves
        for curve, box in self._drawn:
            if isinstance(curve, pyqtgraph.PlotDataItem):
                curve.setClipToView(False)  # else it asks the widget it is taken from for a range
            box.removeItem(curve)
        self._drawn, self._curves, self.complaint = [], [], ""
        shown = self.document.shown
        if self.look_at == PARTS:
            self._show_parts(shown)
            return
        kinds: list[str] = []
        scales: dict[str, tuple[str, float]] = {}
        for index, name in enumerate(self.channels):
            for number, run in enumerate(shown):
                paint = self.look.curves[(index + len(self.channels) * number) % 6]
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
                except ModelError as error:
                    self.complaint = str(error)
                    continue
                self._draw(line, kinds.index(channel.kind), colour, dash)
                unit = scales[channel.kind][0]
                self._curves.append(Drawn(run, name, unit, factor, colour, dash, line.told))
        item.getAxis("right").setVisible(len(kinds) > 1)
        item.showAxis("right", len(kinds) > 1)
        item.vb.enableAutoRange(axis="y")
        if self._curves and (was_empty or (self.document.growing and not self._zoomed)):
            self.show_all()
        elif (
            shown and not self._curves and self.look_at == TIME
        ):  # or the charts that follow its time would show its 1 s
            item.setXRange(0.0, max(float(run.recording.time[-1]) for run in shown), padding=0.0)
        self._fit_right()
        self._tell()

    def _show_parts(self, shown: list[Run]) -> None:
        """The first channel of the latest run that is shown, in layers."""
        self.plot.getPlotItem().showAxis("right", False)
        names = [name for name in self.channels if shown and shown[-1].recording.has(name)]
        if not names:
            self._tell()
            return
        run, name = shown[-1], names[0]
        self.parts.ask(run, name, self.span)
        unit, factor = self._scale(run.recording.channel(name).kind, shown)
        self._curves = [Drawn(run, name, unit, factor, QColor(self.look.ink), DASHES[0], "")]
        if self.parts.layers is not None:
            self._drawn = self.parts.draw(self.plot.getPlotItem(), factor, self.look)
            self.plot.getPlotItem().vb.enableAutoRange(axis="y")
        self._tell()

    def _scale(self, kind: str, shown: list[Run]) -> tuple[str, float]:
        """One unit for all curves of a kind on this chart."""
        peak = 0.0
        for name in self.channels:
            for run in shown:
                if run.recording.has(name):
                    channel = run.recording.channel(name)
                    if channel.kind == kind:
                        peak = max(peak, float(np.abs(channel.values).max()))
        return units.shown_unit(kind, peak)

    def _line(self, run: Run, name: str, factor: float) -> Line:
        """A channel as it is looked at, in the unit of its axis."""
        if self.look_at == TIME:
            return Line(run.recording.time, run.recording[name] / factor, "")
        return spectrum_of(run.recording, name, self.look_at, self.span, factor)

    def _draw(self, line: Line, axis: int, colour: QColor, dash: Qt.PenStyle) -> None:
        curve = pyqtgraph.PlotDataItem(
            line.x, line.y, pen=pyqtgraph.mkPen(colour, width=1, style=dash)
        )
        curve.setDownsampling(auto=True, method="peak")
        box = self.plot.getPlotItem() if axis == 0 else self.right
        box.addItem(curve)
        curve.setClipToView(True)  # only now: before, it would ask the wrong widget for a range
        self._drawn.append((curve, box))

    def _tell(self) -> None:
        """Names, runs and the values at the cursor."""
        soft = self.look.soft
        if not self.channels:
            self.legend.setText(
                f'<span style="color:{soft}">Drop a channel here, or double-click one below.</span>'
            )
            return
        if not self._curves:
            if self.complaint:
                self.legend.setText(
                    f"<b>{escaped(', '.join(self.channels))}</b> "
                    f'<span style="color:{self.look.bad}">{escaped(self.complaint)}</span>'
                )
                return
            names = escaped(", ".join(self.channels))
            self.legend.setText(f'<b>{names}</b> <span style="color:{soft}">after a run</span>')
            return
        if self.look_at == PARTS:
            first = self._curves[0]
            self.legend.setText(
                self.parts.told(
                    first.name, self.document.instant, first.unit, first.factor, self.look
                )
            )
            return
        several = len({curve.run.name for curve in self._curves}) > 1
        told: set[str] = set()
        signs = {DASHES[0]: "—", DASHES[1]: "– –", DASHES[2]: "···", DASHES[3]: "–·–"}
        parts = []
        for curve in self._curves:
            name = curve.name
            tail = (
                f' <span style="color:{soft}">{escaped(curve.run.name)}</span>' if several else ""
            )
            said = escaped(name)
            link = f'<a href="{said}" style="color:{self.look.ink};text-decoration:none">{said}</a>'
            title = "" if name in told else f"{link} "
            told.add(name)
            parts.append(
                f'{title}<span style="color:{curve.colour.name()}">{signs[curve.dash]}</span>'
                f"{tail} <b>{curve.told or self._value(curve)}</b> "
                f'<span style="color:{soft}">{units.spoken(curve.unit)}</span>'
            )
        complaint = f' <span style="color:{self.look.bad}">{escaped(self.complaint)}</span>'
        self.legend.setText(" &nbsp; ".join(parts) + (complaint if self.complaint else ""))

    def _value(self, curve: Drawn) -> str:
        """Of a channel at the cursor, in the unit of its axis."""
        recording = curve.run.recording
        values = recording[curve.name]
        value = float(value_at(recording, values, self.document.instant))
        return units.digits(units.against(value, float(np.abs(values).max())) / curve.factor)

    def _follow(self, _moment: float) -> None:
        self.cursor_line.update()
        self._tell()

    def mousePressEvent(self, event: object) -> None:
        self.activated.emit(self)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None and data.hasFormat(MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        assert data is not None
        self.add(bytes(data.data(MIME).data()).decode())
        event.acceptProposedAction()
