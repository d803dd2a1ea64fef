"""Mass, centre of mass and inertia of solids and of bodies made of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class MassProperties:
    """mass [kg]; center (3,) [m]; inertia (3, 3) [kg m²] about the centre; one set of axes."""

    mass: float
    center: Floats
    inertia: Floats

    def placed(self, position: Floats, rotation: Floats) -> MassProperties:
        """The same piece moved into other axes."""
        center = position + rotation @ self.center
        return MassProperties(self.mass, center, rotation @ self.inertia @ rotation.T)


NOTHING = MassProperties(0.0, np.zeros(3), np.zeros((3, 3)))


def point(mass: float, position: Floats) -> MassProperties:
    return MassProperties(mass, position, np.zeros((3, 3)))


def box(size: Floats, density: float) -> MassProperties:
    mass = density * float(np.prod(size))
    a, b, c = size**2
    return MassProperties(mass, np.zeros(3), mass / 12 * np.diag([b + c, a + c, a + b]))


def tube(outer: float, inner: float, length: float, density: float) -> MassProperties:
    """Hollow cylinder along z; inner = 0 is a solid one."""
    mass = density * np.pi * (outer**2 - inner**2) * length
    squares = outer**2 + inner**2
    across = mass * (3 * squares + length**2) / 12
    return MassProperties(mass, np.zeros(3), np.diag([across, across, mass * squares / 2]))


def sphere(radius: float, density: float) -> MassProperties:
    mass = density * 4 / 3 * np.pi * radius**3
    return MassProperties(mass, np.zeros(3), 0.4 * mass * radius**2 * np.eye(3))


def together(pieces: list[MassProperties]) -> MassProperties:
    """One body from pieces given in the same axes (parallel-axis theorem)."""
    mass = sum(piece.mass for piece in pieces)
    if mass == 0.0:
        return NOTHING
    center = sum((piece.mass * piece.center for piece in pieces), np.zeros(3)) / mass
    inertia = np.zeros((3, 3))
    for piece in pieces:
        d = piece.center - center
        inertia += piece.inertia + piece.mass * (d @ d * np.eye(3) - np.outer(d, d))
    return MassProperties(mass, center, inertia)
