"""Mechanisms from URDF files: links, joints, limits, inertias, meshes.

A link becomes a body whose axes are those of the link, a joint a joint with a frame on either side
whose z axis is that of the joint. What cannot be taken over is told in notes, each thing once.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np

from impeto.core.bodies.placement import placement
from impeto.core.bodies.shapes import Box, Cylinder, Mesh, Shape, Sphere
from impeto.core.elements import Behaviour, Body, Frame, Friction, Joint, Relation, Stops, Term
from impeto.core.errors import FileError
from impeto.core.model.element import GROUND
from impeto.core.model.model import Model
from impeto.services.meshes import IN_METRES, SUFFIXES, read_mesh
from impeto.services.urdf_file import (
    LONGEST,
    Pose,
    Reading,
    after,
    axes_of,
    end_of,
    free_name,
    mesh_path,
    name_of,
    number,
    numbers,
    origin_of,
    root_of,
    text_of,
)

MOST_LINKS = 2000
FREE: dict[str, tuple[str, ...]] = {
    "revolute": ("turn z",), "continuous": ("turn z",), "prismatic": ("slide z",), "fixed": (),
    "planar": ("slide x", "slide y", "turn z"),
}  # fmt: skip
MOVING = ("revolute", "continuous", "prismatic")  # along one coordinate
UNITS = {1.0: "m", 0.001: "mm", 0.01: "cm", 0.0254: "in"}
STOP = {"turn z": "100 kN*m/rad", "slide z": "10 MN/m"}
# About which axis a mirror in x, in z or in all three becomes one in y.
HALF_TURNS: dict[tuple[bool, ...], Any] = {
    (True, False, False): np.diag([-1.0, -1.0, 1.0]),
    (False, False, True): np.diag([1.0, -1.0, -1.0]),
    (True, True, True): np.diag([-1.0, 1.0, -1.0]),
}


@dataclass(slots=True)
class Link:
    """name : of the body that it becomes, that of another for what weighs nothing and is fixed
    there;  own : pose of its axes in those of the body;  world : pose of the body"""

    name: str
    own: Pose
    world: Pose


def read_urdf(path: str | Path) -> tuple[Model, tuple[str, ...]]:
    """The mechanism in a URDF file as drawn with all joints at zero, and what was left out or is to
    be known. Mesh files are named by their whole paths. Raises FileError."""
    path = Path(path)
    robot = root_of(path)
    links = {name_of(item, path): item for item in robot.findall("link")}
    joints = robot.findall("joint")
    if not links:
        raise FileError(f"'{path.name}' has no links.")
    if len(links) > MOST_LINKS or len(links) != len(robot.findall("link")):
        raise FileError(f"'{path.name}' has too many links, or two of one name.")
    reading = Reading(path)
    order = _from_the_root(links, joints, path)
    made: dict[str, Link] = {}
    bodies: dict[str, Body] = {}
    others: list[Any] = []
    root = order[0][0]
    bare = root == "world" or _mass(links[root], reading) is None
    origin = (np.zeros(3), np.eye(3))
    made[root] = Link(GROUND if bare else free_name(reading, root), origin, origin)
    bodies[made[root].name] = _body(reading, links[root], made[root])
    if not bare:
        reading.note(f"{made[root].name} stands free: fix it to the ground where it is to stay.")
    for child, item in order[1:]:
        assert item is not None
        others += _attached(reading, item, links[child], child, made, bodies)
    others += _mimics(reading, joints)
    ground = bodies.pop(GROUND, None)
    listed = [*((ground,) if ground is not None else ()), *bodies.values(), *others]
    name = robot.get("name") or path.stem
    model = Model(name[:LONGEST], listed, geometry=reading.geometry)
    return model, tuple(reading.notes)


def _from_the_root(
    links: dict[str, ElementTree.Element], joints: list[ElementTree.Element], path: Path
) -> list[tuple[str, ElementTree.Element | None]]:
    """Links with the joints that lead to them, parents first. FileError for what is no tree."""
    children: dict[str, list[tuple[str, ElementTree.Element]]] = {}
    led: set[str] = set()
    for joint in joints:
        ends = [end_of(joint, side, links, path) for side in ("parent", "child")]
        if ends[1] in led:
            raise FileError(f"'{path.name}': two joints lead to the link '{ends[1]}'.")
        led.add(ends[1])
        children.setdefault(ends[0], []).append((ends[1], joint))
    roots = [name for name in links if name not in led]
    if len(roots) != 1:
        what = "its joints go round in a circle" if not roots else (
            f"it falls apart: nothing leads to {', '.join(roots[:5])}")  # fmt: skip
        raise FileError(f"'{path.name}' is no single tree of links: {what}.")
    order: list[tuple[str, ElementTree.Element | None]] = [(roots[0], None)]
    for name, _ in order:
        order += children.get(name, [])
    if len(order) != len(links):
        raise FileError(f"'{path.name}' is no single tree of links: its joints go round.")
    return order


def _attached(
    reading: Reading, joint: ElementTree.Element, link: ElementTree.Element, child: str,
    made: dict[str, Link], bodies: dict[str, Body],
) -> list[Any]:  # fmt: skip
    """A link and what leads to it; one that weighs nothing and is fixed goes to its parent."""
    parent = made[text_of(joint, "parent", "link")]
    kind = joint.get("type") or ""
    at = after(parent.own, origin_of(reading, joint))  # in the axes of the parent's body
    if kind == "fixed" and _mass(link, reading) is None:
        made[child] = Link(parent.name, at, parent.world)
        base = bodies[parent.name]
        bodies[parent.name] = replace(base, shapes=(*base.shapes, *_shapes(reading, link, at)))
        return []
    here = Link(free_name(reading, child), (np.zeros(3), np.eye(3)), after(parent.world, at))
    made[child] = here
    bodies[here.name] = _body(reading, link, here)
    if kind == "floating":
        return []
    if kind not in FREE:
        raise FileError(f"'{reading.path.name}': '{kind[:40]}' is no type of joint.")
    own = (joint.get("name") or f"{child}_joint").strip()
    name = reading.joints[own] = free_name(reading, own, ("", "_a", "_b"))
    axes = axes_of(reading, joint)
    frames = (
        Frame(name=f"{name}_a", body=parent.name, **placement(at[0], at[1] @ axes)),
        Frame(name=f"{name}_b", body=here.name, **placement(np.zeros(3), axes)),
    )  # fmt: skip
    acts = _behaviours(reading, joint, kind, name)
    return [
        *frames,
        Joint(name=name, frame_a=f"{name}_a", frame_b=f"{name}_b", free=FREE[kind],
              behaviours=acts, note=_limits(joint)),
    ]  # fmt: skip


def _behaviours(
    reading: Reading, joint: ElementTree.Element, kind: str, name: str
) -> tuple[Any, ...]:
    """Stops, damping and friction of a joint with one free motion."""
    if kind not in MOVING:
        return ()
    freedom, acts = FREE[kind][0], list[Any]()
    limit = joint.find("limit")
    if kind != "continuous" and limit is not None:
        low, high = (number(reading, limit, side, 0.0) for side in ("lower", "upper"))
        if low > high or not low <= 0.0 <= high:
            reading.note(f"{name} is drawn outside of its limits {low:g} to {high:g}: they are "
                         "left out, set them after moving it.")  # fmt: skip
        elif low < high:
            unit = "rad" if freedom == "turn z" else "m"
            acts.append(Stops(freedom=freedom, lower=f"{low!r} {unit}", upper=f"{high!r} {unit}",
                              stiffness=STOP[freedom], restitution=0.0))  # fmt: skip
    dynamics = joint.find("dynamics")
    if dynamics is not None:
        damping = number(reading, dynamics, "damping", 0.0)
        friction = number(reading, dynamics, "friction", 0.0)
        if damping > 0.0:
            acts.append(Behaviour(freedom=freedom, damping=damping))
        if friction > 0.0:
            acts.append(Friction(freedom=freedom, kinetic=0.0, constant=friction))
    return tuple(acts)


def _limits(joint: ElementTree.Element) -> str:
    """What a motor may do there, which no element of ours holds."""
    limit = joint.find("limit")
    if limit is None:
        return ""
    said = [
        f"{word} at most {limit.get(word)}" for word in ("effort", "velocity") if limit.get(word)
    ]
    return ", ".join(said)[:200]


def _mimics(reading: Reading, joints: list[ElementTree.Element]) -> Iterator[Relation]:
    """Joints that follow others, in whatever order they stand."""
    types = {(j.get("name") or "").strip(): j.get("type") for j in joints}
    for joint in joints:
        mimic = joint.find("mimic")
        if mimic is None:
            continue
        own, other = (joint.get("name") or "").strip(), (mimic.get("joint") or "").strip()
        names = [reading.joints.get(name, "") for name in (own, other)]
        kinds = [types.get(name) for name in (own, other)]
        if not all(names) or not all(
            kind in ("revolute", "continuous", "prismatic") for kind in kinds
        ):
            reading.note(f"the joint '{own}' follows '{other}', which is no free motion: left out.")
            continue
        factor = number(reading, mimic, "multiplier", 1.0)
        freedoms = [FREE[str(kind)][0] for kind in kinds]
        unit = {("turn z", "slide z"): " rad/m", ("slide z", "turn z"): " m/rad"}.get(
            (freedoms[0], freedoms[1]), ""
        )
        if number(reading, mimic, "offset", 0.0):
            reading.note(f"{names[0]} follows {names[1]} from where both are drawn: its offset is "
                         "left out.")  # fmt: skip
        yield Relation(
            name=free_name(reading, f"{own}_follows"),
            terms=(
                Term(joint=names[0], freedom=freedoms[0]),
                Term(joint=names[1], freedom=freedoms[1], factor=f"{-factor!r}{unit}"),
            ),
        )


# links


def _mass(link: ElementTree.Element, reading: Reading) -> float | None:
    item = link.find("inertial/mass")
    value = 0.0 if item is None else number(reading, item, "value", 0.0)
    return value if value > 0.0 else None


def _body(reading: Reading, link: ElementTree.Element, made: Link) -> Body:
    """A link as a body where it is drawn."""
    values: dict[str, Any] = {}
    mass = _mass(link, reading)
    if made.name != GROUND:
        values = placement(*made.world)
        if mass is None:
            reading.note(f"{made.name} weighs nothing: give it a mass.")
    if mass is not None and made.name != GROUND:
        centre, turned = origin_of(reading, link.find("inertial"))
        values |= {"mass": mass, "center": tuple(map(float, centre))}
        item = link.find("inertial/inertia")
        if item is not None:
            xx, xy, xz, yy, yz, zz = (
                number(reading, item, key, 0.0)
                for key in ("ixx", "ixy", "ixz", "iyy", "iyz", "izz")
            )
            own = turned @ np.array([[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]]) @ turned.T
            values |= {"inertia": tuple(map(float, own.diagonal()))}
            if np.abs(own - np.diag(own.diagonal())).max() > 1e-12 * np.abs(own).max():
                values["inertia_products"] = (float(own[0, 1]), float(own[0, 2]), float(own[1, 2]))
    return Body(name=made.name, shapes=tuple(_shapes(reading, link, made.own)), **values)


def _shapes(reading: Reading, link: ElementTree.Element, own: Pose) -> Iterator[Shape]:
    """What is drawn of a link, else what touches."""
    for item in link.findall("visual") or link.findall("collision"):
        geometry = item.find("geometry")
        kinds = [] if geometry is None else list(geometry)
        if not kinds:
            continue
        pose = after(own, origin_of(reading, item))
        shape = _shape(reading, kinds[0], pose)
        if shape is not None:
            yield shape


def _shape(reading: Reading, item: ElementTree.Element, pose: Pose) -> Shape | None:
    if item.tag == "mesh":
        return _mesh(reading, item, pose)
    here: dict[str, Any] = placement(*pose)
    if item.tag == "box":
        x, y, z = map(float, numbers(reading, item, "size", (0.1, 0.1, 0.1)))
        return Box(size=(f"{x!r} m", f"{y!r} m", f"{z!r} m"), **here)  # type: ignore[arg-type]
    radius = number(reading, item, "radius", 0.05)
    if item.tag == "cylinder":
        return Cylinder(radius=radius, length=number(reading, item, "length", 0.1), **here)
    if item.tag == "sphere":
        return Sphere(radius=radius, **here)
    reading.note(f"shapes of kind '{item.tag[:40]}' are not read.")
    return None


def _mesh(reading: Reading, item: ElementTree.Element, pose: Pose) -> Shape | None:
    named = (item.get("filename") or "").strip()
    path = mesh_path(reading.path, named)
    if path is None or path.suffix.lower() not in SUFFIXES:
        if named not in reading.missing:
            why = "is not there" if path is None else f"is none of {', '.join(SUFFIXES)}"
            reading.note(f"the mesh '{named[:LONGEST]}' {why}: left out.")
        reading.missing.add(named)
        return None
    scale = numbers(reading, item, "scale", (1.0, 1.0, 1.0))
    sizes = np.round(np.abs(scale), 9)
    turned_over = tuple(bool(value < 0.0) for value in scale)
    unit = UNITS.get(float(sizes[0]))
    if unit is None or np.ptp(sizes) > 0.0 or sum(turned_over) == 2:
        reading.note(f"the mesh '{named[:LONGEST]}' is scaled by {scale}, which is not read.")
        return None
    if path.suffix.lower() == IN_METRES and unit != "m":
        reading.note(f"the mesh '{named[:LONGEST]}' is scaled: GLB files are in metres by rule.")
    place, rotation = pose
    rotation = rotation @ HALF_TURNS.get(turned_over, np.eye(3))
    file = path.as_posix()
    if file not in reading.geometry:
        try:
            reading.geometry[file] = read_mesh(path)
        except FileError as error:
            reading.note(str(error))
            return None
    return Mesh(file=file, unit=unit, mirrored=any(turned_over), **placement(place, rotation))
