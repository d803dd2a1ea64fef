"""Many arrays handed to compiled kernels as one pointer.

A tuple of 150 arrays is copied by value at every call of a kernel, and each kernel that takes one
costs seconds to compile. A Pack is passed as the address of a block that says where its arrays
are; compiled code reads from the block what it needs (numba's extension interface).
"""

from __future__ import annotations

from typing import Any, ClassVar, Self

import numpy as np
from llvmlite import ir
from numba import types
from numba.core.extending import (
    NativeValue,
    lower_getattr_generic,
    models,
    register_model,
    unbox,
)
from numba.core.typing.templates import AttributeTemplate, infer_getattr
from numba.np.arrayobj import make_array, populate_array

WORD = ir.IntType(64)
KINDS = {"d": types.float64, "l": types.int64}


class PackType(types.Type):  # type: ignore[misc]
    """The type of a class of packs: its arrays, and where each begins in the block (in words:
    address, then shape)."""

    def __init__(self, name: str, kinds: tuple[tuple[str, int, str], ...]) -> None:
        self.arrays, self.first = {}, {}
        words = 0
        for field, dimensions, kind in kinds:
            self.arrays[field] = types.Array(KINDS[kind], dimensions, "C")
            self.first[field] = words
            words += 1 + dimensions
        super().__init__(name=f"{name}{kinds}")


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


@register_model(PackType)
class _PackModel(models.OpaqueModel):  # type: ignore[misc]
    """A bare pointer to the block."""


@unbox(PackType)  # type: ignore[untyped-decorator]
def _unbox(kind: PackType, pack: Any, context: Any) -> NativeValue:
    address = context.pyapi.object_getattr_string(pack, "_address")
    number = context.pyapi.long_as_longlong(address)
    context.pyapi.decref(address)
    return NativeValue(context.builder.inttoptr(number, ir.IntType(8).as_pointer()))


@infer_getattr
class _PackAttribute(AttributeTemplate):  # type: ignore[misc]
    key = PackType

    def generic_resolve(self, pack: PackType, field: str) -> Any:
        return pack.arrays.get(field)


@lower_getattr_generic(PackType)  # type: ignore[untyped-decorator]
def _get(context: Any, builder: Any, kind: PackType, pointer: Any, field: str) -> Any:
    """The array of a field, made from the block, which never changes."""
    array_type, first = kind.arrays[field], kind.first[field]
    block = builder.bitcast(pointer, WORD.as_pointer())
    unchanging = builder.module.add_metadata([])

    def word(index: int) -> Any:
        loaded = builder.load(builder.gep(block, [WORD(index)]))
        loaded.set_metadata("invariant.load", unchanging)
        return loaded

    array = make_array(array_type)(context, builder)
    shape = [word(first + 1 + k) for k in range(array_type.ndim)]
    size = context.get_constant(types.intp, 8)
    strides = [size]
    for extent in reversed(shape[1:]):
        strides.insert(0, builder.mul(strides[0], extent))
    data = builder.inttoptr(word(first), array.data.type)
    populate_array(
        array, data=data, shape=shape, strides=strides, itemsize=size, meminfo=None, parent=None
    )
    return array._getvalue()
