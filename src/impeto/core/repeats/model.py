"""Repeats: elements that stand for many of what was made once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from impeto.core.errors import ModelError
from impeto.core.model import fields
from impeto.core.model.element import ANGLES, LEVEL, Element
from impeto.core.model.fields import Vector, Written
from impeto.core.model.outlines import Path
from impeto.core.repeats.mirror import mirror
from impeto.core.repeats.moves import CIRCLE, END_TO_END, FURTHER, LINE, PATH, TO_AND_FRO
from impeto.core.repeats.unfold import unfold

__all__ = ["Mirror", "Repeat"]

OF_PLACE = {  # fields that only some ways of placing have
    "step": (LINE,), "turn": (LINE, PATH), "turning": (LINE, PATH), "centre": (CIRCLE,),
    "angle": (CIRCLE,), "path": (PATH,), "closed_path": (PATH,), "spacing": (PATH,),
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Pattern(Element):
    """Base of what stands for bodies that are made once, with what is fastened to them."""

    group: ClassVar[str] = "repeats"
    switchable: ClassVar[bool] = True
    fastens: ClassVar[bool] = False
    goes_along: ClassVar[bool] = False
    bodies: tuple[str, ...] = fields.names("body", needed=True, hint="with commas")

    @property
    def unfolds(self) -> bool:
        """It stands for its members."""
        return True


@dataclass(frozen=True, slots=True, kw_only=True)
class Repeat(Pattern):
    """Repeats bodies with what is fastened to them: frames, joints, springs, loads, drives.

    The members are called NAME_1, NAME_2 … by the names of what is repeated; the first is where
    that is drawn. Rules and groups that name the original mean all members. An element of the model
    that has the name of a member takes its place.

    between : elements that tie each member to the next: what they have on their first frame is of
    one, on their second of the next;  ring : the last is tied to the first
    step : of a line, from one to the next, world;  turn : about the axes of the first body
    centre : its z axis is that of the circle;  angle : from one to the next
    spacing : along the path, from where it is nearest to the first body
    """

    tag: ClassVar[str] = "repeat"
    along: str = fields.choice((LINE, CIRCLE, PATH, END_TO_END), LINE)
    count: Written = fields.quantity("number", "4", hint="with the first")
    step: Vector = fields.vector("length", ("0.5 m", "0 m", "0 m"), hint="to the next, world axes")
    turn: Vector = fields.vector("angle", LEVEL, labels=ANGLES, hint="to the next, own axes")
    turning: str = fields.choice((FURTHER, TO_AND_FRO), FURTHER)
    centre: str | None = fields.reference(
        "frame", optional=True, hint="turns about its z axis; empty: that of the world"
    )
    angle: Written | None = fields.quantity("angle", optional=True, hint="empty: all round")
    path: Path = fields.path("0 m, 0 m, 0 m; 2 m, 0 m, 0 m")
    closed_path: bool = fields.switch(False, hint="the last point leads to the first")
    spacing: Written | None = fields.quantity(
        "length", optional=True, hint="empty: evenly to the end"
    )
    between: tuple[str, ...] = fields.names(
        "joint or spring or damper or rope or bumper or bushing or actuator or attraction",
        hint="from its first frame on one to its second on the next",
    )
    ring: bool = fields.switch(False, hint="the last is tied to the first")

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        others = tuple(name for name, ways in OF_PLACE.items() if self.along not in ways)
        return others if self.between else (*others, "ring")

    def unfold(self, unfolding: Any) -> None:
        """Put the members in place of what is repeated."""
        unfold(self, unfolding)


@dataclass(frozen=True, slots=True, kw_only=True)
class Mirror(Pattern):
    """Sets bodies with what is fastened to them on the other side of a plane, where of the sides in
    their names one stands for the other, or _mirrored behind them.

    What acts along a coordinate of a joint acts in the mirror with the same sign. Rules and groups
    that name an original mean both; an element that has the name of one in the mirror takes its
    place, and what connects the two sides is there once.

    plane, normal : through the origin of that frame, square to one of its axes; else of the world
    """

    tag: ClassVar[str] = "mirror"
    plane: str | None = fields.reference(
        "frame", optional=True, title="Plane of", hint="empty: through the world's origin"
    )
    normal: str = fields.choice(("x", "y", "z"), "y", title="Square to its")
    sides: str = fields.text("left, right", hint="words of names that stand for each other")

    def __post_init__(self) -> None:
        Element.__post_init__(self)
        words = [word.strip() for word in self.sides.split(",")]
        if len(set(words)) != 2 or not all(word.isidentifier() for word in words):
            raise ModelError(
                "two words are needed", element=self.name, field="sides",
                remedy="Write them like 'left, right'",
            )  # fmt: skip

    def unfold(self, unfolding: Any) -> None:
        """Put what is seen beside what is mirrored."""
        mirror(self, unfolding)
