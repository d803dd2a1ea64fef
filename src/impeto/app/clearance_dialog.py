"""How near two bodies come to each other in the shown runs, and when."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from impeto.app.document import Document
from impeto.app.jobs import Job
from impeto.app.sheet.editors import ChoiceEditor
from impeto.app.widgets import button, label, wrapped
from impeto.core.elements import Body
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.overlaps import contact_pairs
from impeto.core.results.clearance import BETWEEN, worst_instants
from impeto.core.results.recording import Recording


class ClearanceDialog(QDialog):
    """Stays open beside the work: choose two bodies, find their clearance, jump to its least."""

    found = pyqtSignal(str)  # the channel

    def __init__(self, document: Document, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Clearance between two bodies")
        self.setMinimumWidth(380)
        self.document = document
        self.job: Job | None = None
        names = _names(document)
        self.chosen = list(_first_pair(document, names))
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        for side, caption in enumerate(("First body", "Second body")):
            row = QHBoxLayout()
            row.addWidget(label(caption, "soft"))
            row.addStretch()
            row.addWidget(
                ChoiceEditor(names, self.chosen[side], partial(self._choose, side), caption)
            )
            layout.addLayout(row)
        find = button("Find", "run")
        find.setAccessibleName("Find the clearance")
        find.clicked.connect(self.look)
        self.about = wrapped("", "soft")
        self.instants = QVBoxLayout()
        layout.addWidget(find, alignment=Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.about)
        layout.addLayout(self.instants)
        layout.addStretch()
        if document.run is None:
            self.about.setText("There is no run yet: run a case first (Ctrl+R).")

    def _choose(self, side: int, name: str) -> None:
        self.chosen[side] = name

    def look(self) -> None:
        """Compute the channel in all shown runs, off the main thread."""
        run, shown = self.document.run, self.document.shown_runs
        if run is None or self.job is not None:
            return
        name = BETWEEN.join(self.chosen)
        recordings = [r.recording for r in self.document.runs if r.name in shown]
        self.about.setText("Looking …")
        self.job = Job(lambda _progress: [r[name] for r in recordings], self)
        self.job.finished.connect(lambda _: self._show(name, run.recording))
        self.job.failed.connect(self._failed)
        self.job.start()

    def _failed(self, text: str) -> None:
        self.job = None
        self._tell(text)

    def _show(self, name: str, recording: Recording) -> None:
        self.job = None
        while self.instants.count():
            item = self.instants.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        values = recording[name]
        worst = worst_instants(values)
        if not worst:
            self._tell(f"They are never both there in the run {recording.case}.")
            return
        deepest = values[worst[0]]
        size = units.shown(abs(float(deepest)), "length", 3)
        told = (
            f"They come as near as {size}." if deepest > 0.0 else f"They overlap by up to {size}."
        )
        self._tell(f"{told} Nearest in the run {recording.case}:")
        for k in worst:
            time = float(recording.time[k])
            shown = units.shown(float(values[k]), "length", 3)
            jump = button(f"{time:.4g} s   {shown}", "link")
            jump.setAccessibleName(f"Jump to {time:.4g} s")
            jump.clicked.connect(lambda _=False, t=time: self.document.set_instant(t))
            self.instants.addWidget(jump, alignment=Qt.AlignmentFlag.AlignLeft)
        self.document.set_instant(float(recording.time[worst[0]]))
        self.found.emit(name)

    def _tell(self, text: str) -> None:
        self.about.setText(text)
        QTimer.singleShot(0, self.adjustSize)

    def wait(self) -> None:
        """For closing the window."""
        if self.job is not None:
            self.job.wait()


def _names(document: Document) -> list[str]:
    """Bodies with shapes; after a run the copies in place of what was fed."""
    names = [body.name for body in document.model.of(Body) if body.shapes]
    if document.run is None:
        return names
    masters = document.run.recording.system.mechanism.masters
    fed = set(masters.values())
    return [n for n in names if n not in fed] + [c for c, name in masters.items() if name in names]


def _first_pair(document: Document, names: list[str]) -> tuple[str, str]:
    """A pair that a contact rule makes, the selected body first where there is one."""
    pairs = [
        pair
        for pairs in contact_pairs(document.model, document.case).values()
        for pair in pairs
        if set(pair) <= set(names) and pair[0] != pair[1]
    ]
    pairs.sort(key=lambda pair: document.selected not in pair)
    if pairs:
        a, b = pairs[0]
        return (b, a) if b == document.selected or a == GROUND else (a, b)
    return (names[0], names[-1]) if names else ("", "")
