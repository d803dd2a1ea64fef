"""Where the members of a Repeat are: by which moves of the world the first comes to each."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.errors import ModelError
from impeto.core.geometry.rotation import from_roll_pitch_yaw, from_rotation_vector
from impeto.core.geometry.swept import BEND, Piece, pieces_of
from impeto.core.model.scope import Scope

Floats = npt.NDArray[np.float64]
Move = tuple[Floats, Floats]  # p (3,) m and R (3, 3): a point x of the world goes to R x + p
LINE, CIRCLE, PATH, END_TO_END = "a line", "a circle", "a path", "end to end"
FURTHER, TO_AND_FRO = "further each time", "to and fro"
CLOSE = 1e-9  # of the length of a path: past its end by rounding


def after(second: Move, first: Move) -> Move:
    """One move after the other."""
    return second[1] @ first[0] + second[0], second[1] @ first[1]


def back(move: Move) -> Move:
    return -move[1].T @ move[0], move[1].T


def about(origin: Floats, rotation: Floats) -> Move:
    """A turn about a point."""
    return origin - rotation @ origin, rotation


def in_a_line(repeat: Any, scope: Scope, count: int, first: Move) -> list[Move]:
    """first : pose of the first body, about whose axes each is turned as well"""
    step = scope.vector(repeat, "step", "length")
    if not (step.any() or scope.vector(repeat, "turn", "angle").any()):
        raise ModelError(
            "all members would lie in one place", element=repeat.name, field="step",
            remedy="Type a length",
        )  # fmt: skip
    turns = own_turns(repeat, scope, count, first)
    return [after((number * step, np.eye(3)), turn) for number, turn in enumerate(turns)]


def own_turns(repeat: Any, scope: Scope, count: int, first: Move) -> list[Move]:
    """By what each is turned about the axes of the first body: against the one before, or every
    other one against the first."""
    origin, axes = first
    turned = axes @ from_roll_pitch_yaw(scope.vector(repeat, "turn", "angle")) @ axes.T
    found, rotation = [], np.eye(3)
    for number in range(count):
        found.append(about(origin, rotation))
        to_and_fro = repeat.turning == TO_AND_FRO and number % 2
        rotation = np.eye(3) if to_and_fro else turned @ rotation
    return found


def in_a_circle(repeat: Any, scope: Scope, count: int, centre: Move) -> list[Move]:
    """centre : pose of the frame about whose z axis they lie"""
    angle = 2.0 * np.pi / count
    if repeat.angle is not None:
        angle = scope.field(repeat, "angle", "angle")
        if angle == 0.0:
            raise ModelError(
                "all members would lie in one place", element=repeat.name, field="angle",
                remedy="Type an angle, or leave it empty for all round",
            )  # fmt: skip
    origin, axes = centre
    turns = (from_rotation_vector(k * angle * axes[:, 2]) for k in range(count))
    return [about(origin, rotation) for rotation in turns]


def along_a_path(repeat: Any, scope: Scope, count: int, first: Move) -> list[Move]:
    """first : pose of the first body; the others lie to the path as it does"""
    values = scope.outline(repeat, "path")
    closed = repeat.closed_path
    try:
        pieces = pieces_of(values[:, :BEND], values[:, BEND], closed)
    except ModelError as error:
        raise error.at(repeat.name, "path") from None
    length = pieces[-1].begin + pieces[-1].length
    begin = _nearest(pieces, first[0])
    room = length if closed else length - begin
    if repeat.spacing is not None:
        spacing = scope.field(repeat, "spacing", "length")
        if not spacing > 0.0:
            raise ModelError(
                "it must be greater than zero", element=repeat.name, field="spacing",
                remedy="Type a larger value, or leave it empty",
            )  # fmt: skip
    else:
        spacing = room / (count if closed else max(count - 1, 1))
    if (count - 1) * spacing > room * (1.0 + CLOSE) - (spacing if closed else 0.0) * (1.0 - CLOSE):
        raise ModelError(
            f"{count} members do not fit on its path, of which {room:.4g} m are left",
            element=repeat.name, field="path", remedy="Make the path longer or the spacing smaller",
        )  # fmt: skip
    start = back(_pose_at(pieces, begin, length))
    places = begin + spacing * np.arange(count)
    places = np.mod(places, length) if closed else np.minimum(places, length)
    turns = own_turns(repeat, scope, count, first)
    return [
        after(after(_pose_at(pieces, float(place), length), start), turn)
        for place, turn in zip(places, turns, strict=True)
    ]


def end_to_end(count: int, end: Move, begin: Move) -> list[Move]:
    """end, begin : poses of the frames by which each member is tied to the next, world: the begin
    of each lies on the end of the one before."""
    step = after(end, back(begin))
    moves = [(np.zeros(3), np.eye(3))]
    for _ in range(count - 1):
        moves.append(after(step, moves[-1]))
    return moves


def _pose_at(pieces: list[Piece], along: float, length: float) -> Move:
    piece = next(p for p in reversed(pieces) if p.begin <= along or p is pieces[0])
    place, u, v, way = piece.axes_at(min(along, length) - piece.begin)
    return place, np.column_stack([way, -u, v])


def _nearest(pieces: list[Piece], point: Floats) -> float:
    """How far along a path [m] it is nearest to a point."""
    best, found = np.inf, 0.0
    for piece in pieces:
        if piece.length == 0.0:  # a sharp corner
            continue
        _, along = piece.seen(point[None])
        at = float(np.clip(along[0], 0.0, piece.length))
        away = float(np.linalg.norm(piece.axes_at(at)[0] - point))
        if away < best - CLOSE:
            best, found = away, piece.begin + at
    return found
