"""A mechanism that is posed by hand: its joints hold, nothing acts, and bodies move no further than
they must."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import move, place
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.bodies.placement import pose_of, written
from impeto.core.drives.data import DriveData
from impeto.core.dynamics.kkt import solve_once
from impeto.core.dynamics.mechanism import StartData
from impeto.core.dynamics.state import (
    POSE,
    QUATERNION,
    SPIN,
    all_speeds,
    pose_at,
    unknown_at,
    unknowns,
)
from impeto.core.dynamics.system import System
from impeto.core.elements import Body, BodyState, Frame, Joint, Pose
from impeto.core.errors import ImpetoError, ModelError
from impeto.core.geometry.rotation import (
    cross_matrix,
    from_quaternion,
    from_roll_pitch_yaw,
    roll_pitch_yaw,
    to_quaternion,
)
from impeto.core.joints.model import Stops
from impeto.core.model.element import GROUND
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.model import Model
from impeto.core.model.scope import Scope, find_case
from impeto.core.solvers.initial_conditions import consistent_start, heavier
from impeto.core.solvers.projection import least_movement

Floats = npt.NDArray[np.float64]
ROUNDS = 16  # of Newton's method for one place of the pointer
CLOSING = 120  # of those that bring a drawing together
LARGEST = 0.25  # of the size, or rad: how far a body moves in one round
TRIED, TRIED_TURN = 0.01, 0.02  # of the size, and rad: how far a freedom is moved to see if it can
HELD = 1e-9  # of the size: residual at which joints hold
STIFF = 1e-4  # of the largest: ways in which a point cannot be moved
LEAST_GAIN = 0.1  # of what is expected: by how much a point has to come nearer
FREE_PULL = 1e-9  # of the size: with steps below that a point is where it was pulled


class Posing:
    """The bodies of a model in a case, as drawn at first, moved in place.

    Drives and start values do not hold them; bodies that are kept in place move last.
    Raises ModelError where the model cannot be resolved.
    """

    def __init__(self, model: Model, case: str | None = None, starts: bool = False) -> None:
        """starts : whether start values and poses hold as they do at the start of a run"""
        self.model, self.case = model, case
        resolved = resolve(model, case, copies=False)
        free = tuple(replace(d, prescribes="effort") for d in resolved.of(DriveData))
        self.mechanism = replace(
            resolved, starts=resolved.starts if starts else (),
            numbers={**resolved.numbers, DriveData: free},
        )  # fmt: skip
        self.system = build_system(self.mechanism)
        self._set_up(self.system)
        self.state = self.system.start.copy()
        self.state[all_speeds(self.system.moving)] = 0.0
        self.rows = {body.name: row for row, body in enumerate(self.mechanism.bodies)}

    def _set_up(self, system: System) -> None:
        self.tables, self.work = heavier(system), workspace_of(system)
        self.work.kkt[:] = self.tables.kkt_value

    def close(self, rounds: int = CLOSING) -> float:
        """Bring joints together by the least movement; what is left apart [m]."""
        T, S, n = self.tables, self.work, self.system.moving
        for _ in range(rounds):
            place(T, S, 0.0, self.state)
            if np.abs(S.residual).max(initial=0.0) <= 1e-12 * self.system.size:
                break
            self._step(least_movement(T, S, -S.residual).reshape(n, 6))
        place(T, S, 0.0, self.state)
        return float(np.abs(S.residual).max(initial=0.0))

    def _step(self, step: Floats) -> None:
        largest = max(
            float(np.abs(step[:, :3]).max(initial=0.0)) / self.system.size,
            float(np.abs(step[:, 3:]).max(initial=0.0)),
        )
        move(self.state, min(1.0, LARGEST / max(largest, 1e-300)) * step.ravel(), len(step))
        self.work.turned[:] = self.work.coordinate
        self.work.along[:] = self.work.track[:, 0]

    def pull(self, body: str, point: Floats, target: Floats) -> bool:
        """Bring a point (3,) of a body, in its axes, as near to a target (3,) of the world as its
        joints let it; False, with everything where it was, where they do not hold any more."""
        row, before = self.rows[body], self.state.copy()
        if row == 0:
            return False
        arm = np.asarray(point, dtype=float) + self.tables.origin[row]
        share = 1.0
        for _ in range(ROUNDS):
            place(self.tables, self.work, 0.0, self.state)
            left, here = target - self._place_of(row, arm), self.state.copy()
            apart = float(np.abs(self.work.residual).max(initial=0.0))
            step, gain = self._towards(row, arm, left)
            if apart <= HELD * self.system.size and (
                np.abs(step).max(initial=0.0) <= FREE_PULL * self.system.size
            ):
                break
            self._step(share * step.reshape(-1, 6))
            self.close(1)
            missing = np.linalg.norm(target - self._place_of(row, arm))
            if np.linalg.norm(left) - missing < LEAST_GAIN * share * gain - apart:
                self.state[:], share = here, 0.5 * share  # past the nearest place
        if self.close() > HELD * self.system.size:
            self.state[:] = before
            return False
        return True

    def _place_of(self, row: int, arm: Floats) -> Floats:
        return np.asarray(self.work.x[row] + self.work.rotation[row] @ arm)

    def _towards(self, row: int, arm: Floats, left: Floats) -> tuple[Floats, float]:
        """(6n,) the least movement that closes the joints and brings a point on by `left`, as far
        as it can be brought, and how much nearer [m] it should come: M⁻¹ Jᵀ λ within what the
        joints leave free (Khatib 1987)."""
        T, S, n = self.tables, self.work, self.system.moving
        closing = least_movement(T, S, -S.residual)
        at, R = unknown_at(row), S.rotation[row]
        reach = R @ arm
        jacobian = np.zeros((3, unknowns(n)))
        jacobian[:, at : at + SPIN] = np.eye(3)
        jacobian[:, at + SPIN : at + 6] = -cross_matrix(reach) @ R
        answers = np.empty((unknowns(n), 3))
        for k in range(3):
            right = np.zeros(len(S.right))
            right[: unknowns(n)] = jacobian[k]
            solve_once(T.factor_column, S.factor_row, S.factor, S.pivot, right)
            answers[:, k] = right[: unknowns(n)]
        compliance = jacobian @ answers
        wanted = left - jacobian @ closing
        pulls = np.linalg.pinv(compliance, rcond=STIFF, hermitian=True) @ wanted
        step = np.asarray(closing + answers @ pulls)
        return step, float(np.linalg.norm(left) - np.linalg.norm(left - jacobian @ step))

    def set(self, joint: str, freedom: str, value: float) -> bool:
        """Bring a freedom of a joint to a value [m or rad]; False, with everything where it was,
        where it cannot get there."""
        number = next(k for k, data in enumerate(self.mechanism.joints) if data.name == joint)
        wanted = StartData(
            joint=number, freedom=FREEDOMS.index(freedom), position=value, speed=None
        )
        system, before = self.system, self.state
        self.system = build_system(replace(self.mechanism, starts=(wanted,)), starts=True)
        self._set_up(self.system)
        state = self.system.start.copy()
        bodies = POSE * system.moving
        state[:bodies] = before[:bodies]
        state[all_speeds(system.moving)] = 0.0
        self.state = state
        reached = self.close() <= HELD * system.size
        after = self.state[:bodies].copy()
        self.system, self.state = system, before
        self._set_up(system)
        if reached:
            self.state[:bodies] = after
        return reached

    def value(self, joint: str, freedom: str) -> float:
        """Where a freedom of a joint stands [m or rad], within half a turn."""
        number = next(k for k, data in enumerate(self.mechanism.joints) if data.name == joint)
        data = self.mechanism.joints[number]
        (pa, Ra), (pb, Rb) = (self._frame(frame) for frame in (data.frame_a, data.frame_b))
        return _value(pa, Ra, pb, Rb, FREEDOMS.index(freedom))

    def _frame(self, number: int) -> tuple[Floats, Floats]:
        frame = self.mechanism.frames[number]
        origin, rotation = self.pose(self.mechanism.bodies[frame.body].name)
        return origin + rotation @ frame.position, rotation @ frame.rotation

    def pose(self, body: str) -> tuple[Floats, Floats]:
        """Origin (3,) and axes (3, 3) of a body, world."""
        row = self.rows[body]
        if row == 0:
            return np.zeros(3), np.eye(3)
        at = pose_at(row)
        rotation = from_quaternion(self.state[at + QUATERNION : at + POSE])
        return self.state[at : at + QUATERNION] + rotation @ self.tables.origin[row], rotation

    def put(self, body: str, origin: Floats, rotation: Floats) -> None:
        """Set a body down somewhere, whatever its joints say."""
        row = self.rows[body]
        at = pose_at(row)
        self.state[at : at + QUATERNION] = origin - rotation @ self.tables.origin[row]
        self.state[at + QUATERNION : at + POSE] = to_quaternion(rotation)

    def poses(self) -> dict[str, tuple[Floats, Floats]]:
        """Origin and axes of every moving body, world."""
        return {name: self.pose(name) for name, row in self.rows.items() if row}

    def posed(self, names: Iterable[str] = ()) -> Model:
        """The model with the bodies where they are now: those named, or all that have moved."""
        return with_poses(self.model, self.poses(), self.case, set(names))


def with_poses(
    model: Model, poses: dict[str, tuple[Floats, Floats]], case: str | None = None,
    names: set[str] | frozenset[str] = frozenset(),
) -> Model:  # fmt: skip
    """The model with bodies drawn at other places (origin, axes), world; only those of these names
    where some are given. What stays in place keeps what is written for it."""
    scope = Scope(model, case)
    changed = dict(model.elements)
    for name, (origin, rotation) in poses.items():
        body = model.elements.get(name)
        if not isinstance(body, Body) or (names and name not in names):
            continue
        old_origin, old_rotation = pose_of(scope, body)
        if np.abs(origin - old_origin).max() > 1e-12:
            body = replace(body, position=written(origin, "length"))
        if np.abs(rotation - old_rotation).max() > 1e-12:
            body = replace(body, orientation=written(roll_pitch_yaw(rotation), "angle"))
        changed[name] = body
    return model.changed(elements=changed.values())


def as_drawn(model: Model, name: str, case: str | None = None) -> Pose:
    """A pose with the places of all bodies as they are drawn, at rest."""
    scope = Scope(model, case)
    states = []
    for body in scope.model.of(Body):
        if body.name != GROUND and scope.on(body):
            origin, rotation = pose_of(scope, body)
            states.append(
                BodyState(
                    body=body.name, position=written(origin, "length"),
                    orientation=written(roll_pitch_yaw(rotation), "angle"),
                )
            )  # fmt: skip
    return Pose(name=name, bodies=tuple(states))


def drawn_as(model: Model, pose: str, case: str | None = None) -> Model:
    """The model with its bodies drawn where a pose has them, joints brought together. Raises
    GapError where that cannot be."""
    if not isinstance(model.elements.get(pose), Pose):
        raise ModelError(f"there is no pose '{pose}'", remedy="Choose one that there is")
    chosen = find_case(model, case)
    posed = model.with_case(replace(chosen, pose=pose))
    posing = Posing(posed, chosen.name, starts=True)
    posing.state[:] = consistent_start(posing.system, posing.work).state
    return with_poses(model, posing.poses(), chosen.name)


def free_to_move(model: Model, joint: str, case: str | None = None) -> str:
    """The freedom along which something on a joint most likely acts: the first that can move, about
    or along the axis before others. Raises ModelError where none is free."""
    found: Joint = model[joint]
    if not found.coordinates:
        raise ModelError(f"{joint} has no free motion", element=joint, remedy="Free one")
    listed = sorted(found.coordinates, key=lambda freedom: not freedom.endswith("z"))
    if len(listed) == 1:
        return listed[0]
    try:
        posing = Posing(model, case)
        for freedom in listed:
            way = TRIED_TURN if freedom.startswith("turn") else TRIED * posing.system.size
            if posing.set(joint, freedom, posing.value(joint, freedom) + way):
                return freedom
    except ImpetoError:
        return listed[0]  # the Health card tells what is wrong with the model
    return listed[0]


def range_of(
    model: Model, joint: str, freedom: str, case: str | None = None
) -> tuple[float, float]:
    """Between which values [m or rad] a freedom of a joint may be set: its stops, else half a turn
    either way, or infinite for slides."""
    found = model[joint]
    if not isinstance(found, Joint) or freedom not in found.coordinates:
        raise ModelError(f"{freedom} of {joint} is locked", element=joint, remedy="Free it")
    kind = "angle" if freedom.startswith("turn") else "length"
    least, most = (-np.pi, np.pi) if kind == "angle" else (-np.inf, np.inf)
    scope = Scope(model, case)
    for part in found.behaviours:
        if isinstance(part, Stops) and part.freedom == freedom:
            if part.lower is not None:
                least = scope.si(part.lower, kind)
            if part.upper is not None:
                most = scope.si(part.upper, kind)
    return least, most


def drawn_value(model: Model, joint: str, freedom: str, case: str | None = None) -> float:
    """Where a freedom of a joint stands as drawn [m or rad], within half a turn."""
    scope = Scope(model, case)
    found = model[joint]
    frames = (scope.model[name] for name in (found.frame_a, found.frame_b))
    (pa, Ra), (pb, Rb) = (_placed(scope, frame) for frame in frames)
    return _value(pa, Ra, pb, Rb, FREEDOMS.index(freedom))


def _placed(scope: Scope, frame: Frame) -> tuple[Floats, Floats]:
    origin, rotation = pose_of(scope, scope.model[frame.body])
    turned = from_roll_pitch_yaw(scope.vector(frame, "orientation", "angle"))
    return origin + rotation @ scope.vector(frame, "position", "length"), rotation @ turned


def _value(pa: Floats, Ra: Floats, pb: Floats, Rb: Floats, index: int) -> float:
    """A freedom of frame B in frame A, by number."""
    if index < 3:
        return float((Ra.T @ (pb - pa))[index])
    turn = Ra.T @ Rb
    i, k = {3: (1, 2), 4: (2, 0), 5: (0, 1)}[index]
    return float(np.arctan2(turn[k, i] - turn[i, k], turn[i, i] + turn[k, k]))
