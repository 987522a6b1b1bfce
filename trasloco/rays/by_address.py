"""A named tuple of arrays as kernels are handed it: one address, where what each array is lies in memory.

Handed over as a tuple, every field of every array is an argument of every function that takes it, hundreds of
them, and compiling is slow with each. What is read here never changes while a kernel runs, and the compiler is
told so: it reads each field when it likes, and once where it can.
"""

from __future__ import annotations

import hashlib
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt
from llvmlite import ir
from numba import typeof, types
from numba.core import cgutils
from numba.core.typing.templates import AttributeTemplate
from numba.extending import (
    NativeValue,
    infer_getattr,
    lower_getattr_generic,
    models,
    register_model,
    typeof_impl,
    unbox,
)

_WORD = ir.IntType(64)


class ByAddress:
    """Arrays of a named tuple, kept for as long as this is, as kernels read them: ``held.positions[i, 0]``.

    They are not written to by kernels. ``address``: of eight-byte words, for one array after the other what
    Numba knows an array by.
    """

    def __init__(self, arrays: NamedTuple) -> None:
        self.arrays = arrays
        self.words: npt.NDArray[np.int64] = np.array(
            [word for one in arrays for word in _words(one)], np.int64
        )
        self.address: int = self.words.ctypes.data
        kinds = [typeof(one).copy(readonly=True) for one in arrays]
        # Asked for at every call of a kernel.
        self.kind = _Type(type(arrays).__name__, dict(zip(arrays._fields, kinds, strict=True)))


def _words(array: npt.NDArray[Any]) -> tuple[int, ...]:
    """Owner and Python object (none), items, bytes of one, data, shape, strides."""
    return (0, 0, array.size, array.itemsize, array.ctypes.data, *array.shape, *array.strides)


class _Type(types.Type):  # type: ignore[misc,unused-ignore]
    """The kinds of the arrays by name, and the word where each begins."""

    def __init__(self, name: str, fields: dict[str, Any]) -> None:
        self.fields = fields
        self.starts: dict[str, int] = {}
        at = 0
        for field, kind in fields.items():
            self.starts[field] = at
            at += 5 + 2 * kind.ndim
        told = hashlib.sha256(repr(list(fields.items())).encode()).hexdigest()[:12]
        super().__init__(f"{name} by address {told}")


@typeof_impl.register(ByAddress)
def _typed(value: ByAddress, context: Any) -> _Type:
    return value.kind


@register_model(_Type)
class _Model(models.PrimitiveModel):  # type: ignore[misc,unused-ignore]
    def __init__(self, manager: Any, kind: _Type) -> None:
        super().__init__(manager, kind, _WORD)


@unbox(_Type)
def _unboxed(kind: _Type, value: Any, context: Any) -> Any:
    address = context.pyapi.object_getattr_string(value, "address")
    word = context.pyapi.long_as_longlong(address)
    context.pyapi.decref(address)
    return NativeValue(word, is_error=cgutils.is_not_null(context.builder, context.pyapi.err_occurred()))


@infer_getattr
class _Fields(AttributeTemplate):  # type: ignore[misc,unused-ignore]
    key = _Type

    def generic_resolve(self, kind: _Type, name: str) -> Any:
        return kind.fields.get(name)


@lower_getattr_generic(_Type)  # type: ignore[untyped-decorator,unused-ignore]
def _read(context: Any, builder: Any, kind: _Type, value: Any, name: str) -> Any:
    """The array of that name, each word of it read where it lies."""
    array = kind.fields[name]
    unchanging = builder.module.add_metadata([])
    words, starts = builder.inttoptr(value, _WORD.as_pointer()), kind.starts[name]

    def word(number: int, kind: Any = _WORD) -> Any:
        place = builder.gep(words, [ir.Constant(_WORD, starts + number)], inbounds=True)
        read = builder.load(builder.bitcast(place, kind.as_pointer()))
        read.set_metadata("invariant.load", unchanging)
        return read

    made = context.make_array(array)(context, builder)
    made.meminfo = cgutils.get_null_value(made.meminfo.type)
    made.parent = cgutils.get_null_value(made.parent.type)
    made.nitems, made.itemsize = word(2), word(3)
    made.data = word(4, made.data.type)
    many = array.ndim
    made.shape = cgutils.pack_array(builder, [word(5 + n) for n in range(many)], ty=_WORD)
    made.strides = cgutils.pack_array(builder, [word(5 + many + n) for n in range(many)], ty=_WORD)
    return made._getvalue()
