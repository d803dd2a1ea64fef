"""Arrows of a run on the Stage: forces, torques, speeds, accelerations. Each kind has one scale
for the whole run, told in a legend."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen

from impeto.app.stage.canvas import Canvas
from impeto.app.stage.overlay import arrow
from impeto.app.theme import font
from impeto.core.drives.model import AtFreedom
from impeto.core.elements import Body, Joint, Load
from impeto.core.forces.lines import Straight
from impeto.core.geometry.arrays import Floats
from impeto.core.model import units
from impeto.core.model.element import GROUND
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.results.figures import largest
from impeto.core.results.poses import value_at
from impeto.core.results.recording import Recording

LONGEST = 0.2  # of the reach of the picture: the longest arrow of a kind in the whole run
NOTHING = 1e-9  # of the longest, below which there is no arrow
MOST = 200  # elements of a kind
TOP, LINE = 44.0, 17.0  # px of the legend


@dataclass(frozen=True)
class Acting:
    """What is drawn of an element. channel : its size over time;  place : (3,) world
    along : (3,) world, of a size that is a number;  None for channels with x, y, z"""

    element: str
    channel: str
    place: Floats
    along: Floats | None = None

    def at(self, r: Recording, moment: float) -> Floats:
        """(3,) SI at an instant [s]."""
        if self.along is not None:
            return self.along * float(value_at(r, r[self.channel], moment))
        return np.array([float(value_at(r, r[f"{self.channel}.{a}"], moment)) for a in "xyz"])


Find = Callable[[Canvas], Iterator[Acting]]


@dataclass(frozen=True)
class Kind:
    """quantity : kind of quantity;  token : of its colour;  find : those of a model"""

    title: str
    quantity: str
    token: str
    find: Find


def _in_joints(quantity: str) -> Find:
    def find(stage: Canvas) -> Iterator[Acting]:
        for joint in stage.document.drawn.of(Joint):
            place = stage.frame_place(joint.frame_b)
            if place is not None:
                yield Acting(joint.name, f"{joint.name}.{quantity}", place[0])

    return find


def _straight(stage: Canvas) -> Iterator[Acting]:
    """Both ends of springs, dampers, ropes; a positive force pulls them together."""
    for element in stage.document.drawn.of(Straight):
        a, b = stage.frame_place(element.frame_a), stage.frame_place(element.frame_b)
        if a is None or b is None:
            continue
        away = b[0] - a[0]
        length = float(np.linalg.norm(away))
        for place, sign in ((a[0], 1.0), (b[0], -1.0)):
            if length > 0.0:
                along = sign * away / length
                yield Acting(element.name, f"{element.name}.force", place, along)


def _driving(quantity: str) -> Find:
    """Loads, and drives along the axes of their joints."""

    def find(stage: Canvas) -> Iterator[Acting]:
        drawn = stage.document.drawn
        for load in drawn.of(Load):
            place = stage.frame_place(load.frame)
            if place is not None and load.applies == quantity:
                yield Acting(load.name, f"{load.name}.{quantity}", place[0])
        for drive in drawn.of(AtFreedom):
            joint = drawn.elements.get(drive.joint)
            if not isinstance(joint, Joint) or drive.turning != (quantity == "torque"):
                continue
            a, b = stage.frame_place(joint.frame_a), stage.frame_place(joint.frame_b)
            if a is not None and b is not None and drive.freedom in FREEDOMS:
                axis = a[1][:, FREEDOMS.index(drive.freedom) % 3]
                yield Acting(drive.name, f"{drive.name}.{quantity}", b[0], axis)

    return find


def _of_points(quantity: str) -> Find:
    """Centres of mass, and frames that are selected."""

    def find(stage: Canvas) -> Iterator[Acting]:
        for name in stage.document.marked:
            if (place := stage.frame_place(name)) is not None:
                yield Acting(name, f"{name}.{quantity}", place[0])
        for body in stage.document.drawn.of(Body):
            if body.name != GROUND and body.name in stage.places.placed:
                channel = f"{body.name}.center.{quantity}"
                yield Acting(body.name, channel, stage.mass_centre(body.name))

    return find


IN_JOINTS = "forces in joints"
KINDS = {
    kind.title: kind
    for kind in (
        Kind(IN_JOINTS, "force", "force", _in_joints("force")),
        Kind("torques in joints", "torque", "moment", _in_joints("torque")),
        Kind("forces of springs, dampers and ropes", "force", "warn", _straight),
        Kind("forces of loads and drives", "force", "ink", _driving("force")),
        Kind("torques of loads and drives", "torque", "ink", _driving("torque")),
        Kind("speeds of centres of mass", "speed", "accent", _of_points("velocity")),
        Kind("accelerations of centres of mass", "acceleration", "good",
             _of_points("acceleration")),
    )
}  # fmt: skip


class Vectors:
    """on : titles of the kinds that are shown, of all that is there or of what is selected
    joints : whose force is shown with its value, whatever is on"""

    def __init__(self) -> None:
        self.on: list[str] = []
        self.joints: list[str] = []
        self._of: Recording | None = None  # whose peaks are known
        self._peaks: dict[str, float] = {}

    def take(self, other: Vectors) -> None:
        """Show what another one shows."""
        self.on, self.joints = list(other.on), list(other.joints)

    def clear(self) -> None:
        self.on, self.joints = [], []

    def paint(self, painter: QPainter, stage: Canvas) -> None:
        """All arrows at the present instant, and what their lengths mean."""
        run, told = stage.document.run, list[tuple[QColor, str]]()
        if run is None:
            return
        for title, kind in KINDS.items():
            if title not in self.on and not (title == IN_JOINTS and self.joints):
                continue
            shown = self._shown(stage, run.recording, kind)
            peak = max((self._peak(run.recording, a.channel) for a in shown), default=0.0)
            for acting in shown:
                named = title == IN_JOINTS and acting.element in self.joints
                if peak > 0.0:
                    self._paint(painter, stage, run.recording, kind, acting, peak, named)
            if title in self.on:
                said = units.shown(peak, kind.quantity, 3) if peak > 0.0 else "none"
                told.append((stage.look.colour(kind.token), f"{title}, longest {said}"))
        if stage.tells:
            _paint_legend(painter, stage, told)

    def _shown(self, stage: Canvas, r: Recording, kind: Kind) -> list[Acting]:
        """Of what is selected, where that has any; else all."""
        size = ".x" if kind.title not in self.on else ""
        found = [a for a in kind.find(stage) if r.has(a.channel + size) and stage.shows(a.element)]
        if kind.title not in self.on:
            return [a for a in found if a.element in self.joints]
        marked = [a for a in found if a.element in stage.document.marked]
        return (marked or found)[:MOST]

    def _peak(self, r: Recording, channel: str) -> float:
        if self._of is not r:
            self._of, self._peaks = r, {}
        if channel not in self._peaks:
            self._peaks[channel] = largest(r[channel])
        return self._peaks[channel]

    def _paint(
        self, painter: QPainter, stage: Canvas, r: Recording, kind: Kind, acting: Acting,
        peak: float, named: bool,
    ) -> None:  # fmt: skip
        vector = acting.at(r, stage.document.instant)
        size = float(np.linalg.norm(vector))
        if not size > NOTHING * peak:
            return
        tip = acting.place + vector * (LONGEST * stage.reach / peak)
        a, b = (QPointF(*p) for p in stage.to_screen(np.vstack([acting.place, tip])))
        colour = stage.look.colour(kind.token)
        arrow(painter, a, b, colour, 2.2)
        if kind.quantity == "torque":
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(a, 5.0, 5.0)
        if named:
            painter.setFont(font(12, QFont.Weight.DemiBold))
            painter.drawText(b + QPointF(10, 4), units.shown(size, kind.quantity, 3))


def _paint_legend(painter: QPainter, stage: Canvas, told: list[tuple[QColor, str]]) -> None:
    """What each colour is, and how much its longest arrow."""
    painter.setFont(font(11))
    for number, (colour, text) in enumerate(told):
        y = TOP + LINE * number
        arrow(painter, QPointF(14.0, y + 8), QPointF(36.0, y + 8), colour, 2.0)
        painter.setPen(QPen(stage.look.colour("ink")))
        painter.drawText(QRectF(44.0, y, 420.0, LINE), Qt.AlignmentFlag.AlignVCenter, text)
