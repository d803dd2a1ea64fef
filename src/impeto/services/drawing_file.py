"""Drawings of many parts in open form (GLB): names, places, colours, triangles, and what the maker
of solids knows exactly in the fields that the form leaves to its users. docs/files.md says how.
"""

from __future__ import annotations

import io
import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.drawing import Drawing, DrawnPart
from impeto.core.bodies.exact import ExactSolid
from impeto.core.bodies.solid_features import DRAWN_KINDS, Feature
from impeto.core.errors import FileError
from impeto.core.geometry.mass import MassProperties
from impeto.core.geometry.triangles import Triangles
from impeto.services.atomic import replacing
from impeto.services.reading import content_of

Floats = npt.NDArray[np.float64]
SUFFIX = ".glb"
OWN = "impeto"  # key of what is ours in the file
LARGEST = 400_000_000  # bytes
MOST_PARTS = 5000
LONGEST = 300  # letters of a name
Z_UP = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]])  # from y upwards, their rule
RIGID = 1e-9  # how far axes may be off a rotation
UPRIGHT = "z upwards"
MAGIC, HEAD = b"glTF", 20  # bytes before the text


# writing


def write_drawing(drawing: Drawing, path: str | Path) -> None:
    """Write a drawing as a GLB file. Raises FileError."""
    import trimesh  # slow to load

    scene = upright_scene()
    colours = {part.solid: part.colour for part in reversed(drawing.parts)}
    for name, solid in drawing.solids.items():
        mesh = trimesh.Trimesh(solid.vertices, solid.faces, process=False, validate=False)
        mesh.metadata = {OWN: exact_record(solid)} if isinstance(solid, ExactSolid) else {}
        if colours.get(name):
            paint(mesh, colours[name])
        scene.geometry[name] = mesh
    for part in drawing.parts:
        own = {"title": part.title, "product": part.product, "colour": part.colour}
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = part.axes, part.origin
        scene.graph.update(
            frame_from=UPRIGHT, frame_to=part.name, matrix=matrix, geometry=part.solid,
            metadata={OWN: own},
        )  # fmt: skip

    def mark(tree: dict[str, Any]) -> None:
        tree["asset"]["extras"] = {OWN: {"source": drawing.source}}

    content = scene.export(file_type="glb", tree_postprocessor=mark)
    with replacing(Path(path)) as temporary:
        temporary.write_bytes(content)


def upright_scene() -> Any:
    """An empty one with a node for what has z upwards, UPRIGHT."""
    import trimesh  # slow to load

    scene, upright = trimesh.Scene(), np.eye(4)
    upright[:3, :3] = Z_UP.T
    scene.graph.update(frame_to=UPRIGHT, matrix=upright)
    return scene


def paint(mesh: Any, colour: str) -> None:
    """Give a mesh a colour #rrggbb."""
    import trimesh

    material = trimesh.visual.material.PBRMaterial(baseColorFactor=[*_linear(colour), 1.0])
    mesh.visual = trimesh.visual.TextureVisuals(material=material)


def exact_record(solid: ExactSolid) -> dict[str, Any]:
    """What is known exactly of a solid, for files."""
    own = solid.solid
    return {
        "volume": own.mass,
        "center": own.center.tolist(),
        "inertia": own.inertia.tolist(),
        "features": [
            [f.kind, *f.point.tolist(), *f.direction.tolist(), *f.across.tolist(), f.radius, f.half]
            for f in solid.features
        ],
    }


# reading


@dataclass(frozen=True, slots=True)
class Written:
    """What stands in the text of a GLB file. nodes : by name;  colours : of meshes by name"""

    source: str
    nodes: dict[str, Mapping[str, Any]]
    colours: dict[str, str]


def read_drawing(path: str | Path) -> Drawing:
    """The parts in a GLB file, in metres with z upwards. Raises FileError."""
    import trimesh  # slow to load

    path = Path(path)
    try:
        content = content_of(path, LARGEST)
        written = _text_of(content)
        scene = trimesh.load_scene(
            io.BytesIO(content), file_type="glb", process=False, skip_materials=True
        )
        return _drawing(scene, written, path)
    except FileError:
        raise
    except (
        OSError, ValueError, IndexError, KeyError, TypeError, AttributeError, NotImplementedError,
        RecursionError, OverflowError, ImportError, ArithmeticError,
    ) as error:  # fmt: skip
        raise FileError(f"'{path}' is not a GLB file that can be read.") from error


def _text_of(content: bytes) -> Written:
    """Names and what is ours in the text of a GLB file. ValueError where there is none."""
    size = int.from_bytes(content[12:16], "little")
    if content[:4] != MAGIC or HEAD + size > len(content):
        raise ValueError("no GLB")
    tree = json.loads(content[HEAD : HEAD + size].decode("utf-8"))
    nodes = {str(n["name"]): n for n in tree.get("nodes", []) if "name" in n}
    materials, colours = tree.get("materials", []), dict[str, str]()
    for mesh in tree.get("meshes", []):
        number = mesh["primitives"][0].get("material")
        if number is not None and "name" in mesh:
            shown = materials[number].get("pbrMetallicRoughness", {})
            colours[str(mesh["name"])] = _shown(shown.get("baseColorFactor", (1.0, 1.0, 1.0)))
    own = tree.get("asset", {}).get("extras", {}).get(OWN, {})
    return Written(str(own.get("source", ""))[:LONGEST], nodes, colours)


