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


def capsule(radius: float, length: float, density: float) -> MassProperties:
    """Round bar along z with half balls at both ends; length between the balls' centres."""
    bar = tube(radius, 0.0, length, density)
    balls = sphere(radius, density)
    half = 0.5 * balls.mass
    # a half ball's centre of mass lies 3/8 of its radius from its flat side
    out = length / 2 + 3 * radius / 8
    across = balls.inertia[0, 0] / 2 - half * (3 * radius / 8) ** 2 + half * out**2
    turned = np.diag([2 * across, 2 * across, balls.inertia[2, 2]])
    return MassProperties(bar.mass + balls.mass, np.zeros(3), bar.inertia + turned)


def cone(bottom: float, top: float, length: float, density: float) -> MassProperties:
    """Cone along z, blunt when top > 0; the middle of its height is the origin."""
    a, b, h = bottom, top, length
    square = (a * a + a * b + b * b) / 3.0
    mass = density * np.pi * h * square
    # integrals of r², r²u, r²u² and r⁴ over the height share u
    first = a * a / 2 + 2 * a * (b - a) / 3 + (b - a) ** 2 / 4
    second = a * a / 3 + a * (b - a) / 2 + (b - a) ** 2 / 5
    fourth = (a**4 + a**3 * b + a * a * b * b + a * b**3 + b**4) / 5
    at = first / square
    about_z = density * np.pi * h * fourth / 2
    across = about_z / 2 + density * np.pi * h**3 * (second - square * at * at)
    center = np.array([0.0, 0.0, (at - 0.5) * h])
    return MassProperties(mass, center, np.diag([across, across, about_z]))


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
