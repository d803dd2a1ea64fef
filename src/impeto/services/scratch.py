"""Room for the arrays of a run: small ones in memory, large ones in a file without a name."""

from __future__ import annotations

import math
import tempfile

import numpy as np
import numpy.typing as npt

IN_MEMORY = 32_000_000  # bytes up to which an array needs no file


def allocate(shape: tuple[int, ...]) -> npt.NDArray[np.float64]:
    """Zeros of a shape. Large ones live on disk, where the system keeps what is in use at hand;
    the file goes away with the array."""
    if 8 * math.prod(shape) <= IN_MEMORY:
        return np.zeros(shape)
    with tempfile.TemporaryFile(prefix="impeto-") as file:
        return np.asarray(np.memmap(file, dtype=np.float64, mode="w+", shape=shape))
