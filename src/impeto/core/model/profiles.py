"""Road profiles by a few numbers, written out as points of height over length."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np
import numpy.typing as npt

from impeto.core.errors import FormulaError

Floats = npt.NDArray[np.float64]
ROUND = 24  # points of a wave or of a pole
STARTS = 1.0  # m, where the first bump begins
EXAMPLES = ("bump 60 mm, 600 mm", "sine 30 mm, 2 m, 5", "poles 100 mm, 1.5 m, 3")


def made_profile(text: str, length: Callable[[str], float]) -> str:
    """Points of a profile: 'bump HEIGHT, LENGTH' is a smooth one (half a cosine up and down),
    'sine AMPLITUDE, WAVELENGTH, COUNT' waves about the level, 'poles RADIUS, SPACING, COUNT' round
    poles that lie half sunk in the road. Raises FormulaError.

    length : reads a length with its unit, in m
    """
    kind, _, rest = text.strip().partition(" ")
    parts = [part.strip() for part in rest.split(",")]
    wanted = {"bump": 2, "sine": 3, "poles": 3}.get(kind)
    if wanted != len(parts):
        raise FormulaError(
            f"'{text}' is no profile", remedy=f"Write, for example, {' or '.join(EXAMPLES)}"
        )
    first, second = (length(part) for part in parts[:2])
    count = int(parts[2]) if wanted == 3 and parts[2].isdigit() else 1
    if not (first > 0.0 and second > 0.0 and 1 <= count <= 200):
        raise FormulaError(f"'{text}' has a size of zero or less, or no count from 1 to 200")
    if kind == "bump":
        x = np.linspace(0.0, second, ROUND + 1)
        places, heights = STARTS + x, 0.5 * first * (1.0 - np.cos(2.0 * np.pi * x / second))
    elif kind == "sine":
        x = np.linspace(0.0, count * second, ROUND * count + 1)
        places, heights = STARTS + x, first * np.sin(2.0 * np.pi * x / second)
    else:
        if not second > 2.0 * first:
            raise FormulaError("the poles would lie in each other", remedy="Space them wider")
        angle = np.linspace(np.pi, 0.0, ROUND // 2 + 1)
        one = np.column_stack([first * np.cos(angle), first * np.sin(angle)])
        ways = [STARTS + first + second * k for k in range(count)]
        points = np.concatenate([one + np.array([way, 0.0]) for way in ways])
        places, heights = points.T
        steep = np.diff(places, prepend=-np.inf) > 1e-9
        places, heights = places[steep], heights[steep]
    return written_profile(zip([0.0, *places], [0.0, *heights], strict=True))


def written_profile(points: Iterable[tuple[float, float]]) -> str:
    """'0 m: 0 m; 1 m: 0.02 m' of places and heights [m]."""
    return "; ".join(f"{round(x, 6):g} m: {round(y, 6) + 0.0:g} m" for x, y in points)
