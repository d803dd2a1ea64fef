"""Compiling: into numba's cache on disk, where there is a place that can be written."""

from __future__ import annotations

from numba import njit


def _can_be_kept() -> bool:
    """Whether there is such a place: where not, numba would not even let modules be imported."""
    try:
        njit(cache=True)(lambda: None)
    except RuntimeError:
        return False
    return True


KEPT = _can_be_kept()
# Without reference counts, see mechanics/kernel.py.
compiled = njit(cache=KEPT, error_model="numpy", nogil=True, _nrt=False)
