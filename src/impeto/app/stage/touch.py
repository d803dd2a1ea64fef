"""What is drawn of contact: points and forces of a run, the pairs that a rule makes."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen

from impeto.app.stage.canvas import Canvas
from impeto.app.stage.overlay import arrow
from impeto.core.contact.data import RuleData
from impeto.core.dynamics.tables import TOUCH_FORCE, TOUCH_PLACE, TOUCH_RULE
from impeto.core.elements import Body, ContactRule
from impeto.core.errors import ImpetoError
from impeto.core.overlaps import pairs_of

Floats = npt.NDArray[np.float64]
LONGEST = 0.16  # of the reach of the picture: arrow of the largest contact force
MOST_PAIRS = 400  # that are drawn


def paint_contacts(painter: QPainter, stage: Canvas) -> None:
    """Points of contact at the present instant; arrows of the forces on the selected body, of the
    selected rule, or of all where nothing else is selected. Before a run, pairs of the rule."""
    document = stage.document
    chosen = document.drawn.elements.get(next(iter(document.marked), ""))
    if document.run is None:
        if isinstance(chosen, ContactRule):
            _paint_pairs(painter, stage, document.selected)
        return
    r = document.run.recording
    if not len(r.touch):
        return
    instant = int(np.clip(np.searchsorted(r.time, document.instant), 0, len(r.time) - 1))
    points, touching = r.touching.at(instant), r.touching
    if not len(points):
        return
    largest = float(np.percentile(r.touch[:, TOUCH_FORCE], 99))
    rows = np.arange(len(points)) + (int(touching.end[instant]) - len(points))
    forces, bodies = touching.forces(rows), touching.bodies[rows]
    places = points[:, TOUCH_PLACE : TOUCH_PLACE + 3]
    length = LONGEST * stage.reach / max(largest, 1e-300)
    flat = stage.to_screen(places)
    for index, here in enumerate(flat):
        sign, drawn = _shown(stage, chosen, points[index], bodies[index])
        if drawn:
            tip = places[index] + np.clip(length, 0.0, None) * sign * forces[index]
            end = stage.to_screen(tip[None, :])[0]
            arrow(painter, QPointF(*here), QPointF(*end), stage.look.colour("force"), 1.8)
        painter.setPen(QPen(stage.look.colour("field"), 1.0))
        painter.setBrush(stage.look.colour("force"))
        painter.drawEllipse(QPointF(*here), 3.0, 3.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _shown(
    stage: Canvas, chosen: object, point: Floats, bodies: npt.NDArray[np.int64]
) -> tuple[float, bool]:
    """Sign of the force to draw (on the second body it is the opposite), and whether to draw it."""
    run = stage.document.run
    assert run is not None
    mechanism = run.recording.system.mechanism
    if isinstance(chosen, ContactRule):
        return 1.0, (mechanism.of(RuleData)[int(point[TOUCH_RULE])].name in stage.document.marked)
    if isinstance(chosen, Body):
        names = [mechanism.bodies[row].name for row in bodies]
        return (-1.0 if names[1] == chosen.name else 1.0), chosen.name in names
    return (1.0 if bodies[0] else -1.0), chosen is None


def _paint_pairs(painter: QPainter, stage: Canvas, rule: str) -> None:
    """A thin line between the bodies of every pair that the selected rule makes."""
    try:
        pairs = pairs_of(stage.document.model, rule, stage.document.case)
    except ImpetoError:
        return  # the Health card tells
    painter.setPen(QPen(stage.look.colour("accent"), 1.2, Qt.PenStyle.DotLine))
    for names in pairs[:MOST_PAIRS]:
        ends = np.array([stage.body_middle(name) for name in names])
        a, b = stage.to_screen(ends)
        painter.drawLine(QPointF(*a), QPointF(*b))
        for end in (a, b):
            painter.drawEllipse(QPointF(*end), 4.0, 4.0)
