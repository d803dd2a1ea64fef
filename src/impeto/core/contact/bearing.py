"""Whether a flat face needs places of its own.

Two faces that meet touch at the corners of what they share: corners of one over the inside of the
other, and where edges cross. Places within a face only lie somewhere between those, so that a blow
along the normal would turn the body. But where every edge lies over an edge, no corner is over the
inside of anything, and the face must bear.
"""

from __future__ import annotations

from impeto.core.contact.columns import (
    BOUND,
    CORE_X,
    CORE_Y,
    CORE_Z,
    END_X,
    FEATURE_ROUNDING,
    FIRST_FEATURE,
    FIRST_SAMPLE,
    GX,
    GY,
    GZ,
    HALVED,
    LAST_FEATURE,
    LAST_SAMPLE,
    OUTWARD,
    PLANE,
    POINT_AT,
    RADIUS_A,
    RADIUS_B,
    ROAM,
    ROUNDING,
    SAMPLE_KIND,
    SHAPE_A,
    SHAPE_B,
    THICKNESS,
)
from impeto.core.contact.features import BARREL, LINE, SURFACE
from impeto.core.contact.fields import field
from impeto.core.contact.places import SMOOTH, other_field, turned_back
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.dynamics.vectors import dot
from impeto.core.geometry.arrays import Ints, Matrix3, Vector3

INSIDE = 0.1  # of the smaller extent: so far below a face it is looked whether that goes on there
THIN = 0.2  # of the thickness: no deeper than that
SAME = 1.0 - 1e-9  # cosine: of one face
GOES_ON, WELL = 0.5, 0.8  # of that depth: so far from every side a point is (well) inside


@kernel
def is_on_a_face(T: Tables, sample: int) -> bool:
    return T.sample[sample, SAMPLE_KIND] == SMOOTH and T.sample_value[sample, PLANE] > 0.0


@kernel
def looked_below(T: Tables, a: int, b: int) -> float:
    """How deep [m] below a face it is looked whether its body goes on."""
    thin = min(T.shape_value[a, THICKNESS], T.shape_value[b, THICKNESS])
    return min(INSIDE * min(T.shape_value[a, BOUND], T.shape_value[b, BOUND]), THIN * thin)


@kernel
def leave_out_borne_faces(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, reach: float
) -> None:
    """Put samples of flat faces of A that edges or corners bear out of reach, in S.sample_gap, and
    of others those that lie beside an edge of B: face by face, as samples come in their order."""
    if row[HALVED] == 0:
        return
    known, borne, inner = (0.0, 0.0, 0.0), False, False
    for sample in range(T.shape[row[SHAPE_A], FIRST_SAMPLE], T.shape[row[SHAPE_A], LAST_SAMPLE]):
        most = reach + T.sample_value[sample, ROAM]
        if S.sample_gap[sample] >= most or not is_on_a_face(T, sample):
            continue
        value = T.sample_value[sample]
        n = (value[OUTWARD], value[OUTWARD + 1], value[OUTWARD + 2])
        if dot(n, known) < SAME:
            nearest = nearest_of_face(T, S, row[SHAPE_A], sample, n)
            known, borne = n, is_borne(T, S, row, turn, offset, nearest, n)
            inner = not borne and has_inner(T, S, row, turn, offset, sample, n, reach)
        if borne or (inner and not is_inner(T, S, row, turn, offset, sample, n)):
            S.sample_gap[sample] = most


@kernel
def nearest_of_face(T: Tables, S: Workspace, a: int, first: int, n: Vector3) -> int:
    """The sample from `first` on that is nearest to B of those whose normal is n (3,)."""
    nearest = first
    for sample in range(first + 1, T.shape[a, LAST_SAMPLE]):
        if S.sample_gap[sample] < S.sample_gap[nearest] and is_on_a_face(T, sample):
            value = T.sample_value[sample]
            if dot(n, (value[OUTWARD], value[OUTWARD + 1], value[OUTWARD + 2])) >= SAME:
                nearest = sample
    return nearest


@kernel
def has_inner(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, first: int, n: Vector3,
    reach: float,
) -> bool:  # fmt: skip
    """Whether any sample within reach, from `first` on, whose normal is n lies over the inside."""
    for sample in range(first, T.shape[row[SHAPE_A], LAST_SAMPLE]):
        near = S.sample_gap[sample] < reach + T.sample_value[sample, ROAM]
        if near and is_on_a_face(T, sample):
            value = T.sample_value[sample]
            along = dot(n, (value[OUTWARD], value[OUTWARD + 1], value[OUTWARD + 2]))
            if along >= SAME and is_inner(T, S, row, turn, offset, sample, n):
                return True
    return False


