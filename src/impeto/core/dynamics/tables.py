"""The arrays that the compiled kernels work on.

Tables never change during a stretch of a run; Workspace is scratch memory and the discrete state.
All floats are float64, all integers int64, all arrays C-contiguous, so that each kernel compiles
once. Body row 0 is the ground. A state vector y holds per moving body position of the centre of
mass (3) and quaternion w x y z (4), then per body velocity (3, world) and spin (3, body axes), then
the extra states: references of prescribed speeds and accelerations, accumulated work, states of
servos and motors.

Elements that can be switched have a row of `on`. Where behaviour changes abruptly there is a
switch: its state stays fixed within a step, and the guard says whether it still holds (≥ 0).
"""

from __future__ import annotations

from impeto.core.dynamics.pack import Pack
from impeto.core.geometry.arrays import Floats, Ints

# Kinds of rows and coordinates. MESH and RACK are coordinates along the teeth of two gears.
SLIDE, DOT, TURN_A, TURN_B, ALONG, TWIST, DISTANCE, MESH, RACK, SUM = range(10)
CARDAN_1, CARDAN_2, CARDAN_3 = 10, 11, 12
TURNING = (TURN_A, TURN_B, CARDAN_1, CARDAN_2, CARDAN_3)  # coordinates that are angles
# Rows across a path and of axes that follow it; the coordinate along it.
ACROSS_PATH, WITH_PATH, TRAVEL = 13, 14, 15
# What a coordinate is needed for.
UNUSED, ACTED_ALONG, ASKED_FOR = 0, 1, 2
# What a prescribed motion gives.
BY_POSITION, BY_SPEED, BY_ACCELERATION = 0, 1, 2
# Kinds of sensors.
SENSE_POSITION, SENSE_VELOCITY, SENSE_SPIN, SENSE_COORDINATE, SENSE_RATE = 0, 1, 2, 3, 4
SENSE_LENGTH, SENSE_LINK_RATE, SENSE_PULL, SENSE_CURRENT = 5, 6, 7, 8
SENSE_GAP, SENSE_NORMAL, SENSE_SLIP = 9, 10, 11  # of contact rules
SENSE_COUNT, SENSE_NOW = 12, 13  # of feeders and outlets
SENSE_KINETIC, SENSE_POTENTIAL, SENSE_STRAIN, SENSE_TOTAL = 14, 15, 16, 17  # energies of all
SENSE_TENSION = 18  # of ropes and bumpers: their pull, and below zero how far they are from it
LAST_SENSED = frozenset(
    (SENSE_GAP, SENSE_NORMAL, SENSE_SLIP, SENSE_KINETIC, SENSE_POTENTIAL, SENSE_STRAIN, SENSE_TOTAL,
     SENSE_TENSION)
)  # fmt: skip
# When programs run: at once, after forces of links, after all forces (events).
AT_ONCE, AFTER_LINKS, AFTER_FORCES = 0, 1, 2
# Laws of straight links.
LINEAR, ROPE, BUMPER, BY_PROGRAM = 0, 1, 2, 3
# What happens when a switch changes.
PLAIN, STOP, FRICTION, EVENT, SAMPLE, HOLD, FEED, OUTLET = 0, 1, 2, 3, 4, 5, 6, 7
PIECE, TIMED = 8, 9  # of curves: the piece that holds; known before the run
MET = (EVENT, FEED, OUTLET)  # on their own, by the run
# S.quick[0]: where bodies touch; forces of the last step's impulses as well; nothing of contact,
# as it is known from an evaluation at this state.
GEOMETRY, AVERAGE, KNOWN_PLACES = 1.0, 2.0, 3.0
# States of friction.
STICKS, SLIPS_UP, SLIPS_DOWN = 0, 1, 2
# Groups of extra states, each from extra[group] to extra[group + 1]; the bristles of points that
# touch are last, as their number changes in a run.
(
    X_REFERENCES, X_LOADS, X_EFFORTS, X_MOTIONS, X_LINKS, X_SPRINGS, X_STOPS, X_FRICTIONS,
    X_BUSHINGS, X_SERVOS, X_MOTORS, X_EVENTS, X_CONTACTS, X_BELTS,
    X_DRAGS, X_WINDS, X_BRISTLES, X_END,
) = range(18)  # fmt: skip
EXTRAS = (  # their names in the directory of a recording
    "reference", "load work", "drive work", "motion work", "line loss", "spring loss", "stop loss",
    "friction loss", "bushing loss", "servo", "motor", "event work", "contact work", "belt work",
    "drag loss", "wind work", "bristle",
)  # fmt: skip
MOTOR_STATES = 4  # current, electric energy, copper loss, loss of the gear
SERVO_STATES = 2  # integral of the error, effort behind the rate limit
# Groups of measured values, each from measured[group] to measured[group + 1].
(
    M_LINK, M_LINK_ENERGY, M_SPRING, M_SPRING_ENERGY, M_STOP, M_STOP_ENERGY, M_FRICTION, M_BUSHING,
    M_BUSHING_ENERGY, M_DRIVE, M_CURRENT, M_CONTACT_ENERGY, M_TALLY, M_SIGNAL, M_ON, M_END,
) = range(16)  # fmt: skip
MEASURED = (  # the same of these
    "line force", "line energy", "spring effort", "spring energy", "stop effort", "stop energy",
    "friction", "bushing force", "bushing energy", "drive effort", "current", "contact energy",
    "count", "signal", "on",
)  # fmt: skip
# Columns of points of contact: shapes A and B, rule, which point of the pair, place and normal on
# A in the world, normal force, friction on A, depth, speed of slip, speed of closing.
TOUCH_A, TOUCH_B, TOUCH_RULE, TOUCH_POINT, TOUCH_PLACE, TOUCH_NORMAL = 0, 1, 2, 3, 4, 7
TOUCH_FORCE, TOUCH_FRICTION, TOUCH_DEPTH, TOUCH_SLIP, TOUCH_CLOSING, TOUCH_WIDTH = (
    10, 11, 14, 15, 16, 17,
)  # fmt: skip

