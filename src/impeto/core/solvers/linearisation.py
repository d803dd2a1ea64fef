"""A mechanism about a pose in its free motions: what statics and the linear view work with.

With N a basis of the motions that the constraints allow, N ᵀ M N = I, displacements are q(z): the
bodies moved by N z and brought back onto the constraints. The accelerations in the free motions are
b = Nᵀ M a; a pose is an equilibrium where b = 0 at rest, and z̈ = (∂b/∂z) z + (∂b/∂ż) ż near it.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from impeto.core.assembly.build import build_system
from impeto.core.assembly.equations import derivative, move, place
from impeto.core.assembly.workspace import workspace_of
from impeto.core.couplers.data import GearPairData, RelationData
from impeto.core.drives.data import BrakeData, DriveData
from impeto.core.dynamics.mechanism import Mechanism
from impeto.core.dynamics.state import all_speeds, unknown_at, unknowns
from impeto.core.dynamics.system import System
from impeto.core.dynamics.tables import Workspace
from impeto.core.model.formula import Number
from impeto.core.model.units import NUMBER
from impeto.core.solvers.projection import project_fresh
from impeto.core.solvers.rank import RANK_GAP, sparse_jacobian

Floats = npt.NDArray[np.float64]
SMALL = 1e-5  # of the size: displacements for differences


def at_rest(system: System, state: Floats) -> System:
    """The system of a mechanism that stands still without friction, see standing()."""
    return build_system(standing(system, state))


def standing(system: System, state: Floats) -> Mechanism:
    """The same mechanism with prescribed motions standing where they are and without friction.

    Friction is left out because with it there is a range of equilibria and no linear motion.
    """
    S = workspace_of(system)
    place(system.tables, S, 0.0, state)

    def still(drive: DriveData) -> DriveData:
        if drive.motor is not None:
            motor = replace(drive.motor, efficiency=1.0, efficiency_back=1.0, friction=0.0)
            return replace(drive, motor=motor)
        if drive.servo is not None or drive.prescribes == "effort":
            return drive
        here = float(S.coordinate[system.coordinates[drive.joint, drive.freedom]])
        return replace(drive, prescribes="position", value=Number(here, NUMBER))

    m = system.mechanism
    smooth = replace(m, joints=tuple(replace(joint, frictions=()) for joint in m.joints))
    smooth = smooth.having(
        GearPairData, [replace(mesh, thread=None) for mesh in m.of(GearPairData)]
    )
    dry = [replace(relation, thread=None) for relation in m.of(RelationData)]
    smooth = smooth.having(RelationData, dry)
    smooth = smooth.having(DriveData, [still(drive) for drive in m.of(DriveData)])
    return smooth.having(BrakeData, ())


class Reduced:
    """Free motions of a system at a pose. state : full state, at rest, on the constraints."""

    def __init__(self, system: System, state: Floats, turned: Floats | None = None) -> None:
        self.system, self.T = system, system.tables
        self.S: Workspace = workspace_of(system)
        self.n = system.moving
        self.state = state.copy()
        self.state[all_speeds(self.n)] = 0.0
        self.rate = np.zeros_like(state)
        self.mass = self._mass()
        self.limit = 1e-14 * system.size
        if turned is not None:
            self.S.turned[:] = turned
        place(self.T, self.S, 0.0, self.state)
        self.S.turned[:] = self.S.coordinate
        self.S.along[:] = self.S.track[:, 0]
        self.basis = self._basis()
        self._settle_switches()

    def _mass(self) -> Floats:
        """(6n, 6n) block diagonal mass matrix, body axes for turns."""
        full = np.zeros((unknowns(self.n), unknowns(self.n)))
        for body in range(self.n):
            k = unknown_at(body + 1)
            full[k : k + 3, k : k + 3] = self.T.mass[body + 1] * np.eye(3)
            full[k + 3 : k + 6, k + 3 : k + 6] = self.T.inertia[body + 1]
        return full

    def _basis(self) -> Floats:
        """(6n, free) allowed motions, orthonormal in the mass metric."""
        rows = self.system.constraints
        jacobian = sparse_jacobian(self.system, self.S)[rows].toarray()
        root = np.linalg.cholesky(np.linalg.inv(self._with_rotors()))
        scaled = jacobian @ root
        length = np.linalg.norm(scaled, axis=1, keepdims=True)
        scaled = scaled / np.where(length > 0.0, length, 1.0)
        if not len(scaled):
            return np.asarray(root)
        _, values, vectors = np.linalg.svd(scaled, full_matrices=True)
        return np.asarray(root @ vectors[int((values > RANK_GAP).sum()) :].T)

    def _with_rotors(self) -> Floats:
        """Mass matrix with the rotors of motors reflected onto their coordinates."""
        full = self.mass.copy()
        jacobian = sparse_jacobian(self.system, self.S).toarray()
        for r, value in enumerate(self.T.row_value):
            if value[1] > 0.0:
                full += np.outer(jacobian[r], jacobian[r]) / value[1]
        return full

    def _settle_switches(self) -> None:
        """Switches as they are at this pose."""
        for _ in range(50):
            derivative(self.T, self.S, 0.0, self.state, self.rate)
            wrong = np.flatnonzero(self.S.guard < 0.0)
            if not len(wrong):
                return
            self.S.switch[wrong[0]] = 1 - self.S.switch[wrong[0]]

    def moved(self, z: Floats, speed: Floats | None = None) -> Floats:
        """State displaced by z along the free motions, with speeds along them."""
        state = self.state.copy()
        move(state, self.basis @ z, self.n)
        if speed is not None:
            state[all_speeds(self.n)] = self.basis @ speed
        project_fresh(self.T, self.S, 0.0, state, self.limit, 12)
        return state

    def accelerations(self, state: Floats) -> Floats:
        """b (free,) at a state."""
        derivative(self.T, self.S, 0.0, state, self.rate)
        return np.asarray(
            self.basis.T @ (self._with_rotors_now() @ self.S.solution[: unknowns(self.n)])
        )

    def _with_rotors_now(self) -> Floats:
        if not (self.T.row_value[:, 1] > 0.0).any():
            return self.mass
        return self._with_rotors()

    @property
    def unbalance(self) -> Floats:
        """b at the pose itself."""
        return self.accelerations(self.state)

    def step(self) -> float:
        """Displacement in z that moves the fastest point by SMALL of the mechanism's size."""
        parts = np.abs(self.basis).reshape(self.n, 6, -1)
        largest = max(parts[:, :3].max(initial=0.0) / self.system.size, parts[:, 3:].max(initial=0))
        return SMALL / max(float(largest), 1e-300)

    def stiffness(self) -> Floats:
        """∂b/∂z (free, free) by central differences, switches held."""
        return self._differences(lambda z: self.moved(z))

    def damping(self) -> Floats:
        """∂b/∂ż (free, free)."""
        zero = np.zeros(self.basis.shape[1])
        return self._differences(lambda z: self.moved(zero, z))

    def _differences(self, displaced) -> Floats:  # type: ignore[no-untyped-def]
        free, h = self.basis.shape[1], self.step()
        result = np.zeros((free, free))
        for k in range(free):
            z = np.zeros(free)
            z[k] = h
            up, down = self.accelerations(displaced(z)), self.accelerations(displaced(-z))
            result[:, k] = (up - down) / (2.0 * h)
        return result
