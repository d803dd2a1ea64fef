"""Joints and paths in the window."""

from __future__ import annotations

from impeto.app.kinds.choosing import two_frames
from impeto.app.kinds.kind import Kind
from impeto.app.strokes import Bend
from impeto.core.elements import Joint, Path, PathPoint
from impeto.core.model.freedoms import kind_title
from impeto.core.model.scope import Scope


def _joint(element: Joint, scope: Scope) -> str:
    line = kind_title(element.free, element.special).removeprefix("free: ")
    acting = {part.title.split(" ")[0] for part in element.behaviours}
    return f"{line}, {', '.join(sorted(acting))}" if acting else line


def _arc() -> tuple[PathPoint, ...]:
    """Three points to start a path from."""
    places = (("0 m", "0 m", "0 m"), ("0.5 m", "0.1 m", "0 m"), ("1 m", "0 m", "0 m"))
    return tuple(PathPoint(position=place) for place in places)  # type: ignore[arg-type]


JOINTS = (
    Kind(cls=Joint, title="joint", line=_joint, strokes=(),
         new=lambda d, n: Joint(name=n, **two_frames(d.model))),  # type: ignore[arg-type]
    Kind(cls=Path, title="path", line=lambda e, s: f"{len(e.points)} points",
         strokes=(Bend((0.05, 0.8, 0.0, 0.0), ((0.4, -0.4), (0.6, 1.4), (0.95, 0.2))),),
         new=lambda d, n: Path(name=n, points=_arc())),
)  # fmt: skip
