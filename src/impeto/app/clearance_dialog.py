"""How near two bodies come to each other in the shown runs, and when."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from impeto.app.dialog import Dialog
from impeto.app.document import Document
from impeto.app.sheet.editors import ChoiceEditor
from impeto.app.theme import Theme
from impeto.app.widgets import button, empty, label, wrapped
from impeto.core.elements import Body
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.overlaps import contact_pairs
from impeto.core.results.clearance import BETWEEN, worst_instants
from impeto.core.results.recording import Recording


class ClearanceDialog(Dialog):
    """Stays open beside the work: choose two bodies, find their clearance, jump to its least."""

    found = pyqtSignal(str)  # the channel

    def __init__(self, document: Document, look: Theme, parent: QWidget) -> None:
        super().__init__("Clearance between two bodies", look, parent)
        self.setMinimumWidth(380)
        self.document = document
        self.chosen = ["", ""]
        layout = QVBoxLayout(self)
        layout.setSpacing(8)
        self.choices = QVBoxLayout()
        find = button("Find", "run")
        find.setAccessibleName("Find the clearance")
        find.clicked.connect(self.measure)
        self.about = wrapped("", "soft")
        self.instants = QVBoxLayout()
        layout.addLayout(self.choices)
        layout.addWidget(find, alignment=Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(self.about)
        layout.addLayout(self.instants)
        layout.addStretch()

    def renew(self) -> None:
        """The bodies that there are now, a likely pair of them chosen."""
        names = _names(self.document)
        self.chosen = list(_first_pair(self.document, names))
        empty(self.choices)
        empty(self.instants)
        for side, caption in enumerate(("First body", "Second body")):
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(label(caption, "soft"))
            line.addStretch()
            line.addWidget(
                ChoiceEditor(names, self.chosen[side], partial(self._choose, side), caption)
            )
            self.choices.addWidget(row)
        nothing = "There is no run yet: run a case first (Ctrl+R)."
        self.complain(nothing if self.document.run is None else "")

    def _choose(self, side: int, name: str) -> None:
        self.chosen[side] = name

    def measure(self) -> None:
        """Compute the channel in all shown runs, off the main thread."""
        run, shown = self.document.run, self.document.shown_runs
        if run is None:
            return
        name = BETWEEN.join(self.chosen)
        recordings = [r.recording for r in self.document.runs if r.name in shown]
        if self.start(
            lambda _progress: [r[name] for r in recordings],
            lambda _: self._show(name, run.recording),
        ):
            self.complain("Looking …")

    def _show(self, name: str, recording: Recording) -> None:
        empty(self.instants)
        values = recording[name]
        worst = worst_instants(values)
        if not worst:
            self.complain(f"They are never both there in the run {recording.case}.")
            return
        deepest = values[worst[0]]
        size = units.shown(abs(float(deepest)), "length", 3)
        told = (
            f"They come as near as {size}." if deepest > 0.0 else f"They overlap by up to {size}."
        )
        self.complain(f"{told} Nearest in the run {recording.case}:")
        for k in worst:
            time = float(recording.time[k])
            shown = units.shown(float(values[k]), "length", 3)
            jump = button(f"{time:.4g} s   {shown}", "link")
            jump.setAccessibleName(f"Jump to {time:.4g} s")
            jump.clicked.connect(lambda _=False, t=time: self.document.set_instant(t))
            self.instants.addWidget(jump, alignment=Qt.AlignmentFlag.AlignLeft)
        self.document.set_instant(float(recording.time[worst[0]]))
        self.found.emit(name)

    def complain(self, text: str) -> None:
        """One sentence under the choices."""
        self.about.setText(text)
        QTimer.singleShot(0, self.adjustSize)


def _names(document: Document) -> list[str]:
    """Bodies with shapes; after a run the copies in place of what was fed."""
    names = [body.name for body in document.whole.of(Body) if body.shapes]
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