# Columns of what feeders and outlets count: bodies, those waiting or inside now, their mass [kg].
TALLY_COUNT, TALLY_NOW, TALLY_MASS, TALLY_WIDTH = 0, 1, 2, 3


class Tables(Pack):
    """n bodies without ground, J joints, C coordinates, m constraint rows."""

    mass: Floats  # (n+1,) kg
    inertia: Floats  # (n+1, 3, 3) kg m², centre of mass, body axes
    inverse_inertia: Floats  # (n+1, 3, 3)
    origin: Floats  # (n+1, 3) m, body origin from the centre of mass, body axes
    gravity: Floats  # (3,) m/s², world
    joint_body: Ints  # (J, 2); behind the joints come the pairs of meshing gears
    joint_point: Floats  # (J, 2, 3) m, frame origins from the centre of mass, body axes
    joint_axes: Floats  # (J, 2, 3, 3) frame axes as columns, body axes
    coordinate: Ints  # (C, 8) joint, kind, rotation axis, i, j, sign, what for, mesh
    gear_pair: Ints  # (G, 4) coordinates A and B, switch of the flank or −1, 0
    gear_pair_value: (
        Floats  # (G, 6) arm, tangential, along, factor a, factor b, tan of pressure angle
    )
    row: Ints  # (m, 8) joint, kind, i, j, coordinate, element, switch, motion (−1: none)
    row_value: Floats  # (m, 4) scale (1 or a length [m]), compliance, target, 0
    term: Ints  # (Q, 2) row, coordinate of sums of coordinates
    term_factor: Floats  # (Q,)
    path: Ints  # (P, 4) joint, first and last row of path_piece, closed
    path_piece: Floats  # (M, 49) see joints.paths
    joint_path: Ints  # (J,) path or −1
    spring: Ints  # (B, 4) coordinate, element, curve over position, over speed
    spring_value: Floats  # (B, 4) stiffness, free position, preload, damping
    stop: Ints  # (Z, 4) coordinate, element, side, switch
    stop_value: (
        Floats  # (Z, 5) limit, stiffness, damping factor a, least speed of impact, restitution
    )
    friction: Ints  # (F, 9) coordinate, element, row, switch, three rows of load, motor, program
    friction_value: Floats  # (F, 4) static, kinetic (times lever), constant, slope of a thread
    link: Ints  # (L, 8) bodies, law, element, curve over length, over speed, program, switch
    link_point: Floats  # (L, 2, 3) m, from the centre of mass, body axes
    link_value: Floats  # (L, 4) stiffness, free length, preload, damping
    bushing: Ints  # (U, 3) bodies, element
    bushing_point: Floats  # (U, 2, 3)
    bushing_axes: Floats  # (U, 2, 3, 3)
    bushing_value: Floats  # (U, 7, 3) stiffness, damping, turning ones, preloads, offset
    drag: Ints  # (D, 2) body, element
    drag_point: Floats  # (D, 3) m, from the centre of mass, body axes
    drag_value: Floats  # (D, 4) force per square of speed [kg/m], wind in the world
    load: Ints  # (F, 6) body, is torque, body of axes or 0, program, counter body or −1, element
    load_point: Floats  # (F, 2, 3) m, from the centres of mass, body axes
    load_direction: Floats  # (F, 3)
    effort: Ints  # (E, 6) coordinate, program, element, drive, servo, motor (−1: none)
    servo: Ints  # (V, 4) effort, program of the reference's rate, feed-forward, switch
    servo_value: Floats  # (V, 8) gains P I D, limit, rate, sample time, on speed, lag
    motor: Ints  # (W, 4) effort, row of the rotor's inertia or −1, friction, 0
    motor_value: Floats  # (W, 9) supply, R, L, Kt, Ke, transmission, efficiencies, friction
    motion: Ints  # (P, 6) coordinate, kind, three programs (value and rates), first extra state
    motion_drive: Ints  # (P, 2) drive, row
    shape: Ints  # (H, 11) see contact.columns; shapes that may touch something
    shape_value: Floats  # (H, 22)
    feature: Ints  # (Y,) kind of each feature
    feature_value: Floats  # (Y, 10)
    profile: Floats  # (O, 2) m, points of outlines
    grid: Ints  # (G, 4) of sampled solids, see contact.columns
    grid_value: Floats  # (G, 6)
    coefficient: Floats  # of the splines of all grids
    edge: Floats  # (E, 11) of outlines, see geometry.outline_distance
    cell: Ints  # first row of cell_edge of every cell of outlines, and one behind each outline's
    cell_edge: Ints  # rows of edges
    sample: Ints  # (M, 9) points of the surfaces of sampled solids
    sample_value: Floats  # (M, 10)
    rule: Ints  # (K, 1) element of each contact rule
    rule_value: Floats  # (K, 8) see contact.law
    pairing: Ints  # (H, H) rule of each pair of shapes, −1 for none
    body_on: Ints  # (n+1,) row of `on` of bodies that come and go, −1 of those always there
    feeder: Ints  # (A, 2) switch, element
    outlet: Ints  # (O, 4) body that carries its region, switch, element, whether it takes away
    outlet_value: Floats  # (O, 16) centre (3) and axes (9) on that body, half sizes, margin
    outlet_takes: Ints  # (O, n+1) whether it takes each body
    sensor: Ints  # (S, 3) kind, row, component
    sensor_point: Floats  # (S, 3) m, from the centre of mass, body axes
    program: Ints  # (K, 3) first and last instruction, when it runs
    instruction: Ints  # (N, 2) code, argument
    constant: Floats  # numbers that instructions refer to
    curve: Ints  # (curves, 3) first and last row of curve_piece, switch of the piece
    curve_piece: Floats  # (pieces, 5) x, c0 … c3
    switch: Ints  # (W, 4) kind, row in its family, direction (events), element
    extra: Ints  # (X_END + 1,) first index of each group of extra states
    measured: Ints  # (M_END + 1,) first index of each group of measured values
    kkt_column: Ints  # (N+1,) start of each column of the upper triangle
    kkt_row: Ints  # row numbers
    kkt_value: Floats  # constant part: masses, and −ε − compliance on the diagonal of the rows
    slot: Ints  # (m, 12) where each row's Jacobian entry goes, or −1 for the ground
    term_slot: Ints  # (Q, 12) the same for terms of sums
    place: Ints  # (m,) position of each constraint row among the unknowns
    factor_column: Ints  # (N+1,) start of each column of L
    pattern_start: Ints  # (N+1,)
    pattern: Ints  # for each row of L its columns, in order of elimination


