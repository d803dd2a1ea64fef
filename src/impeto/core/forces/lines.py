"""Forces along the line between two frames: springs, dampers, ropes, bumpers, pulls."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from impeto.core.bodies.compilation import Compilation
from impeto.core.dynamics import tables
from impeto.core.dynamics.channel import Channel, Once
from impeto.core.dynamics.layout import Layout, float_rows, from_center, int_rows
from impeto.core.dynamics.signals import formula_node, signal_node
from impeto.core.dynamics.solution import Solution
from impeto.core.dynamics.tables import M_LINK, M_LINK_ENERGY, X_LINKS
from impeto.core.errors import ModelError
from impeto.core.forces.point_force import PointForce, Wrenches, about
from impeto.core.geometry.arrays import Floats
from impeto.core.model import fields
from impeto.core.model.curves import Curve
from impeto.core.model.element import Element
from impeto.core.model.fields import Written
from impeto.core.model.formula import Node
from impeto.core.model.interpolation import Interpolation
from impeto.core.model.scope import Scope
from impeto.core.model.signals import Constant, Signal, as_signal

# What the user writes, and its numbers


@dataclass(frozen=True, slots=True, kw_only=True)
class Straight(Element):
    """Base of what acts along the line between two frames; positive force pulls them together."""

    group: ClassVar[str] = "forces"
    switchable: ClassVar[bool] = True
    frame_a: str = fields.reference("frame", title="Frame A")
    frame_b: str = fields.reference("frame", title="Frame B")

    def sensed(self, quantity: str, component: str, forces: bool) -> str | None:
        """Its length, the rate of that, and its force."""
        if component or (quantity == "force" and not forces):
            return None
        return {"length": "length", "rate": "speed", "force": "force"}.get(quantity)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spring(Straight):
    """Straight spring, with a damper beside it where it has damping, between two frames; positive
    force pulls them together.

    An empty free length takes the distance as drawn; preload is the pull at the free length. A
    curve gives pull over stretch and adds to the linear part.
    """

    tag: ClassVar[str] = "spring"
    stiffness: Written = fields.quantity("stiffness", "1 kN/m")
    damping: Written = fields.quantity("damping", "0 N*s/m", hint="of a damper beside it")
    free_length: Written | None = fields.quantity("length", optional=True, hint="empty: as drawn")
    preload: Written = fields.quantity("force", "0 N")
    curve: Curve | None = fields.curve("length", "force", hint="pull over stretch")


@dataclass(frozen=True, slots=True, kw_only=True)
class Damper(Straight):
    """Straight damper between two frames; a curve of pull over speed adds to the linear part."""

    tag: ClassVar[str] = "damper"
    damping: Written = fields.quantity("damping", "100 N*s/m")
    curve: Curve | None = fields.curve("speed", "force", hint="pull over speed of lengthening")


@dataclass(frozen=True, slots=True, kw_only=True)
class Rope(Straight):
    """Pulls when it is longer than its slack length, never pushes."""

    tag: ClassVar[str] = "rope"
    slack_length: Written | None = fields.quantity("length", optional=True, hint="empty: as drawn")
    stiffness: Written = fields.quantity("stiffness", "100 kN/m")
    damping: Written = fields.quantity("damping", "0 N*s/m")

    def watched(self, quantity: str) -> str | None:
        """Its tension, which goes on below zero where it lets go."""
        return "force" if quantity == "tension" else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Bumper(Straight):
    """Pushes when the frames come closer than its length, never pulls."""

    tag: ClassVar[str] = "bumper"
    length: Written = fields.quantity("length", "50 mm", hint="touches below this distance")
    stiffness: Written = fields.quantity("stiffness", "100 kN/m")
    damping: Written = fields.quantity("damping", "0 N*s/m")

    def watched(self, quantity: str) -> str | None:
        """Its tension, which goes on below zero where it lets go."""
        return "force" if quantity == "tension" else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Attraction(Straight):
    """A pull by formula of `length` and `rate` of its own line, of time and of channels.

    Negative values push the frames apart.
    """

    tag: ClassVar[str] = "attraction"
    pull: Written = fields.quantity(
        fields.ANY, "1 N*m^2 / length^2", hint="formula of length, rate, t"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Actuator(Straight):
    """A pull along the line between two frames that follows a signal."""

    tag: ClassVar[str] = "actuator"
    value: Signal = fields.signal(None)

    def __post_init__(self) -> None:
        value = (
            Constant(value="100 N")
            if self.value is None
            else as_signal(self.value, self.signal_kind)
        )
        object.__setattr__(self, "value", value)
        Element.__post_init__(self)

    @property
    def signal_kind(self) -> str:
        return "force"


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkData:
    """Straight force element between two frames: positive pulls them together."""

    name: str
    kind: str
    frame_a: int
    frame_b: int
    stiffness: float = 0.0
    free_length: float = 0.0
    preload: float = 0.0
    damping: float = 0.0
    length_curve: Interpolation | None = None
    speed_curve: Interpolation | None = None
    pull: Node | None = None


def _compiled(made: Compilation) -> tuple[LinkData, ...]:
    return made.each(Straight, _numbers, made.frame_row, made.points)


def _numbers(
    scope: Scope, link: Straight, frame_row: Mapping[str, int], points: list[Floats]
) -> LinkData:
    """An empty length is taken from the drawing."""
    a, b = frame_row[link.frame_a], frame_row[link.frame_b]
    drawn = float(np.linalg.norm(points[b] - points[a]))
    if drawn < 1e-9:
        raise ModelError(
            "its two frames are at the same point, so it has no direction",
            element=link.name,
            field="frame_b",
            remedy="Choose frames that are apart",
        )

    def value(field: str, kind: str) -> float:
        return scope.field(link, field, kind)

    def length(field: str) -> float:
        return drawn if getattr(link, field) is None else value(field, "length")

    values: dict[str, object] = {}
    if isinstance(link, Spring):
        values = {
            "stiffness": value("stiffness", "stiffness"),
            "free_length": length("free_length"),
            "preload": value("preload", "force"),
            "length_curve": scope.curve(link, "curve", "length", "force"),
            "damping": value("damping", "damping"),
        }
    elif isinstance(link, Damper):
        values = {
            "damping": value("damping", "damping"),
            "speed_curve": scope.curve(link, "curve", "speed", "force"),
        }
    elif isinstance(link, (Rope, Bumper)):
        values = {
            "stiffness": value("stiffness", "stiffness"),
            "free_length": length("slack_length" if isinstance(link, Rope) else "length"),
            "damping": value("damping", "damping"),
        }
        for field in ("stiffness", "damping"):
            if float(str(values[field])) < 0.0:
                raise ModelError(
                    "it cannot be negative", element=link.name, field=field, remedy="Type 0 or more"
                )
    elif isinstance(link, Attraction):
        local = {"length": f"{link.name}.length", "rate": f"{link.name}.rate"}
        node = formula_node(scope, link.pull, "force", link.name, "pull", local, forces=False)
        values = {"pull": node}
    elif isinstance(link, Actuator):
        values = {"pull": signal_node(scope, link, forces=False)}
    return LinkData(
        name=link.name,
        kind=link.tag,
        frame_a=a,
        frame_b=b,
        **values,  # type: ignore[arg-type]
    )


# Its rows in the arrays


LINK_SENSORS = {
    "length": tables.SENSE_LENGTH,
    "rate": tables.SENSE_LINK_RATE,
    "force": tables.SENSE_PULL,
    "tension": tables.SENSE_TENSION,
}
LAWS = {"rope": tables.ROPE, "bumper": tables.BUMPER}


def offer_links(layout: Layout) -> None:
    """Length, rate and force of straight force elements, for formulas."""
    for row, link in enumerate(layout.mechanism.of(LinkData)):
        layout.offer(link.name, row, LINK_SENSORS)


def add_link(layout: Layout, data: LinkData) -> None:
    """The row of a straight force element, with its program and curves."""
    law = LAWS.get(data.kind, tables.LINEAR if data.pull is None else tables.BY_PROGRAM)
    switch = layout.plain_switches(2) if data.kind in LAWS else -1
    bodies = [layout.mechanism.frames[f].body for f in (data.frame_a, data.frame_b)]
    program = -1 if data.pull is None else layout.programs.add(data.pull)
    curves = layout.curve_row(data.length_curve), layout.curve_row(data.speed_curve)
    # Columns: bodies, law, element, two curves, program, switch.
    layout.link.append((*bodies, law, layout.element(data.name), *curves, program, switch))


def _arrays(layout: Layout, programs: Mapping[str, int]) -> dict[str, Any]:
    m = layout.mechanism
    links = [(link.frame_a, link.frame_b) for link in m.of(LinkData)]
    return {
        "link": int_rows(layout.link, 8),
        "link_point": float_rows([[from_center(m, f) for f in pair] for pair in links], 2, 3),
        "link_value": float_rows(
            [(d.stiffness, d.free_length, d.preload, d.damping) for d in m.of(LinkData)], 4
        ),
    }


# What can be read afterwards


def _channels(r: Solution, index: int, link: LinkData) -> Iterator[Channel]:
    T, name = r.system.tables, link.name

    @Once
    def motion() -> tuple[Floats, Floats]:
        a, b = T.link[index, :2]
        pa, va, _ = r.point(a, T.link_point[index, 0])
        pb, vb, _ = r.point(b, T.link_point[index, 1])
        length = np.linalg.norm(pb - pa, axis=1)
        return length, ((pb - pa) * (vb - va)).sum(axis=1) / length

    yield Channel(f"{name}.length", "length", lambda: motion()[0])
    yield Channel(f"{name}.rate", "speed", lambda: motion()[1])
    yield Channel(f"{name}.force", "force", lambda: r.measure(M_LINK, index))
    yield Channel(f"{name}.power", "power", lambda: r.measure(M_LINK, index) * motion()[1])
    if link.kind in ("spring", "rope", "bumper"):
        yield Channel(f"{name}.energy", "energy", lambda: r.measure(M_LINK_ENERGY, index))
    if link.pull is not None:
        yield Channel(f"{name}.work", "energy", lambda: -r.extra(X_LINKS, index))
    elif link.kind != "spring" or link.damping != 0.0:
        yield Channel(f"{name}.dissipated", "energy", lambda: r.extra(X_LINKS, index))


def _acting(r: Solution, body: int, at: int) -> Wrenches:
    m, T = r.system.mechanism, r.system.tables
    center = r.centers[at, body]
    for k, link in enumerate(m.of(LinkData)):
        ends = [r.point(int(T.link[k, s]), T.link_point[k, s])[0][at] for s in range(2)]
        pull = r.measure(M_LINK, k)[at] * (ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0])
        for side, sign in ((0, 1.0), (1, -1.0)):
            if T.link[k, side] == body:
                yield link.name, about(center, ends[side], sign * pull)


LINES = PointForce(
    numbers=LinkData, compiled=_compiled, arrays=_arrays, channels=_channels, acting=_acting,
    works=(X_LINKS,), measured={M_LINK: 1, M_LINK_ENERGY: 1},
)  # fmt: skip
