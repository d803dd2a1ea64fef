"""The right side of the Watch desk: runs, charts, channel search and figures."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from impeto.app.deck.channel_table import ChannelTable
from impeto.app.document import Document
from impeto.app.theme import Theme
from impeto.app.widgets import button, empty, label
from impeto.core.contact.model import NEVER
from impeto.core.elements import Chart as KeptChart
from impeto.core.elements import ContactRule, Drive, Joint, Outlet
from impeto.core.model.looking import TIME, TIMED
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.results.response import period

if TYPE_CHECKING:
    from impeto.app.deck.chart import Chart

CHIPS = 28  # px, height of the row of runs
MANY, FEW = 15, 6  # periods: where a chart would be a carpet; with which it then begins


class WatchPanel(QWidget):
    """Charts under each other, linked in time."""

    charted = pyqtSignal(object)  # channels on the charts over time
    seen = pyqtSignal(object)  # begin and end [s] of what charts show, None for all of it

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.document, self.look = document, look
        self.charts: list[Chart] = []
        self.active: Chart | None = None
        self._seen: tuple[KeptChart, ...] = ()  # of the model, at its last change
        self.runs = QHBoxLayout()
        self.runs.setSpacing(6)
        self.area = QSplitter(Qt.Orientation.Vertical)
        self.area.setHandleWidth(8)
        self.area.setChildrenCollapsible(False)
        self.table = ChannelTable(document)
        self.table.chosen.connect(self.add_channel)
        self.area.addWidget(self.table)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        layout.setSpacing(8)
        self.more = button("+ chart", "link")
        self.more.clicked.connect(self.add_chart)
        top = QHBoxLayout()
        top.addWidget(self._chips(), 1)
        top.addWidget(self.more)
        layout.addLayout(top)
        layout.addWidget(self.area)
        document.runs_changed.connect(self._show_runs)
        document.span_changed.connect(self._follow_time)
        document.model_changed.connect(self._follow_kept)
        self._show_runs()

    def _chips(self) -> QScrollArea:
        """The row of runs, which may be longer than there is room: the wheel moves it."""
        row, area = QWidget(), QScrollArea()
        self.runs.setContentsMargins(0, 0, 0, 0)
        row.setLayout(self.runs)
        area.setWidget(row)
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setFixedHeight(CHIPS)
        for side in (area.setHorizontalScrollBarPolicy, area.setVerticalScrollBarPolicy):
            side(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        along = area.horizontalScrollBar()
        assert along is not None
        along.rangeChanged.connect(lambda _low, high: along.setValue(high))  # the latest is seen
        return area

    def set_look(self, look: Theme) -> None:
        self.look = look
        for chart in self.charts:
            chart.set_look(look)

    def start_charts(self) -> None:
        """Charts worth having for a model that has none yet: what counts, and the energies."""
        if self.charts or self._take_kept():
            return
        energies = [f"system.energy.{name}" for name in ("kinetic", "potential", "balance")]
        for channels in (self._first_channels(), energies):
            chart = self.add_chart()
            for name in channels:
                chart.add(name)
        self.active = self.charts[0]

    def arranged(self, model: Model) -> Model:
        """The model with the charts as they are now, to be kept with it."""
        if not self.charts:
            return model
        kept = {chart.name: chart for chart in self.as_kept(model)}
        lost = {chart.name for chart in model.of(KeptChart)} - set(kept)
        elements = [kept.pop(e.name, e) for e in model.elements.values() if e.name not in lost]
        return model.changed(elements=[*elements, *kept.values()])

    def as_kept(self, model: Model) -> tuple[KeptChart, ...]:
        """The charts as they are now, by the names that the model has for them."""
        names = [chart.name for chart in model.of(KeptChart)]
        while len(names) < len(self.charts):
            names.append(free_name(model, "chart", taken=names))
        return tuple(
            KeptChart(name=name, shows=chart.look_at, channels="; ".join(chart.channels),
                      log=chart.log.isChecked(), limit=chart.limit.text)
            for name, chart in zip(names, self.charts, strict=False)
        )  # fmt: skip

    def _take_kept(self) -> bool:
        """Show the charts that the model keeps, if it has any."""
        kept = self._seen = tuple(self.document.model.of(KeptChart))
        for one in kept:
            self.add_chart().take(one)
        self.active = self.charts[0] if self.charts else None
        return bool(kept)

    def _follow_kept(self) -> None:
        """Charts of the model that were changed elsewhere: in the Sheet, by undo, pasted."""
        model = self.document.model
        kept = tuple(model.of(KeptChart))
        if self.charts and kept != self._seen and kept != self.as_kept(model):
            self.clear()
            if not self._take_kept():
                self.start_charts()
        self._seen = kept

    def _first_channels(self) -> list[str]:
        """Counts of outlets, else the effort of a drive, else the force in the first contacts, else
        that in the first joint."""
        model, is_on = self.document.whole, self.document.is_on
        counts = [f"{outlet.name}.count" for outlet in model.of(Outlet) if is_on(outlet)]
        drives = [d for d in model.of(Drive) if is_on(d)]
        efforts = [f"{d.name}.{'torque' if d.turning else 'force'}" for d in drives[:1]]
        rules = [rule for rule in model.of(ContactRule) if is_on(rule) and rule.effect != NEVER]
        forces = [f"{rule.name}.normal" for rule in rules[:1]]
        joints = [f"{joint.name}.force" for joint in model.of(Joint) if is_on(joint)]
        return counts[:3] or efforts or forces or joints[:1]

    def clear(self) -> None:
        for chart in list(self.charts):
            self.remove_chart(chart)

    def add_chart(self) -> Chart:
        """A new empty chart above the table; it takes what is chosen next."""
        from impeto.app.deck.chart import Chart  # its library takes a tenth of a start

        chart = Chart(self.document, self.look)
        chart.plot.getPlotItem().vb.sigXRangeChanged.connect(lambda *_: self._follow_time())
        chart.looked.connect(lambda _chart: self._link())
        chart.looked.connect(lambda _chart: self._list_channels())
        chart.changed.connect(self._list_channels)
        chart.activated.connect(self._activate)
        chart.removed.connect(self.remove_chart)
        chart.sided.connect(self._align)
        self.area.insertWidget(len(self.charts), chart)
        self.charts.append(chart)
        self.active = chart
        self._link()
        return chart

    def _link(self) -> None:
        """Charts over time go along together; spectra stand alone."""
        timed = [chart for chart in self.charts if chart.look_at in TIMED]
        for chart in self.charts:
            follows = chart in timed and chart is not timed[0]
            chart.plot.setXLink(timed[0].plot if follows else None)
        self._align()
        self._follow_time()

    def begin_with_a_few(self) -> None:
        """Of a run in which the first curve comes to and fro many times, the first few times; a
        double-click shows all."""
        timed = [chart for chart in self.charts if chart.look_at == TIME and chart.curves]
        if not timed or self.document.run is None:
            return
        r = self.document.run.recording
        values = r[timed[0].curves[0].name]
        lasts = period(r.time, values) if np.isfinite(values).all() else np.nan
        if np.isfinite(lasts) and r.time[-1] > MANY * lasts:
            timed[0].show_few(FEW * lasts)
            self._follow_time()

    def _align(self) -> None:
        """Charts over time end at the same pixel, whichever has an axis on the right."""
        timed = [chart for chart in self.charts if chart.look_at in TIMED]
        sided = any(chart.plot.has_right for chart in timed)
        for chart in self.charts:
            chart.plot.reserve_right(sided and chart in timed)

    def _follow_time(self) -> None:
        """Figures are of the time from A to B, else of that which the charts show."""
        timed = [chart for chart in self.charts if chart.look_at == TIME and chart.channels]
        run, (a, b) = self.document.run, self.document.span
        if run is not None and a is not None and b is not None:
            self.table.set_span((a, b))
            return
        if not timed or run is None:
            self.table.set_span(None)
            return
        begin, end = timed[0].plot.getPlotItem().vb.viewRange()[0]
        last = float(run.recording.time[-1])
        whole = begin <= 0.01 * last and end >= 0.99 * last
        self.seen.emit(None if whole else (max(begin, 0.0), min(end, last)))
        whole = whole or timed[0].shows_few
        self.table.set_span(None if whole else (max(begin, 0.0), min(end, last)))

    def remove_chart(self, chart: Chart) -> None:
        self.charts.remove(chart)
        chart.parts.stop()
        chart.plot.setXLink(None)
        self._link()
        if self.active is chart:
            self.active = self.charts[0] if self.charts else None
        chart.setParent(None)
        chart.deleteLater()
        self._list_channels()

    def add_channel(self, name: str) -> None:
        """Draw a channel on the chart that was used last."""
        (self.active or self.add_chart()).add(name)

    def _activate(self, chart: Chart) -> None:
        self.active = chart

    def _list_channels(self) -> None:
        names = [name for chart in self.charts for name in chart.channels]
        self.table.show_channels(list(dict.fromkeys(names)))
        timed = [chart for chart in self.charts if chart.look_at == TIME]
        self.charted.emit(list(dict.fromkeys(n for chart in timed for n in chart.channels)))

    def _show_runs(self) -> None:
        """A chip for each run; those that are pressed are drawn."""
        empty(self.runs)
        self.runs.addWidget(label("Runs", "caption"))
        growing = self.document.growing
        if growing is not None:
            self.runs.addWidget(label(growing.name, "soft"))
        elif not self.document.runs:
            self.runs.addWidget(label("none yet: press Run (Ctrl+R)", "soft"))
        for run in self.document.runs[-6:]:
            chip = button(run.name, "chip")
            chip.setCheckable(True)
            chip.setChecked(run.name in self.document.shown_runs)
            chip.setToolTip("Click to lay this run over the others, or to hide it")
            chip.clicked.connect(lambda on, name=run.name: self.document.show_run(name, on))
            self.runs.addWidget(chip)
        self.runs.addStretch()
