"""Baking a chain into a 3D LUT."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.document import Chain
from syntonos.core.chain.engine import compile_chain, run
from syntonos.core.errors import ChainError

LUT_SIZES: Final = (17, 33, 65)


def bake_lut(chain: Chain, size: int, *, threads: int = 1) -> NDArray[np.float32]:
    """Evaluate a chain on an even grid of stored code values.

    Parameters
    ----------
    chain : Chain
        All its stages are pointwise in version 1.
    size : int
        Points per axis: 17, 33 or 65.

    Returns
    -------
    (size, size, size, 3) float32
        ``table[r, g, b]``; input 0..1 is code / full scale. Values are not clamped beyond what
        the chain's output clamps.

    Raises
    ------
    ChainError
        For another size.
    """
    if size not in LUT_SIZES:
        raise ChainError(
            f"A LUT of {size} points per axis was asked for.",
            hint=f"Choose one of {', '.join(map(str, LUT_SIZES))}.",
            code="lut.size",
        )
    axis = np.linspace(0, 1, size, dtype=np.float32)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    return run(compile_chain(chain), grid, threads=threads)
