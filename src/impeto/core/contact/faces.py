"""Which face of a body a point is pressed into, once it is deeper than the edges are rounded.

The distance field alone would send such a point out of the nearest side: a rim that lies over the
edge of what it hits would find that side at no depth at all, and pass through. A point stays with
the face through which it came in, as its normal before says, until it leaves the body.
"""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    CORE_X,
    CORE_Y,
    CORE_Z,
    DISTANCE,
    GX,
    GY,
    GZ,
    KIND,
    ROUNDING,
    SIZE,
    THICKNESS,
)
from impeto.core.contact.fields import BLOCK, CONE, PIPE, ROUND
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables
from impeto.core.geometry.arrays import Floats, Vector3

BESIDE = 1e-3  # of the thickness: how far beside a face a point still counts as over it
FACING = 0.7  # cosine between the normal before and that of the face
DEEPEST = 1.9  # times the depth of the middle: a point is not sent back through the whole body


@kernel
def held_face(T: Tables, b: int, normal: Vector3, found: Floats) -> float:
    """Let a point stay with the face it came in through: its distance [m] from the core of shape B
    and the way out are written to found (≥ 7,), which has its place in the axes of B at 4:7.

    normal : (3,) before, axes of B, zeros where there is none
    Returns how deep the middle of B lies behind that face [m].
    """
    kind, size = T.shape[b, KIND], T.shape_value[b, SIZE : SIZE + 4]
    rounding, thin = T.shape_value[b, ROUNDING], T.shape_value[b, THICKNESS]
    beside = BESIDE * thin
    if kind == CONE:
        return _held_end_of_cone(size, normal, found, beside, thin)
    if found[0] > beside or (kind != BLOCK and kind != ROUND and kind != PIPE):
        return thin
    if kind == BLOCK:
        return _held_face_of_block(size, normal, found, beside, thin, rounding)
    if abs(normal[2]) < FACING:
        return _held_side(kind, size, normal, found, beside, thin, rounding)
    half = size[1] if kind == ROUND else size[2]
    radius = np.sqrt(found[CORE_X] ** 2 + found[CORE_Y] ** 2)
    inner = size[1] if kind == PIPE else 0.0
    if radius - size[0] > beside or inner - radius > beside:
        return thin
    side = np.copysign(1.0, normal[2])
    return hold(found, side * found[CORE_Z] - half, 2, side, half + rounding, thin)


@kernel
def _held_face_of_block(
    size: Floats, normal: Vector3, found: Floats, beside: float, thin: float, rounding: float
) -> float:
    """The same for the six faces of a block."""
    k = 0
    for i in range(1, 3):
        if abs(normal[i]) > abs(normal[k]):
            k = i
    if abs(normal[k]) < FACING:
        return thin
    for i in range(3):
        if i != k and abs(found[CORE_X + i]) - size[i] > beside:
            return thin
    side = np.copysign(1.0, normal[k])
    return hold(found, side * found[CORE_X + k] - size[k], k, side, size[k] + rounding, thin)


@kernel
def _held_side(
    kind: int, size: Floats, normal: Vector3, found: Floats, beside: float, thin: float,
    rounding: float,
) -> float:  # fmt: skip
    """The same for the round side of a cylinder, and for both of a tube."""
    half = size[1] if kind == ROUND else size[2]
    radius = np.sqrt(found[CORE_X] ** 2 + found[CORE_Y] ** 2)
    if radius == 0.0 or abs(found[CORE_Z]) - half > beside:
        return thin
    out = (normal[0] * found[CORE_X] + normal[1] * found[CORE_Y]) / radius
    if kind == PIPE and out <= -FACING:
        depth = size[1] - radius
    elif out >= FACING:
        depth = radius - size[0]
    else:
        return thin
    thick = thin if kind == PIPE else size[0] + rounding
    if not found[DISTANCE] + beside >= depth > -DEEPEST * thick:
        return thin
    found[DISTANCE], found[GZ] = depth, 0.0
    found[GX] = np.copysign(found[CORE_X] / radius, out * found[CORE_X])
    found[GY] = np.copysign(found[CORE_Y] / radius, out * found[CORE_Y])
    return thick


@kernel
def _held_end_of_cone(
    size: Floats, normal: Vector3, found: Floats, beside: float, thin: float
) -> float:
    """The same for the ends of a cone: a point that came in over one stays with it although it lies
    beside the body that narrows behind it."""
    side = np.copysign(1.0, normal[2])
    outer, half = size[1] if side > 0.0 else size[0], size[2]
    radius = np.sqrt(found[CORE_X] ** 2 + found[CORE_Y] ** 2)
    depth = side * found[CORE_Z] - half
    if abs(normal[2]) < FACING or outer == 0.0 or radius - outer > beside:
        return thin
    if depth > beside or depth < -DEEPEST * half:
        return thin
    found[0], found[GX], found[GY], found[GZ] = depth, 0.0, 0.0, side
    return half


@kernel
def hold(found: Floats, depth: float, k: int, side: float, thick: float, thin: float) -> float:
    """The way out along axis k, where that is deeper than what the field says."""
    if not min(found[0], 0.0) + BESIDE * thin >= depth > -DEEPEST * thick:
        return thin
    found[0] = depth
    for i in range(3):
        found[1 + i] = side if i == k else 0.0
    return thick
