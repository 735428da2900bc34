"""Baking a chain into a 3D LUT."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.document import Chain, EncodingOutput
from syntonos.core.chain.engine import run, run_on_grid
from syntonos.core.chain.program import Program, compile_chain
from syntonos.core.encodings import LEGAL_OFFSET, LEGAL_SCALE, find_encoding
from syntonos.core.encodings.scalar import LINEAR
from syntonos.core.errors import ChainError

A = TypeVar("A", NDArray[np.float32], NDArray[np.float64])
_SCALE, _OFFSET = np.float32(LEGAL_SCALE), np.float32(LEGAL_OFFSET)

LUT_SIZES: Final = (17, 33, 65)
Side = Literal["stored", "expanded"]


@dataclass(frozen=True, slots=True)
class LutLevels:
    """What 0..1 means on a LUT's input and on its output.

    "stored": the code value / full scale, as files hold it. "expanded": (1023 v - 64) / 876, for
    hosts that stretch legal levels to 0..1 before a LUT and press them back after it.

    A display's code values go from black at 0 to white at 1 either way: a host that presses them
    back makes legal video of them.
    """

    into: Side = "stored"
    out: Side = "stored"

    def __post_init__(self) -> None:
        for side in (self.into, self.out):
            if side not in ("stored", "expanded"):
                raise ChainError(
                    f"LUT levels {side!r} are not known.", hint="Say stored or expanded.",
                    code="lut.levels",
                )  # fmt: skip

    def to_stored(self, value: A) -> A:
        """Turn the LUT's input (..., 3) into stored code values."""
        return (value * _SCALE + _OFFSET).astype(value.dtype) if self.into == "expanded" else value

    def from_stored(self, code: A) -> A:
        """Turn stored code values (..., 3) into the LUT's input."""
        return ((code - _OFFSET) / _SCALE).astype(code.dtype) if self.into == "expanded" else code

    def result(self, code: A, chain: Chain) -> A:
        """Turn the chain's result (..., 3) into the LUT's output."""
        if self.out == "stored" or not isinstance(chain.output, EncodingOutput):
            return code
        return ((code - _OFFSET) / _SCALE).astype(code.dtype)

    def code(self, result: A, chain: Chain) -> A:
        """Turn the LUT's output (..., 3) into what the chain gives: the inverse of `result`."""
        if self.out == "stored" or not isinstance(chain.output, EncodingOutput):
            return result
        return (result * _SCALE + _OFFSET).astype(result.dtype)


STORED: Final = LutLevels()


def _stages_by_channel(program: Program) -> int:
    """Return how many opcodes at the start treat each channel alone: levels and curves."""
    alone = (program.ops == k.OP_LEVELS) | (program.ops >= k.OP_DECODE)
    return int(len(alone) if alone.all() else np.argmin(alone))


def bake_lut(
    chain: Chain, size: int, *, threads: int = 1, levels: LutLevels = STORED
) -> NDArray[np.float32]:
    """Evaluate a chain on an even grid.

    Parameters
    ----------
    chain : Chain
        All its stages are pointwise.
    size : int
        Points per axis: 17, 33 or 65.
    levels : LutLevels
        What 0..1 means on both sides.

    Returns
    -------
    (size, size, size, 3) float32
        ``table[r, g, b]``. Values are not clamped beyond what the chain's output clamps.

    Raises
    ------
    ChainError
        For another size; lut.linear for a chain from linear light, whose values an even grid from
        0 to 1 does not hold.
    """
    if size not in LUT_SIZES:
        raise ChainError(
            f"A LUT of {size} points per axis was asked for.",
            hint=f"Choose one of {', '.join(map(str, LUT_SIZES))}.",
            code="lut.size",
        )
    if find_encoding(chain.decode.encoding).curve.family == LINEAR:
        raise ChainError(
            "A 3D LUT from linear light would hold no more than 0 to 1 of it, in even steps.",
            hint="Take a CLF away: it brings its own shaper. Or give the clip a log encoding.",
            code="lut.linear",
        )
    program = compile_chain(chain)
    axis = np.repeat(np.linspace(0, 1, size, dtype=np.float32)[:, None], 3, axis=1)
    # What treats each channel alone is worked out along the axis, not for every combination.
    alone = _stages_by_channel(program)
    along = run(program.part(0, alone), levels.to_stored(axis))
    result = run_on_grid(program.part(alone), along, threads=threads)
    return levels.result(result, chain)
