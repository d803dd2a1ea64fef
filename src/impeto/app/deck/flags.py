"""Which flags fly on the Deck: the marks of the run by kind, and the peaks of what is charted."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from impeto.app.document import Document
from impeto.core.dynamics.names import MARK_KINDS, Mark
from impeto.core.model import units
from impeto.core.results.recording import Recording

PEAKS = "peaks of charts"
KINDS = (*MARK_KINDS, PEAKS)
MOST_FLAGS = 400


class Flags(QObject):
    """hidden : kinds that do not fly;  charted : channels whose peaks are marked"""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.hidden: set[str] = set()
        self.charted: tuple[str, ...] = ()
        self._of: Recording | None = None  # whose peaks are known
        self._peaks: tuple[Mark, ...] | None = None
        document.runs_changed.connect(self.changed)
        document.run_grew.connect(self.changed)

    @property
    def all(self) -> list[Mark]:
        """Of every kind, in order of time."""
        run = self.document.run
        if run is None:
            return []
        if self._of is not run.recording or self._peaks is None:
            self._of = run.recording
            self._peaks = tuple(peaks_of(run.recording, self.charted))
        found = [*run.recording.marks, *self._peaks]
        return sorted(found, key=lambda mark: mark.time)

    @property
    def counts(self) -> dict[str, int]:
        """How many there are of each kind that there is."""
        counted = Counter(mark.kind for mark in self.all)
        return {kind: counted[kind] for kind in KINDS if counted[kind]}

    @property
    def flown(self) -> tuple[Mark, ...]:
        """Those that are to be seen, the first few hundred."""
        shown = [mark for mark in self.all if mark.kind not in self.hidden]
        return tuple(shown[:MOST_FLAGS])

    def fly(self, kind: str, on: bool) -> None:
        """Show the flags of a kind, or hide them."""
        self.hidden = self.hidden - {kind} if on else self.hidden | {kind}
        self.changed.emit()

    def chart(self, channels: Sequence[str]) -> None:
        """What is on the charts over time."""
        if tuple(channels) != self.charted:
            self.charted, self._peaks = tuple(channels), None
            self.changed.emit()


def peaks_of(recording: Recording, channels: Sequence[str]) -> list[Mark]:
    """Where channels are largest, either way; those that are zero throughout have no peak."""
    found = []
    for name in channels:
        if not recording.has(name) or recording.complaint(name):
            continue
        channel = recording.channel(name)
        sizes = np.nan_to_num(np.abs(channel.values), nan=0.0)
        at = int(np.argmax(sizes))
        if sizes[at] > 0.0 and np.isfinite(sizes[at]):
            told = f"largest: {units.shown(float(channel.values[at]), channel.kind)}"
            found.append(Mark(float(recording.time[at]), name, told, PEAKS))
    return found
