"""The freedom strip of a joint: six cells, a click frees or locks; the resulting kind by name."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QGridLayout,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from impeto.app.theme import Theme, font
from impeto.app.widgets import label
from impeto.core.model.freedoms import FREEDOMS, PRESETS, kind_title


class FreedomCell(QAbstractButton):
    """One freedom: dark when locked, white when free, accent when it has behaviour or a drive."""

    def __init__(self, freedom: str, free: bool, note: str, look: Theme) -> None:
        super().__init__()
        self.freedom, self.free, self.note, self.look = freedom, free, note, look
        self.setAccessibleName(f"{freedom}: {self.state}")
        self.setToolTip(f"Click to {'lock' if free else 'free'} {freedom}")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    @property
    def state(self) -> str:
        return (self.note or "free") if self.free else "locked"

    def sizeHint(self) -> QSize:
        return QSize(84, 42)

    def minimumSizeHint(self) -> QSize:
        return QSize(62, 42)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look, box = self.look, QRectF(self.rect()).adjusted(1, 1, -1, -1)
        active = self.free and bool(self.note)
        fill = look.colour("field" if self.free else "ink")
        edge = look.colour("accent" if active or self.hasFocus() else "line")
        painter.setBrush(fill)
        painter.setPen(QPen(edge if self.free or self.hasFocus() else fill, 1.6))
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(look.colour("soft") if self.free else look.colour("sheet"))
        painter.setFont(font(11))
        painter.drawText(box.adjusted(8, 4, -4, 0), Qt.AlignmentFlag.AlignLeft, self.freedom)
        painter.setPen(look.colour("accent" if active else "ink" if self.free else "sheet"))
        painter.setFont(font(12, QFont.Weight.DemiBold))
        bottom = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom
        painter.drawText(box.adjusted(8, 0, -4, -4), bottom, self.state)


class FreedomStrip(QWidget):
    """Six cells and the list of the trade's kinds."""

    def __init__(
        self,
        free: tuple[str, ...],
        notes: dict[str, str],
        commit: Callable[[tuple[str, ...]], None],
        look: Theme,
        special: str = "none",
    ) -> None:
        """special : what the joint locks beside the freedoms; the strip then only shows."""
        super().__init__()
        self.setEnabled(special == "none")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 4)
        layout.setSpacing(6)
        head = QGridLayout()
        head.addWidget(label("Freedoms of B in A", "caption"), 0, 0)
        self.kinds = QComboBox()
        self.kinds.setAccessibleName("Kind of joint")
        self.kinds.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.kinds.setMinimumContentsLength(8)
        title = kind_title(free, special)
        self.kinds.addItems(PRESETS if title in PRESETS else [title, *PRESETS])
        self.kinds.setCurrentText(title)
        self.kinds.textActivated.connect(
            lambda kind: commit(PRESETS[kind]) if kind in PRESETS and kind != title else None
        )
        head.addWidget(self.kinds, 0, 1)
        layout.addLayout(head)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.cells = {}
        for index, freedom in enumerate(FREEDOMS):
            cell = FreedomCell(freedom, freedom in free, notes.get(freedom, ""), look)
            cell.clicked.connect(
                lambda _=False, f=freedom: commit(
                    tuple(x for x in free if x != f) if f in free else (*free, f)
                )
            )
            grid.addWidget(cell, index // 3, index % 3)
            self.cells[freedom] = cell
        layout.addLayout(grid)
