"""The field of a plot: drag along time, or a box with the right button."""

from __future__ import annotations

from typing import Any

import pyqtgraph
from PyQt6.QtCore import QRectF, Qt, pyqtSignal

LEAST = 6.0  # px: a smaller box is a slip of the hand


class ZoomBox(pyqtgraph.ViewBox):  # type: ignore[misc]
    """A box drawn with the right button is shown large, both ways."""

    boxed = pyqtSignal(object)  # QRectF in what the axes show

    def mouseDragEvent(self, event: Any, axis: int | None = None) -> None:
        if event.button() != Qt.MouseButton.RightButton or axis is not None:
            super().mouseDragEvent(event, axis)
            return
        event.accept()
        begin, end = event.buttonDownPos(event.button()), event.pos()
        if not event.isFinish():
            self.updateScaleBox(begin, end)
            return
        self.rbScaleBox.hide()
        drawn = QRectF(begin, end).normalized()
        if min(drawn.width(), drawn.height()) >= LEAST:
            self.boxed.emit(self.childGroup.mapRectFromParent(drawn))


def share_of(low: float, high: float, ends: tuple[float, float]) -> tuple[float, float]:
    """The part of another axis (ends) that lies beside low to high of one from 0 to 1."""
    begin, end = ends
    return begin + low * (end - begin), begin + high * (end - begin)
