"""The strip at the top: desks, model, case, end time, accuracy, Run, and how it went."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QSignalBlocker, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from impeto.app.case_strips import CaseStrips
from impeto.app.desks.desk import DESKS
from impeto.app.document import Document
from impeto.app.plain_text import as_tip, escaped
from impeto.app.running import Running
from impeto.app.sheet.line import Line
from impeto.app.theme import Theme
from impeto.app.widgets import button, label, panel
from impeto.core.errors import ModelError
from impeto.core.model import units
from impeto.core.model.quantity import Quantity
from impeto.core.model.run_settings import ACCURACIES
from impeto.core.model.scope import Scope
from impeto.core.results.system import energy_error
from impeto.core.results.trust import BAD, DOUBTFUL, GOOD, trust

NARROW = 1100  # px of a window in which captions have no room


class RunStrip(QWidget):
    """Emits what the user asks for; shows the document's case, settings and the last run."""

    desk_chosen = pyqtSignal(str)
    run_asked = pyqtSignal()
    stop_asked = pyqtSignal()
    menu_asked = pyqtSignal()

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document, self.look = document, look
        self.busy = self.ready = False
        self.menu = QPushButton("Menu")
        self.menu.setToolTip("All commands (Ctrl+K)")
        self.menu.clicked.connect(self.menu_asked)
        self.name = QLabel()
        self.quality = label("", "soft")
        for marked in (self.name, self.quality):
            marked.setTextFormat(Qt.TextFormat.RichText)
            marked.setMinimumWidth(1)  # what does not fit is cut, not the rest pushed out
        self.case = QComboBox()
        self.case.setAccessibleName("Case")
        self.case.setMinimumWidth(96)
        self.case.setMaximumWidth(170)
        self.case.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.until = Line()
        self.until.setAccessibleName("End time")
        self.until.setFixedWidth(58)
        self.accuracy = QComboBox()
        self.accuracy.setAccessibleName("Accuracy")
        self.accuracy.addItems(ACCURACIES)
        self.run = button("Run", "run")
        self.run.setToolTip("Solve this case (Ctrl+R)")
        self.run.setEnabled(False)  # until the solver is ready
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 1000)
        self.cases = CaseStrips()
        self._lay_out()
        self.case.textActivated.connect(document.set_case)
        self.until.editingFinished.connect(self._take_until)
        self.until.escaped.connect(self.refresh)
        self.accuracy.textActivated.connect(self._take_accuracy)
        self.run.clicked.connect(lambda: (self.stop_asked if self.busy else self.run_asked).emit())
        for signal in (document.model_changed, document.case_changed, document.runs_changed):
            signal.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        self.captions: list[QLabel] = []
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        row = QHBoxLayout()
        row.setContentsMargins(14, 7, 14, 4)
        row.setSpacing(8)
        desks = panel("desks")
        desks.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        inner = QHBoxLayout(desks)
        inner.setContentsMargins(3, 3, 3, 3)
        inner.setSpacing(0)
        self.desks = QButtonGroup(self)
        self.desk_buttons = {}
        for desk in DESKS:
            chooser = button(desk, "desk")
            chooser.setCheckable(True)
            chooser.clicked.connect(lambda _=False, d=desk: self.desk_chosen.emit(d))
            self.desks.addButton(chooser)
            inner.addWidget(chooser)
            self.desk_buttons[desk] = chooser
        row.addWidget(desks)
        row.addWidget(self.menu)
        row.addWidget(self.name)
        row.addStretch()
        row.addWidget(self.quality)
        for title, widget in (
            ("Case", self.case), ("Until", self.until), ("Accuracy", self.accuracy),
        ):  # fmt: skip
            row.addSpacing(4)
            caption = label(title, "soft")
            self.captions.append(caption)
            row.addWidget(caption)
            row.addWidget(widget)
        row.addWidget(self.run)
        rows.addLayout(row)
        rows.addWidget(self.progress)
        rows.addWidget(self.cases)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window the fields speak for themselves."""
        for caption in self.captions:
            caption.setVisible(self.width() >= NARROW)
        super().resizeEvent(event)

    def minimumSizeHint(self) -> QSize:
        """Without the captions, which leave when there is no room."""
        hint = super().minimumSizeHint()
        taken = sum(c.sizeHint().width() + 12 for c in self.captions if c.isVisible())
        return QSize(hint.width() - taken, hint.height())

    def set_look(self, look: Theme) -> None:
        self.look = look
        self.refresh()

    def refresh(self) -> None:
        """Everything from the document."""
        model = self.document.model
        state = "edited" if self.document.dirty else ("saved" if self.document.path else "")
        soft = self.look.soft
        self.name.setText(
            f'<b>{escaped(model.name)}</b>&nbsp; <span style="color:{soft}">{state}</span>'
        )
        with QSignalBlocker(self.case):
            self.case.clear()
            self.case.addItems(list(model.cases))
            self.case.setCurrentText(self.document.case)
        self.until.setText(str(model.settings.until))
        self.accuracy.setCurrentText(model.settings.accuracy)
        if not self.busy:
            self.show_quality()

    def show_quality(self) -> None:
        """What the trust in the last run comes from, and its speed, with a word and not by colour
        alone."""
        run = self.document.run
        if run is None:
            self.quality.setText("" if self.ready else "preparing the solver, once …")
            return
        r = run.recording
        found = trust(r)
        looks = {GOOD: ("good", "●"), DOUBTFUL: ("warn", "▲ check:"), BAD: ("bad", "✕ wrong:")}
        state, mark = looks[found.level]
        if r.stopped:
            state, mark = "bad", "✕ stopped early,"
        words = f"energy {units.digits(energy_error(r), 2)}" if r.stopped else found.cause
        colour = getattr(self.look, state)
        factor = float(r.time[-1]) / max(r.statistics.wall_seconds, 1e-9)
        self.quality.setText(
            f'<span style="color:{colour}">{mark} {words}</span>'
            f"&nbsp; {units.digits(factor, 2)}× real time"
        )
        lines = [*found.lines, *([r.stopped] if r.stopped else [])]
        self.quality.setToolTip(as_tip("\n".join(lines)))

    def set_ready(self) -> None:
        self.ready = True
        self.set_busy(False)

    def set_busy(self, busy: bool) -> None:
        self.busy = busy
        self.run.setText("Stop" if busy else "Run")
        self.run.setEnabled(self.ready)
        if not busy:
            self.progress.setValue(0)
            self.cases.clear()
            self.show_quality()

    def follow(self, running: Running) -> None:
        """Show how far what is solved is."""
        running.began.connect(lambda: self.set_busy(True))
        running.progressed.connect(self.show_progress)
        running.settled.connect(self.show_settling)
        running.advanced.connect(self.cases.show_shares)
        self.cases.stop_asked.connect(running.stop_case)
        running.ended.connect(lambda: self.set_busy(False))

    def show_settling(self, unbalanced: float) -> None:
        """How far the equilibrium is from which the run begins."""
        self.quality.setText(f"settling: {unbalanced:.0e} of the forces are not balanced yet")

    def show_progress(self, share: float, solved: float, left: float) -> None:
        self.progress.setValue(round(1000 * share))
        if share == 0.0:
            return
        done = f"{units.digits(solved, 3)} s solved" if solved else f"{100.0 * share:.0f} % solved"
        self.quality.setText(f"{done}, about {max(left, 0.1):.1f} s left")

    def _take_until(self) -> None:
        text = self.until.text().strip()
        settings = self.document.model.settings
        if text == str(settings.until):
            return
        try:
            bare = text.replace(".", "", 1).isdigit()
            quantity = Quantity(f"{text} s" if bare else text)
            if not Scope(self.document.model, self.document.case).si(quantity, "time") > 0:
                raise ModelError(
                    "it must be greater than zero", field="end time", remedy="Type, say, 5 s"
                )
            changed = self.document.model.changed(settings=replace(settings, until=quantity))
            self.document.edit("end time", changed)
        except ModelError as error:
            self.document.complained.emit(str(error.at("Run", "end time")))
            self.until.setText(str(settings.until))

    def _take_accuracy(self, text: str) -> None:
        settings = replace(self.document.model.settings, accuracy=text, tolerance=None)
        self.document.edit("accuracy", self.document.model.changed(settings=settings))
