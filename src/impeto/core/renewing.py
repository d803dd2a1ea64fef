"""A changed assembly in place of the one that a model was built from: bodies, frames and joints
stay where what they were put on still exists; what does not is listed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from impeto.core.bodies.drawing import Drawing, DrawnPart
from impeto.core.bodies.exact import ExactSolid
from impeto.core.bodies.mesh_features import mesh_features
from impeto.core.bodies.placement import placement, pose_of
from impeto.core.bodies.shapes import Shape
from impeto.core.bodies.solid_features import PLANE, Feature, placed
from impeto.core.elements import Body, Frame, Mesh, Piece
from impeto.core.geometry.rotation import from_roll_pitch_yaw, least_turn
from impeto.core.geometry.triangles import Triangles
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope
from impeto.core.pairing import ROUND
from impeto.core.sorting import pieces_of, surfaces_of

Floats = npt.NDArray[np.float64]
Pose = tuple[Floats, Floats]
ON = 1e-6  # of the size of a part: what lies on a feature
ALIGNED = 1e-6  # sine of the angle between what is along each other
FAR = 0.35  # of the size of a part: features that are further away are others
TURNED = 0.3  # the same for directions


@dataclass(frozen=True, slots=True)
class Renewal:
    """model : with the new assembly;  changed : names of bodies of which a part has changed
    arrived : names of new loose pieces;  lost : sentences on what could not be kept"""

    model: Model
    changed: tuple[str, ...]
    arrived: tuple[str, ...]
    lost: tuple[str, ...]


@dataclass(slots=True)
class Change:
    """Of a part in the axes of a body: where it was and is, with its solids, new ones None where it
    is gone."""

    title: str
    was: Pose
    now: Pose
    old: Triangles
    new: Triangles | None

    @property
    def moved(self) -> Pose:
        """What takes the old place to the new one."""
        axes = self.now[1] @ self.was[1].T
        return self.now[0] - axes @ self.was[0], axes

    @property
    def stays(self) -> bool:
        """Whether nothing has changed."""
        same = self.new is not None and self.new.digest == self.old.digest
        return same and self.was is self.now


@dataclass(slots=True)
class Work:
    """One renewal while it goes on. pairs : new parts by the names of the old ones"""

    scope: Scope
    file: str
    new_file: str
    before: Drawing
    now: Drawing
    pairs: Mapping[str, DrawnPart]
    lost: list[str] = field(default_factory=list)
    changes: dict[str, list[Change]] = field(default_factory=dict)

    def old_part(self, name: str) -> DrawnPart | None:
        return next((part for part in self.before.parts if part.name == name), None)


def renewed(
    model: Model, file: str, before: Drawing, now: Drawing, new_file: str, case: str | None = None
) -> Renewal:
    """The model with the parts of a drawing that it has from a file exchanged for those of a newer
    one, which is kept in another file.

    Parts are known again by their names in the tree, else by name and kind where that is one of its
    kind. Bodies stay where they are and parts move in them as in the drawing; frames on a feature
    of a part follow it. New parts arrive as loose pieces.
    """
    pairs = _pairs(before, now)
    work = Work(Scope(model, case), file, new_file, before, now, pairs)
    listed, gone = list[Body | Piece](), set[str]()
    for element in model.elements.values():
        if isinstance(element, (Body, Piece)):
            made = _with_new_parts(work, element)
            if isinstance(element, Piece) and element.shapes and not made.shapes:
                gone.add(element.name)
            listed.append(made)
    elements = dict(model.elements) | {e.name: e for e in listed}
    for frame in model.of(Frame):
        elements[frame.name] = _frame(work, frame)
    used = {pairs[part.name].name for part in before.parts if part.name in pairs}
    new = [part for part in now.parts if part.name not in used]
    arrived = pieces_of(replace(now, parts=tuple(new)), new_file, elements)
    kept = [e for name, e in elements.items() if name not in gone]
    geometry = {n: s for n, s in model.geometry.items() if n.partition("\n")[0] != file}
    made_model = model.changed(
        elements=[*kept, *arrived], geometry={**geometry, **surfaces_of(now, new_file)}
    )
    changed = [n for n, each in work.changes.items() if any(not c.stays for c in each)]
    return Renewal(
        made_model, tuple(n for n in changed if n not in gone),
        tuple(piece.name for piece in arrived), tuple(work.lost),
    )  # fmt: skip


def _pairs(before: Drawing, now: Drawing) -> dict[str, DrawnPart]:
    """New parts by the names of the old ones that they are."""
    named = {part.name: part for part in now.parts}
    found = {part.name: named[part.name] for part in before.parts if part.name in named}
    taken = {part.name for part in found.values()}

    def single(parts: Iterator[DrawnPart]) -> dict[tuple[str, str], DrawnPart]:
        once: dict[tuple[str, str], DrawnPart] = {}
        twice = set[tuple[str, str]]()
        for part in parts:
            key = part.title, part.product
            twice |= {key} & set(once)
            once[key] = part
        return {key: part for key, part in once.items() if key not in twice}

    left = single(part for part in before.parts if part.name not in found)
    free = single(part for part in now.parts if part.name not in taken)
    return found | {left[key].name: free[key] for key in left if key in free}


def _with_new_parts(work: Work, element: Body | Piece) -> Body | Piece:
    shapes, changes = list[Shape](), list[Change]()
    for shape in element.shapes:
        old = None
        if isinstance(shape, Mesh) and shape.file == work.file:
            old = work.old_part(shape.part)
        if old is None or not isinstance(shape, Mesh):
            shapes.append(shape)
            continue
        change, made = _exchanged(work, shape, old)
        changes.append(change)
        if made is not None:
            shapes.append(made)
        elif isinstance(element, Body):
            work.lost.append(f"{change.title} is not in it any more: {element.name} has lost it.")
    if not changes:
        return element
    work.changes[element.name] = changes
    if isinstance(element, Body):
        if not shapes and element.mass is None:
            work.lost.append(f"{element.name} has no part left: give it a mass, or remove it.")
        return replace(element, shapes=tuple(shapes))
    return _piece_moved(work, replace(element, shapes=tuple(shapes)), element.shapes, changes[0])


def _piece_moved(work: Work, piece: Piece, before: tuple[Shape, ...], change: Change) -> Piece:
    """A loose piece moves itself, not the part in it."""
    if not piece.shapes or change.now is change.was:
        return piece
    origin, axes = pose_of(work.scope, piece)
    shift, turn = change.moved
    held = replace(piece.shapes[0], position=before[0].position, orientation=before[0].orientation)
    return replace(piece, shapes=(held,), **placement(origin + axes @ shift, axes @ turn))


def _exchanged(work: Work, shape: Mesh, old: DrawnPart) -> tuple[Change, Mesh | None]:
    """A shape with the new part in place of the old, moved as that moved in the drawing."""
    rotation = from_roll_pitch_yaw(work.scope.vector(shape, "orientation", "angle"))
    was = work.scope.vector(shape, "position", "length"), rotation
    new = work.pairs.get(old.name)
    solid = work.before.solids[old.solid]
    title = old.title or old.name
    if new is None:
        return Change(title, was, was, _seen(shape, solid), None), None
    made = replace(shape, file=work.new_file, part=new.name)
    change = Change(title, was, was, _seen(shape, solid), _seen(shape, work.now.solids[new.solid]))
    if not (np.array_equal(old.origin, new.origin) and np.array_equal(old.axes, new.axes)):
        # in the axes of the solid: from the old to the new place
        axes, origin = old.axes.T @ new.axes, old.axes.T @ (new.origin - old.origin)
        if shape.mirrored:
            aside = np.diag([1.0, -1.0, 1.0])
            axes, origin = aside @ axes @ aside, aside @ origin
        change.now = was[0] + was[1] @ origin, was[1] @ axes
        made = replace(made, **placement(*change.now))
    return change, made


def _seen(shape: Mesh, solid: Triangles) -> Triangles:
    return solid.mirrored() if shape.mirrored else solid


# frames


def _frame(work: Work, frame: Frame) -> Frame:
    """A frame where the feature that it is on is now."""
    changes = work.changes.get(frame.body, [])
    if all(change.stays for change in changes):
        return frame
    here = pose_of(work.scope, frame)
    for change in changes:
        found = _feature_at(here, change)
        if found is None:
            continue
        if change.stays:
            return frame
        after = _same_feature(found, change)
        if after is None:
            what = f"the {found.kind} of {change.title}"
            work.lost.append(f"{frame.name} was on {what}, which is not there any more: it stayed "
                             "where it was.")  # fmt: skip
            return frame
        return _placed(frame, here, placed(found, *change.was), placed(after, *change.now))
    moves = [change.moved for change in changes if change.new is not None]
    if len(moves) == len(changes) and _alike(moves):
        origin, axes = moves[0]
        if np.array_equal(axes, np.eye(3)) and not origin.any():
            return frame
        return replace(frame, **placement(origin + axes @ here[0], axes @ here[1]))
    return frame


def _alike(moves: list[Pose]) -> bool:
    first = moves[0]
    return all(
        np.abs(m[0] - first[0]).max() < ON and np.abs(m[1] - first[1]).max() < ALIGNED
        for m in moves
    )


def _features(solid: Triangles) -> tuple[Feature, ...]:
    return solid.features if isinstance(solid, ExactSolid) else tuple(mesh_features(solid))


def _size(solid: Triangles) -> float:
    return float(np.linalg.norm(np.ptp(solid.vertices, axis=0)))


def _feature_at(frame: Pose, change: Change) -> Feature | None:
    """The feature of an old part on which a frame is, round ones first; in the axes of the part."""
    origin, axes = change.was
    at, z = axes.T @ (frame[0] - origin), axes.T @ frame[1][:, 2]
    near = ON * _size(change.old)
    found = [f for f in _features(change.old) if _is_on(f, at, z, near)]

    def rank(feature: Feature) -> tuple[bool, bool, float]:
        apart = float(np.linalg.norm(at - feature.point))
        return feature.kind not in ROUND, feature.kind == PLANE, apart

    return min(found, key=rank, default=None)


def _is_on(feature: Feature, at: Floats, z: Floats, near: float) -> bool:
    """Whether a frame is at a point, on a line or in the plane of a face, and looks along it."""
    way = at - feature.point
    if feature.is_point:
        return float(np.abs(way).max()) <= near
    if np.linalg.norm(np.cross(feature.direction, z)) > ALIGNED:
        return False
    along = float(way @ feature.direction)
    if feature.kind == PLANE:
        return abs(along) <= near
    beside = float(np.linalg.norm(way - along * feature.direction))
    return beside <= near and (feature.kind in ROUND or abs(along) <= feature.half + near)


def _same_feature(feature: Feature, change: Change) -> Feature | None:
    """What a feature of the old part is in the new one; None where nothing is like it."""
    if change.new is None:
        return None
    if change.new.digest == change.old.digest:
        return feature
    size = max(_size(change.old), _size(change.new))

    def nearest(of: Feature, among: Triangles) -> tuple[float, Feature | None]:
        alike = [f for f in _features(among) if f.kind == of.kind]
        rated = [(_unlike(of, f, size), k, f) for k, f in enumerate(alike)]
        best = min(rated, default=(np.inf, 0, None))
        return best[0], best[2]

    unlike, found = nearest(feature, change.new)
    if found is None or unlike > FAR:
        return None
    back, own = nearest(found, change.old)
    same = own is not None and back >= unlike - 1e-12
    return found if same else None


def _unlike(a: Feature, b: Feature, size: float) -> float:
    """How far two features of one kind are from being the same, in sizes of their part."""
    apart = float(np.linalg.norm(a.point - b.point)) / size
    wider = abs(a.radius - b.radius) / size
    turned = float(np.linalg.norm(np.cross(a.direction, b.direction)))
    return apart + wider + turned * FAR / TURNED


def _placed(frame: Frame, here: Pose, was: Feature, now: Feature) -> Frame:
    """A frame moved as a feature has, turned no more than that asks for."""
    turn = np.eye(3)
    if not was.is_point:
        towards = now.direction if was.direction @ now.direction >= 0.0 else -now.direction
        turn = least_turn(was.direction, towards)
    return replace(frame, **placement(now.point + turn @ (here[0] - was.point), turn @ here[1]))
