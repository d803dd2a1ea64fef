"""Many arrays handed to compiled kernels as one pointer.

A tuple of 150 arrays is copied by value at every call of a kernel, and each kernel that takes one
costs seconds to compile. A Pack is passed as the address of a block that says where its arrays
are; compiled code reads from the block what it needs (`pack_types.py`).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Self

import numpy as np

if TYPE_CHECKING:
    from impeto.core.dynamics.pack_types import PackType


class Pack:
    """Base of classes whose annotated fields are arrays: float64 or int64, C-contiguous.

    The contents of the arrays may change, which arrays they are may not.
    """

    _types: ClassVar[dict[tuple[Any, ...], PackType]] = {}

    def __init__(self, *listed: Any, **named: Any) -> None:
        fields = list(type(self).__annotations__)
        arrays = dict(zip(fields, listed, strict=False)) | named
        if list(arrays) != fields:
            arrays = {field: arrays.pop(field) for field in fields} | arrays
            assert len(arrays) == len(fields), f"unknown fields in {list(arrays)[len(fields) :]}"
        words: list[int] = []
        for array in arrays.values():
            assert array.flags.c_contiguous
            words += [array.ctypes.data, *array.shape]
        self.__dict__.update(arrays)
        self.__dict__["_block"] = block = np.array(words, dtype=np.int64)
        self.__dict__["_address"] = block.ctypes.data
        self.__dict__["_numba_type_"] = self._type(arrays)

    @classmethod
    def _type(cls, arrays: dict[str, Any]) -> PackType:
        kinds = tuple((field, a.ndim, a.dtype.char) for field, a in arrays.items())
        key = cls.__name__, kinds
        if key not in Pack._types:
            from impeto.core.dynamics.pack_types import PackType  # with numba, see Kernel

            Pack._types[key] = PackType(cls.__name__, kinds)
        return Pack._types[key]

    def __setattr__(self, name: str, value: Any) -> None:
        raise AttributeError(f"{name} of a pack stays; use replaced()")

    def arrays(self) -> dict[str, Any]:
        """All arrays by field."""
        return {field: self.__dict__[field] for field in type(self).__annotations__}

    def replaced(self, **changes: Any) -> Self:
        """A pack with some arrays exchanged."""
        return type(self)(**(self.arrays() | changes))

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), tuple(self.arrays().values())
