"""Lines that a channel is not to pass, over time or over another channel."""

from __future__ import annotations

import numpy as np

from impeto.core.errors import ModelError
from impeto.core.geometry.arrays import Floats
from impeto.core.model.quantity import Quantity
from impeto.core.model.scope import Scope

REMEDY = "Write it as 0 rpm, 90 N*m; 1500 rpm, 40 N*m"


def read_limit(text: str, scope: Scope, across: str, kind: str) -> Floats:
    """(P, 2) SI points of a line written as 'x, y; x, y', x rising.

    across, kind : kinds of quantity of x and y. Raises ModelError.
    """
    pairs = [part.split(",") for part in text.split(";") if part.strip()]
    if not pairs or any(len(pair) != 2 for pair in pairs):
        raise ModelError("a limit is made of points x, y", remedy=REMEDY)
    points = np.array([
        [scope.si(Quantity(x.strip()), across), scope.si(Quantity(y.strip()), kind)]
        for x, y in pairs
    ])  # fmt: skip
    if len(points) > 1 and not (np.diff(points[:, 0]) > 0.0).all():
        raise ModelError("the points of a limit go from left to right", remedy=REMEDY)
    return points


def beyond(limit: Floats, x: Floats, y: Floats) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """(N,) where values y at x lie above a limit (P, 2), straight between its points; a single
    point counts everywhere, otherwise nothing is asked beyond the first and last."""
    above = y > np.interp(x, limit[:, 0], limit[:, 1])
    if len(limit) == 1:
        return above
    return above & (x >= limit[0, 0]) & (x <= limit[-1, 0])
