"""The Health card: free motions, redundant constraints by name, and what keeps the model from
running. Always visible in Build."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from impeto.app.document import Document
from impeto.app.jobs import Job
from impeto.app.theme import Theme
from impeto.app.widgets import label, panel
from impeto.core.model.elements import GROUND, Body
from impeto.core.simulate import check
from impeto.core.solvers.health import Health


class HealthCard(QFrame):
    """Checks the model a moment after each change, once the solver is ready."""

    def __init__(self, document: Document, look: Theme) -> None:
        super().__init__()
        self.setObjectName("health")
        self.document, self.look = document, look
        self.ready = False
        self.job: Job | None = None
        self._again = False
        self.head = QLabel("…")
        self.text = label("", "soft")
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.linkActivated.connect(document.select)
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
        self._later.setInterval(60)
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
        """Check the model in a thread; a change meanwhile is checked after that."""
        if not self.ready:
            return
        if self.job is not None:
            self._again = True
            return
        model, case = self.document.model, self.document.case
        self.job = Job(lambda _progress: check(model, case), self)
        self.job.finished.connect(self._checked)
        self.job.failed.connect(self._failed)
        self.job.start()

    def _checked(self, health: Health) -> None:
        self.show_health(health)
        self._next()

    def _failed(self, text: str) -> None:
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
        bad = [finding for finding in health.findings if finding.severity == "bad"]
        if bad:
            self._show("bad", "Cannot run", "<br>".join(self._sentence(f) for f in bad))
            return
        lines = []
        if health.redundant:
            lines.append(self._redundancy(health))
        lines += [self._sentence(finding) for finding in health.findings]
        if not any(b.name != GROUND for b in self.document.model.of(Body)):
            self._show("warn", "Nothing here yet", "Add a body, then frames, a joint and gravity.")
            return
        motions = motions_text(health)
        if not lines:
            lines = ["Nothing redundant."]
        state = "warn" if health.findings else "good"
        self._show(state, motions, "<br>".join(lines))

    def _redundancy(self, health: Health) -> str:
        by_owner: dict[str, list[str]] = {}
        for row in health.redundant:
            by_owner.setdefault(row.owner, []).append(row.freedom)
        named = "; ".join(f"{self._link(o)} {', '.join(f)}" for o, f in by_owner.items())
        count = len(health.redundant)
        verb = "1 constraint is" if count == 1 else f"{count} constraints are"
        return f"{verb} redundant: {named}. Reactions there depend on the idealisation."

    def _sentence(self, finding) -> str:  # type: ignore[no-untyped-def]
        where = f"{self._link(finding.element)}: " if finding.element else ""
        remedy = f" {escape(finding.remedy)}." if finding.remedy else ""
        return f"{where}{escape(finding.message)}.{remedy}"

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
