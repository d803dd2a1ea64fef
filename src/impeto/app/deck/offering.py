"""What of the selected element can be charted, as a menu."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QMenu

from impeto.app.deck.channel_table import with_vectors
from impeto.app.document import Document

MOST = 24  # entries


def offer_quantities(menu: QMenu, document: Document, add: Callable[[str], None]) -> None:
    """A menu of its own within another, where the shown run knows the selected element; add :
    draws a channel."""
    run, name = document.run, document.picked or document.selected
    if run is None or not name:
        return
    known = [channel for channel in run.recording.channels(name) if channel.startswith(f"{name}.")]
    if not known:
        return
    inner = menu.addMenu(f"Chart of {name}")
    assert inner is not None
    parts = {part for _, together in with_vectors(known) for part in together or ()}
    for title, together in [row for row in with_vectors(known) if row[0] not in parts][:MOST]:
        action = inner.addAction(title.removeprefix(f"{name}."))
        assert action is not None
        drawn = together or [title]
        for one in drawn:
            action.triggered.connect(lambda _=False, n=one: add(n))
