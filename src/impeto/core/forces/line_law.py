"""Forces along the line between two points: springs, dampers, ropes, bumpers, pulls by program."""

from __future__ import annotations

from enum import IntEnum

import numpy as np

from impeto.core.dynamics.columns import Curve, SpringValue
from impeto.core.dynamics.efforts import add_force
from impeto.core.dynamics.kernel import inlined, kernel
from impeto.core.dynamics.programs import area, decide, look_up
from impeto.core.dynamics.tables import BUMPER, BY_PROGRAM, ROPE, X_LINKS, Tables, Workspace
from impeto.core.dynamics.vectors import cross, turn
from impeto.core.geometry.arrays import Floats, IntRows, Ints, Rows


class Line(IntEnum):
    """Forces along the line between two points."""

    A = 0  # bodies
    B = 1
    LAW = 2
    ELEMENT = 3
    OVER_LENGTH = 4  # curves, −1 for none
    OVER_SPEED = 5
    PROGRAM = 6
    SWITCH = 7  # the first of two


class Pull(IntEnum):
    """Of lines of force, in the workspace."""

    FORCE = 0
    ENERGY = 1
    TENSION = 2  # see tables.SENSE_TENSION


@inlined
def add_links(T: Tables, S: Workspace) -> None:
    """Straight springs, dampers, ropes, bumpers and pulls by formula."""
    force = S.work[0]
    for index in range(T.link.shape[0]):
        length, rate = S.length[index, 0], S.length[index, 1]
        power = T.extra[X_LINKS] + index
        if S.on[T.link[index, Line.ELEMENT]] == 0.0:
            S.pull[index, Pull.FORCE], S.pull[index, Pull.ENERGY], S.pull[index, Pull.TENSION] = (
                0.0,
                0.0,
                0.0,
            )
            S.power[power] = 0.0
            switched_off(T, S, index)
            continue
        if T.link[index, Line.LAW] == BY_PROGRAM:
            pull = S.signal[T.link[index, Line.PROGRAM]]
            S.pull[index, Pull.FORCE], S.pull[index, Pull.ENERGY], S.pull[index, Pull.TENSION] = (
                pull,
                0.0,
                pull,
            )
            S.power[power] = pull * rate  # what it takes out
        else:
            pull, elastic, S.pull[index, Pull.TENSION] = link_law(
                T.link[index], T.link_value[index], length, rate, T.curve, T.curve_piece, S.switch,
                S.guard, S.memory,
            )  # fmt: skip
            S.pull[index, Pull.FORCE] = pull
            S.pull[index, Pull.ENERGY] = stored(
                T.link[index], T.link_value[index], length, T.curve, T.curve_piece, S.switch
            )
            S.power[power] = (pull - elastic) * rate
        line = S.line[index]
        for k in range(3):
            force[k] = line[6 + k] * pull / length
        add_force(S.wrench[T.link[index, Line.A]], line[0:3], force, 1.0)
        add_force(S.wrench[T.link[index, Line.B]], line[3:6], force, -1.0)


@inlined
def switched_off(T: Tables, S: Workspace, index: int) -> None:
    """Nothing changes in a straight element that is off."""
    if T.link[index, Line.SWITCH] >= 0:
        S.guard[T.link[index, Line.SWITCH]] = 1.0
        S.guard[T.link[index, Line.SWITCH] + 1] = 1.0
    for column in (4, 5):
        if T.link[index, column] >= 0:
            S.guard[T.curve[T.link[index, column], Curve.SWITCH]] = 1.0


@kernel
def link_law(
    link: Ints, value: Floats, length: float, rate: float, curve: IntRows, piece: Rows,
    switch: Ints, guard: Floats, memory: Floats,
) -> tuple[float, float, float]:  # fmt: skip
    """Pull of a straight element, the part of it that comes from stored energy, and its tension:
    of a rope or bumper that does not bear, the spring's or the whole pull if it did, whichever is
    further from bearing."""
    stretch = length - value[SpringValue.FREE]
    law = link[Line.LAW]
    if law == ROPE or law == BUMPER:
        sense = 1.0 if law == ROPE else -1.0
        taut = decide(switch, guard, link[Line.SWITCH], sense * stretch)
        pull = value[SpringValue.STIFFNESS] * stretch + value[SpringValue.DAMPING] * rate
        works = decide(switch, guard, link[Line.SWITCH] + 1, sense * pull)
        tension = sense * min(sense * value[SpringValue.STIFFNESS] * stretch, sense * pull)
        if not taut:
            guard[link[Line.SWITCH] + 1] = 1.0
            return 0.0, 0.0, tension
        return (
            (pull if works else 0.0),
            value[SpringValue.STIFFNESS] * stretch,
            (pull if works else tension),
        )
    elastic = value[SpringValue.PRELOAD] + value[SpringValue.STIFFNESS] * stretch
    if link[Line.OVER_LENGTH] >= 0:
        elastic += look_up(piece, curve[link[Line.OVER_LENGTH]], stretch, switch, guard, memory)
    pull = elastic + value[SpringValue.DAMPING] * rate
    if link[Line.OVER_SPEED] >= 0:
        pull += look_up(piece, curve[link[Line.OVER_SPEED]], rate, switch, guard, memory)
    return pull, elastic, pull


@kernel
def stored(
    link: Ints, value: Floats, length: float, curve: IntRows, piece: Rows, switch: Ints
) -> float:
    """Energy [J] in a straight element, zero at its free length."""
    stretch = length - value[SpringValue.FREE]
    law = link[Line.LAW]
    if law == ROPE or law == BUMPER:
        return (
            0.5 * value[SpringValue.STIFFNESS] * stretch * stretch
            if switch[link[Line.SWITCH]]
            else 0.0
        )
    energy = stretch * (value[SpringValue.PRELOAD] + 0.5 * value[SpringValue.STIFFNESS] * stretch)
    if link[Line.OVER_LENGTH] >= 0:
        energy += area(
            piece, curve[link[Line.OVER_LENGTH], 0], curve[link[Line.OVER_LENGTH], 1], stretch
        )
    return energy


@inlined
def set_links(T: Tables, S: Workspace) -> None:
    """Lever arms, line, length and its rate of every straight force element."""
    for index in range(T.link.shape[0]):
        a, b = T.link[index, Line.A], T.link[index, Line.B]
        line = S.line[index]
        turn(S.rotation[a], T.link_point[index, 0], line[0:3])
        turn(S.rotation[b], T.link_point[index, 1], line[3:6])
        va, vb = cross(S.spin[a], line[0:3]), cross(S.spin[b], line[3:6])
        square, product = 0.0, 0.0
        for k in range(3):
            d = S.x[b, k] + line[3 + k] - S.x[a, k] - line[k]
            line[6 + k] = d
            square += d * d
            product += d * (S.v[b, k] + vb[k] - S.v[a, k] - va[k])
        length = np.sqrt(square)
        S.length[index, 0] = length
        S.length[index, 1] = product / length
