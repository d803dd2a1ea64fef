"""Whom to name when a run fails: the element that is most likely at fault."""

from __future__ import annotations

import numpy as np

from impeto.core.drives.columns import Effort, Servo
from impeto.core.drives.data import DriveData
from impeto.core.dynamics.columns import Friction, RowValue, Stop
from impeto.core.dynamics.state import speeds_at
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import EVENT, FRICTION, PIECE, SAMPLE, STOP, Workspace
from impeto.core.events.data import EventData
from impeto.core.forces.bushings import BushingData
from impeto.core.forces.line_law import Line, Pull
from impeto.core.forces.lines import LinkData


def near_body(system: System, S: Workspace, body: int) -> str:
    """The element on a body that pushes hardest on it, with the body's name; or the body alone."""
    T, m = system.tables, system.mechanism
    best, strongest = "", 0.0
    for index, link in enumerate(m.of(LinkData)):
        if body in T.link[index, :2] and abs(S.pull[index, Pull.FORCE]) > strongest:
            best, strongest = link.name, abs(float(S.pull[index, Pull.FORCE]))
    for index, bushing in enumerate(m.of(BushingData)):
        force = float(np.linalg.norm(S.bushing_effort[index, :3]))
        if body in T.bushing[index, :2] and force > strongest:
            best, strongest = bushing.name, force
    for r, row in enumerate(T.row):
        force = abs(float(S.solution[T.place[r]] * T.row_value[r, RowValue.SCALE]))
        if body in T.joint_body[row[0]] and force > strongest:
            best, strongest = system.rows[r].owner, force
    name = m.bodies[body].name
    return f"{best} on {name}" if best and np.isfinite(strongest) else name


def of_state(system: System, S: Workspace, index: int) -> str:
    """What is suspected where a state of the bodies goes wrong."""
    n = system.moving
    body = index // 7 if index < speeds_at(n) else (index - speeds_at(n)) // 6
    return near_body(system, S, min(body, n - 1) + 1)


def owner_of_switch(system: System, index: int) -> str:
    """Name of the element that a switch belongs to, or ''."""
    kind, row = system.tables.switch[index, :2]
    T, m = system.tables, system.mechanism
    names = {number: name for name, number in system.elements.items()}
    if kind == STOP:
        return names[int(T.stop[row, Stop.ELEMENT])]
    if kind == FRICTION:
        return names[int(T.friction[row, Friction.ELEMENT])]
    if kind == EVENT:
        return m.of(EventData)[row].name
    if kind == SAMPLE:
        return m.of(DriveData)[int(T.effort[T.servo[row, Servo.EFFORT], Effort.DRIVE])].name
    for number, link in enumerate(T.link):
        if link[Line.SWITCH] >= 0 and index in (link[Line.SWITCH], link[Line.SWITCH] + 1):
            return m.of(LinkData)[number].name
    if kind == PIECE:
        return _owner_of_curve(system, int(row))
    return _owner_of_program(system, index)


def _owner_of_curve(system: System, curve: int) -> str:
    """Element that a curve over something that moves belongs to."""
    T, m = system.tables, system.mechanism
    names = {number: name for name, number in system.elements.items()}
    for number, link in enumerate(T.link):
        if curve in link[4:6]:
            return m.of(LinkData)[number].name
    for spring in T.spring:
        if curve in spring[2:4]:
            return names[int(spring[1])]
    return ""


def _owner_of_program(system: System, switch: int) -> str:
    """Element whose formula asks a switch."""
    T = system.tables
    asking = (18, 19, 20, 21, 22, 23, 26)
    for name, program in system.programs.items():
        first, last = T.program[program, :2]
        for code, argument in T.instruction[first:last]:
            if code in asking and argument in (switch, switch - 1):
                return name
    return ""


def conflict(system: System, S: Workspace) -> tuple[str, str]:
    """What contradicts, in words, and the element to look at first."""
    residual = np.maximum(np.abs(S.residual), np.abs(S.residual_rate) * 1e-3)
    drives = {drive.name for drive in system.mechanism.of(DriveData)}
    order = np.argsort(-residual)
    owners = list(dict.fromkeys(system.rows[r].owner for r in order if residual[r] > 0.0))
    driving = [owner for owner in owners if owner in drives]
    if len(driving) > 1:
        return f"{driving[0]} and {driving[1]} prescribe different motions", driving[0]
    if driving:
        return f"the motion that {driving[0]} prescribes cannot be followed", driving[0]
    if owners:
        return f"the constraints of {owners[0]} cannot be kept", owners[0]
    return "constraints contradict each other", ""
