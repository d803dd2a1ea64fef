"""Names of the columns of the arrays in `tables`, one declaration for each array.

Kernels index with them: an IntEnum costs nothing there.
"""

from __future__ import annotations

from enum import IntEnum


class Coordinate(IntEnum):
    JOINT = 0
    KIND = 1
    AXIS = 2  # of rotation, or of the slide
    I = 3  # axes that the angle is measured with
    J = 4
    SIGN = 5
    NEED = 6  # tables.UNUSED, ACTED_ALONG, ASKED_FOR
    GEAR_PAIR = 7  # row of `mesh` for coordinates along teeth, else −1


class Row(IntEnum):
    """Constraint rows."""

    JOINT = 0
    KIND = 1
    I = 2  # axes of A and B, as the kind has them
    J = 3
    COORDINATE = 4
    ELEMENT = 5
    SWITCH = 6  # −1 for none, as below
    MOTION = 7


class RowValue(IntEnum):
    SCALE = 0  # 1, or a length [m]
    COMPLIANCE = 1
    TARGET = 2
    TARGET_RATE = 3


class Term(IntEnum):
    """Terms of sums of coordinates."""

    ROW = 0
    COORDINATE = 1


class SpringValue(IntEnum):
    """Of springs on coordinates and of lines of force."""

    STIFFNESS = 0
    FREE = 1  # position or length
    PRELOAD = 2
    DAMPING = 3


class Stop(IntEnum):
    COORDINATE = 0
    ELEMENT = 1
    SIDE = 2
    SWITCH = 3


class Friction(IntEnum):
    COORDINATE = 0
    ELEMENT = 1
    ROW = 2
    SWITCH = 3
    LOAD = 4  # three rows whose reactions load it, −1 for none
    MOTOR = 7
    PROGRAM = 8  # of a brake


class Sensor(IntEnum):
    KIND = 0
    ROW = 1
    COMPONENT = 2


class Program(IntEnum):
    FIRST = 0  # instruction
    LAST = 1
    WHEN = 2


class Instruction(IntEnum):
    CODE = 0
    ARGUMENT = 1


class Curve(IntEnum):
    FIRST = 0  # row of curve_piece
    LAST = 1
    SWITCH = 2


class Piece(IntEnum):
    """Cubic pieces: where one begins, and its coefficients."""

    X = 0
    C0 = 1
    C1 = 2
    C2 = 3
    C3 = 4


class Switch(IntEnum):
    KIND = 0
    ROW = 1  # in the family of the kind
    DIRECTION = 2  # of events
    ELEMENT = 3


class Quick(IntEnum):
    MODE = 0
    STEP = 1  # s
