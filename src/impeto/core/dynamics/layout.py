"""From a mechanism to lists of rows: which number is whose, decided once."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from impeto.core.dynamics import tables
from impeto.core.dynamics.columns import Coordinate, Piece
from impeto.core.dynamics.mechanism import Mechanism, StartData, StopData
from impeto.core.dynamics.names import RowName
from impeto.core.dynamics.programs import ProgramBuilder
from impeto.core.dynamics.restitution import damping_factor
from impeto.core.dynamics.tables import (
    ACTED_ALONG,
    ALONG,
    ASKED_FOR,
    FRICTION,
    PIECE,
    PLAIN,
    STOP,
    TIMED,
    TURNING,
    UNUSED,
)
from impeto.core.geometry.arrays import Floats, Ints
from impeto.core.model.freedoms import FREEDOMS
from impeto.core.model.interpolation import Interpolation

BODY_SENSORS = {
    "position": tables.SENSE_POSITION,
    "velocity": tables.SENSE_VELOCITY,
    "angular_velocity": tables.SENSE_SPIN,
}


class Layout:
    """Lists that become the tables."""

    def __init__(self, mechanism: Mechanism) -> None:
        m = self.mechanism = mechanism
        self.size = mechanism.size  # found once: it goes over all frames
        self.body_row = {body.name: row for row, body in enumerate(m.bodies)}
        self.frame_row = {frame.name: row for row, frame in enumerate(m.frames)}
        self.joint_row = {joint.name: row for row, joint in enumerate(m.joints)}
        self.offered: dict[str, tuple[int, int]] = {}  # channels: kind of sensor, row
        self.elements: dict[str, int] = {"": 0}  # row 0 is always on
        self.rows: list[RowName] = []
        self.row: list[tuple[int, ...]] = []
        self.row_value: list[tuple[float, ...]] = []
        self.group: list[int] = []
        self.term: list[tuple[int, int]] = []
        self.term_factor: list[float] = []
        self.coordinate: list[list[int]] = []
        self.coordinates: dict[tuple[int, int], int] = {}
        self.gear_pair: list[list[int]] = []
        self.gear_pair_value: list[tuple[float, ...]] = []
        self.pairs: list[tuple[int, int, int, int]] = []  # gears: frames and axes of A, of B
        self.spring: list[tuple[int, ...]] = []
        self.spring_value: list[tuple[float, ...]] = []
        self.spring_owner: list[tuple[int, int]] = []
        self.stop: list[tuple[int, ...]] = []
        self.stop_value: list[tuple[float, ...]] = []
        self.friction: list[tuple[int, ...]] = []
        self.friction_value: list[tuple[float, ...]] = []
        self.sensor: list[tuple[int, int, int]] = []
        self.sensor_point: list[np.ndarray] = []
        self.sensors: dict[str, int] = {}
        self.switch: list[tuple[int, int, int, int]] = []
        self.curve: list[tuple[int, int, int]] = []
        self.curve_piece: list[np.ndarray] = []
        self.curves: dict[tuple[int, int], int] = {}
        self.programs = ProgramBuilder(self.sensor_row, self.program_switches, self.timed_curve)
        self.motion: list[tuple[int, ...]] = []
        self.motion_drive: list[tuple[int, int]] = []
        self.effort: list[list[int]] = []
        self.efforts: list[int] = []
        self.servo: list[tuple[int, ...]] = []
        self.servo_value: list[tuple[float, ...]] = []
        self.motor: list[list[int]] = []
        self.motor_value: list[tuple[float, ...]] = []
        self.link: list[tuple[int, ...]] = []
        self.references = 0

    # small parts

    def element(self, name: str) -> int:
        return self.elements.setdefault(name, len(self.elements))

    def new_switch(self, kind: int, row: int, direction: int = 0, element: int = 0) -> int:
        self.switch.append((kind, row, direction, element))
        return len(self.switch) - 1

    def plain_switches(self, count: int) -> int:
        first = len(self.switch)
        for _ in range(count):
            self.new_switch(PLAIN, 0)
        return first

    def program_switches(self, count: int, known: bool) -> int:
        first = len(self.switch)
        for _ in range(count):
            self.new_switch(TIMED if known else PLAIN, 0)
        return first

    def curve_row(self, curve: Interpolation | None) -> int:
        """Row of a curve over something that moves; −1 for none."""
        return -1 if curve is None else self._add_curve(curve, 0, PIECE)

    def timed_curve(self, curve: Interpolation, order: int) -> tuple[int, int, int]:
        """Row of a curve over time or of its derivative, its switch, and its first piece."""
        key = (id(curve), order)
        if key not in self.curves:
            self.curves[key] = self._add_curve(curve, order, TIMED)
        row = self.curves[key]
        return row, self.curve[row][2], self.curve[row][0]

    def _add_curve(self, curve: Interpolation, order: int, kind: int) -> int:
        table = curve.table().copy()
        for _ in range(order):
            slopes = table[:, Piece.C1 :] * (1.0, 2.0, 3.0)
            table[:, Piece.C0 : Piece.C3], table[:, Piece.C3] = slopes, 0.0
        first = sum(len(piece) for piece in self.curve_piece)
        self.curve_piece.append(table)
        switch = self.new_switch(kind, len(self.curve))
        self.curve.append((first, first + len(table), switch))
        return len(self.curve) - 1

    def offer(self, name: str, row: int, kinds: Mapping[str, int]) -> None:
        """Let formulas read channels of an element: the kind of sensor of each quantity."""
        for quantity, kind in kinds.items():
            self.offered[f"{name}.{quantity}"] = kind, row

    def sensor_row(self, path: str) -> int:
        """Row of a channel that formulas use; resolve has checked the path."""
        if path not in self.sensors:
            kind, row, component, point = self._sensor(path)
            self.sensors[path] = len(self.sensor)
            self.sensor.append((kind, row, component))
            self.sensor_point.append(point)
        return self.sensors[path]

    def _sensor(self, path: str) -> tuple[int, int, int, np.ndarray]:
        name, quantity, component = (*path.split("."), "")[:3]
        m, nowhere = self.mechanism, np.zeros(3)
        if path in self.offered:
            return (*self.offered[path], 0, nowhere)
        if name in self.joint_row:
            freedom = FREEDOMS.index(quantity.replace("_", " "))
            kind = tables.SENSE_COORDINATE if component == "position" else tables.SENSE_RATE
            row = self.coordinates[self.joint_row[name], freedom]
            if self.coordinate[row][Coordinate.NEED] == UNUSED:
                self.coordinate[row][Coordinate.NEED] = ASKED_FOR
            return kind, row, 0, nowhere
        axis = "xyz".index(component)
        if name in self.frame_row:
            frame = m.frames[self.frame_row[name]]
            point = frame.position - m.bodies[frame.body].center
            return BODY_SENSORS[quantity], frame.body, axis, point
        row = self.body_row[name]
        return BODY_SENSORS[quantity], row, axis, -m.bodies[row].center

    # rows and coordinates

    def add_row(
        self,
        name: RowName,
        row: tuple[int, int, int, int],
        scale: float,
        *,
        coordinate: int = -1,
        element: int = 0,
        switch: int = -1,
        motion: int = -1,
        target: tuple[float, float] = (0.0, 0.0),
        compliance: float = 0.0,
    ) -> int:
        self.rows.append(name)
        self.row.append((*row, coordinate, element, switch, motion))
        self.row_value.append((scale, scale * scale * compliance, *target))
        self.group.append(name.joint)
        return len(self.row) - 1

    def add_along(self, name: RowName, coordinate: int, **rest: object) -> int:
        """A row that holds a coordinate."""
        self.coordinate[coordinate][Coordinate.NEED] = ACTED_ALONG
        joint, kind = self.coordinate[coordinate][:2]
        scale = self.size if kind in TURNING else 1.0
        return self.add_row(
            name,
            (joint, ALONG, 0, 0),
            scale,
            coordinate=coordinate,
            **rest,  # type: ignore[arg-type]
        )

    def add_coordinate(
        self, joint: int, freedom: int, measure: tuple[int, int, int, int, int]
    ) -> None:
        self.coordinates[joint, freedom] = len(self.coordinate)
        self.coordinate.append([joint, *measure, UNUSED, -1])

    def used(self, joint: int, freedom: int) -> int:
        """A coordinate along which something acts."""
        row = self.coordinates[joint, freedom]
        self.coordinate[row][Coordinate.NEED] = ACTED_ALONG
        return row

    # what acts on coordinates

    def add_stop(self, coordinate: int, element: int, stop: StopData) -> None:
        switch = self.new_switch(STOP, len(self.stop))
        self.plain_switches(1)  # whether it pushes: an impact law must not pull
        self.stop.append((coordinate, element, stop.side, switch))
        kind = self.coordinate[coordinate][1]
        slow = 1e-2 * (1.0 if kind in TURNING else self.size)
        factor = damping_factor(stop.restitution)
        self.stop_value.append((stop.limit, stop.stiffness, factor, slow, stop.restitution))

    def add_friction(
        self, c: int, element: int, name: RowName, value: tuple[float, ...], across: list[int],
        motor: int = -1, program: int = -1,
    ) -> int:  # fmt: skip
        """value : coefficients of static and kinetic friction, constant part, slope of a thread"""
        switch = self.new_switch(FRICTION, len(self.friction))
        row = self.add_along(name, c, element=element, switch=switch)
        loads = [*across, -1, -1, -1][:3]
        self.friction.append((c, element, row, switch, *loads, motor, program))
        self.friction_value.append(value)
        return len(self.friction) - 1

    # forces and starts

    def add_start(self, data: StartData) -> None:
        """A row that brings a coordinate to its start value."""
        c = self.used(data.joint, data.freedom)
        name = RowName(
            self.mechanism.joints[data.joint].name, FREEDOMS[data.freedom], data.joint, "start"
        )
        nothing = float("nan")
        target = (
            nothing if data.position is None else data.position,
            nothing if data.speed is None else data.speed,
        )
        self.add_along(name, c, target=target)


def from_center(mechanism: Mechanism, frame: int) -> Floats:
    """Origin of a frame from the centre of mass of its body, in body axes."""
    data = mechanism.frames[frame]
    return data.position - mechanism.bodies[data.body].center


def int_rows(values: object, width: int) -> Ints:
    return np.array(values, dtype=np.int64).reshape(-1, width)


def float_rows(values: object, *shape: int) -> Floats:
    return np.array(values, dtype=float).reshape(-1, *shape)
