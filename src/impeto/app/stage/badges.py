"""Badges of joints on the Stage: where they stand, joined where they are crowded."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPen

from impeto.app import glyphs
from impeto.app.stage.canvas import Canvas
from impeto.app.theme import font
from impeto.core.elements import Joint

Floats = npt.NDArray[np.float64]
CROWD = 26  # px: badges nearer than that are one group
FEW = 3  # so many of a group step aside; more are joined to one badge
SIDE = 24  # px between those that step aside
LEADER = 30  # px that a crowd stands off its joints
NEAR = 14  # px within which a click means a badge
PILL = QRectF(-30.0, -10.0, 60.0, 20.0)


@dataclass(frozen=True, slots=True)
class Badge:
    """names : one joint, or all of a crowd;  at, anchor : px, of the badge and of its joint"""

    names: tuple[str, ...]
    at: QPointF
    anchor: QPointF


class Badges:
    """Laid out anew for each picture, in one pass over a grid."""

    def __init__(self, stage: Canvas) -> None:
        self.stage = stage

    def laid_out(self) -> list[Badge]:
        """All badges; the selected joint always has one of its own."""
        document, marked = self.stage.document, self.stage.document.marked
        places, shows = self.stage.places, self.stage.shows
        joints = [
            joint for joint in document.drawn.of(Joint)
            if joint.frame_b in places.frames and document.is_on(joint) and shows(joint.name)
        ]  # fmt: skip
        if not joints:
            return []
        names = [joint.name for joint in joints]
        flat = self.stage.to_screen(places.frame_points([joint.frame_b for joint in joints]))
        badges: list[Badge] = []
        for group in _groups(flat):
            members = [names[k] for k in group]
            anchor = (
                QPointF(*flat[group].mean(axis=0)) if len(group) > 1 else QPointF(*flat[group[0]])
            )
            alone = [n for n in members if n in marked] if len(group) > FEW else members
            for beside, name in enumerate(alone):
                own = QPointF(*flat[group[members.index(name)]])
                badges.append(Badge((name,), own if len(group) == 1 else
                                    anchor + QPointF(SIDE * beside, 0.0), own))  # fmt: skip
            rest = tuple(n for n in members if n not in alone)
            if rest:
                badges.append(Badge(rest, anchor + QPointF(LEADER, -LEADER), anchor))
        return badges

    def places(self) -> dict[str, QPointF]:
        """Where the badge of each joint is, one of its own or that of its crowd."""
        return {name: badge.at for badge in self.laid_out() for name in badge.names}

    def at(self, here: QPoint) -> Badge | None:
        """The badge at a pixel."""
        for badge in self.laid_out():
            if len(badge.names) > 1 and PILL.translated(badge.at).contains(QPointF(here)):
                return badge
            if len(badge.names) == 1 and (badge.at - QPointF(here)).manhattanLength() < NEAR:
                return badge
        return None

    def paint(self, painter: QPainter) -> None:
        document, look = self.stage.document, self.stage.look
        chosen = document.marked
        for badge in self.laid_out():
            away = badge.at - badge.anchor
            if away.manhattanLength() > 2:
                painter.setPen(QPen(look.colour("soft"), 1.0))
                painter.drawLine(badge.anchor, badge.at)
            if len(badge.names) == 1:
                joint = document.drawn[badge.names[0]]
                glyphs.draw_badge(painter, badge.at, joint.motions, look, joint.name in chosen)
                continue
            painter.setPen(QPen(look.colour("ink"), 1.2))
            painter.setBrush(look.colour("field"))
            box = PILL.translated(badge.at)
            painter.drawRoundedRect(box, 10, 10)
            painter.setFont(font(11, QFont.Weight.DemiBold))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{len(badge.names)} joints")


def _groups(flat: Floats) -> list[list[int]]:
    """Numbers of the points (N, 2) that stand nearer together than CROWD, in their order."""
    cells: dict[tuple[int, int], list[int]] = {}
    groups: list[list[int]] = []
    places = flat.tolist()
    for k, (x, y) in enumerate(places):
        column, row = int(x // CROWD), int(y // CROWD)
        near = -1
        for cell in ((column + i, row + j) for i in (-1, 0, 1) for j in (-1, 0, 1)):
            for group in cells.get(cell, ()):
                other = places[groups[group][0]]
                if near < 0 and abs(other[0] - x) < CROWD and abs(other[1] - y) < CROWD:
                    near = group
        if near >= 0:
            groups[near].append(k)
        else:
            cells.setdefault((column, row), []).append(len(groups))
            groups.append([k])
    return groups
