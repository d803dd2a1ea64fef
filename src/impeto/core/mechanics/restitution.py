"""Damping of an impact law from the wanted restitution."""

from __future__ import annotations

import numpy as np
from scipy.optimize import brentq


def damping_factor(restitution: float) -> float:
    """Factor a in F = k δⁿ (1 + a δ̇ / v₀) that gives this restitution e exactly, for any n.

    From the energy of the rebound: ln((1 + a) / (1 − a e)) = a (1 + e); a(1) = 0. Below e = 0.01
    the value of 0.01 is used: such an impact is dead.
    """
    e = max(restitution, 0.01)
    if e >= 1.0:
        return 0.0

    def residual(a: float) -> float:
        return float(np.log1p(a) - np.log1p(-a * e) - a * (1.0 + e))

    return float(brentq(residual, 1e-9, (1.0 - 1e-13) / e, xtol=1e-14, maxiter=500))
