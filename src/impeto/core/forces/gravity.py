"""Gravity: one field for all bodies."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from impeto.core.bodies.compile import unit_vector
from impeto.core.geometry.arrays import Floats
from impeto.core.model import fields
from impeto.core.model.element import Element
from impeto.core.model.fields import Vector, Written
from impeto.core.model.scope import Scope


@dataclass(frozen=True, slots=True, kw_only=True)
class Gravity(Element):
    tag: ClassVar[str] = "gravity"
    group: ClassVar[str] = "forces"
    size: Written = fields.quantity("acceleration", "9.80665 m/s^2")
    direction: Vector = fields.vector("number", ("0", "0", "-1"))


def gravity(scope: Scope) -> Floats:
    """Sum of all gravities that are on (3,) [m/s²], world."""
    total = np.zeros(3)
    for part in scope.model.of(Gravity):
        if scope.on(part):
            size = scope.field(part, "size", "acceleration")
            total += size * unit_vector(scope, part)
    return total
