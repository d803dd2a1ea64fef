"""Columns of the arrays of contact in Tables and Workspace."""

from __future__ import annotations

from enum import IntEnum

# S.near: features of shape A against the field of shape B. IDLE : 1 once an evaluation has found
# the whole row too far apart, 2 when a step has ended so: then nothing of it is to be looked at.
SHAPE_A, SHAPE_B, RULE, FIRST_SLOT, SLOTS, HALVED, IDLE, NEAR_WIDTH = range(8)
# T.shape and T.shape_value.
(
    BODY, KIND, FIRST_FEATURE, LAST_FEATURE, FIRST_POINT, LAST_POINT, BELT, PROGRAM, GRID,
    FIRST_SAMPLE, LAST_SAMPLE, SHAPE_WIDTH,
) = range(12)  # fmt: skip
(
    CENTER, AXES, SIZE, ROUNDING, BOUND, THICKNESS, BELT_AXIS, VALUE_WIDTH,
) = 0, 3, 12, 16, 17, 18, 19, 22  # fmt: skip
# T.feature_value: both ends, core radii there, rounding, weight.
END_X, END_Y, END_Z, RADIUS_A, RADIUS_B, FEATURE_ROUNDING, WEIGHT, FEATURE_WIDTH = range(3, 11)
# What is found of another shape: its distance, the gradient of that, and the place, axes of it.
DISTANCE, GX, GY, GZ, CORE_X, CORE_Y, CORE_Z, FOUND_WIDTH = range(8)
# Rows of S.contact_work behind the rotation from A to B: A's centre, what is found, a direction.
OFFSET, FOUND, DIRECTION = 3, 4, 5
# S.near_count: pairs; 1 when the list is to be renewed; slots; 1 when places began.
NEAR_PAIRS, NEAR_RENEW, NEAR_SLOTS, NEAR_BEGAN = range(4)
XX, YY, ZZ, XY, XZ, YZ = range(6)  # of symmetric matrices
# S.patch: points of contact.
(
    DEPTH, CLOSING, PLACE, NORMAL, FORCE, FRICTION, SLIP, STORED, IMPACT, MASS, SLOPE, ELASTIC,
    REST, BACKED,
) = 0, 1, 2, 5, 8, 9, 12, 13, 14, 15, 16, 17, 18, 19  # fmt: skip
# REST : depth from which a point bears;  BACKED : share of its force that what it took in backs
# Of places that are followed over a sampled surface, in the axes of its shape: the sample (−1 for
# none), place at the start of the step and now, inverse curvature (6: xx yy zz xy xz yz), pull to
# the sample [1/m], time [s] from the start of the step for which it stays apart. WORK : J that a
# point has taken in along its normal in quick mode
ANCHOR, START, NOW, YIELDING, PULLED, UNTIL, AGE, WORK, PATCH_WIDTH = (
    20, 21, 24, 27, 33, 34, 35, 36, 37,
)  # fmt: skip
CROSSING = 1.0  # anchor of two bars that touch at one point
# T.grid (first coefficient or cell, nodes or cells along x, y, z), T.grid_value (first one, step);
# T.sample (kind, neighbours) and T.sample_value.
FIRST_NODE, NODES, GRID_WIDTH = 0, 1, 4
ORIGIN, STEP, GRID_VALUES = 0, 3, 6
SAMPLE_KIND, NEIGHBOUR, SAMPLE_WIDTH = 0, 1, 9
# PLANE : m, how far a place on a flat face may be off the body as its grid knows it; 0 elsewhere
POINT_AT, OUTWARD, TANGENT, REACH, ROAM, PLANE, SAMPLE_VALUES = 0, 3, 6, 9, 10, 11, 12
# S.near_margin: of the list [m]; how far evaluations look [m]; how well deepest places are known
# (features.CLOSE); within a step, from which distance [m] pairs do not meet in it, 0 at its ends;
# the fastest [m/s] that two shapes near each other; the length of the step [s], with a reserve.
LISTED, LOOKED, KNOWN, BEYOND, NEARING, AHEAD, MARGINS = range(7)
# S.near_pose: turn and offset of A in B when places were last sought, velocity and spin of A then,
# against B and in the axes of A; the sample off all places that may touch first, −1 for none.
SOUGHT_TURN, SOUGHT_AT, SOUGHT_MOTION, OTHER, POSE_WIDTH = 0, 9, 12, 18, 19
STATES = 4  # of each point of contact: its bristle (3), world, and the work it has taken in
TAKEN = 3  # where that work is


class Sensed(IntEnum):
    """Of contact rules, in the workspace."""

    GAP = 0
    NORMAL = 1
    SLIP = 2
