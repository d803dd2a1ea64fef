"""Room for the arrays of a run: small ones in memory, large ones in a file without a name."""

from __future__ import annotations

import math
import os
import tempfile

import numpy as np
import numpy.typing as npt

from impeto.core.errors import FileError
from impeto.services.atomic import reason

IN_MEMORY = 32_000_000  # bytes up to which an array needs no file
SPARED = 0.5  # of the free memory that an array may take where the disk has no room


class Scratch:
    """Makes the arrays of one run.

    note : what went otherwise than meant, for people, or ''
    """

    def __init__(self) -> None:
        self.note = ""

    def allocate(self, shape: tuple[int, ...]) -> npt.NDArray[np.float64]:
        """Zeros of a shape. Large ones live on disk, where the system keeps what is in use at hand;
        the file goes away with the array. Its space is reserved, as a disk that fills up under such
        a file would end the process. Raises FileError where neither disk nor memory has room."""
        size = 8 * math.prod(shape)
        if size <= IN_MEMORY:
            return np.zeros(shape)
        try:
            with tempfile.TemporaryFile(prefix="impeto-") as file:
                os.posix_fallocate(file.fileno(), 0, size)
                return np.asarray(np.memmap(file, dtype=np.float64, mode="r+", shape=shape))
        except OSError as error:
            return self._in_memory(shape, size, error)

    def _in_memory(
        self, shape: tuple[int, ...], size: int, error: OSError
    ) -> npt.NDArray[np.float64]:
        place = f"The folder for temporary files ({tempfile.gettempdir()}) has no room for the run"
        free = os.sysconf("SC_AVPHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
        if size > SPARED * free:
            raise FileError(
                f"{place} ({size / 1e6:.0f} MB: {reason(error)}): free some space, or record fewer "
                "instants."
            ) from error
        self.note = f"{place}: it is kept in memory. Free some space there."
        return np.zeros(shape)
