"""Ways to begin, over the Stage of an empty model."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout

from impeto.app.showing import is_empty
from impeto.app.stage.view import StageView
from impeto.app.widgets import button, label, panel, wrapped

WIDTH = 400


class BeginCard:
    """A button for each way; gone while something is pointed at, and once there is a body."""

    def __init__(self, stage: StageView) -> None:
        self.stage = stage
        self.box = panel("bar")
        self.box.setParent(stage)
        self.box.setFixedWidth(WIDTH)
        self.rows = QVBoxLayout(self.box)
        self.rows.setContentsMargins(20, 16, 20, 18)
        self.rows.setSpacing(6)
        self.rows.addWidget(label("An empty model. How do you begin?", "title"))
        stage.document.model_changed.connect(self.follow)
        stage.pointing.changed.connect(self.follow)
        self.follow()

    def offer_ways(
        self, draw: Callable[[], object], bring: Callable[[], object], demo: Callable[[], object]
    ) -> None:
        """The usual ones."""
        self.offer(
            "Draw a first bar", "From point to point, clicked or typed; ends are pinned.", draw
        )
        self.offer("Bring geometry in", "Assemblies (STEP), meshes, or a whole mechanism (URDF).",
                   bring)  # fmt: skip
        self.offer("Open the gang saw", "A demo with joints, drives and cases to look around in.",
                   demo)  # fmt: skip

    def offer(self, text: str, about: str, act: Callable[[], object]) -> None:
        """One more way to begin."""
        way = button(text)
        way.setAccessibleName(text)
        way.clicked.connect(lambda: act())
        self.rows.addSpacing(4)
        self.rows.addWidget(way)
        self.rows.addWidget(wrapped(about, "hint"))
        self.follow()

    def follow(self) -> None:
        shown = is_empty(self.stage.document.model) and self.stage.pointing.gesture is None
        self.box.setVisible(shown)
        if shown:
            self.box.adjustSize()
            self.box.move(
                (self.stage.width() - self.box.width()) // 2,
                max((self.stage.height() - self.box.height()) // 2, 44),
            )
