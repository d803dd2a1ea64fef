"""Compiling: into numba's cache on disk, where there is a place that can be written."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from numba import njit

F = TypeVar("F", bound=Callable[..., Any])


def _can_be_kept() -> bool:
    """Whether there is such a place: where not, numba would not even let modules be imported."""
    try:
        njit(cache=True)(lambda: None)
    except RuntimeError:
        return False
    return True


KEPT = _can_be_kept()


def compiled(function: F) -> F:
    """The function, compiled without reference counts, see dynamics/kernel.py."""
    made: F = njit(cache=KEPT, error_model="numpy", nogil=True, _nrt=False)(function)
    return made
