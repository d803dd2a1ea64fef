"""Where a channel comes from, as layers on a chart, worked out off the main thread."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor

from impeto.app.deck.looks import Layers, Span, layers_of
from impeto.app.document import Run
from impeto.app.jobs import Job
from impeto.app.plain_text import escaped
from impeto.app.theme import Theme
from impeto.core.model import units

FILL = 150  # of 255: how much of what lies below is hidden


class PartsView(QObject):
    """Layers of one channel of one run at a time."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.layers: Layers | None = None
        self.complaint = ""
        self._of: tuple[str, str, Span] | None = None
        self._job: Job | None = None

    def ask(self, run: Run, name: str, span: Span) -> None:
        """Have the parts of a channel in a span [s], soon."""
        if self._of == (run.name, name, span):
            return
        self.stop()
        self._of, self.layers, self.complaint = (run.name, name, span), None, ""
        recording = run.recording
        job = self._job = Job(lambda progress: layers_of(recording, name, span, progress), self)
        job.finished.connect(lambda layers: self._have(job, layers, ""))
        job.failed.connect(lambda text: self._have(job, None, text))
        job.start()

    def _have(self, job: Job, layers: Layers | None, complaint: str) -> None:
        if job is self._job:
            self._job, self.layers, self.complaint = None, layers, complaint
            self.changed.emit()

    def stop(self) -> None:
        """Whatever is worked out is not wanted any more."""
        if self._job is not None:
            self._job.cancel()
        self._job, self._of = None, None

    def draw(self, plot: Any, factor: float, look: Theme) -> list[tuple[Any, Any]]:
        """Layers and the whole as a line; what was drawn, and what it is in."""
        assert self.layers is not None
        drawn, time = list[tuple[Any, Any]](), self.layers.time
        for number, layer in enumerate(self.layers.layers):
            colour = QColor(look.curves[number % len(look.curves)])
            colour.setAlpha(FILL)
            low, high = (
                pyqtgraph.PlotCurveItem(time, edge / factor, pen=pyqtgraph.mkPen(None))
                for edge in (layer.low, layer.high)
            )
            area = pyqtgraph.FillBetweenItem(low, high, brush=colour)
            for item in (low, high, area):
                plot.addItem(item)
                drawn.append((item, plot))
        whole = pyqtgraph.PlotDataItem(
            time, self.layers.total / factor, pen=pyqtgraph.mkPen(look.ink, width=1.5)
        )
        plot.addItem(whole)
        drawn.append((whole, plot))
        return drawn

    def told(self, name: str, moment: float, unit: str, factor: float, look: Theme) -> str:
        """The whole and the shares at an instant [s]."""
        if self.complaint:
            return f'<b>{name}</b> <span style="color:{look.bad}">{escaped(self.complaint)}</span>'
        if self.layers is None:
            return f'<b>{name}</b> <span style="color:{look.soft}">is being worked out …</span>'
        row = self.layers.at(moment)
        total = float(self.layers.total[row])
        peak = float(np.abs(self.layers.total).max(initial=0.0))
        shown = units.digits(units.against(total, peak) / factor)
        text = f'{name} <b>{shown}</b> <span style="color:{look.soft}">{units.spoken(unit)}</span>'
        for number, layer in enumerate(self.layers.layers):
            colour = look.curves[number % len(look.curves)]
            said = _percent(float(layer.values[row]), total, peak)
            mark = f'<span style="color:{colour}">■</span>'
            text += f" &nbsp; {mark}&nbsp;{escaped(layer.name)} <b>{said}</b>"
        return text


def _percent(part: float, total: float, peak: float) -> str:
    """A share in words; of nothing there is none."""
    if abs(total) <= 1e-6 * peak:
        return "–"
    return f"{round(100.0 * part / total)} %".replace("-", "−")
