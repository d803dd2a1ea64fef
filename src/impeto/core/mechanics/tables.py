"""The arrays that the compiled kernels work on.

Tables never change during a run; Workspace is scratch memory of one evaluation. All floats are
float64, all integers int64, all arrays C-contiguous, so that each kernel compiles once.
Body row 0 is the ground. A state vector y holds per moving body position of the centre of mass
(3) and quaternion w x y z (4), then per body velocity (3, world) and spin (3, body axes), then
the extra states: references of prescribed speeds and accelerations, and accumulated work.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

# Kinds of rows and coordinates.
SLIDE, DOT, TURN_A, TURN_B = 0, 1, 2, 3
# What a prescribed motion gives.
BY_POSITION, BY_SPEED, BY_ACCELERATION = 0, 1, 2
# Kinds of sensors.
SENSE_POSITION, SENSE_VELOCITY, SENSE_SPIN, SENSE_COORDINATE, SENSE_RATE = 0, 1, 2, 3, 4


class Tables(NamedTuple):
    """n bodies without ground, J joints, C coordinates, m constraint rows."""

    mass: Floats  # (n+1,) kg
    inertia: Floats  # (n+1, 3, 3) kg m², centre of mass, body axes
    inverse_inertia: Floats  # (n+1, 3, 3)
    origin: Floats  # (n+1, 3) m, body origin from the centre of mass, body axes
    gravity: Floats  # (3,) m/s², world
    joint_body: Ints  # (J, 2)
    joint_point: Floats  # (J, 2, 3) m, frame origins from the centre of mass, body axes
    joint_axes: Floats  # (J, 2, 3, 3) frame axes as columns, body axes
    row: Ints  # (m, 4) joint, kind, axis of A, axis of B
    row_scale: Floats  # (m,) 1 for slides, a length [m] for turns
    row_motion: Ints  # (m,) motion that prescribes the row, or -1
    coordinate: Ints  # (C, 6) joint, kind, rotation axis, i, j, sign: see kinematics.measure
    behaviour: Ints  # (B,) coordinate
    behaviour_value: Floats  # (B, 3) stiffness, free position, damping
    link: Ints  # (L, 2) bodies
    link_point: Floats  # (L, 2, 3) m, from the centre of mass, body axes
    link_value: Floats  # (L, 4) stiffness, free length, preload, damping
    load: Ints  # (F, 4) body, is torque, follows the body, program
    load_point: Floats  # (F, 3) m, from the centre of mass, body axes
    load_direction: Floats  # (F, 3)
    effort: Ints  # (E, 2) coordinate, program
    motion: Ints  # (P, 6) coordinate, kind, three programs (value and rates), first extra state
    sensor: Ints  # (S, 3) kind, row, component
    program: Ints  # (K, 2) first and last instruction
    instruction: Ints  # (N, 2) code, argument
    constant: Floats  # numbers that instructions refer to
    extra: Ints  # (5,) first extra-state index of loads, efforts, motions, links, behaviours
    kkt_column: Ints  # (N+1,) start of each column of the upper triangle
    kkt_row: Ints  # row numbers
    kkt_value: Floats  # constant part: masses, and -epsilon on the diagonal of the rows
    slot: Ints  # (m, 12) where each row's Jacobian entry goes, or -1 for the ground
    place: Ints  # (m,) position of each constraint row among the unknowns
    factor_column: Ints  # (N+1,) start of each column of L
    pattern_start: Ints  # (N+1,)
    pattern: Ints  # for each row of L its columns, in order of elimination


class Workspace(NamedTuple):
    """Scratch arrays, written by every evaluation."""

    x: Floats  # (n+1, 3) centres of mass, world
    rotation: Floats  # (n+1, 3, 3)
    v: Floats  # (n+1, 3) world
    spin: Floats  # (n+1, 3) world
    arm: Floats  # (J, 2, 3) from centres of mass to frame origins, world
    gap: Floats  # (J, 3) frame A to frame B, world
    gap_rate: Floats  # (J, 3)
    axes: Floats  # (J, 2, 3, 3) frame axes as columns, world
    coordinate: Floats  # (C,)
    rate: Floats  # (C,)
    turned: Floats  # (C,) last accepted angle, from which revolutions are counted
    jacobian: Floats  # (m, 12) velocity and spin of A, then of B; spins in body axes
    value: Floats  # (m,) constraint residual
    speed: Floats  # (m,) residual of the constraint on velocities
    gamma: Floats  # (m,) right-hand side on accelerations
    sensed: Floats  # (S,)
    stack: Floats  # (64,)
    signal: Floats  # (K,) value of each program
    wrench: Floats  # (n+1, 6) force, world, and torque about the centre of mass, world
    power: Floats  # rate of each extra state
    kkt: Floats
    factor: Floats
    factor_row: Ints
    pivot: Floats  # (N,)
    filled: Ints  # (N,)
    scratch: Floats  # (N,)
    right: Floats  # (N,)
    solution: Floats  # (N,)
    row12: Floats  # (12,)
