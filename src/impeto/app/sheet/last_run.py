"""What the last run says of an element, in its Sheet."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QVBoxLayout

from impeto.app.document import Run
from impeto.app.theme import Theme
from impeto.app.widgets import label, wrapped
from impeto.core.drives.model import Powered
from impeto.core.elements import Gauge, Joint
from impeto.core.model import units
from impeto.core.model.element import Element
from impeto.core.results.figures import figures


def add_last_run(layout: QVBoxLayout, run: Run, element: Element, look: Theme) -> None:
    """Peak and RMS of force, torque, power or value; what a drive's motor would have to give."""
    paths = [f"{element.name}.{q}" for q in ("force", "torque", "power", "value")]
    found = [p for p in paths if run.recording.has(p)]
    if isinstance(element, Gauge) and not found:
        layout.addWidget(wrapped(run.recording.complaint(paths[-1]), "bad"))
    if not found:
        return
    layout.addWidget(label(f"Last run, {run.name}", "caption"))
    for path in found:
        channel = run.recording.channel(path)
        figure = figures(run.recording.time, channel.values)
        quantity = path.rsplit(".", 1)[1]
        peak = units.shown(figure.peak, channel.kind)
        rms = units.shown(figure.rms, channel.kind)
        when = units.digits(figure.peak_time)
        line = QLabel(f"{quantity.capitalize()}  <b>{peak}</b> peak at {when} s,  {rms} RMS")
        line.setTextFormat(Qt.TextFormat.RichText)
        line.setWordWrap(True)
        layout.addWidget(line)
    if isinstance(element, Powered):
        kind = "torque" if element.turning else "force"
        from impeto.app.sheet.cloud import CloudChart

        layout.addWidget(CloudChart(run.recording, element.name, kind, look))
    if isinstance(element, Joint) and _redundant_reactions(run):
        layout.addWidget(
            wrapped("Some constraints are redundant: reactions depend on the idealisation.", "hint")
        )


def _redundant_reactions(run: Run) -> bool:
    system = run.recording.system
    return len(system.constraints) - len(system.motions) > 6 * system.moving - 1
