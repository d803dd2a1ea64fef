"""Loose pieces of an import: rows of parts that are alike, and what becomes of those chosen."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from impeto.app.document import Document
from impeto.app.selection import Selection
from impeto.app.widgets import button, label
from impeto.core.elements import Body, Mesh, Piece
from impeto.core.model import units
from impeto.core.model.model import Model

Masses = Callable[[Piece], float]


def sorted_out(model: Model) -> tuple[int, int]:
    """How many parts of imports are loose, and how many there are with those in bodies."""
    loose = len(model.of(Piece))
    held = sum(
        isinstance(shape, Mesh) and bool(shape.part)
        for body in model.of(Body) for shape in body.shapes
    )  # fmt: skip
    return loose, loose + held


def alike_rows(pieces: Sequence[Piece], apart: bool) -> list[tuple[str, tuple[str, ...]]]:
    """Titles with names of pieces: those of one part in one row, unless they are to stand apart."""
    if apart:
        return [(piece.name, (piece.name,)) for piece in pieces]
    groups: dict[str, list[Piece]] = {}
    for piece in pieces:
        groups.setdefault(piece.product or piece.name, []).append(piece)
    return [
        (group[0].name if len(group) == 1 else title, tuple(piece.name for piece in group))
        for title, group in groups.items()
    ]


class PieceBar(QWidget):
    """What is chosen of the loose pieces, and the two things that become of them."""

    def __init__(self, document: Document, selection: Selection) -> None:
        super().__init__()
        self.document = document
        self.chosen = label("", "soft")
        self.chosen.setWordWrap(True)
        self.body = button("Make one body", "primary")
        self.body.setToolTip("of what is chosen: Ctrl+Shift+U")
        self.body.clicked.connect(lambda: selection.unite())
        self.ground = button("To the ground")
        self.ground.setToolTip("Ctrl+Shift+G")
        self.ground.clicked.connect(lambda: selection.unite(ground=True))
        self.each = button("one body of each assembly", "link")
        self.each.setToolTip("Ctrl+Alt+U")
        self.each.clicked.connect(selection.assemble)
        self.rest = button("all that is loose to the ground", "link")
        self.rest.setToolTip("Ctrl+Alt+G")
        self.rest.clicked.connect(selection.rest_to_ground)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.body, 3)
        row.addWidget(self.ground, 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 12)
        layout.setSpacing(6)
        layout.addWidget(self.chosen)
        layout.addLayout(row)
        for link in (self.each, self.rest):
            link.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
            layout.addWidget(link)

    def show_chosen(self, mass_of: Masses) -> None:
        """Say how many are chosen and what they weigh."""
        model = self.document.model
        self.setVisible(bool(model.of(Piece)))
        found = [model.elements.get(name) for name in self.document.chosen]
        pieces = [element for element in found if isinstance(element, Piece)]
        self.body.setEnabled(bool(pieces))
        self.ground.setEnabled(bool(pieces))
        if not pieces:
            self.chosen.setText("Choose pieces here or on the Stage. The rest does not move.")
            return
        mass = units.shown(sum(mass_of(piece) for piece in pieces), "mass")
        more = f" with {len(found) - len(pieces)} more" if len(found) > len(pieces) else ""
        self.chosen.setText(units.printed(f"{len(pieces)} chosen{more} · {mass}"))
