"""The Health card: free motions, redundant constraints by name, and what keeps the model from
running. Always visible in Build."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from impeto.app.document import Document
from impeto.app.jobs import Job, Progress
from impeto.app.theme import Theme
from impeto.app.widgets import label, panel
from impeto.core.elements import Body, Piece
from impeto.core.model.element import GROUND
from impeto.core.model.model import Model
from impeto.core.plausible import Finding

if TYPE_CHECKING:  # else the first picture would wait for the solver
    from impeto.core.check import Health

MEND = "mend:"
DRAW = "Draw bars (Ctrl+B), set down solids, or bring geometry in (Ctrl+Shift+I)."
MOST = 6  # findings that are told at once


class HealthCard(QFrame):
    """Checks the model a moment after each change, once the solver is ready."""

    checked = pyqtSignal(object)  # the Health

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setObjectName("health")
        self.document, self.look = document, look
        self.ready = False
        self.job: Job | None = None
        self._again = False
        self.head = label("…")
        self.text = label("", "soft")
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.linkActivated.connect(self._follow)
        self.findings: tuple[Finding, ...] = ()
        self.about: Model | None = None  # what was checked
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 12, 10)
        layout.setSpacing(4)
        top = QHBoxLayout()
        self.head.setStyleSheet("font-weight: 600;")
        top.addWidget(self.head)
        top.addStretch()
        top.addWidget(label("Health", "soft"))
        layout.addLayout(top)
        layout.addWidget(self.text)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(200)  # what is looked at comes first
        self._later.timeout.connect(self.refresh)
        document.model_changed.connect(self._later.start)
        document.case_changed.connect(self._later.start)
        self._show("warn", "Preparing", "The solver is being prepared; this happens once.")

    def set_look(self, look: Theme) -> None:
        self.look = look
        if self.ready:
            self.refresh()

    def set_ready(self) -> None:
        """The kernels are there: start checking."""
        self.ready = True
        self.refresh()

    def refresh(self) -> None:
        """Check the model in a thread; a change meanwhile ends that check, for a new one."""
        if not self.ready:
            return
        if self.job is not None:
            self._again = True
            self.job.cancel()
            return
        model, case = self.document.model, self.document.case

        def find(progress: Progress) -> Health:
            from impeto.core.check import check

            return check(model, case, progress)

        self.job = Job(find, self)
        self.job.finished.connect(lambda health: self._checked(model, health))
        self.job.failed.connect(self._failed)
        self.job.start()

    def _checked(self, model: Model, health: Health) -> None:
        self.about = model
        self.checked.emit(health)
        self.show_health(health)
        self._next()

    def _failed(self, text: str) -> None:
        if not self._again:
            self._show("bad", "Cannot be checked", escape(text))
        self._next()

    def _next(self) -> None:
        self.job = None
        if self._again:
            self._again = False
            self.refresh()

    def stop(self) -> None:
        """Wait for a check that is under way: for closing the window."""
        self._later.stop()
        self.ready = False
        if self.job is not None:
            self.job.wait()

    def show_health(self, health: Health) -> None:
        self.findings = health.findings
        bad = [finding for finding in health.findings if finding.severity == "bad"]
        if bad:
            self._show("bad", "Cannot run", self._sentences(bad))
            return
        if not any(b.name != GROUND for b in self.document.model.of(Body)):
            loose = len(self.document.model.of(Piece))
            told = "Make bodies of the loose pieces." if loose else DRAW
            self._show("warn", "No body yet" if loose else "Nothing here yet", told)
            return
        motions = motions_text(health)
        told = self._sentences(health.findings) or "Nothing redundant."
        state = "warn" if any(f.severity != "note" for f in health.findings) else "good"
        self._show(state, motions, told)

    def _sentences(self, findings: Sequence[Finding]) -> str:
        """As many as the card has room for."""
        lines = [self._sentence(finding) for finding in findings[:MOST]]
        if len(findings) > MOST:
            lines.append(f"… and {len(findings) - MOST} more.")
        return "<br>".join(lines)

    def _sentence(self, finding: Finding) -> str:
        where = f"{self._link(finding.element)}: " if finding.element else ""
        remedy = f" {escape(finding.remedy)}." if finding.remedy else ""
        number = self.findings.index(finding)
        mends = "".join(
            f" {self._anchor(f'{MEND}{number}/{k}', mend.text)}"
            for k, mend in enumerate(finding.mends)
        )
        return f"{where}{escape(finding.message)}.{remedy}{mends}"

    def _follow(self, target: str) -> None:
        """A link: select an element, or apply a mend, which undo takes back."""
        if not target.startswith(MEND):
            self.document.select(target)
            return
        if self.about is not self.document.model:  # a mend puts back what it was found for
            self.document.complained.emit(
                "The model has changed since this was found: it is being checked again."
            )
            return
        number, which = map(int, target.removeprefix(MEND).split("/"))
        mend = self.findings[number].mends[which]
        from impeto.core.check import mended

        model = mended(self.document.model, mend)
        self.document.edit(f"mend: {mend.text.lower()}", model)

    @property
    def mendable(self) -> list[int]:
        """Numbers of the findings that offer a mend for the model as it now is."""
        if self.about is not self.document.model:
            return []
        return [number for number, finding in enumerate(self.findings) if finding.mends]

    def first_mend(self) -> None:
        """Apply what is offered first."""
        for number in self.mendable[:1]:
            self._follow(f"{MEND}{number}/0")

    def _anchor(self, target: str, text: str) -> str:
        return (
            f'<a href="{target}" style="color:{self.look.accent};text-decoration:none;'
            f'font-weight:600">[{escape(text)}]</a>'
        )

    def _link(self, name: str) -> str:
        if name not in self.document.model.elements:
            return escape(name)
        colour = self.look.accent
        return f'<a href="{name}" style="color:{colour};text-decoration:none">{name}</a>'

    def _show(self, state: str, head: str, text: str) -> None:
        mark = {"good": "", "warn": "! ", "bad": "✕ "}[state]
        self.head.setText(mark + head)
        self.text.setText(text)
        self.setProperty("state", state)
        style = self.style()
        assert style is not None
        style.unpolish(self)
        style.polish(self)


def motions_text(health: Health) -> str:
    """'1 free motion', '1 motion, driven', 'Nothing can move'."""
    free, driven = health.free, health.driven
    if driven:
        moving = "1 motion" if driven == 1 else f"{driven} motions"
        return f"{moving}, driven" if not free else f"{free} free, {driven} driven motions"
    if not free:
        return "Nothing can move"
    return "1 free motion" if free == 1 else f"{free} free motions"


def framed(card: HealthCard) -> QWidget:
    """The card with room around it."""
    holder = panel("panel")
    holder.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(10, 6, 10, 12)
    layout.addWidget(card)
    return holder