def _drawing(scene: Any, written: Written, path: Path) -> Drawing:
    order = {name: number for number, name in enumerate(written.nodes)}
    names = sorted(map(str, scene.graph.nodes_geometry), key=lambda n: order.get(n, len(order)))
    if not names:
        raise FileError(f"'{path.name}' holds no parts.")
    if len(names) > MOST_PARTS:
        raise FileError(
            f"'{path.name}' holds {len(names):,} parts: at most {MOST_PARTS:,} are read."
        )
    read: dict[str, Triangles | None] = {
        name: _solid(name, mesh) for name, mesh in scene.geometry.items()
    }
    parts, solids = list[DrawnPart](), dict[str, Triangles]()
    for name in names:
        matrix, mesh = scene.graph.get(name)
        found = read[mesh]
        if found is None:
            continue  # points and lines
        matrix = np.asarray(matrix, dtype=float)
        if not np.isfinite(matrix).all() or np.abs(matrix).max() > 1e9:
            raise ValueError("a place that is no number")
        axes, origin = Z_UP @ matrix[:3, :3], Z_UP @ matrix[:3, 3]
        key, axes, solid = _rigid(found, mesh, name, axes)
        solids.setdefault(key, solid)
        parts.append(_part(written, name, mesh, key, origin, axes))
    if not parts:
        raise FileError(f"'{path.name}' holds no triangles.")
    return Drawing(tuple(parts), solids, written.source)


def _part(
    written: Written, name: str, mesh: str, solid: str, origin: Floats, axes: Floats
) -> DrawnPart:
    own = written.nodes.get(name, {}).get("extras", {}).get(OWN, {})
    colour = str(own.get("colour", written.colours.get(mesh, "")))
    title, product = (str(own.get(key, kept))[:LONGEST] for key, kept in (
        ("title", name), ("product", mesh)))  # fmt: skip
    return DrawnPart(name, title, product, solid, colour, origin, axes)


def _rigid(found: Triangles, mesh: str, name: str, axes: Floats) -> tuple[str, Floats, Triangles]:
    """A solid by its name with axes that are a rotation: what scales or mirrors is put into its
    points, never into angles."""
    if np.abs(axes.T @ axes - np.eye(3)).max() < RIGID and np.linalg.det(axes) > 0.0:
        return mesh, axes, found
    scale = float(np.linalg.norm(axes[:, 0]))
    if scale > 0.0 and np.linalg.det(axes) > 0.0:
        turn = axes / scale
        if np.abs(turn.T @ turn - np.eye(3)).max() < RIGID:
            return f"{mesh} x {scale!r}", turn, found.scaled(scale)
    moved = Triangles(found.vertices @ axes.T, found.faces)
    return f"{mesh} of {name}", np.eye(3), moved.turned() if np.linalg.det(axes) < 0.0 else moved


def _solid(name: str, mesh: Any) -> Triangles | None:
    """A surface by trimesh, exact where the file says so; None for what has no triangles."""
    faces = np.asarray(getattr(mesh, "faces", ()), dtype=np.int64)
    if not len(faces):
        return None
    vertices = np.asarray(mesh.vertices, dtype=float)
    if not np.isfinite(vertices).all() or faces.min() < 0 or faces.max() >= len(vertices):
        raise ValueError(name)
    own = mesh.metadata.get(OWN)
    surface = Triangles(vertices, faces)
    return surface if own is None else with_exact(surface, own)


def with_exact(surface: Triangles, record: Mapping[str, Any]) -> ExactSolid:
    """A surface with what a file says of its solid. ValueError or TypeError where that is none."""
    inertia = _numbers(record["inertia"], (3, 3))
    solid = MassProperties(float(record["volume"]), _numbers(record["center"], (3,)), inertia)
    if not 0.0 <= solid.mass < 1e12:
        raise ValueError("volume")
    features = tuple(map(_feature, record["features"]))
    return ExactSolid(surface.vertices, surface.faces, solid, features)


def _feature(row: list[Any]) -> Feature:
    kind, *numbers = row
    if kind not in DRAWN_KINDS:
        raise ValueError(str(kind)[:40])
    values = _numbers(numbers, (11,))
    point, direction, across = values[:9].reshape(3, 3)
    return Feature(kind, point, direction, across, float(values[9]), float(values[10]))


def _numbers(written: Any, shape: tuple[int, ...]) -> Floats:
    found = np.array(written, dtype=float)
    if found.shape != shape or not np.isfinite(found).all():
        raise ValueError("numbers")
    return found


# colours


def _linear(colour: str) -> list[float]:
    """Linear shares of a colour #rrggbb, which files of this form have (sRGB, IEC 61966-2-1)."""
    shares = [int(colour[k : k + 2], 16) / 255.0 for k in (1, 3, 5)]
    return [s / 12.92 if s <= 0.04045 else ((s + 0.055) / 1.055) ** 2.4 for s in shares]


def _shown(factor: Any) -> str:
    """#rrggbb of linear shares."""
    shares = np.clip(np.array(factor[:3], dtype=float), 0.0, 1.0)
    bent = np.where(shares <= 0.0031308, 12.92 * shares, 1.055 * shares ** (1 / 2.4) - 0.055)
    return "#" + "".join(f"{round(255.0 * float(share)):02x}" for share in bent)
