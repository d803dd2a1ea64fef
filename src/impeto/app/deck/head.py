"""What stands over a chart: its legend, and how its channels are looked at."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QWidget

from impeto.app.deck.looks import TIPS
from impeto.app.widgets import button
from impeto.core.model.looking import AGAINST, LOOKS, PARTS, SPECTROGRAM, TIME


class Head(QHBoxLayout):
    """Widgets in a row; what they do is the chart's."""

    def __init__(self) -> None:
        super().__init__()
        self.chooser = QComboBox()
        self.chooser.setAccessibleName("What the chart shows")
        self.chooser.addItems(LOOKS)
        for number, kind in enumerate(LOOKS):
            self.chooser.setItemData(number, TIPS[kind], Qt.ItemDataRole.ToolTipRole)
        self.log, self.limit = button("log", "chip"), button("limit", "chip")
        self.log.setCheckable(True)
        self.log.setToolTip("By powers of ten; what is not above zero is left out")
        self.limit.setToolTip("A line that the curves are not to pass")
        self.legend = QLabel()
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setWordWrap(True)
        self.legend.setToolTip("Click a name to take it off the chart")
        self.close = button("×", "link")
        self.close.setAccessibleName("Remove chart")
        self.addWidget(self.legend, 1)
        for part in self.tools:
            self.addWidget(part, 0, Qt.AlignmentFlag.AlignTop)

    @property
    def tools(self) -> tuple[QWidget, ...]:
        """All but the legend, which a picture of the chart does without."""
        return self.limit, self.log, self.chooser, self.close

    def show_look(self, look: str) -> None:
        """Offer what makes sense for it."""
        self.chooser.setCurrentText(look)
        self.limit.setVisible(look in (TIME, AGAINST))
        self.log.setVisible(look not in (SPECTROGRAM, PARTS))
