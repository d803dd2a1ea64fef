"""The points of contact of a recording: which bodies, when, where, with which force."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt

from impeto.core.dynamics.tables import (
    TOUCH_A,
    TOUCH_B,
    TOUCH_DEPTH,
    TOUCH_FORCE,
    TOUCH_FRICTION,
    TOUCH_NORMAL,
    TOUCH_PLACE,
    TOUCH_POINT,
    TOUCH_RULE,
    TOUCH_SLIP,
)

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


class Touching:
    """touch : (M, 17) points of contact of all outputs, one after the other (output.TOUCH_…)
    end : (N,) end of each output in them;  time : (N,) s;  body : (H,) of every shape
    """

    def __init__(self, touch: Floats, end: Ints, time: Floats, body: Ints) -> None:
        self.touch, self.end, self.time, self.body = touch, end, time, body

    @cached_property
    def instant(self) -> Ints:
        """(M,) output to which each point belongs."""
        counts = np.diff(self.end, prepend=0)
        return np.repeat(np.arange(len(self.end)), counts)

    @cached_property
    def bodies(self) -> Ints:
        """(M, 2) bodies A and B of each point."""
        if not len(self.body):
            return np.zeros((0, 2), dtype=np.int64)
        return self.body[self.touch[:, [TOUCH_A, TOUCH_B]].astype(np.int64)]

    @cached_property
    def pairs(self) -> list[tuple[int, int]]:
        """Pairs of bodies that ever touched; the ground comes second."""
        low, high = self.bodies.min(axis=1, initial=1 << 40), self.bodies.max(axis=1, initial=-1)
        found = {(int(a), int(b)) for a, b in np.unique(np.stack([low, high]), axis=1).T}
        return sorted((b, a) if a == 0 else (a, b) for a, b in found)

    def of_rule(self, rule: int) -> Ints:
        return np.flatnonzero(self.touch[:, TOUCH_RULE] == rule)

    def of_pair(self, a: int, b: int) -> tuple[Ints, Floats]:
        """Points between two bodies, and 1 where the first is A, −1 where it is B."""
        first, second = self.bodies.T
        rows = np.flatnonzero(((first == a) & (second == b)) | ((first == b) & (second == a)))
        return rows, np.where(first[rows] == a, 1.0, -1.0)

    def points_of(self, a: int, b: int) -> list[Ints]:
        """Points between two bodies by where on their shapes they are."""
        rows, _ = self.of_pair(a, b)
        keys = self.touch[rows][:, [TOUCH_A, TOUCH_B, TOUCH_POINT]]
        _, which = np.unique(keys, axis=0, return_inverse=True)
        return [rows[which.ravel() == k] for k in range(int(which.max(initial=-1)) + 1)]

    def _sum(self, rows: Ints, values: Floats) -> Floats:
        sums = np.bincount(self.instant[rows], weights=values, minlength=len(self.end))
        return np.asarray(sums, dtype=float)

    def _most(self, rows: Ints, values: Floats) -> Floats:
        most = np.zeros(len(self.end))
        np.maximum.at(most, self.instant[rows], values)
        return most

    def normal(self, rows: Ints) -> Floats:
        """(N,) sum of the normal forces [N]."""
        return self._sum(rows, self.touch[rows, TOUCH_FORCE])

    def friction(self, rows: Ints) -> Floats:
        """(N,) sum of the sizes of the friction forces [N]."""
        friction = self.touch[rows, TOUCH_FRICTION : TOUCH_FRICTION + 3]
        return self._sum(rows, np.linalg.norm(friction, axis=1))

    def depth(self, rows: Ints) -> Floats:
        """(N,) the deepest point [m]."""
        return self._most(rows, self.touch[rows, TOUCH_DEPTH])

    def slip(self, rows: Ints) -> Floats:
        """(N,) the fastest slip [m/s]."""
        return self._most(rows, self.touch[rows, TOUCH_SLIP])

    def count(self, rows: Ints) -> Floats:
        return self._sum(rows, np.ones(len(rows)))

    def impulse(self, rows: Ints) -> Floats:
        """(N,) N s of the normal forces since the start, by the trapezoidal rule."""
        force = self.normal(rows)
        steps = 0.5 * (force[1:] + force[:-1]) * np.diff(self.time)
        return np.concatenate([[0.0], np.cumsum(steps)])

    def forces(self, rows: Ints) -> Floats:
        """(R, 3) whole force on A of each point, world."""
        t = self.touch[rows]
        normal = t[:, TOUCH_NORMAL : TOUCH_NORMAL + 3] * t[:, [TOUCH_FORCE]]
        return np.asarray(normal + t[:, TOUCH_FRICTION : TOUCH_FRICTION + 3])

    def force(self, rows: Ints, signs: Floats) -> Floats:
        """(N, 3) force on the first body, world."""
        forces = self.forces(rows) * signs[:, None]
        return np.stack([self._sum(rows, forces[:, k]) for k in range(3)], axis=1)

    def moment(self, rows: Ints, signs: Floats, about: Floats) -> Floats:
        """(N, 3) N m, world, of the forces on the first body about points (N, 3)."""
        forces = self.forces(rows) * signs[:, None]
        arms = self.touch[rows, TOUCH_PLACE : TOUCH_PLACE + 3] - about[self.instant[rows]]
        moments = np.cross(arms, forces)
        return np.stack([self._sum(rows, moments[:, k]) for k in range(3)], axis=1)

    def center(self, rows: Ints) -> Floats:
        """(N, 3) place of contact, weighed by the normal forces; not a number while apart."""
        weight = self.touch[rows, TOUCH_FORCE]
        total = self._sum(rows, weight)
        place = self.touch[rows, TOUCH_PLACE : TOUCH_PLACE + 3]
        sums = np.stack([self._sum(rows, weight * place[:, k]) for k in range(3)], axis=1)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(sums / np.where(total > 0.0, total, np.nan)[:, None])

    def at(self, instant: int) -> Floats:
        """(P, 17) points of contact of one output."""
        first = int(self.end[instant - 1]) if instant else 0
        return self.touch[first : int(self.end[instant])]
