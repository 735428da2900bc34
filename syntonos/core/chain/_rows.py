"""Rows of four values out of a table, mixed in one vector register.

The compiler turns a loop of lookups into gathers, which take three times as long as loading the
four values of a node at once; it does not do that by itself. Here it is told to.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

_FOUR = ir.VectorType(ir.FloatType(), 4)
_TWO = ir.VectorType(ir.FloatType(), 2)
_I32, _I64 = ir.IntType(32), ir.IntType(64)
_FLAGS = ("contract",)  # a product and a sum may be one instruction


def _row(builder: Any, data: Any, at: Any) -> Any:
    place = builder.bitcast(builder.gep(data, [at]), _FOUR.as_pointer())
    return builder.load(place, align=4)


def _everywhere(builder: Any, value: Any) -> Any:
    nothing = ir.Constant(_FOUR, ir.Undefined)
    first = builder.insert_element(nothing, value, _I32(0))
    return builder.shuffle_vector(first, nothing, ir.Constant(ir.VectorType(_I32, 4), [0] * 4))


def _mixed(builder: Any, a: Any, b: Any, share: Any) -> Any:
    far = builder.fmul(builder.fsub(b, a, flags=_FLAGS), share, flags=_FLAGS)
    return builder.fadd(a, far, flags=_FLAGS)


def _lanes(context: Any, builder: Any, sig: Any, row: Any, count: int) -> Any:
    found = [builder.extract_element(row, _I32(i)) for i in range(count)]
    return context.make_tuple(builder, sig.return_type, found)


def _data(context: Any, builder: Any, sig: Any, args: Any) -> Any:
    return context.make_array(sig.args[0])(context, builder, args[0]).data


@intrinsic  # type: ignore[untyped-decorator]
def mix_rows(typingctx: Any, tables: Any, at: Any, share: Any) -> Any:
    """Return the four values at a place, mixed with the four after them by a share."""

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        data = _data(context, builder, sig, args)
        near = _row(builder, data, args[1])
        far = _row(builder, data, builder.add(args[1], _I64(4)))
        row = _mixed(builder, near, far, _everywhere(builder, args[2]))
        return _lanes(context, builder, sig, row, 4)

    return types.UniTuple(types.float32, 4)(tables, types.int64, types.float32), codegen


@intrinsic  # type: ignore[untyped-decorator]
def on_line(typingctx: Any, tables: Any, at: Any, share: Any) -> Any:
    """Return the value at a place and so much of the one after it, which says how it goes on."""

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        place = builder.gep(_data(context, builder, sig, args), [args[1]])
        two = builder.load(builder.bitcast(place, _TWO.as_pointer()), align=4)
        value, step = (builder.extract_element(two, _I32(i)) for i in (0, 1))
        return builder.fadd(value, builder.fmul(step, args[2], flags=_FLAGS), flags=_FLAGS)

    return types.float32(tables, types.int64, types.float32), codegen


@intrinsic  # type: ignore[untyped-decorator]
def mix_corners(
    typingctx: Any, tables: Any, at: Any, near: Any, far: Any, end: Any, most: Any, mid: Any,
    least: Any,
) -> Any:  # fmt: skip
    """Return three values mixed from the four nodes of a cell's tetrahedron that a place is in.

    at, near, far, end : the nodes, from the cell's beginning to its end
    most, mid, least : shares of the cell along its axes, the greatest first
    """

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        data = _data(context, builder, sig, args)
        nodes = [_row(builder, data, place) for place in args[1:5]]
        found = nodes[0]
        for before, after, share in zip(nodes, nodes[1:], args[5:], strict=False):
            step = builder.fsub(after, before, flags=_FLAGS)
            part = builder.fmul(step, _everywhere(builder, share), flags=_FLAGS)
            found = builder.fadd(found, part, flags=_FLAGS)
        return _lanes(context, builder, sig, found, 3)

    places, shares = (types.int64,) * 4, (types.float32,) * 3
    return types.UniTuple(types.float32, 3)(tables, *places, *shares), codegen
