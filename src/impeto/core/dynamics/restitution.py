"""Damping of an impact law from the wanted restitution."""

from __future__ import annotations

import numpy as np

DEAD = 0.03


def damping_factor(restitution: float) -> float:
    """Factor a in F = k δⁿ (1 + a δ̇ / v₀) that gives this restitution e exactly, for any n.

    From the energy of the rebound: ln((1 + a) / (1 − a e)) = a (1 + e); a(1) = 0. Below e = 0.03
    the value of 0.03 is used: such an impact is dead.
    """
    e = max(restitution, DEAD)
    if e >= 1.0:
        return 0.0

    def residual(a: float) -> float:
        return float(np.log1p(a) - np.log1p(-a * e) - a * (1.0 + e))

    nearly = (1.0 - 1e-13) / e
    if residual(nearly) <= 0.0:  # the root is closer to 1/e than numbers can tell
        return nearly
    from scipy.optimize import brentq

    return float(brentq(residual, 1e-9, nearly, xtol=1e-14, maxiter=500))


def damping_limit(factor: float) -> float:
    """The most that the damper reaches in an impact, over √(k m), for a linear contact.

    k δ² / (m v₀²) = 2 (1/a − ln(1 + a)/a²) at the deepest point gives a √… there. At least 1.
    """
    if factor <= 0.0:
        return 1.0
    depth = np.sqrt(2.0 * (1.0 / factor - np.log1p(factor) / factor**2))
    return float(max(1.0, 1.2 * factor * depth))
