"""What stands over a chart: its legend, and how its channels are looked at."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QWidget

from impeto.app.deck.looks import TIPS
from impeto.app.widgets import button
from impeto.core.model.looking import AGAINST, LOOKS, PARTS, SPECTROGRAM, TIME

# What much text flows around: beside the tools it has what they leave, below them the whole width.
# Text of few values stays beside them by a margin, which is laid out faster at each instant.
BESIDE = (
    '<table style="float:right" cellspacing="0" cellpadding="0" width="{}">'
    "<tr><td>&nbsp;<br>&nbsp;</td></tr></table>"
)

FEW = 2


class Head(QGridLayout):
    """The legend, and in its upper right corner the tools; what they do is the chart's."""

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
        self.legend.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.tools, self._told = QWidget(), ""
        row = QHBoxLayout(self.tools)
        row.setContentsMargins(0, 0, 0, 0)
        for part in (self.limit, self.log, self.chooser, self.close):
            row.addWidget(part)
        self.addWidget(self.legend, 0, 0)
        self.addWidget(self.tools, 0, 0, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight)

    def tell(self, text: str) -> None:
        """Show a legend, of markup."""
        self._told = text
        room = 0 if self.tools.isHidden() else self.tools.sizeHint().width() + 8
        flows = text.count("<b>") > FEW and room > 0
        self.legend.setContentsMargins(0, 2, 0 if flows else room, 2)
        self.legend.setText(BESIDE.format(room) + text if flows else text)

    def show_tools(self, shown: bool) -> None:
        """A picture of the chart does without them."""
        self.tools.setVisible(shown)
        self.tell(self._told)

    def show_look(self, look: str) -> None:
        """Offer what makes sense for it."""
        self.chooser.setCurrentText(look)
        self.limit.setVisible(look in (TIME, AGAINST))
        self.log.setVisible(look not in (SPECTROGRAM, PARTS))
        self.tell(self._told)