class Workspace(Pack):
    """Scratch arrays, written by every evaluation, and the discrete state."""

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
    turned: Floats  # (C,) last accepted value, from which revolutions are counted
    along: Floats  # (P,) last accepted parameter of each path
    track: Floats  # (P, 20) see joints.on_path
    gradient: Floats  # (C, 12) Jacobian of coordinates (world axes) that need one
    bias: Floats  # (C,) second derivative of coordinates without accelerations
    jacobian: Floats  # (m, 12) velocity and spin of A, then of B; spins in body axes
    term_jacobian: Floats  # (Q, 12)
    residual: Floats  # (m,) of the constraints on positions
    residual_rate: Floats  # (m,) of the constraints on velocities
    gamma: Floats  # (m,) right-hand side on accelerations
    reached: Floats  # (m,)
    sensed: Floats  # (S,)
    stack: Floats  # (128,)
    signal: Floats  # (K,) value of each program
    length: Floats  # (L, 2) length and rate of links
    line: Floats  # (L, 9) lever arms of A and B, vector from A to B; world
    pull: Floats  # (L, 3) force, stored energy, tension (see SENSE_TENSION)
    spring_effort: Floats  # (B, 2) effort and stored energy
    stop_effort: Floats  # (Z, 2)
    stop_given: Floats  # (Z,) effort of stops over the last step of quick mode, else 0
    friction_effort: Floats  # (F, 2) effort and load
    bushing_effort: Floats  # (U, 7) force and torque on B, world, and stored energy
    drive_effort: Floats  # (D,)
    current: Floats  # (W,) of motors
    shape_place: Floats  # (H, 12) centre and axes in the world
    near: Ints  # (P, 7) pairs of shapes that are near, see contact.columns
    near_gap: Floats  # (P,) m, least distance
    near_start: Floats  # (P,) m, the same at the start of the step
    near_from: Floats  # (H, 12) centres [m] and axes when the list was made
    near_further: Floats  # (H,) m, how far each may move beyond its share of the margin
    near_turning: Floats  # (H,) m, how far its surface may turn
    near_margin: Floats  # (6,) how far pairs are looked at, see contact.columns
    near_count: Ints  # (4,) pairs; 1 when the list is to be renewed; slots; 1 when places began
    near_pose: Floats  # (P, 19) where places of contact were last sought, see contact.columns
    sample_gap: Floats  # (M,) m, scratch of that
    patch: Floats  # (slots, 34) what happens at each point of contact, see contact.columns
    contact_energy: Floats  # (K,) J stored by each rule
    contact_sense: (
        Floats  # (K, 3) of each rule: least gap [m], sum of normal forces [N], slip [m/s]
    )
    contact_work: Floats  # (6, 7)
    contact_found: Floats  # (PLACES, 7) see places.find_place
    contact_clip: Floats  # (32, 4) of blocks, see contact.blocks
    deepest: Floats  # (3,) largest depth over how thick the thinner shape is; which two shapes
    contact_pool: Floats  # (3,) of the places of a pair: J taken in, J stored, sum of weights
    inside: Ints  # (O, n+1) whether each body is in the region of an outlet
    came_from: Floats  # (n+1, 3) m, centres of mass at the start of the step
    tally: Floats  # (A + O, 3) what feeders and outlets have counted, see TALLY_…
    quick: Floats  # (2,) what points of contact give (0: the law; see contact.impulses), step [s]
    wrench: Floats  # (n+1, 6) force, world, and torque about the centre of mass, world
    power: Floats  # rate of each extra state
    on: Floats  # (elements,) 1 or 0
    switch: Ints  # (W,) states of the switches
    guard: Floats  # (W,) a switch holds while its guard is not negative
    memory: Floats  # (W,) speed of impact, place of sticking, next sample …
    held: Floats  # (V, 3) sampled servos: effort, integral, error before
    before: Floats  # (W,) guards at the start of a step
    kkt: Floats
    factor: Floats
    factor_row: Ints
    pivot: Floats  # (N,)
    filled: Ints  # (N,)
    scratch: Floats  # (N,)
    base: Floats  # (N,) right-hand side without friction
    right: Floats  # (N,)
    solution: Floats  # (N,)
    row12: Floats  # (12,)
    work: Floats  # (14, 3)
