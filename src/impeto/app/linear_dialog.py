"""The linear view in the window: modes, animated on the Stage, and frequency response."""

from __future__ import annotations

import math

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QSlider,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from impeto.app.dialog import Dialog
from impeto.app.document import Document
from impeto.app.sheet.line import Line
from impeto.app.stage.view import StageView
from impeto.app.theme import Theme
from impeto.app.widgets import button, label, wrapped
from impeto.core.drives.model import Powered
from impeto.core.elements import Load
from impeto.core.geometry.rotation import from_quaternion, from_rotation_vector
from impeto.core.linear import LinearView, Mode, frequency_response, linear_view
from impeto.core.model import units

FRAME = 33  # ms
PERIOD = 1.6  # s that one swing takes on the Stage
POINTS = 240
HEADS = ("", "frequency", "damping", "decay")


class LinearDialog(Dialog):
    """Stays open beside the work; a change of the model asks for a new look."""

    def __init__(self, document: Document, stage: StageView, look: Theme, parent: QWidget) -> None:
        super().__init__("Linear view", look, parent)
        self.resize(760, 620)
        self.document, self.stage = document, stage
        self.view: LinearView | None = None
        self.settled = QCheckBox("About the static equilibrium")
        self.again = button("Find", "run")
        self.again.setAccessibleName("Find the natural frequencies")
        self.again.clicked.connect(self.find_modes)
        self.about = wrapped("", "soft")
        self.table = QTableWidget(0, len(HEADS))
        self.table.setAccessibleName("Modes")
        self.table.setHorizontalHeaderLabels(HEADS)
        side = self.table.verticalHeader()
        assert side is not None
        side.hide()
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.itemSelectionChanged.connect(self._chosen)
        self.motion = QSlider(Qt.Orientation.Horizontal)
        self.motion.setAccessibleName("Size of the motion")
        self.motion.setRange(1, 100)
        self.motion.setValue(30)
        self.source, self.channel = QComboBox(), Line()
        self.source.setAccessibleName("Source")
        self.channel.setAccessibleName("Channel")
        self.channel.setPlaceholderText("channel, for example crank_pin.force.x")
        self.first, self.last = Line("0.1"), Line("100")
        self.draw = button("Draw", "run")
        self.draw.setAccessibleName("Draw the frequency response")
        self.draw.clicked.connect(self.respond)
        self.amplitude, self.phase = pg.PlotWidget(), pg.PlotWidget()
        self._lay_out()
        self._timer = QTimer(self)
        self._timer.setInterval(FRAME)
        self._timer.timeout.connect(self._swing)
        self._angle = 0.0
        document.model_changed.connect(self._stale)

    def renew(self) -> None:
        """As the model is set to settle, with its present sources."""
        self.settled.setChecked(self.document.model.settings.settle)
        self._sources()

    def set_look(self, look: Theme) -> None:
        super().set_look(look)
        for plot in (self.amplitude, self.phase):
            plot.setBackground(look.sheet)
            for item in plot.listDataItems():
                item.setPen(pg.mkPen(look.accent, width=2))

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        head = QHBoxLayout()
        for widget in (self.settled, self.again):
            head.addWidget(widget)
        head.addStretch()
        head.addWidget(label("Motion on the Stage", "soft"))
        head.addWidget(self.motion)
        layout.addLayout(head)
        layout.addWidget(self.about)
        bar = self.table.horizontalHeader()
        assert bar is not None
        bar.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        layout.addWidget(self.table, 3)
        row = QHBoxLayout()
        row.addWidget(label("Response of", "soft"))
        self.channel.setMinimumWidth(150)  # its hint can be read in a narrow window
        row.addWidget(self.channel, 2)
        row.addWidget(label("to", "soft"))
        row.addWidget(self.source, 1)
        row.addWidget(label("Hz", "soft"))
        for line in (self.first, self.last):
            line.setFixedWidth(60)
            row.addWidget(line)
        row.addWidget(self.draw)
        layout.addLayout(row)
        for plot, title in ((self.amplitude, "amplitude"), (self.phase, "phase [°]")):
            plot.setBackground(self.look.sheet)
            plot.setLogMode(x=True, y=plot is self.amplitude)
            plot.setLabel("left", title)
            plot.showGrid(x=True, y=True, alpha=0.2)
            layout.addWidget(plot, 2)
            plot.hide()
        self.phase.setLabel("bottom", "Hz")
        self.phase.setXLink(self.amplitude)

    # modes

    def find_modes(self) -> None:
        """Natural frequencies of the present case, off the main thread."""
        model, case, settled = self.document.model, self.document.case, self.settled.isChecked()
        if self.start(lambda _progress: linear_view(model, case, settled), self.show_view):
            self.about.setText("…")

    def complain(self, text: str) -> None:
        """One sentence above the table."""
        self.about.setText(text)

    def show_view(self, view: LinearView) -> None:
        self.view = view
        self.table.setRowCount(len(view.modes))
        for row, mode in enumerate(view.modes):
            for column, text in enumerate(_cells(row, mode)):
                self.table.setItem(row, column, QTableWidgetItem(text))
        note = view.note or "About the start pose as it is drawn."
        if view.unbalance > 1e-3:
            note += " It is no equilibrium: forces are left over, so the linear view says little."
        self.about.setText(f"{len(view.modes)} modes. {note}")
        if view.modes:
            self.table.selectRow(0)

    def _stale(self) -> None:
        self._timer.stop()
        self.view = None
        self.table.setRowCount(0)
        self.about.setText("The model has changed: find the modes again.")
        self._sources()

    def _chosen(self) -> None:
        if self.view is not None and self.table.currentRow() >= 0:
            self._angle = 0.0
            self._timer.start()

    def _swing(self) -> None:
        """One picture of the chosen mode."""
        row = self.table.currentRow()
        if self.view is None or not 0 <= row < len(self.view.modes):
            return
        self._angle += 2 * math.pi * FRAME / 1000 / PERIOD
        self.stage.place_bodies(self.poses(self.view.modes[row], self._angle))

    def poses(self, mode: Mode, angle: float) -> dict[str, tuple[np.ndarray, np.ndarray]]:
        """Origin and rotation of every body at a phase of a mode."""
        assert self.view is not None
        system = self.view.system
        share = self.motion.value() / 100 * 0.25 * system.size
        shape = share * (mode.shape * np.exp(1j * angle)).real
        placed = {}
        for row, body in enumerate(system.mechanism.bodies[1:]):
            place = self.view.state[7 * row : 7 * row + 7]
            rotation = from_quaternion(place[3:]) @ from_rotation_vector(shape[row, 3:])
            center = place[:3] + shape[row, :3]
            placed[body.name] = center + rotation @ system.tables.origin[row + 1], rotation
        return placed

    # frequency response

    def _sources(self) -> None:
        names = [
            e.name
            for e in self.document.whole.elements.values()
            if isinstance(e, (Load, Powered)) and self.document.is_on(e)
        ]
        self.source.clear()
        self.source.addItems(names)

    def respond(self) -> None:
        """Amplitude and phase of a channel over frequency."""
        try:
            low, high = float(self.first.text()), float(self.last.text())
            if not 0.0 < low < high:
                raise ValueError
        except ValueError:
            self.about.setText("The frequencies must be two numbers, the first below the second.")
            return
        frequencies = np.geomspace(low, high, POINTS)
        model, case, settled = self.document.model, self.document.case, self.settled.isChecked()
        source, channel = self.source.currentText(), self.channel.text().strip()

        def task(_progress: object) -> tuple[np.ndarray, np.ndarray]:
            found = frequency_response(model, source, channel, frequencies, case, settled)
            return frequencies, found

        if self.start(task, self.show_response):
            self.about.setText("…")

    def show_response(self, found: tuple[np.ndarray, np.ndarray]) -> None:
        frequencies, response = found
        pen = pg.mkPen(self.look.accent, width=2)
        for plot in (self.amplitude, self.phase):
            plot.clear()
            plot.show()
        self.amplitude.plot(frequencies, np.maximum(np.abs(response), 1e-300), pen=pen)
        self.phase.plot(frequencies, np.degrees(np.unwrap(np.angle(response))), pen=pen)
        peak = int(np.argmax(np.abs(response)))
        self.about.setText(
            f"Largest at {units.digits(float(frequencies[peak]))} Hz: "
            f"{units.digits(float(abs(response[peak])))} in SI units per unit of the source."
        )

    def hideEvent(self, event: QHideEvent | None) -> None:
        self._timer.stop()
        self.stage.show_present()
        super().hideEvent(event)


def _cells(row: int, mode: Mode) -> tuple[str, ...]:
    """Number, frequency, damping ratio and decay of a mode."""
    if mode.frequency > 0.0:
        frequency = f"{units.digits(mode.frequency, 5)} Hz"
        damping = f"{units.digits(100 * mode.damping, 3)} %"
    else:
        frequency, damping = "does not swing", ""
    rate = mode.eigenvalue.real
    decay = "grows" if rate > 1e-9 else f"{units.digits(-rate, 3)} /s" if rate < -1e-9 else "none"
    return str(row + 1), frequency, damping, decay
