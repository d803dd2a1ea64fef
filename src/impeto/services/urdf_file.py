"""What stands in a URDF file: its tree, numbers, names and the files that it names."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import numpy.typing as npt

from impeto.core.errors import FileError
from impeto.core.geometry.rotation import from_roll_pitch_yaw
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.names import name_like
from impeto.services.reading import content_of

Floats = npt.NDArray[np.float64]
Pose = tuple[Floats, Floats]
LARGEST = 20_000_000  # bytes
LONGEST = 80  # letters of a name


@dataclass(slots=True)
class Reading:
    """A file while it is read."""

    path: Path
    notes: list[str] = field(default_factory=list)
    geometry: dict[str, Triangles] = field(default_factory=dict)
    joints: dict[str, str] = field(default_factory=dict)  # of ours by the file's own names
    taken: set[str] = field(default_factory=set)
    missing: set[str] = field(default_factory=set)

    def note(self, text: str) -> None:
        if text not in self.notes:
            self.notes.append(text)


def root_of(path: Path) -> ElementTree.Element:
    content = content_of(path, LARGEST)
    if b"<!DOCTYPE" in content or b"<!ENTITY" in content:
        raise FileError(f"'{path.name}' declares entities, which are not read: take them out.")
    try:
        root = ElementTree.fromstring(content)
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise FileError(f"'{path.name}' is not XML that can be read: {error}.") from error
    if root.tag != "robot":
        raise FileError(f"'{path.name}' is no URDF: it begins with '{root.tag[:40]}', not 'robot'.")
    return root


def end_of(
    joint: ElementTree.Element, side: str, links: dict[str, ElementTree.Element], path: Path
) -> str:
    item = joint.find(side)
    name = "" if item is None else (item.get("link") or "").strip()
    if name not in links:
        raise FileError(
            f"'{path.name}': the joint '{(joint.get('name') or '')[:LONGEST]}' has no {side} "
            f"'{name[:LONGEST]}' among the links."
        )
    return name


def mesh_path(urdf: Path, named: str) -> Path | None:
    """A mesh file by its path from the file, or by that behind package:// from a folder above;
    nothing further away than the folder around that of the file."""
    rest = re.sub(r"^(package|file)://", "", named)
    top = urdf.resolve().parent.parent
    places = [urdf.parent / rest]
    if named.startswith("package://"):
        inside = rest.partition("/")[2]
        places += [folder / part for folder in (urdf.parent, urdf.parent.parent)
                   for part in (rest, inside) if part]  # fmt: skip
    for place in places:
        try:
            path = place.resolve()
            if path.is_file() and path.is_relative_to(top):
                return path
        except (OSError, ValueError):
            continue
    return None


def after(outer: Pose, inner: Pose) -> Pose:
    return outer[0] + outer[1] @ inner[0], outer[1] @ inner[1]


def origin_of(reading: Reading, item: ElementTree.Element | None) -> Pose:
    origin = None if item is None else item.find("origin")
    if origin is None:
        return np.zeros(3), np.eye(3)
    place = numbers(reading, origin, "xyz", (0.0, 0.0, 0.0))
    return place, from_roll_pitch_yaw(numbers(reading, origin, "rpy", (0.0, 0.0, 0.0)))


def axes_of(reading: Reading, joint: ElementTree.Element) -> Floats:
    """(3, 3) with z along the axis of a joint, x where nothing speaks for another."""
    item = joint.find("axis")
    axis = np.array([1.0, 0.0, 0.0])
    if item is not None:
        axis = numbers(reading, item, "xyz", (1.0, 0.0, 0.0))
    length = float(np.linalg.norm(axis))
    if not length > 0.0:
        raise FileError(
            f"'{reading.path.name}': the joint '{(joint.get('name') or '')[:LONGEST]}' has an axis "
            "of no length."
        )
    z = axis / length
    x = np.eye(3)[int(np.argmin(np.abs(z)))]
    x = x - (x @ z) * z
    x /= np.linalg.norm(x)
    return np.column_stack([x, np.cross(z, x), z])


def number(reading: Reading, item: ElementTree.Element, key: str, default: float) -> float:
    return float(numbers(reading, item, key, (default,))[0])


def numbers(
    reading: Reading, item: ElementTree.Element, key: str, default: tuple[float, ...]
) -> Floats:
    """The numbers of an attribute. FileError where they are none, or too few."""
    text = item.get(key)
    if text is None:
        return np.array(default)
    try:
        found = np.array([float(part) for part in text.split()])
    except ValueError:
        found = np.zeros(0)
    if len(found) != len(default) or not np.isfinite(found).all() or np.abs(found).max() > 1e12:
        raise FileError(
            f"'{reading.path.name}': '{text[:LONGEST]}' stands for {key} of '{item.tag[:40]}', "
            f"where {len(default)} number{'s are' if len(default) > 1 else ' is'} needed."
        )
    return found


def text_of(item: ElementTree.Element, child: str, key: str) -> str:
    found = item.find(child)
    return "" if found is None else (found.get(key) or "").strip()


def name_of(link: ElementTree.Element, path: Path) -> str:
    name = (link.get("name") or "").strip()
    if not name:
        raise FileError(f"'{path.name}' has a link without a name.")
    return name


def free_name(reading: Reading, own: str, endings: tuple[str, ...] = ("",)) -> str:
    """A name of ours for one of the file, none of whose endings is taken."""
    stem = name_like(own)
    number, name = 1, stem
    while any(name + ending in reading.taken for ending in endings):
        number += 1
        name = f"{stem}_{number}"
    reading.taken |= {name + ending for ending in endings}
    return name
