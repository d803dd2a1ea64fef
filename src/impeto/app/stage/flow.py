"""Feeders and outlets on the Stage: the region that is watched, and where copies come in."""

from __future__ import annotations

from itertools import product

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QPainter, QPen

from impeto.app import glyphs
from impeto.app.stage.canvas import Canvas
from impeto.app.theme import font
from impeto.core.elements import Feeder, Outlet
from impeto.core.errors import ModelError
from impeto.core.flow.data import FeederData, OutletData
from impeto.core.model.scope import Scope

CROWDED = 26  # pixels between badges


def paint_flow(painter: QPainter, stage: Canvas) -> None:
    """All feeders and outlets that are on; their badges keep apart."""
    taken: list[QPointF] = []
    document, marked = stage.document, stage.document.marked
    for outlet in document.drawn.of(Outlet):
        if document.is_on(outlet):
            _paint_outlet(painter, stage, outlet, outlet.name in marked, taken)
    for feeder in document.drawn.of(Feeder):
        if document.is_on(feeder):
            _paint_feeder(painter, stage, feeder, feeder.name in marked, taken)


def badge_near(stage: Canvas, here: QPoint) -> str:
    """The feeder or outlet whose badge was drawn at a pixel, or ''."""
    for name, place in stage.flow_badges.items():
        if (place - QPointF(here)).manhattanLength() < 14:
            return name
    return ""


def _paint_outlet(
    painter: QPainter, stage: Canvas, outlet: Outlet, chosen: bool, taken: list[QPointF]
) -> None:
    """The twelve edges of the region, and over it what has been counted so far."""
    place = stage.frame_place(outlet.frame)
    if place is None:
        return
    try:
        scope = Scope(stage.document.drawn, stage.document.case)
        half = 0.5 * scope.vector(outlet, "size", "length")
    except ModelError:
        return  # the Health card tells
    signs = np.array(list(product((-1.0, 1.0), repeat=3)))
    corners = stage.to_screen(place[0] + (signs * half) @ place[1].T)
    painter.setPen(
        QPen(stage.look.colour("accent" if chosen else "soft"), 1.6 if chosen else 1.1,
             Qt.PenStyle.DashLine)
    )  # fmt: skip
    for i in range(8):
        for axis in range(3):
            j = i ^ (4 >> axis)
            if i < j:
                painter.drawLine(QPointF(*corners[i]), QPointF(*corners[j]))
    top = QPointF(float(corners[:, 0].mean()), float(corners[:, 1].min()) - 14)
    _badge(painter, stage, outlet, top, chosen, taken)


def _paint_feeder(
    painter: QPainter, stage: Canvas, feeder: Feeder, chosen: bool, taken: list[QPointF]
) -> None:
    """A badge over the place where copies come in, and how many have come."""
    place = stage.frame_place(feeder.at) if feeder.at else None
    if place is None and feeder.body not in stage.document.drawn.elements:
        return
    middle = stage.body_middle(feeder.body) if place is None else place[0]
    foot = QPointF(*stage.to_screen(middle[None, :])[0])
    painter.setPen(QPen(stage.look.colour("accent" if chosen else "soft"), 1.4))
    painter.drawLine(foot - QPointF(0, 34), foot - QPointF(0, 10))
    _badge(painter, stage, feeder, foot - QPointF(0, 34), chosen, taken)


def _badge(
    painter: QPainter, stage: Canvas, element: Feeder | Outlet, at: QPointF, chosen: bool,
    taken: list[QPointF],
) -> None:  # fmt: skip
    """The glyph of an element with its count, above those that are there already."""
    while any((at - other).manhattanLength() < CROWDED for other in taken):
        at = at - QPointF(0, CROWDED)
    taken.append(at)
    stage.flow_badges[element.name] = at
    glyphs.draw_element_badge(painter, at, element, stage.look, chosen)
    _write_count(painter, stage, element.name, at)


def _write_count(painter: QPainter, stage: Canvas, name: str, at: QPointF) -> None:
    """What the shown run has counted at the present instant, beside a badge."""
    if stage.document.run is None:
        return
    r = stage.document.run.recording
    m = r.system.mechanism
    if name not in [*(f.name for f in m.of(FeederData)), *(o.name for o in m.of(OutletData))]:
        return  # it was off in that run, or is new
    index = max(int(np.searchsorted(r.time, stage.document.instant, side="right")) - 1, 0)
    painter.setFont(font(12, QFont.Weight.DemiBold))
    painter.setPen(stage.look.colour("ink"))
    box = QRectF(at.x() + 15, at.y() - 10, 60, 20)
    painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, f"{r[f'{name}.count'][index]:.0f}")
