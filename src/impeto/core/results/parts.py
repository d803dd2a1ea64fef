"""Where a reaction, the effort of a drive or an acceleration comes from: what each source alone
asks of it, by the same linear system that the run solved, so that the parts add up to it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from impeto.core.drives.data import DriveData
from impeto.core.dynamics.columns import Row, RowValue
from impeto.core.dynamics.state import SPEED, unknowns
from impeto.core.dynamics.tables import M_DRIVE
from impeto.core.errors import Cancelled, ChannelError
from impeto.core.model.run_settings import QUICK
from impeto.core.results.loads import applied, placed_at
from impeto.core.results.recording import Recording
from impeto.core.solvers.rank import sparse_jacobian

Floats = npt.NDArray[np.float64]
Numbers = npt.NDArray[np.int64]
MOTION = "motion"  # centrifugal and gyroscopic terms, and motions that are prescribed
INERTIA = "inertia of {}"  # that of one body, in reactions
IN_IT = "acts in it"  # springs, stops and friction of a joint itself
HELD_TWICE = "held several times over"  # what redundant constraints leave open
NOISE = 1e-11  # of the largest multiplier or acceleration: what is rounding
RANK = 1e-11


@dataclass(frozen=True, eq=False, slots=True)
class Parts:
    """time : (R,) s;  total : (R,) the channel, SI;  parts : (R,) by source, largest first; they
    add up to the total, of sizes along their direction"""

    channel: str
    time: Floats
    total: Floats
    parts: dict[str, Floats]


def parts_of(
    r: Recording, channel: str, begin: float = 0.0, end: float = np.inf, most: int = 400,
    progress: Callable[[float, float], bool] | None = None,
) -> Parts:  # fmt: skip
    """What the weight, each spring, load, drive and contact, and the motion contribute to a channel
    that is a reaction, an effort of a prescribed motion, or an acceleration.

    Of a reaction the share of the motion is that of the inertia of each body, as it moves; of an
    acceleration it is one, of all centrifugal and gyroscopic terms.

    most : instants between begin and end [s] at which that is worked out
    progress : called with the share done and the instant; where it answers False, raises Cancelled
    Raises ChannelError for channels that nothing of the sort adds up to.
    """
    total = r[channel]
    accelerates = ".acceleration" in channel
    _check_has_parts(r, channel, accelerates)
    rows, solved = _instants(r, begin, end, most), []
    for k in range(len(rows)):
        solved.append(_split(r.only(rows[k : k + 1]), not accelerates))
        if progress and not progress((k + 1) / len(rows), float(r.time[rows[k]])):
            raise Cancelled("The parts were not worked out: stopped.")
    names = list(dict.fromkeys(name for each in solved for name in each))
    components, here = _components(r, channel), r.only(rows)
    bare = np.zeros(r.multiplier.shape[1]), np.zeros(r.acceleration.shape[1:])
    nothing = np.zeros_like(here.multiplier), np.zeros_like(here.acceleration)
    zero = _read(here, *nothing, components)
    actual = np.stack([r[name][rows] for name in components])
    found: dict[str, Floats] = {}
    for name in names:
        multiplier = np.array([each.get(name, bare)[0] for each in solved])
        acceleration = np.array([each.get(name, bare)[1] for each in solved])
        found[name] = _read(here, multiplier, acceleration, components) - zero
    own = MOTION if accelerates else IN_IT
    found[own] = found.get(own, 0.0) + zero
    along = actual / np.where(_length(actual) > 0.0, _length(actual), 1.0)
    shown = {name: (v * along).sum(axis=0) if len(components) > 1 else v[0]
             for name, v in found.items()}  # fmt: skip
    floor = NOISE * _scale(solved, accelerates)
    kept = {name: v for name, v in shown.items() if np.abs(v).max() > floor}
    order = sorted(kept, key=lambda name: -float(np.abs(kept[name]).max()))
    return Parts(channel, r.time[rows], total[rows], {name: kept[name] for name in order})


def _check_has_parts(r: Recording, channel: str, accelerates: bool) -> None:
    owners = {name.owner for name in r.system.rows}
    holds = channel.partition(".")[0] in owners and r.channel(channel).kind in ("force", "torque")
    if not holds and not accelerates:
        raise ChannelError(
            f"'{channel}' is no reaction, no effort of a prescribed motion and no acceleration: it "
            "has no parts."
        )
    if QUICK in r.statistics.integrator:
        raise ChannelError(
            "A run in quick mode has no parts, as its forces are impulses of whole steps: solve it "
            "in an accurate mode."
        )


def _instants(r: Recording, begin: float, end: float, most: int) -> Numbers:
    """Rows of up to so many instants between two, evenly taken."""
    rows = np.flatnonzero((r.time >= begin) & (r.time <= end))
    if not len(rows):
        raise ChannelError(f"The run has no instant between {begin:g} and {end:g} s.")
    return rows[np.unique(np.linspace(0, len(rows) - 1, min(most, len(rows))).astype(int))]


def _scale(solved: list[dict[str, tuple[Floats, Floats]]], accelerates: bool) -> float:
    """The largest multiplier, or acceleration, that any source gives."""
    which = 1 if accelerates else 0
    return max(float(np.abs(s[which]).max(initial=0.0)) for each in solved for s in each.values())


def _length(vectors: Floats) -> Floats:
    return np.asarray(np.sqrt((vectors**2).sum(axis=0)))


def _components(r: Recording, channel: str) -> list[str]:
    """The channels that a size is of, or the channel itself."""
    listed = [f"{channel}.{axis}" for axis in "xyz"]
    known = set(r.channels(channel))
    return listed if set(listed) <= known else [channel]


def _read(r: Recording, multiplier: Floats, acceleration: Floats, names: list[str]) -> Floats:
    """Channels as if the multipliers and accelerations of all instants were these."""
    measured = np.array(r.measured)
    for drive, row in _prescribed(r):
        column = int(r.system.tables.measured[M_DRIVE]) + drive
        measured[:, column] = multiplier[:, row]
    changed = replace(r, multiplier=multiplier, measured=measured, acceleration=acceleration)
    return np.stack([changed[name] for name in names])


def _prescribed(r: Recording) -> list[tuple[int, int]]:
    """Numbers of the drives that prescribe motions, and of the rows by which they do."""
    drives = {drive.name: k for k, drive in enumerate(r.system.mechanism.of(DriveData))}
    motion = r.system.tables.row[:, Row.MOTION] >= 0
    names = enumerate(r.system.rows)
    return [(drives[name.owner], k) for k, name in names if motion[k] and name.owner in drives]


def _split(r: Recording, by_body: bool) -> dict[str, tuple[Floats, Floats]]:
    """Multipliers (m,) and accelerations (n, 6) that each source alone gives at the one instant
    of a recording."""
    at, system, T, n = 0, r.system, r.system.tables, r.system.moving
    S = placed_at(r, at)
    scale = np.asarray(T.row_value[:, RowValue.SCALE])
    recorded = r.multiplier[at] / scale
    rotor = np.array([name.role == "rotor" for name in system.rows], dtype=bool)
    holds = (recorded != 0.0) & ~rotor
    holds[system.constraints] = True
    active = np.flatnonzero(holds)
    J = sparse_jacobian(system, S)[active].toarray()
    turn = [r.rotations[at, body + 1] for body in range(n)]
    inverse = _inverse_mass(T, n)
    compliance = J @ inverse @ J.T
    answer = np.linalg.pinv(compliance, rcond=RANK, hermitian=True)
    forces = _forces(r, S, at, turn)
    motion = _of_motion(r, at, turn)
    found: dict[str, tuple[Floats, Floats]] = {}
    left = recorded[active].copy()
    for name, force in forces.items():
        found[name] = _answered(r, J, inverse, answer, active, force, np.zeros(len(active)), turn)
        left -= found[name][0][active] / scale[active]
    for name, moves in _moving(r, by_body):
        wanted = J @ (moves * motion[0])
        force = moves * motion[1]
        found[name] = _answered(r, J, inverse, answer, active, force, wanted, turn)
        left -= found[name][0][active] / scale[active]
    over = np.zeros(len(scale))
    over[active] = left * scale[active]
    found[HELD_TWICE] = over, np.zeros((n, 6))
    return found


def _moving(r: Recording, by_body: bool) -> list[tuple[str, Floats]]:
    """Sources of motion by name, with which of the coordinates (6n,) are theirs."""
    if not by_body:
        return [(MOTION, np.ones(unknowns(r.system.moving)))]
    found = []
    for row in range(1, r.system.moving + 1):
        own = np.zeros(unknowns(r.system.moving))
        own[SPEED * (row - 1) : SPEED * row] = 1.0
        found.append((INERTIA.format(r.system.mechanism.bodies[row].name), own))
    return found


def _answered(
    r: Recording, J: Floats, inverse: Floats, answer: Floats, active: Any, force: Floats,
    wanted: Floats, turn: list[Floats],
) -> tuple[Floats, Floats]:  # fmt: skip
    """What the rows answer to a force (6n,) while J a is to be `wanted`, and the accelerations."""
    reaction = answer @ (wanted - J @ (inverse @ force))
    acceleration = inverse @ (force + J.T @ reaction)
    multiplier = np.zeros(r.multiplier.shape[1])
    multiplier[active] = reaction * np.asarray(r.system.tables.row_value[active, RowValue.SCALE])
    bodies = acceleration.reshape(-1, SPEED)
    world = [np.concatenate([a[:3], R @ a[3:]]) for a, R in zip(bodies, turn, strict=True)]
    return multiplier, np.array(world).reshape(-1, 6)


def _forces(r: Recording, S: Any, at: int, turn: list[Floats]) -> dict[str, Floats]:
    """Forces (6n,) by source, turns in the axes of the bodies."""
    found: dict[str, Floats] = {}
    for row in range(1, r.system.moving + 1):
        if not r.present[at, row]:
            continue
        body = r.system.mechanism.bodies[row].name
        for element, wrench in applied(r, S, row, at):
            name = element
            if element.startswith("contact with "):
                pair = sorted((body, element.removeprefix("contact with ")))
                name = f"contact {pair[0]} – {pair[1]}"
            total = found.setdefault(name, np.zeros(unknowns(r.system.moving)))
            first = SPEED * (row - 1)
            total[first : first + 3] += wrench[:3]
            total[first + 3 : first + 6] += turn[row - 1].T @ wrench[3:]
    return {name: force for name, force in found.items() if force.any()}


def _of_motion(r: Recording, at: int, turn: list[Floats]) -> tuple[Floats, Floats]:
    """Accelerations (6n,) as they are, and the gyroscopic torques as forces, body axes."""
    T, n = r.system.tables, r.system.moving
    acceleration, force = np.zeros(unknowns(n)), np.zeros(unknowns(n))
    for row in range(1, n + 1):
        first, R = SPEED * (row - 1), turn[row - 1]
        acceleration[first : first + 3] = r.accelerations[at, row]
        acceleration[first + 3 : first + 6] = R.T @ r.spin_rates[at, row]
        spin = R.T @ r.spins[at, row]
        force[first + 3 : first + 6] = -np.cross(spin, T.inertia[row] @ spin)
    return acceleration, force


def _inverse_mass(T: Any, n: int) -> Floats:
    inverse = np.zeros((unknowns(n), unknowns(n)))
    for body in range(n):
        first = SPEED * body
        inverse[first : first + 3, first : first + 3] = np.eye(3) / T.mass[body + 1]
        inverse[first + 3 : first + 6, first + 3 : first + 6] = T.inverse_inertia[body + 1]
    return inverse
