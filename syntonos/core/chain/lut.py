"""Applying a 3D LUT."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain._lut_kernels import lut_tetrahedral, lut_trilinear


def apply_lut(
    code_rgb: NDArray[np.float32],
    table: NDArray[np.float32],
    *,
    interpolation: Literal["tetrahedral", "trilinear"] = "tetrahedral",
) -> NDArray[np.float32]:
    """Look pixels up in a 3D LUT with domain 0..1.

    Parameters
    ----------
    code_rgb : (..., 3) float32
        Clamped to the domain.
    table : (size, size, size, 3) float32
        ``table[r, g, b]``.

    Returns
    -------
    (..., 3) float32
    """
    flat = np.ascontiguousarray(code_rgb, np.float32).reshape(-1, 3)
    out = np.empty_like(flat)
    kernel = lut_tetrahedral if interpolation == "tetrahedral" else lut_trilinear
    kernel(flat, out, np.ascontiguousarray(table, np.float32))
    return out.reshape(np.shape(code_rgb))
