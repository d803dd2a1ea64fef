"""A film of the shown run: which span, how fast, how large; written beside the work."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from impeto.app.dialog import Dialog
from impeto.app.document import Document
from impeto.app.film import MOST_CHARTS, Camera, Filming, Shot
from impeto.app.solids import solids_of
from impeto.app.stage.view import StageView
from impeto.app.theme import Theme
from impeto.app.widgets import button, wrapped
from impeto.core.elements import Chart
from impeto.core.errors import FileError, ImpetoError
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope
from impeto.core.results.recording import Recording
from impeto.core.solvers.run import Progress
from impeto.services.moving_file import SUFFIX, write_motion

SPEEDS = {"true speed": 1.0, "1/2": 0.5, "1/5": 0.2, "1/10": 0.1, "1/100": 0.01, "2 times": 2.0}
SIZES = {"1280 × 720": (1280, 720), "1920 × 1080": (1920, 1080), "960 × 540": (960, 540)}
RATES = ("30", "25", "60", "15")
KINDS = "Film (*.mp4);;Moving picture (*.gif);;Machine in motion (*.glb)"


class FilmDialog(Dialog):
    """Says how long the film will be before it is made."""

    told = pyqtSignal(str)

    def __init__(
        self, document: Document, stage: StageView, charted: Callable[[], Sequence[Chart]],
        look: Theme, parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__("Film of the run", look, parent)
        self.setMinimumWidth(360)
        self.document, self.stage, self.charted = document, stage, charted
        self.filming: Filming | None = None
        self.begin, self.end = QLineEdit(), QLineEdit()
        self.speed, self.size_of, self.rate = (
            _choice(list(options)) for options in (SPEEDS, SIZES, RATES)
        )
        self.clock = QCheckBox("the time is written on it")
        self.clock.setChecked(True)
        self.charts = QCheckBox(f"the first {MOST_CHARTS} charts stand below")
        form = QFormLayout()
        for title, widget in (
            ("From", self.begin), ("To", self.end), ("Speed", self.speed), ("Size", self.size_of),
            ("Pictures a second", self.rate), ("Clock", self.clock),
            ("Charts", self.charts),
        ):  # fmt: skip
            widget.setAccessibleName(title)
            form.addRow(title, widget)
        self.about = wrapped("", "soft")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 1000)
        self.write = button("Write the film", "run")
        self.write.clicked.connect(self._ask)
        self.stop = button("Stop")
        self.stop.clicked.connect(self.cancel)
        row = QHBoxLayout()
        row.addWidget(self.write)
        row.addWidget(self.stop)
        row.addStretch()
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.about)
        layout.addWidget(self.progress)
        layout.addLayout(row)
        for line in (self.begin, self.end):
            line.textChanged.connect(lambda _text: self.tell())
        for box in (self.speed, self.size_of, self.rate):
            box.currentTextChanged.connect(lambda _text: self.tell())

    def renew(self) -> None:
        """The whole of the run that is shown."""
        run = self.document.run
        if self.filming is None and run is not None:
            self.begin.setText("0 s")
            self.end.setText(f"{float(run.recording.time[-1]):g} s")
        self._busy(self.filming is not None)
        self.tell()

    def shot(self) -> Shot:
        """What is asked for. Raises ImpetoError."""
        run = self.document.run
        if run is None:
            raise FileError("There is no run yet: run a case first (Ctrl+R).")
        last = float(run.recording.time[-1])
        scope = Scope(self.document.model, self.document.case)
        ends = [scope.si(Quantity(line.text().strip()), "time") for line in (self.begin, self.end)]
        made = Shot(
            max(ends[0], 0.0), min(ends[1], last), SPEEDS[self.speed.currentText()],
            SIZES[self.size_of.currentText()], float(self.rate.currentText()),
            self.clock.isChecked(),
        )  # fmt: skip
        made.check()
        return made

    def tell(self) -> None:
        """How long it will be, or what is wrong."""
        try:
            shot = self.shot()
        except ImpetoError as error:
            self.about.setText(str(error))
            self.write.setEnabled(False)
            return
        seconds = (shot.end - shot.begin) / shot.speed
        self.about.setText(f"{shot.count} pictures, {seconds:.3g} s of film.")
        self.write.setEnabled(self.filming is None)

    def _ask(self) -> None:
        path, kind = QFileDialog.getSaveFileName(self, "Write the film", "run.mp4", KINDS)
        if path:
            ending = next((e for e in (".gif", ".glb") if e in kind), ".mp4")
            made = Path(path)
            self.film(made if made.suffix else made.with_suffix(ending))

    def film(self, path: Path) -> None:
        """Write it, picture by picture; the machine in motion for a name that ends in .glb."""
        run = self.document.run
        try:
            shot = self.shot()
            assert run is not None
            if path.suffix.lower() == SUFFIX:  # of the machine alone, whatever else is chosen
                self._write_motion(path, run.recording, shot)
                return
            charts = self.charted() if self.charts.isChecked() else ()
            camera = Camera(
                run.recording, shot.size, self.look, self.stage, charts, (shot.begin, shot.end)
            )
            filming = Filming(camera, shot, path, self)
            filming.progressed.connect(lambda share: self.progress.setValue(round(1000 * share)))
            filming.finished.connect(lambda _path: self._ended(f"Written to {path.name}."))
            filming.failed.connect(self._ended)
            filming.start()
        except ImpetoError as error:
            self.about.setText(str(error))
            return
        self.filming = filming
        self._busy(True)

    def _write_motion(self, path: Path, recording: Recording, shot: Shot) -> None:
        solids, instants = solids_of(recording), list(shot.instants())

        def write(progress: Progress) -> None:
            write_motion(path, recording, solids, instants, shot.speed, progress)

        if self.start(write, lambda _done: self._ended(f"Written to {path.name}.")):
            self._busy(True)

    def complain(self, text: str) -> None:
        self._ended(text)

    def cancel(self) -> None:
        if self.job is not None:
            self.job.cancel()
        if self.filming is not None:
            self.filming.cancel()

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.cancel()
        super().hideEvent(event)

    def _ended(self, text: str) -> None:
        if self.filming is not None:
            self.filming.deleteLater()
        self.filming = None
        self._busy(False)
        self.about.setText(text)
        self.told.emit(text)

    def _busy(self, busy: bool) -> None:
        self.progress.setVisible(busy)
        self.progress.setValue(0)
        self.stop.setEnabled(busy)
        self.write.setEnabled(not busy)


def _choice(options: list[str]) -> QComboBox:
    made = QComboBox()
    made.addItems(options)
    return made
