"""Shapes and rules of contact, in numbers."""

from __future__ import annotations

from dataclasses import dataclass

from impeto.core.dynamics.mechanism import Floats, Ints
from impeto.core.geometry.solids import Solid
from impeto.core.model.formula import Node


@dataclass(frozen=True, slots=True, kw_only=True)
class ShapeData:
    """A shape that may touch something; position [m] and rotation in the axes of its body.

    kind : contact.fields.BALL …;  size : half extents, radii, half lengths [m] by kind
    rounding : m, of its edges;  bound : m, radius of the ball around it
    thickness : m, how deep its middle lies;  profile : (P, 2) m, outline
    belt : row of a belt surface, −1 for none;  solid : field and samples of SOLID and DRAWN
    """

    body: int
    kind: int
    position: Floats
    rotation: Floats
    size: tuple[float, ...]
    rounding: float
    bound: float
    thickness: float
    profile: Floats | None = None
    belt: int = -1
    solid: Solid | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleData:
    """Values of contact: N/m at 1 mm depth, exponent, restitution, friction, rolling arm [m]."""

    name: str
    stiffness: float
    exponent: float
    restitution: float
    static: float
    kinetic: float
    rolling: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PairingData:
    """rule : (H, H) row of the rule of each pair of shapes, −1 where they may not touch"""

    rule: Ints


@dataclass(frozen=True, slots=True, kw_only=True)
class BeltData:
    """direction : unit vector in body axes;  value : speed [m/s]"""

    name: str
    body: int
    direction: Floats
    value: Node
