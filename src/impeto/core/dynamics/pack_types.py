"""What a Pack is to compiled code (numba's extension interface): a pointer to its block, and arrays
that are made from it where they are read."""

from __future__ import annotations

from typing import Any

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
