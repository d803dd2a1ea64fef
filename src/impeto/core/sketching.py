"""Bodies from nothing: bars, flat bars and tubes from point to point, and solids set on a face."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.compile import shape_mass
from impeto.core.bodies.placement import pose_of, written
from impeto.core.bodies.shapes import (
    Box,
    Capsule,
    Cylinder,
    Shape,
    Swept,
    Tube,
)
from impeto.core.elements import Body, Frame, Joint
from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw, roll_pitch_yaw
from impeto.core.geometry.swept import widest_bend
from impeto.core.model.element import GROUND
from impeto.core.model.model import Model
from impeto.core.model.names import free_name
from impeto.core.model.outlines import Outline
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope
from impeto.core.placing import Point, frame_at, numbers

Floats = npt.NDArray[np.float64]
ALONG_X = ("0 deg", "90 deg", "0 deg")  # turns the z axis of a shape onto x
SHORTEST = 1e-6  # m, of a bar
ALONG = 1e-9  # sine of the angle between a pin and the z axis of a frame that serves for it
ROUND = re.compile(r"\s*([^x×]+)")
FLAT = re.compile(r"\s*([\d.]+)\s*[x×]\s*([\d.]+)\s*(\w+)\s*")
TUBE = re.compile(r"\s*tube\s+([\d.]+)\s*[x×]\s*([\d.]+)\s*(\w+)\s*")


@dataclass(frozen=True, slots=True)
class Section:
    """What a bar looks like across. width : in the plane that it is drawn in [m], of round bars and
    tubes the diameter;  thickness : of flat bars square to that plane, 0 for round ones [m]
    wall : of tubes [m], else 0
    """

    width: float
    thickness: float = 0.0
    wall: float = 0.0

    def shape(self, length: float) -> Shape:
        """A bar along x from the origin."""
        middle: Any = written(np.array([length / 2.0, 0.0, 0.0]), "length")
        if self.thickness > 0.0:
            size: Any = written(np.array([length, self.width, self.thickness]), "length")
            return Box(size=size, position=middle)
        radius = self.width / 2.0
        rest: Any = {"length": length, "position": middle, "orientation": ALONG_X}
        if self.wall > 0.0:
            return Tube(radius=radius, inner_radius=radius - self.wall, **rest)
        return Cylinder(radius=radius, **rest)

    def along(self, path: str, closed: bool, bend: float) -> Swept:
        """A bar along a path, bent by a radius [m]; flat ones are thin along z."""
        rest: Any = {"path": path, "closed": closed, "bend_radius": round(bend, 12)}
        if self.thickness > 0.0:
            x, y = self.width / 2.0, self.thickness / 2.0
            corners = ((-x, -y), (x, -y), (x, y), (-x, y))
            text = "; ".join(f"{a:.12g} m, {b:.12g} m" for a, b in corners)
            return Swept(section=Outline(text), **rest)
        radius = self.width / 2.0
        inner = radius - self.wall if self.wall > 0.0 else 0.0
        return Swept(bar_radius=radius, inner_radius=inner, **rest)


def section_of(text: str, scope: Scope | None = None) -> Section:
    """'20 mm' is a round bar, '40 x 8 mm' a flat one, 'tube 60 x 3 mm' a tube of that diameter and
    wall. Raises ModelError."""
    flat, tube = FLAT.fullmatch(text), TUBE.fullmatch(text)
    if flat or tube:
        first, second, unit = (flat or tube).groups()  # type: ignore[union-attr]
        wide, thin = (_length(f"{number} {unit}", scope) for number in (first, second))
        if tube and not 2.0 * thin < wide:
            raise ModelError(f"a tube of {text} has no room inside", remedy="Make the wall thinner")
        return Section(wide, wall=thin) if tube else Section(wide, thin)
    if not ROUND.fullmatch(text):
        raise ModelError(
            f"'{text}' is no section",
            remedy="Type 20 mm for a round bar, 40 x 8 mm for a flat one, tube 60 x 3 mm for one",
        )
    return Section(_length(text, scope))


def _length(text: str, scope: Scope | None) -> float:
    value = (scope or Scope(Model(), None)).si(Quantity(text), "length")
    if not (np.isfinite(value) and value > 0.0):
        raise ModelError(f"a section of {text} has no extent", remedy="Type a length above zero")
    return value


def bars(
    model: Model, points: Sequence[Point], *, section: Section | str = "20 mm",
    name: str = "bar", normal: Sequence[float] = (0.0, 1.0, 0.0),
    held: Mapping[int, str] | None = None, case: str | None = None,
) -> tuple[Model, list[str]]:  # fmt: skip
    """The model with a bar from each point to the next, each pinned to the one before, and the
    names of the bars.

    points : (3,) m or text with units, world;  normal : (3,) axis of the pins, world
    held : by number of a point, from 0, the body that is pinned there to the bar that ends there
    Each bar is a body with its x axis along it, its z axis as the pins, and a frame at either end,
    NAME_start and NAME_end, which the pins use. Raises ModelError for points on each other.
    """
    scope = Scope(model, case)
    cut = section_of(section, scope) if isinstance(section, str) else section
    places = [numbers(scope, name, point, "length") for point in points]
    made: list[str] = []
    for start, end in pairwise(places):
        title = free_name(model, name, ("", "_start", "_end"))
        model = _with_bar(model, title, start, end, np.asarray(normal, dtype=float), cut)
        made.append(title)
    for index, title in enumerate(made[1:], start=1):
        before = made[index - 1]
        ends = (before, f"{before}_end"), (title, f"{title}_start")
        model = _pinned(model, *ends, places[index], normal, case)
    for index, body in (held or {}).items():
        bar = made[min(index, len(made) - 1)]
        tip = f"{bar}_end" if index == len(made) else f"{bar}_start"
        model = _pinned(model, (body, ""), (bar, tip), places[index], normal, case)
    return model, made


def bent(
    model: Model, points: Sequence[Point], *, section: Section | str = "20 mm",
    name: str = "bent_bar", normal: Sequence[float] = (0.0, 1.0, 0.0), case: str | None = None,
) -> tuple[Model, str]:  # fmt: skip
    """The model with one bar or pipe that is bent along points, and its name.

    points : (3,) m or text with units, world; where the last is the first, a closed ring
    normal : (3,) along which a flat bar is thin, world
    Bends have twice the width as their radius, or what fits between the points. The body has its
    origin at the first point, its x axis along the first leg, its z axis along the normal as far as
    that is square to it, and frames NAME_start and NAME_end, of which z looks out of the end.
    Raises ModelError.
    """
    scope = Scope(model, case)
    cut = section_of(section, scope) if isinstance(section, str) else section
    title = free_name(model, name, ("", "_start", "_end"))
    places = np.array([numbers(scope, title, point, "length") for point in points])
    lengths = np.linalg.norm(np.diff(places, axis=0), axis=1)
    if len(places) < 2 or not (lengths > SHORTEST).all():
        raise ModelError(
            "a bent bar needs points that lie apart", element=title, remedy="Choose another point"
        )
    axes = _along_and_square(places[1] - places[0], np.asarray(normal, dtype=float))
    local = (places - places[0]) @ axes
    closed = len(places) > 3 and bool(np.linalg.norm(local[-1]) < SHORTEST)
    local = local[:-1] if closed else local
    path = "; ".join(", ".join(f"{x + 0.0:.12g} m" for x in point.round(12)) for point in local)
    shape = cut.along(path, closed, min(2.0 * cut.width, widest_bend(local, closed)))
    body = Body(
        name=title, position=written(places[0], "length"), shapes=(shape,),
        orientation=written(roll_pitch_yaw(axes), "angle"),
    )  # fmt: skip
    shape_mass(scope, shape)  # refuses what cannot be bent so
    model = model.with_element(body)
    for tip, at, before in (("start", 0, 1), ("end", -1, -2)) if not closed else ():
        out = _along_and_square(places[at] - places[before], axes[:, 2])
        z, x = (tuple(map(float, out[:, k])) for k in (0, 2))
        place = tuple(map(float, places[at]))
        model = model.with_element(
            frame_at(model, f"{title}_{tip}", title, place, z=z, x=x, case=case)
        )
    return model, title


def _along_and_square(way: Floats, normal: Floats) -> Floats:
    """Axes (3, 3) with x along a way and z along a normal, as far as that is square to it."""
    x = way / np.linalg.norm(way)
    z = normal - (normal @ x) * x
    if np.linalg.norm(z) < 1e-6 * max(float(np.linalg.norm(normal)), 1e-300):  # along the way
        z = np.cross(x, np.eye(3)[int(np.argmin(np.abs(x)))])
    z = z / np.linalg.norm(z)
    return np.column_stack([x, np.cross(z, x), z])


def _with_bar(
    model: Model, title: str, start: Floats, end: Floats, normal: Floats, cut: Section
) -> Model:
    way = end - start
    length = float(np.linalg.norm(way))
    if not length > SHORTEST:
        raise ModelError(
            "a bar needs two points that lie apart", element=title, remedy="Choose another point"
        )
    turned = roll_pitch_yaw(_along_and_square(way, normal))
    body = Body(
        name=title, position=written(start, "length"), orientation=written(turned, "angle"),
        shapes=(cut.shape(round(length, 12)),),
    )  # fmt: skip
    tip: Any = written(np.array([length, 0.0, 0.0]), "length")
    model = model.with_element(body)
    model = model.with_element(Frame(name=f"{title}_start", body=title))
    return model.with_element(Frame(name=f"{title}_end", body=title, position=tip))


def _pinned(
    model: Model, a: tuple[str, str], b: tuple[str, str], at: Floats, normal: Sequence[float],
    case: str | None,
) -> Model:  # fmt: skip
    """With a pin between two bodies, each given with its frame that is there already, '' for none;
    where such a frame does not look along the pin there is another one."""
    joint = free_name(model, f"{a[0]}_{b[0]}_pin", ("", "_a", "_b"))
    point, z = tuple(map(float, at)), tuple(map(float, normal))
    frames = []
    for side, (body, frame) in (("a", a), ("b", b)):
        if not frame or not _looks_along(model, frame, np.asarray(normal), case):
            made = frame_at(model, f"{joint}_{side}", body, point, z=z, case=case)
            model, frame = model.with_element(made), made.name
        frames.append(frame)
    pin = Joint(name=joint, frame_a=frames[0], frame_b=frames[1], free=("turn z",))
    return model.with_element(pin)


def _looks_along(model: Model, frame: str, normal: Floats, case: str | None) -> bool:
    scope = Scope(model, case)
    turned = from_roll_pitch_yaw(scope.vector(model[frame], "orientation", "angle"))
    _, rotation = pose_of(scope, model[model[frame].body])
    z = rotation @ turned[:, 2]
    return bool(np.linalg.norm(np.cross(z, normal)) < ALONG * np.linalg.norm(normal))


def set_on(
    model: Model, shape: Shape, at: Point, *, out: Sequence[float] = (0.0, 0.0, 1.0),
    name: str = "", case: str | None = None,
) -> tuple[Model, str]:  # fmt: skip
    """The model with a new body of one shape that stands on a face, and its name.

    at : (3,) m or text with units, world, where its foot is;  out : (3,) the way out of the face,
    along which its z axis points. Raises ModelError.
    """
    scope = Scope(model, case)
    title = free_name(model, name or type(shape).title.replace(" ", "_").replace("-", "_"), ("",))
    z = np.asarray(out, dtype=float)
    z = z / np.linalg.norm(z)
    x = np.eye(3)[0] if abs(z[0]) < 0.9 else np.eye(3)[1]
    x = x - (x @ z) * z
    x = x / np.linalg.norm(x)
    axes = np.column_stack([x, np.cross(z, x), z])
    foot = numbers(scope, title, at, "length") + foot_height(scope, shape) * z
    body = Body(
        name=title, position=written(foot, "length"), shapes=(shape,),
        orientation=written(roll_pitch_yaw(axes), "angle"),
    )  # fmt: skip
    return model.with_element(body), title


def laid_on_ground(model: Model, shape: Shape, at: Point) -> Model:
    """The model with one more shape of the ground, such as a road, at a point (3,) m or text with
    units."""
    ground = model[GROUND]
    place: Any = written(numbers(Scope(model, None), GROUND, at, "length"), "length")
    shapes = (*ground.shapes, replace(shape, position=place))
    return model.with_element(replace(ground, shapes=shapes))


def foot_height(scope: Scope, shape: Shape) -> float:
    """How far the origin of a shape lies above its lowest point along z [m]."""

    def si(field: str) -> float:
        return scope.field(shape, field, "length")

    if isinstance(shape, Box):
        return float(scope.vector(shape, "size", "length")[2]) / 2.0
    if isinstance(shape, Capsule):
        return si("length") / 2.0 + si("radius")
    return shape.foot[1] * si(shape.foot[0]) if shape.foot else 0.0
