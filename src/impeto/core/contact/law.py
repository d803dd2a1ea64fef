"""The contact law: normal force with an exact restitution, friction that sticks."""

from __future__ import annotations

import numpy as np

from impeto.core.dynamics.kernel import kernel
from impeto.core.geometry.arrays import Vector3

(
    STIFFNESS, EXPONENT, IMPACT_DAMPING, DAMPING_LIMIT, STATIC, KINETIC, ROLLING, RESTITUTION,
    RULE_WIDTH,
) = range(9)  # fmt: skip
REFERENCE_DEPTH = 1e-3  # m, where every exponent gives the same force
LEAST_IMPACT = 1e-4  # m/s: slower impacts are damped as if they were so fast
RESTS = 60.0  # steps: an impact takes about twenty
RESTING = 2.0  # times √(k m), of the damper of what rests
STRIBECK = 1e-3  # m/s over which static friction falls to kinetic


@kernel
def elastic(
    stiffness: float, exponent: float, depth: float, thickness: float
) -> tuple[float, float, float]:
    """Force [N], its slope [N/m] and energy [J] of pressing in by a depth [m].

    F = k d₀ (δ/d₀)ⁿ with d₀ = 1 mm; beyond half the thickness it rises without bound, so that
    nothing is pressed through.
    """
    soft = min(depth, 0.5 * thickness)
    power = stiffness * soft
    if exponent != 1.0:
        power = stiffness * REFERENCE_DEPTH * (soft / REFERENCE_DEPTH) ** exponent
    energy = power * soft / (exponent + 1.0)
    slope = exponent * power / soft
    if depth <= soft:
        return power, slope, energy
    left = max(2.0 - 2.0 * depth / thickness, 1e-9)  # 1 at half the thickness, 0 at the whole
    return (
        power / left,
        slope + 2.0 * power / (thickness * left * left),
        energy - 0.5 * power * thickness * np.log(left),
    )


@kernel
def normal_force(
    spring: float, slope: float, mass: float, damping: float, limit: float, impact: float,
    closing: float, age: float,
) -> float:  # fmt: skip
    """F (1 + a δ̇ / v₀) ≥ 0 (Hunt and Crossley 1975), a from the exact restitution.

    The damper is not let grow beyond what an impact of this restitution needs, or a heavy load on
    a contact that was made softly would be stiff without any use; what has touched for many steps
    (age) rests, and is damped well but no more.
    """
    if age > RESTS:
        limit = min(limit, RESTING)
    rate = spring * damping / max(impact, LEAST_IMPACT)
    most = 1.5 * limit * np.sqrt(slope * mass)
    return max(spring + min(rate, most) * closing, 0.0)


@kernel
def friction_limit(static: float, kinetic: float, excess: float) -> float:
    """Coefficient of friction: static, falling to kinetic with the speed of slip [m/s]."""
    ratio = excess / STRIBECK
    return kinetic + (static - kinetic) / (1.0 + ratio * ratio)


@kernel
def bristle(
    stiffness: float, damping: float, normal: float, static: float, kinetic: float, s: Vector3,
    v: Vector3,
) -> tuple[float, Vector3, Vector3]:  # fmt: skip
    """Friction on A through a spring and a damper in series with a slider.

    s (3,) : deflection [m], in the tangent plane;  v (3,) : slip velocity of A over B [m/s]
    Returns the speed of slip, the friction on A (3,) and ṡ (3,). Sticks without creep; passive, as
    the slider only takes energy (Cundall and Strack 1979; elasto-plastic after Dupont et al. 2002).
    """
    held = (
        stiffness * s[0] + damping * v[0], stiffness * s[1] + damping * v[1],
        stiffness * s[2] + damping * v[2],
    )  # fmt: skip
    trial = np.sqrt(held[0] ** 2 + held[1] ** 2 + held[2] ** 2)
    holds = static * normal
    slip, share = 0.0, 1.0
    if trial > holds:
        limit = normal * friction_limit(static, kinetic, (trial - holds) / damping)
        share = limit / trial
        slip = (trial - limit) / damping
    force = (-share * held[0], -share * held[1], -share * held[2])
    ratio = stiffness / damping
    rate = (
        -force[0] / damping - ratio * s[0], -force[1] / damping - ratio * s[1],
        -force[2] / damping - ratio * s[2],
    )  # fmt: skip
    return slip, force, rate
