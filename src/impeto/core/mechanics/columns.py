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
    MESH = 7  # row of `mesh` for coordinates along teeth, else −1


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


class Teeth(IntEnum):
    """Pairs of gears: their coordinates, the switch of the flank and the row, −1 for none."""

    FIRST = 0
    SECOND = 1
    FLANK = 2
    ROW = 3


class TeethValue(IntEnum):
    ARM = 0  # m
    TANGENTIAL = 1
    ALONG = 2
    FIRST = 3  # pitch travel per unit of the coordinates
    SECOND = 4
    PRESSURE = 5  # tangent of the pressure angle


class Path(IntEnum):
    JOINT = 0
    FIRST = 1  # row of path_piece
    LAST = 2
    CLOSED = 3


class Spring(IntEnum):
    COORDINATE = 0
    ELEMENT = 1
    OVER_POSITION = 2  # curves, −1 for none
    OVER_SPEED = 3


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


class StopValue(IntEnum):
    LIMIT = 0
    STIFFNESS = 1
    FACTOR = 2  # of the damper, see restitution
    SLOW = 3  # least speed of an impact
    RESTITUTION = 4


class Friction(IntEnum):
    COORDINATE = 0
    ELEMENT = 1
    ROW = 2
    SWITCH = 3
    LOAD = 4  # three rows whose reactions load it, −1 for none
    MOTOR = 7
    PROGRAM = 8  # of a brake


class FrictionValue(IntEnum):
    STATIC = 0  # coefficients, times the lever
    KINETIC = 1
    CONSTANT = 2
    SLOPE = 3  # of a thread, else 0


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


class Drag(IntEnum):
    BODY = 0
    ELEMENT = 1


class DragValue(IntEnum):
    FACTOR = 0  # force per square of speed
    WIND = 1  # three components, world


class Bushing(IntEnum):
    A = 0
    B = 1
    ELEMENT = 2


class Load(IntEnum):
    BODY = 0
    IS_TORQUE = 1
    AXES = 2  # body whose axes the direction is in, 0 for the world
    PROGRAM = 3
    COUNTER = 4  # body that takes the opposite, −1 for none
    ELEMENT = 5


class Effort(IntEnum):
    COORDINATE = 0
    PROGRAM = 1
    ELEMENT = 2
    DRIVE = 3
    SERVO = 4  # −1 for none
    MOTOR = 5


class Servo(IntEnum):
    EFFORT = 0
    RATE = 1  # program of the rate of the reference
    FORWARD = 2
    SWITCH = 3  # the first of four: over the limit, under it, winding, next sample


class ServoValue(IntEnum):
    PROPORTIONAL = 0
    INTEGRAL = 1
    DERIVATIVE = 2
    LIMIT = 3
    RATE = 4  # limit of the rate
    SAMPLE = 5  # s, 0 for continuous
    ON_SPEED = 6
    LAG = 7  # s, of the rate limit


class Motor(IntEnum):
    EFFORT = 0
    INERTIA = 1  # row of the rotor, −1 for none
    FRICTION = 2


class MotorValue(IntEnum):
    SUPPLY = 0
    RESISTANCE = 1
    INDUCTANCE = 2
    TORQUE = 3  # constant
    BACK = 4  # constant of the back-EMF
    TRANSMISSION = 5
    EFFICIENCY = 6
    EFFICIENCY_BACK = 7
    FRICTION = 8


class Motion(IntEnum):
    """Prescribed motions."""

    COORDINATE = 0
    KIND = 1
    VALUE = 2  # programs
    RATE = 3
    SECOND = 4
    STATE = 5  # first extra state


class MotionDrive(IntEnum):
    DRIVE = 0
    ROW = 1


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


class Feeder(IntEnum):
    SWITCH = 0
    ELEMENT = 1


class Outlet(IntEnum):
    BODY = 0  # that carries the region
    SWITCH = 1
    ELEMENT = 2
    TAKES = 3


class Pull(IntEnum):
    """Of lines of force, in the workspace."""

    FORCE = 0
    ENERGY = 1
    TENSION = 2  # see tables.SENSE_TENSION


class Acting(IntEnum):
    """Of springs and stops, in the workspace."""

    EFFORT = 0
    ENERGY = 1


class Rubbing(IntEnum):
    """Of friction, in the workspace."""

    EFFORT = 0
    LOAD = 1


class Sensed(IntEnum):
    """Of contact rules, in the workspace."""

    GAP = 0
    NORMAL = 1
    SLIP = 2


class Quick(IntEnum):
    MODE = 0
    STEP = 1  # s


OVER, UNDER, WINDING, NEXT_SAMPLE = range(4)  # switches of a servo, from its first on
BUSHING_ENERGY = 6  # behind force and torque of bushing_effort
# Rows of bushing_value, each (3,).
(
    STIFFNESS, DAMPING, TURNING_STIFFNESS, TURNING_DAMPING, PRELOAD, TURNING_PRELOAD, OFFSET,
) = range(7)  # fmt: skip
# Outlet values: centre and axes of the region on its body, half sizes, margin.
REGION_AXES, REGION_HALF, REGION_MARGIN = 3, 12, 15
# What is kept of a path that is followed: its parameter s, its rate, |c'|; in the world tangent,
# sideways and up; the residuals across; the products of sideways, up and tangent with c''; the
# parameter within a closed path, the row of its piece.
(
    ALONG_PATH, PATH_RATE, PATH_PACE, TANGENT, SIDEWAYS, UP, ACROSS, BENDS, BEND_ALONG, WITHIN,
    PATH_ROW, TRACK_WIDTH,
) = 0, 1, 2, 3, 6, 9, 12, 14, 16, 17, 18, 20  # fmt: skip