@kernel
def is_inner(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, sample: int, n: Vector3
) -> bool:
    """Whether a sample of a face lies well over the inside of B, and not beside its edges."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    below = looked_below(T, a, b)
    p, down = T.sample_value[sample, POINT_AT : POINT_AT + 3], S.sample_gap[sample] + below
    q = (p[0] + down * n[0], p[1] + down * n[1], p[2] + down * n[2])
    return T.shape_value[b, ROUNDING] - other_field(T, b, turn, offset, q)[0] > WELL * below


@kernel
def is_borne(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, face: int, n: Vector3
) -> bool:
    """Whether a corner, an edge or a round of either shape comes down on the inside of a face of
    the other, at the level of a flat face of A at most.

    face : a sample of that face;  n (3,) : its normal, axes of A
    """
    a, b = row[SHAPE_A], row[SHAPE_B]
    below = looked_below(T, a, b)
    gap, at = S.sample_gap[face], T.sample_value[face, POINT_AT : POINT_AT + 3]
    for sample in range(T.shape[a, FIRST_SAMPLE], T.shape[a, LAST_SAMPLE]):
        if S.sample_gap[sample] > gap + below or is_on_a_face(T, sample):
            continue
        p, down = T.sample_value[sample, POINT_AT : POINT_AT + 3], gap + below
        q = (p[0] + down * n[0], p[1] + down * n[1], p[2] + down * n[2])
        depth = T.shape_value[b, ROUNDING] - other_field(T, b, turn, offset, q)[0]
        if depth > GOES_ON * below:
            return True
    level = dot(n, at)
    for sample in range(T.shape[b, FIRST_SAMPLE], T.shape[b, LAST_SAMPLE]):
        v = T.sample_value[sample, POINT_AT : POINT_AT + 3]
        if not is_on_a_face(T, sample) and comes_down(
            T, a, turn, offset, n, level, gap, below, (v[0], v[1], v[2])
        ):
            return True
    for f in range(T.shape[b, FIRST_FEATURE], T.shape[b, LAST_FEATURE]):
        if T.feature[f] != SURFACE and feature_comes_down(
            T, a, turn, offset, n, level, gap, below, f
        ):
            return True
    return False


@kernel
def comes_down(
    T: Tables, a: int, turn: Matrix3, offset: Vector3, n: Vector3, level: float, gap: float,
    below: float, p: Vector3,
) -> bool:  # fmt: skip
    """Whether a point (3,) of B, in its axes, comes down on the inside of the face of A whose
    normal is n and which is at that level along it [m]."""
    p = turned_back(turn, (p[0] - offset[0], p[1] - offset[1], p[2] - offset[2]))
    above = dot(n, p) - level
    if above > gap + below or above < -0.5 * T.shape_value[a, THICKNESS]:
        return False
    down = above + below
    depth = T.shape_value[a, ROUNDING] - field(
        T, a, p[0] - down * n[0], p[1] - down * n[1], p[2] - down * n[2]
    )[0]  # fmt: skip
    return depth > GOES_ON * below


@kernel
def feature_comes_down(
    T: Tables, a: int, turn: Matrix3, offset: Vector3, n: Vector3, level: float, gap: float,
    below: float, f: int,
) -> bool:  # fmt: skip
    """The same of a point, of the ends and the middle of a line, or of the side of a bar."""
    value, style = T.feature_value[f], T.feature[f]
    m = (
        turn[0, 0] * n[0] + turn[0, 1] * n[1] + turn[0, 2] * n[2],
        turn[1, 0] * n[0] + turn[1, 1] * n[1] + turn[1, 2] * n[2],
        turn[2, 0] * n[0] + turn[2, 1] * n[1] + turn[2, 2] * n[2],
    )  # fmt: skip
    lies = style == LINE or style == BARREL
    for k in range(3 if lies else 1):
        share = 0.5 * k
        out = value[FEATURE_ROUNDING]
        if lies:
            out += value[RADIUS_A] + share * (value[RADIUS_B] - value[RADIUS_A])
        p = (
            value[0] + share * (value[END_X] - value[0]) - out * m[0],
            value[1] + share * (value[END_X + 1] - value[1]) - out * m[1],
            value[2] + share * (value[END_X + 2] - value[2]) - out * m[2],
        )  # fmt: skip
        if comes_down(T, a, turn, offset, n, level, gap, below, p):
            return True
    return False


@kernel
def goes_on(
    T: Tables, S: Workspace, row: Ints, turn: Matrix3, offset: Vector3, corner: int
) -> bool:
    """Whether B goes on behind where a corner of A is nearest to it: not so at its edges."""
    a, b = row[SHAPE_A], row[SHAPE_B]
    below = looked_below(T, a, b)
    p = T.sample_value[corner, POINT_AT : POINT_AT + 3]
    found = other_field(T, b, turn, offset, (p[0], p[1], p[2]))
    rounding = T.shape_value[b, ROUNDING]
    down = found[0] - rounding + below
    x, y, z = found[CORE_X], found[CORE_Y], found[CORE_Z]
    x, y, z = x - down * found[GX], y - down * found[GY], z - down * found[GZ]
    return rounding - field(T, b, x, y, z)[0] > GOES_ON * below
