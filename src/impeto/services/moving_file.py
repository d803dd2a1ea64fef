"""A machine in motion in open form (GLB): one node for each body, and where it is over time."""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from impeto.core.errors import Cancelled, FileError
from impeto.core.geometry.arrays import Floats
from impeto.core.geometry.triangles import Triangles
from impeto.core.results.poses import poses, present_at
from impeto.core.results.recording import Recording
from impeto.core.solvers.run import Progress
from impeto.services.atomic import replacing
from impeto.services.drawing_file import MAGIC, UPRIGHT, paint, upright_scene

SUFFIX = ".glb"
MOST = 50_000  # instants
FLOAT, TEXT, BINARY = 5126, 0x4E4F534A, 0x004E4942  # as the form numbers them
GONE = 1e-6  # size of a body that is not there


@dataclass(frozen=True)
class Solid:
    """Triangles in the axes of the body, and its colour as #rrggbb"""

    triangles: Triangles
    colour: str


def write_motion(
    path: str | Path, recording: Recording, solids: Mapping[str, Solid], instants: Sequence[float],
    speed: float = 1.0, progress: Progress | None = None,
) -> None:  # fmt: skip
    """Write bodies where they are at instants [s] of a run, which lasts time / speed in the file.
    Raises FileError, and Cancelled where progress returns False."""
    if not 2 <= len(instants) <= MOST:
        raise FileError(f"A motion is made of 2 to {MOST:,} instants, not {len(instants):,}.")
    shown = {name: solid for name, solid in solids.items() if len(solid.triangles.faces)}
    moved = _moved(recording, list(shown), np.asarray(instants), progress)
    time = (np.asarray(instants) - instants[0]) / speed
    content = _with_motion(_still(shown), recording.case, moved, time)
    with replacing(Path(path)) as temporary:
        temporary.write_bytes(content)


def _still(solids: Mapping[str, Solid]) -> bytes:
    """All bodies at the origin, a node each."""
    import trimesh  # slow to load

    scene = upright_scene()
    for name, solid in solids.items():
        mesh = trimesh.Trimesh(
            solid.triangles.vertices, solid.triangles.faces, process=False, validate=False
        )
        paint(mesh, solid.colour)
        scene.geometry[name] = mesh
        scene.graph.update(frame_from=UPRIGHT, frame_to=name, matrix=np.eye(4), geometry=name)
    content: bytes = scene.export(file_type="glb")
    return content


def _with_motion(
    content: bytes, case: str, moved: Mapping[str, tuple[Floats, Floats, Floats]], time: Floats
) -> bytes:
    """The same file with channels of place, rotation and, where a body comes or goes, size."""
    size = struct.unpack_from("<I", content, 12)[0]
    tree = json.loads(content[20 : 20 + size])
    data = _Data(tree, content[28 + size :])
    nodes = {node.get("name"): k for k, node in enumerate(tree["nodes"])}
    clock = data.add(time, bounded=True)
    samplers, channels = list[dict[str, Any]](), list[dict[str, Any]]()
    for name, (places, turns, sizes) in moved.items():
        tree["nodes"][nodes[name]].pop("matrix", None)
        paths = {"translation": places, "rotation": turns}
        if sizes.min() < 1.0:
            paths["scale"] = np.repeat(sizes[:, None], 3, axis=1)
        for kind, values in paths.items():
            how = "STEP" if kind == "scale" else "LINEAR"
            samplers.append({"input": clock, "output": data.add(values), "interpolation": how})
            channels.append({
                "sampler": len(samplers) - 1, "target": {"node": nodes[name], "path": kind},
            })  # fmt: skip
    tree["animations"] = [{"name": case, "samplers": samplers, "channels": channels}]
    return data.file()


def _moved(
    r: Recording, names: Sequence[str], instants: Floats, progress: Progress | None
) -> dict[str, tuple[Floats, Floats, Floats]]:
    """Of each body (T, 3) origins [m], (T, 4) quaternions x, y, z, w without leaps, (T,) sizes."""
    rows = {name: r.bodies[name] for name in names if r.bodies.get(name)}
    origins, turns, sizes = [], [], []
    for number, moment in enumerate(instants):
        if progress is not None and not progress(number / len(instants), float(moment)):
            raise Cancelled("The motion was stopped: nothing was written.")
        at, rotations = poses(r, float(moment))
        there = present_at(r, float(moment))
        origins.append(at[list(rows.values())])
        turns.append(rotations[list(rows.values())])
        sizes.append([1.0 if there.get(name, True) else GONE for name in rows])
    places, axes, size = np.array(origins), np.array(turns), np.array(sizes)
    found = {}
    for k, name in enumerate(rows):
        turned = np.asarray(Rotation.from_matrix(axes[:, k]).as_quat())
        leaps = np.concatenate([[1.0], np.sign(np.sum(turned[1:] * turned[:-1], axis=1))])
        leaps[leaps == 0.0] = 1.0
        found[name] = places[:, k], turned * np.cumprod(leaps)[:, None], size[:, k]
    return found


class _Data:
    """The numbers of a file, and where they are told in its text."""

    def __init__(self, tree: dict[str, Any], binary: bytes) -> None:
        self.tree, self.binary = tree, bytearray(binary)

    def add(self, values: Floats, bounded: bool = False) -> int:
        """Numbers (T,) or (T, 3 or 4); which accessor they are."""
        packed = np.asarray(values, dtype="<f4")
        self.binary += b"\0" * (-len(self.binary) % 4)
        view = {"buffer": 0, "byteOffset": len(self.binary), "byteLength": packed.nbytes}
        self.binary += packed.tobytes()
        self.tree["bufferViews"].append(view)
        kind = "SCALAR" if packed.ndim == 1 else f"VEC{packed.shape[1]}"
        accessor = {
            "bufferView": len(self.tree["bufferViews"]) - 1, "componentType": FLOAT,
            "count": len(packed), "type": kind,
        }  # fmt: skip
        if bounded:
            accessor |= {"min": [float(packed.min())], "max": [float(packed.max())]}
        self.tree["accessors"].append(accessor)
        return len(self.tree["accessors"]) - 1

    def file(self) -> bytes:
        """Head, text and numbers."""
        self.binary += b"\0" * (-len(self.binary) % 4)
        self.tree["buffers"] = [{"byteLength": len(self.binary)}]
        text = json.dumps(self.tree, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        whole = 28 + len(text) + len(self.binary)
        return b"".join([
            MAGIC, struct.pack("<II", 2, whole),
            struct.pack("<II", len(text), TEXT), text,
            struct.pack("<II", len(self.binary), BINARY), bytes(self.binary),
        ])  # fmt: skip
