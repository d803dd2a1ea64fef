"""One chart: channels of the shown runs over time, with a cursor in step with playback."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph
from PyQt6.QtCore import QEvent, QMimeData, QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDragEnterEvent, QDropEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from impeto.app.document import Document, Run
from impeto.app.plain_text import escaped
from impeto.app.theme import Theme, font
from impeto.app.widgets import button
from impeto.core.model import units
from impeto.core.results.poses import value_at

MIME = "application/x-impeto-channel"
DASHES = (
    Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine,
)  # fmt: skip


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
    changed = pyqtSignal()
    removed = pyqtSignal(object)

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setAcceptDrops(True)
        self.setMinimumHeight(130)
        self.document, self.look = document, look
        self.channels: list[str] = []
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
        top.addWidget(self.close_button, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(top)
        layout.addWidget(self.plot, 1)
        self._drawn: list[tuple[Any, Any]] = []  # curves and what they are drawn in
        self._curves: list[tuple[Run, str, str, float, QColor, Qt.PenStyle]] = []
        document.runs_changed.connect(self.redraw)
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
        self.plot.getPlotItem().enableAutoRange(axis="x")

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
            curve.setClipToView(False)  # else it asks the widget it is taken from for a range
            box.removeItem(curve)
        self._drawn, self._curves = [], []
        shown = [run for run in self.document.runs if run.name in self.document.shown_runs]
        kinds: list[str] = []
        scales: dict[str, tuple[str, float]] = {}
        for index, name in enumerate(self.channels):
            for number, run in enumerate(shown):
                paint = self.look.curves[(index + len(self.channels) * number) % 6]
                colour = QColor(paint)
                if name not in run.recording.channels(name):
                    continue
                channel = run.recording.channel(name)
                if channel.kind not in kinds:
                    kinds.append(channel.kind)
                    scales[channel.kind] = self._scale(channel.kind, shown)
                dash = DASHES[number % len(DASHES)]
                factor = scales[channel.kind][1]
                self._draw(run, channel.values / factor, kinds.index(channel.kind), colour, dash)
                self._curves.append((run, name, scales[channel.kind][0], factor, colour, dash))
        item.getAxis("right").setVisible(len(kinds) > 1)
        item.showAxis("right", len(kinds) > 1)
        item.vb.enableAutoRange(axis="y")
        if self._curves and was_empty:
            self.show_all()
        elif shown and not self._curves:  # or the charts that follow its time would show its 1 s
            item.setXRange(0.0, max(float(run.recording.time[-1]) for run in shown), padding=0.0)
        self._fit_right()
        self._tell()

    def _scale(self, kind: str, shown: list[Run]) -> tuple[str, float]:
        """One unit for all curves of a kind on this chart."""
        peak = 0.0
        for name in self.channels:
            for run in shown:
                if name in run.recording.channels(name):
                    channel = run.recording.channel(name)
                    if channel.kind == kind:
                        peak = max(peak, float(np.abs(channel.values).max()))
        return units.shown_unit(kind, peak)

    def _draw(self, run: Run, values: object, axis: int, colour: QColor, dash: Qt.PenStyle) -> None:
        curve = pyqtgraph.PlotDataItem(
            run.recording.time, values, pen=pyqtgraph.mkPen(colour, width=1, style=dash)
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
            self.legend.setText(
                f'<b>{", ".join(self.channels)}</b> <span style="color:{soft}">after a run</span>'
            )
            return
        several = len({run.name for run, *_ in self._curves}) > 1
        told: set[str] = set()
        signs = {DASHES[0]: "—", DASHES[1]: "– –", DASHES[2]: "···", DASHES[3]: "–·–"}
        parts = []
        for run, name, unit, factor, colour, dash in self._curves:
            values = run.recording[name]
            value = float(value_at(run.recording, values, self.document.instant))
            value = units.against(value, float(np.abs(values).max()))
            tail = f' <span style="color:{soft}">{escaped(run.name)}</span>' if several else ""
            link = f'<a href="{name}" style="color:{self.look.ink};text-decoration:none">{name}</a>'
            title = "" if name in told else f"{link} "
            told.add(name)
            parts.append(
                f'{title}<span style="color:{colour.name()}">{signs[dash]}</span>'
                f"{tail} <b>{units.digits(value / factor)}</b> "
                f'<span style="color:{soft}">{units.spoken(unit)}</span>'
            )
        self.legend.setText(" &nbsp; ".join(parts))

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
