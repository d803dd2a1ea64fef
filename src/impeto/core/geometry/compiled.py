"""Compiling: into numba's cache on disk, where there is a place that can be written."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, update_wrapper
from threading import RLock
from typing import Any, TypeVar, cast

F = TypeVar("F", bound=Callable[..., Any])

_compiling = RLock()


class Kernel:
    """A function that is compiled, or read from the cache, when it is first called.

    Numba takes a fifth of the time in which a window opens, and nothing there needs a kernel; so
    it is imported by the first call. Inside other kernels this stands for what numba made.
    """

    def __init__(self, function: Callable[..., Any]) -> None:
        update_wrapper(self, function)
        self.call: Callable[..., Any] = self._first
        self._made: Any = None

    def __call__(self, *arguments: Any) -> Any:
        return self.call(*arguments)

    def _first(self, *arguments: Any) -> Any:
        self.call = self.dispatcher()
        return self.call(*arguments)

    def dispatcher(self) -> Any:
        """What numba made of the function."""
        with _compiling:
            if self._made is None:
                self._made = _compile(self.__wrapped__)  # type: ignore[attr-defined]
            return self._made


def _compile(function: Callable[..., Any]) -> Any:
    import numba

    known_to_numba()
    options = {"error_model": "numpy", "nogil": True, "_nrt": False}
    return numba.njit(cache=can_be_kept(), **options)(function)


@cache
def known_to_numba() -> None:
    """Tell numba what a Kernel is, once."""
    from numba.extending import typeof_impl

    @typeof_impl.register(Kernel)  # type: ignore[untyped-decorator]
    def _of(kernel: Kernel, context: Any) -> Any:
        return typeof_impl(kernel.dispatcher(), context)


@cache
def can_be_kept() -> bool:
    """Whether there is a place for what is compiled: where not, numba would raise an error."""
    import numba

    try:
        numba.njit(cache=True)(lambda: None)
    except RuntimeError:
        return False
    return True


def compiled(function: F) -> F:
    """The function, compiled without reference counts, see dynamics/kernel.py."""
    return cast("F", Kernel(function))
