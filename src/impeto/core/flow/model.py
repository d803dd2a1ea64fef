"""Bodies that come and go during a run: feeders and outlets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Vector, Written

__all__ = ["Feeder", "Outlet"]


AT_A_PACE, BY_EVENTS = "at a pace", "by events"
TAKES_AWAY, COUNTS = "takes away", "only counts"


@dataclass(frozen=True, slots=True, kw_only=True)
class Feeder(Element):
    """Makes copies of a body, one after the other, which is itself not part of the run.

    A copy starts where the body is drawn, or with its axes on those of a frame, with the body's
    start velocity and spin (in the axes of the frame, beside the motion of that). It waits while
    something that it may touch is in its place. Copies are called BODY_1, BODY_2 …; contact rules
    and groups that name the body mean all of them.
    """

    tag: ClassVar[str] = "feeder"
    switchable: ClassVar[bool] = True
    fastens: ClassVar[bool] = False
    counts: ClassVar[bool] = True
    group: ClassVar[str] = "contacts"
    body: str = fields.reference("body")
    at: str | None = fields.reference(
        "frame", optional=True, title="At frame", hint="empty: where the body is drawn"
    )
    pace: str = fields.choice((AT_A_PACE, BY_EVENTS), AT_A_PACE)
    first: Written = fields.quantity("time", "0 s", title="First copy at")
    interval: Written = fields.quantity("time", "1 s", hint="from copy to copy")
    number: Written = fields.quantity("number", "10", hint="of copies at most")

    @property
    def unused(self) -> tuple[str, ...]:
        """Fields that do not matter with the present choices."""
        return ("first", "interval") if self.pace == BY_EVENTS else ()

    @property
    def feeds(self) -> str:
        """The body that it copies."""
        return self.body

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Its counts."""
        return "number" if not component and quantity in ("count", "waiting") else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlet(Element):
    """A box-shaped region, fixed to a frame, that counts bodies and may take them away.

    A body is in it while its centre of mass is. Without names it takes every body that nothing is
    fastened to.
    """

    tag: ClassVar[str] = "outlet"
    switchable: ClassVar[bool] = True
    fastens: ClassVar[bool] = False
    counts: ClassVar[bool] = True
    needs_on: ClassVar[bool] = False
    may_name_copies: ClassVar[bool] = True
    group: ClassVar[str] = "contacts"
    frame: str = fields.reference("frame", title="Centre at frame")
    size: Vector = fields.vector(
        "length", ("1 m", "1 m", "1 m"), hint="along the axes of the frame"
    )
    effect: str = fields.choice((TAKES_AWAY, COUNTS), TAKES_AWAY)
    takes: tuple[str, ...] = fields.names("body or group", hint="with commas; empty: all free ones")
    window: Written = fields.quantity("time", "10 s", hint="over which the throughput is taken")

    @property
    def acts_at(self) -> str:
        return self.frame

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Its counts."""
        return "number" if not component and quantity in ("count", "inside") else None
