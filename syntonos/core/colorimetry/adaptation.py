"""Chromatic adaptation between two whites, by a von Kries transform in a cone-like space."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.colorimetry.white import xy_to_xyz

# Bradford: Lam (1985), as in ICC.1:2010 annex E. CAT02: CIE 159:2004, equation 2.
CONE_MATRICES: dict[str, NDArray[np.float64]] = {
    "bradford": np.array(
        [[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]]
    ),
    "cat02": np.array(
        [[0.7328, 0.4296, -0.1624], [-0.7036, 1.6975, 0.0061], [0.0030, 0.0136, 0.9834]]
    ),
}


def adaptation_matrix(
    white_src_xy: ArrayLike, white_dst_xy: ArrayLike, *, method: str
) -> NDArray[np.float64]:
    """Return the matrix that takes XYZ under one white to XYZ under another.

    Parameters
    ----------
    white_src_xy, white_dst_xy : (2,) float
        CIE 1931 chromaticities of the two whites.
    method : {"bradford", "cat02"}
        The cone space in which the channels are scaled.

    Returns
    -------
    (3, 3) float64
        Applied as ``xyz @ mat.T``. White goes to white exactly.

    Source: ICC.1:2010 annex E (Bradford); CIE 159:2004 (CAT02), complete adaptation.
    """
    cone = CONE_MATRICES[method]
    gains = (cone @ xy_to_xyz(white_dst_xy)) / (cone @ xy_to_xyz(white_src_xy))
    return np.asarray(np.linalg.solve(cone, gains[:, None] * cone), np.float64)
