"""Couplers in numbers."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class ThreadData:
    """Friction of a thread on the turn of its worm or screw.

    lever : m, friction torque over axial force;  slope : how much friction adds to that force
    """

    lever: float
    slope: float


@dataclass(frozen=True, slots=True, kw_only=True)
class GearPairData:
    """GearPair of gear A on gear B (bodies B of their joints).

    arm : m, from axis A to the pitch point, positive towards B;  along : share of the tooth
    direction along axis A (worm), beside the tangential one;  factor_a, factor_b : pitch travel
    per unit of the coordinates, so that factor_a·q_a − factor_b·q_b stays;
    backlash : None, or play [m] with stiffness [N/m] and restitution of the teeth
    """

    name: str
    kind: str
    joint_a: int
    freedom_a: int
    joint_b: int
    freedom_b: int
    arm: float
    tangential: float
    along: float
    factor_a: float
    factor_b: float
    pressure: float
    backlash: float | None
    stiffness: float
    restitution: float
    thread: ThreadData | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RelationData:
    """Σ factor · coordinate stays. terms: joint, freedom, factor; a thread turns with the last."""

    name: str
    kind: str
    terms: tuple[tuple[int, int, float], ...]
    thread: ThreadData | None = None
