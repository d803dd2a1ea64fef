"""Columns of the arrays of contact in Tables and Workspace."""

from __future__ import annotations

# S.near: features of shape A against the field of shape B.
SHAPE_A, SHAPE_B, RULE, FIRST_SLOT, SLOTS, HALVED, NEAR_WIDTH = range(7)
# T.shape and T.shape_value.
(
    BODY, KIND, FIRST_FEATURE, LAST_FEATURE, FIRST_POINT, LAST_POINT, BELT, PROGRAM, SHAPE_WIDTH,
) = range(9)  # fmt: skip
(
    CENTER, AXES, SIZE, ROUNDING, BOUND, THICKNESS, BELT_AXIS, VALUE_WIDTH,
) = 0, 3, 12, 16, 17, 18, 19, 22  # fmt: skip
# T.feature_value: both ends, core radii there, rounding, weight.
FEATURE_ROUNDING, WEIGHT, FEATURE_WIDTH = 8, 9, 10
# S.patch: points of contact.
(
    DEPTH, CLOSING, PLACE, NORMAL, FORCE, FRICTION, SLIP, STORED, IMPACT, MASS, SLOPE, ELASTIC,
    PATCH_WIDTH,
) = 0, 1, 2, 5, 8, 9, 12, 13, 14, 15, 16, 17, 18  # fmt: skip
STATES = 4  # of each point of contact: its bristle (3), world, and the work it has taken in
