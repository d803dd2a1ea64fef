"""The linear view of a model: natural frequencies, mode shapes and frequency response."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import place
from impeto.core.assembly.resolve import resolve
from impeto.core.assembly.workspace import workspace_of
from impeto.core.drives.data import DriveData
from impeto.core.dynamics.mechanism import Mechanism
from impeto.core.dynamics.state import all_bodies
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import TOUCH_WIDTH
from impeto.core.errors import ModelError
from impeto.core.forces.loads import LoadData
from impeto.core.model.formula import Apply, Node, Number
from impeto.core.model.model import Model
from impeto.core.model.scope import find_case
from impeto.core.model.units import NUMBER
from impeto.core.results.recording import Recording, Statistics
from impeto.core.solvers.dynamic_relaxation import equilibrium
from impeto.core.solvers.initial_conditions import consistent_start, turns_in
from impeto.core.solvers.linearisation import Reduced, at_rest
from impeto.core.solvers.output import Outputs, store
from impeto.core.solvers.statics import balance

Floats = npt.NDArray[np.float64]
Complex = npt.NDArray[np.complex128]


@dataclass(frozen=True, slots=True)
class Mode:
    """One natural motion.

    eigenvalue : 1/s;  frequency : Hz, of the undamped motion (0 for motions that do not swing)
    damping : share of critical damping; below 0 the motion grows
    shape : (n, 6) movement of the bodies' centres, world, and turns, body axes; largest entry 1
    """

    eigenvalue: complex
    frequency: float
    damping: float
    shape: Complex


@dataclass(frozen=True, slots=True)
class LinearView:
    """Modes about a pose, slowest first.

    state : the pose, as in a recording;  unbalance : acceleration left over there relative to the
    forces' own: a linear view means little where it is not small
    """

    modes: tuple[Mode, ...]
    state: Floats
    system: System
    unbalance: float
    note: str


def linear_view(model: Model, case: str | None = None, settled: bool | None = None) -> LinearView:
    """Natural frequencies, damping ratios and mode shapes about the start pose.

    settled : find the static equilibrium first; the model's own setting when None
    Prescribed motions stand still, friction is left out. Raises ModelError.
    """
    reduced, note = _about(model, find_case(model, case).name, settled)
    stiffness, damping = reduced.stiffness(), reduced.damping()
    free = len(stiffness)
    whole = np.block([[np.zeros((free, free)), np.eye(free)], [stiffness, damping]])
    values, vectors = np.linalg.eig(whole) if free else (np.zeros(0), np.zeros((0, 0)))
    tiny = 1e-6 * max(float(np.abs(values).max(initial=0.0)), 1e-300)
    modes = []
    for k in np.lexsort((-values.imag, np.abs(values))):
        value = complex(values[k])
        if value.imag < -tiny:
            continue  # the other one of a pair
        modes.append(_mode(reduced, value, vectors[:free, k].astype(complex), tiny))
    return LinearView(tuple(modes), reduced.state, reduced.system, balance(reduced), note)


def _about(model: Model, case: str, settled: bool | None) -> tuple[Reduced, str]:
    system = build_system(resolve(model, case, copies=False))
    if not system.moving:
        raise ModelError("there is no body that can move", remedy="Add a body")
    wanted = model.settings.settle if settled is None else settled
    note = ""
    if wanted:
        found = equilibrium(system)
        start, note = found.start, found.note
    else:
        start = consistent_start(system, workspace_of(system))
    if len(system.tables.shape):
        note = f"{note} Contacts are left out of the linear view.".strip()
    calm = at_rest(system, start.state)
    state = calm.start.copy()
    state[all_bodies(system.moving)] = start.state[all_bodies(system.moving)]
    return Reduced(calm, state, turns_in(calm, system, start)), note


def _mode(reduced: Reduced, value: complex, vector: Complex, tiny: float) -> Mode:
    size = abs(value)
    swings = abs(value.imag) > tiny
    shape = (reduced.basis @ vector).reshape(-1, 6)
    weights = np.array([1.0] * 3 + [reduced.system.size] * 3)
    largest = np.unravel_index(np.argmax(np.abs(shape * weights)), shape.shape)
    shape = shape / (shape[largest] * weights[largest[1]])
    return Mode(
        eigenvalue=value if size > tiny else 0j,
        frequency=size / (2 * np.pi) if swings else 0.0,
        damping=-value.real / size if swings else 0.0,
        shape=shape,
    )


def frequency_response(
    model: Model, source: str, channel: str, frequencies: Floats, case: str | None = None,
    settled: bool | None = None,
) -> Complex:  # fmt: skip
    """(N,) complex ratio of a channel to the value of a load or drive, at frequencies in Hz.

    About the start pose, or the equilibrium when settled. A source is a load, an effort, a motor's
    duty or a servo's reference; the channel is any channel of a run. Raises ModelError.
    """
    case = find_case(model, case).name
    reduced, _ = _about(model, case, settled)
    pushed = build_system(_pushed(reduced.system.mechanism, source, 1.0))
    response = _Output(model, case, reduced, channel)
    still = response.at(reduced.system, reduced.state)
    step, free = reduced.step(), reduced.basis.shape[1]
    force = Reduced(pushed, reduced.state, reduced.S.turned)
    force.basis = reduced.basis
    drive = force.accelerations(reduced.state) - reduced.accelerations(reduced.state)
    direct = response.at(pushed, reduced.state) - still
    by_place, by_speed = np.zeros(free), np.zeros(free)
    zero = np.zeros(free)
    for k in range(free):
        z = np.zeros(free)
        z[k] = step
        pair = [response.at(reduced.system, reduced.moved(sign * z)) for sign in (1, -1)]
        by_place[k] = (pair[0] - pair[1]) / (2 * step)
        pair = [response.at(reduced.system, reduced.moved(zero, sign * z)) for sign in (1, -1)]
        by_speed[k] = (pair[0] - pair[1]) / (2 * step)
    stiffness, damping = reduced.stiffness(), reduced.damping()
    result = np.empty(len(frequencies), dtype=complex)
    for index, frequency in enumerate(np.asarray(frequencies, dtype=float)):
        s = 2j * np.pi * frequency
        z = np.linalg.solve(s * s * np.eye(free) - s * damping - stiffness, drive.astype(complex))
        result[index] = by_place @ z + s * (by_speed @ z) + direct
    return result


def _pushed(mechanism: Mechanism, source: str, amount: float) -> Mechanism:
    """The mechanism with a constant added to the value of a load or drive."""

    def more(node: Node) -> Node:
        return Apply("+", (node, Number(amount, NUMBER)))

    loads = tuple(
        replace(load, value=more(load.value)) if load.name == source else load
        for load in mechanism.of(LoadData)
    )
    drives = tuple(
        replace(drive, value=more(drive.value)) if drive.name == source else drive
        for drive in mechanism.of(DriveData)
    )
    chosen = [d for d in mechanism.of(DriveData) if d.name == source]
    if chosen and chosen[0].prescribes == "position":
        raise ModelError(
            "a prescribed motion cannot be the source of a frequency response",
            element=source,
            remedy="Use a load, an effort, a servo or a motor",
        )
    if not chosen and source not in {load.name for load in mechanism.of(LoadData)}:
        raise ModelError(f"'{source}' is not a load or drive", remedy="Choose one of those")
    return mechanism.having(LoadData, loads).having(DriveData, drives)


class _Output:
    """Value of a channel at any state: a recording of one instant."""

    def __init__(self, model: Model, case: str, reduced: Reduced, channel: str) -> None:
        self.model, self.case, self.reduced, self.channel = model, case, reduced, channel

    def at(self, system: System, state: Floats) -> float:
        T, S = system.tables, workspace_of(system)
        S.switch[:] = self.reduced.S.switch
        S.turned[:] = self.reduced.S.turned
        S.along[:] = self.reduced.S.along
        out = Outputs(
            np.zeros(1), np.zeros((1, len(state))), np.zeros((1, system.moving, 6)),
            np.zeros((1, len(T.row))), np.zeros((1, len(T.coordinate), 3)),
            np.zeros((1, int(T.measured[-1]))), np.zeros((0, TOUCH_WIDTH)),
            np.zeros(1, dtype=np.int64),
        )  # fmt: skip
        place(T, S, 0.0, state)
        store(T, S, state, out, 0, np.zeros_like(state), 0.0)
        nothing = Statistics("", 0.0, 0, 0, 0, 0, 0.0, 0.0, 0.0)
        instant = Recording(
            model=self.model, case=self.case, time=out.time, state=out.state,
            acceleration=out.acceleration, multiplier=out.multiplier, coordinate=out.coordinate,
            measured=out.measured, touch=out.touch, touch_end=out.touch_end, statistics=nothing,
            system=system,
        )  # fmt: skip
        return float(instant[self.channel][0])
