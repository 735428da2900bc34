"""Values out of a table, looked up for a few places at once in vector registers.

The compiler turns a loop of lookups into gathers, which take three times as long as loading what
lies side by side in the table at once; it does not do that by itself. Here it is told to. Places
that follow each other share a register: their shares are loaded, and what is found is stored,
together.
"""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise
from typing import Any

from llvmlite import ir
from numba import types
from numba.extending import intrinsic

_FOUR = ir.VectorType(ir.FloatType(), 4)
_TWO = ir.VectorType(ir.FloatType(), 2)
_I32, _I64 = ir.IntType(32), ir.IntType(64)
_FLAGS = ("contract",)  # a product and a sum may be one instruction
_HALVES = [0] * 4 + [1] * 4  # one share for each half of a register


class _Code:
    """What code is written with: the builder, and arrays as pointers to their values."""

    def __init__(self, context: Any, builder: Any) -> None:
        self.context, self.builder = context, builder

    def values(self, kind: Any, array: Any) -> Any:
        return self.context.make_array(kind)(self.context, self.builder, array).data

    def load(self, data: Any, at: Any, size: Any) -> Any:
        return self.builder.load(self._place(data, at, size), align=4)

    def store(self, value: Any, data: Any, at: Any, size: Any) -> None:
        self.builder.store(value, self._place(data, at, size), align=4)

    def _place(self, data: Any, at: Any, size: Any) -> Any:
        return self.builder.bitcast(self.builder.gep(data, [at]), size.as_pointer())

    def parts(self, group: Any, count: int) -> list[Any]:
        return [self.builder.extract_value(group, k) for k in range(count)]

    def shuffled(self, one: Any, other: Any, numbers: Iterable[int]) -> Any:
        rows = list(numbers)
        order = ir.Constant(ir.VectorType(_I32, len(rows)), rows)
        return self.builder.shuffle_vector(one, other, order)

    def together(self, one: Any, other: Any) -> Any:
        return self.shuffled(one, other, range(8))

    def mixed(self, near: Any, far: Any, share: Any) -> Any:
        return self.moved(near, self.builder.fsub(far, near, flags=_FLAGS), share)

    def moved(self, value: Any, step: Any, share: Any) -> Any:
        part = self.builder.fmul(step, share, flags=_FLAGS)
        return self.builder.fadd(value, part, flags=_FLAGS)

    def put_threes(self, found: Any, kind: Any, rows: Any, at: Any) -> None:
        """Store the first three values of either half into three rows, two in each."""
        for k, row in enumerate(self.parts(rows, 3)):
            two = self.shuffled(found, found, [k, k + 4])
            self.store(two, self.values(kind.dtype, row), at, _TWO)


@intrinsic  # type: ignore[untyped-decorator]
def on_four_lines(typingctx: Any, tables: Any, at: Any, shares: Any, out: Any, i: Any) -> Any:
    """Put the values at four places, each with a share of how it goes on from there, into a row.

    at : four places in the table, each a value and how far the next one is
    shares : row of shares, of which those from number i on are taken
    out : row that the values go to, from number i on
    """

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        code = _Code(context, builder)
        data, share, goal = (code.values(sig.args[k], args[k]) for k in (0, 2, 3))
        lines = [code.load(data, place, _TWO) for place in code.parts(args[1], 4)]
        halves = [code.shuffled(one, other, range(4)) for one, other in (lines[:2], lines[2:])]
        value, step = (
            code.shuffled(halves[0], halves[1], [k, k + 2, k + 4, k + 6]) for k in (0, 1)
        )
        found = code.moved(value, step, code.load(share, args[4], _FOUR))
        code.store(found, goal, args[4], _FOUR)
        return context.get_dummy_value()

    return types.void(tables, types.UniTuple(types.int64, 4), shares, out, types.int64), codegen


@intrinsic  # type: ignore[untyped-decorator]
def mix_rows_of_two(typingctx: Any, tables: Any, at: Any, shares: Any, out: Any, i: Any) -> Any:
    """Mix three values each for places i and i + 1, from a table's rows at and after a place.

    at : two places in the table
    shares : row of how far on the way to the next row each is
    out : rows that the three values go to
    """

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        code = _Code(context, builder)
        data, share = (code.values(sig.args[k], args[k]) for k in (0, 2))
        places = code.parts(args[1], 2)
        near, far = (
            code.together(*(
                code.load(data, builder.add(place, _I64(step)), _FOUR) for place in places
            ))
            for step in (0, 4)
        )  # fmt: skip
        both = code.load(share, args[4], _TWO)
        found = code.mixed(near, far, code.shuffled(both, both, _HALVES))
        code.put_threes(found, sig.args[3], args[3], args[4])
        return context.get_dummy_value()

    return types.void(tables, types.UniTuple(types.int64, 2), shares, out, types.int64), codegen


@intrinsic  # type: ignore[untyped-decorator]
def mix_corners_of_two(
    typingctx: Any, tables: Any, nodes: Any, others: Any, shares: Any, out: Any, i: Any
) -> Any:
    """Mix three values each for places i and i + 1, from the four nodes of their tetrahedra.

    nodes, others : where the nodes of either place begin, from its cell's beginning to its end
    shares : rows of shares of a cell along its axes, the greatest first
    out : rows that the three values go to
    """

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        code = _Code(context, builder)
        data = code.values(sig.args[0], args[0])
        corners = [
            code.together(*(code.load(data, place, _FOUR) for place in two))
            for two in zip(code.parts(args[1], 4), code.parts(args[2], 4), strict=True)
        ]
        found = corners[0]
        for row, (before, after) in zip(code.parts(args[3], 3), pairwise(corners), strict=True):
            both = code.load(code.values(sig.args[3].dtype, row), args[5], _TWO)
            step = builder.fsub(after, before, flags=_FLAGS)
            found = code.moved(found, step, code.shuffled(both, both, _HALVES))
        code.put_threes(found, sig.args[4], args[4], args[5])
        return context.get_dummy_value()

    four = types.UniTuple(types.int64, 4)
    return types.void(tables, four, four, shares, out, types.int64), codegen
