"""Channels that are dragged from lists and dropped on what shows them."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QDragEnterEvent, QDropEvent

MIME = "application/x-impeto-channel"


def channel_data(name: str) -> QMimeData:
    """What is dragged when a channel is dragged."""
    data = QMimeData()
    data.setData(MIME, name.encode())
    data.setText(name)
    return data


def take_channels(event: QDragEnterEvent | None) -> None:
    """Let channels be dropped where they are dragged to."""
    data = event.mimeData() if event is not None else None
    if event is not None and data is not None and data.hasFormat(MIME):
        event.acceptProposedAction()


def dropped_channels(event: QDropEvent | None) -> list[str]:
    """Names of the channels that are dropped."""
    data = event.mimeData() if event is not None else None
    if event is None or data is None or not data.hasFormat(MIME):
        return []
    event.acceptProposedAction()
    return bytes(data.data(MIME).data()).decode().split("\n")
