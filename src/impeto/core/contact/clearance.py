"""Least distance between shapes for placements that are given, apart from any run."""

from __future__ import annotations

import numpy as np

from impeto.core.contact.columns import (
    ANCHOR,
    FEATURE_ROUNDING,
    FIRST_FEATURE,
    FIRST_SAMPLE,
    FOUND,
    LAST_FEATURE,
    LAST_SAMPLE,
    NOW,
    POINT_AT,
    ROUNDING,
    SHAPE_A,
    SHAPE_B,
    START,
)
from impeto.core.contact.features import CLOSE, POINT, RIM, SURFACE, deepest, probe
from impeto.core.contact.forces import place_shapes, set_turn
from impeto.core.contact.places import find_place, other_field, put_at, set_yielding
from impeto.core.contact.seeking import nearest_sample
from impeto.core.dynamics.kernel import kernel
from impeto.core.dynamics.tables import Tables, Workspace
from impeto.core.geometry.arrays import Floats, IntRows, Matrix3, Vector3

FAR = 1e9  # m
MOVES = 6  # from a sample to the next, on the way to the nearest place


@kernel
def clearances(
    T: Tables, S: Workspace, rows: IntRows, centers: Floats, rotations: Floats, out: Floats
) -> None:
    """out (N,) = least distance [m] over pairs of shapes, rows as in S.near.

    centers (N, n+1, 3) and rotations (N, n+1, 3, 3) of the bodies in the world
    """
    turn, offset, found = S.contact_work[0:3, 0:3], S.contact_work[3, 0:3], S.contact_work[FOUND]
    for instant in range(out.shape[0]):
        for body in range(S.x.shape[0]):
            for i in range(3):
                S.x[body, i] = centers[instant, body, i]
                for k in range(3):
                    S.rotation[body, i, k] = rotations[instant, body, i, k]
        place_shapes(T, S)
        out[instant] = FAR
        for index in range(rows.shape[0]):
            a, b = rows[index, SHAPE_A], rows[index, SHAPE_B]
            set_turn(S, a, b, turn, offset)
            for f in range(T.shape[a, FIRST_FEATURE], T.shape[a, LAST_FEATURE]):
                roundings = T.feature_value[f, FEATURE_ROUNDING] + T.shape_value[b, ROUNDING]
                if T.feature[f] == SURFACE:
                    nearest_place(T, S, a, b, turn, offset, found)
                elif T.feature[f] == POINT or T.feature[f] == RIM:
                    probe(T, f, 0.0, CLOSE, b, turn, offset, found)
                else:
                    deepest(T, f, FAR, CLOSE, b, turn, offset, found)
                out[instant] = min(out[instant], found[0] - roundings)


@kernel
def nearest_place(
    T: Tables, S: Workspace, a: int, b: int, turn: Matrix3, offset: Vector3, found: Floats
) -> None:
    """Where the surface of a sampled shape is nearest to B: from the nearest sample downhill."""
    best, least = T.shape[a, FIRST_SAMPLE], np.inf
    for sample in range(T.shape[a, FIRST_SAMPLE], T.shape[a, LAST_SAMPLE]):
        at = T.sample_value[sample, POINT_AT : POINT_AT + 3]
        distance = other_field(T, b, turn, offset, (at[0], at[1], at[2]))[0]
        if distance < least:
            best, least = sample, distance
    patch = S.patch[0]
    at = T.sample_value[best, POINT_AT : POINT_AT + 3]
    put_at(T, best, patch, (at[0], at[1], at[2]))
    for _ in range(MOVES):
        set_yielding(T, a, b, turn, offset, patch)
        find_place(T, a, b, turn, offset, patch, found)
        for k in range(3):
            patch[START + k] = patch[NOW + k]
        p = (patch[NOW], patch[NOW + 1], patch[NOW + 2])
        sample = nearest_sample(T, int(patch[ANCHOR]), p)
        if sample == int(patch[ANCHOR]):
            break
        put_at(T, sample, patch, p)
