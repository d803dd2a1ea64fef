"""Garbage is looked for in the thread of the window, and in no other.

Python looks for it wherever the next object is made, also in the thread of a run. A widget in a
cycle that nothing holds any more would be taken apart there, beside Qt, which allows that in its
own thread only: memory is damaged, and the program ends some time later.
"""

from __future__ import annotations

import gc
import time

from PyQt6.QtCore import QObject, QTimer

OFTEN = 200  # ms between two looks at whether it is time
RARELY = 60.0  # s between two searches among all objects, which take a picture or two


class Garbage(QObject):
    """Takes over from Python, which looks for garbage no more."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._last = time.monotonic()  # among all objects
        timer = QTimer(self)
        timer.timeout.connect(self._look)
        timer.start(OFTEN)

    def _look(self) -> None:
        """As far as Python would have by now: among new objects, among older ones, among all."""
        counts, limits, now = gc.get_count(), gc.get_threshold(), time.monotonic()
        due = [generation for generation in range(3) if counts[generation] > limits[generation]]
        if due and due[-1] == 2:
            if now - self._last < RARELY:
                due.pop()
            else:
                self._last = now
        if due:
            gc.collect(due[-1])
