"""The field of a chart: one axis below, one at the left, one at the right where it is needed."""

from __future__ import annotations

import pyqtgraph
from PyQt6.QtCore import QRectF, pyqtSignal
from PyQt6.QtGui import QColor

from impeto.app.deck.plotting import Axis
from impeto.app.deck.zooming import ZoomBox, share_of
from impeto.app.theme import Theme, font

RIGHT = 46  # px of an axis on the right
SIDES = ("left", "bottom", "right")


class Field(pyqtgraph.PlotWidget):  # type: ignore[misc]
    """What is drawn on the right axis goes into `right`."""

    boxed = pyqtSignal()  # a box was shown large

    def __init__(self, look: Theme) -> None:
        box = ZoomBox(enableMenu=False)
        axes = {side: Axis(side) for side in SIDES}
        super().__init__(viewBox=box, enableMenu=False, axisItems=axes)
        self.look, self.has_right = look, False
        self.hideButtons()
        box.setMouseEnabled(x=True, y=False)
        box.boxed.connect(self._show_box)
        box.sigResized.connect(self.fit_right)
        self.viewport().setAcceptDrops(False)
        self.right = pyqtgraph.ViewBox(enableMenu=False)
        self.right.setMouseEnabled(x=False, y=False)
        item = self.getPlotItem()
        item.scene().addItem(self.right)
        item.getAxis("right").linkToView(self.right)
        self.right.setXLink(item)
        self.setToolTip(
            "Wheel or drag along time, a box with the right button; double-click shows all of it"
        )

    def set_look(self, look: Theme) -> None:
        """Colours and type of the axes."""
        self.look = look
        self.setBackground(look.field)
        for side in SIDES:
            axis = self.getAxis(side)
            axis.setPen(QColor(look.line))
            axis.setTextPen(QColor(look.soft))
            axis.setTickFont(font(11))
            axis.setStyle(tickLength=0)
        self.getAxis("left").setWidth(48)
        self.getPlotItem().showGrid(y=True, alpha=0.25)
        self.getAxis("right").setGrid(False)  # that of the left one is enough

    def reserve_right(self, reserved: bool) -> None:
        """Leave room for an axis on the right, which charts above or below may have."""
        shown = self.has_right or reserved
        axis = self.getAxis("right")
        axis.setStyle(showValues=self.has_right)
        axis.setPen(pyqtgraph.mkPen(self.look.line if self.has_right else None))
        self.getPlotItem().showAxis("right", shown)
        axis.setWidth(RIGHT if shown else 0)

    def fit_right(self) -> None:
        """Lay what belongs to the right axis over the rest."""
        self.right.setGeometry(self.getViewBox().sceneBoundingRect())

    def set_log(self, x: bool, y: bool) -> None:
        """Axes by powers of ten."""
        for side, by_tens in (("bottom", x), ("left", y), ("right", y)):
            self.getAxis(side).setLogMode(
                x=by_tens if side == "bottom" else None, y=None if side == "bottom" else by_tens
            )

    def show_all(self) -> None:
        """Everything that is drawn, both ways."""
        item = self.getPlotItem()
        item.enableAutoRange(axis="y")
        self.right.enableAutoRange(axis="y")
        item.enableAutoRange(axis="x")
        for _ in range(2):  # curves hold what is shown: first they take in everything again
            item.vb.updateAutoRange()

    def _show_box(self, box: QRectF) -> None:
        """What lies in a box, on all axes."""
        low, high = self.getViewBox().viewRange()[1]
        from_, to = ((edge - low) / (high - low) for edge in (box.top(), box.bottom()))
        self.right.setYRange(*share_of(from_, to, self.right.viewRange()[1]), padding=0.0)
        self.getViewBox().setRange(box, padding=0.0)
        self.boxed.emit()
