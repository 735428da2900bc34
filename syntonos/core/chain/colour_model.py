"""The colour model of a match stage, in float64: matrix, roots, smooth residual.

    y = matrix x + luminance(x) [roots(place(x)) coefficients + sum_j k(place(x), place_j) weight_j]

Every term is homogeneous: twice the light gives twice the term, so a match holds at any exposure
(Finlayson, Mackiewicz, Hurlbert 2015), and what is not the matrix is a function of chromaticity,
which an engine can look up. Roots vanish on neutral, so neutral stays neutral; the smooth residual
dies out away from the chromaticities it was made from, and roots stand still beyond the reach.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import AP1

A = NDArray[np.float64]

# Luminance weights of AP1: the middle row of its matrix to XYZ (Academy S-2014-004).
AP1_LUMINANCE: A = AP1.to_xyz[1]
# The weights of a CDL's saturation: ASC CDL 1.2, those of Rec.709 whatever the primaries.
CDL_LUMA: Final = (0.2126, 0.7152, 0.0722)
# How many of the terms are the matrix, matrix and roots of degree 2, of degree 3.
MATRIX: Final = 2
ROOT_2: Final = 5
ROOT_3: Final = 12
KERNEL_WIDTH: Final = 0.45  # of the smooth residual, in log ratio of channels
REACH: Final = 3.0  # beyond this log ratio chromaticities are not told apart
GRID: Final = 129  # the engine's table: bilinear between nodes errs by 0.2 % of the residual


def terms(lin: A) -> A:
    """Return the terms of white-balanced colours.

    Parameters
    ----------
    lin : (..., 3)
        Divided by their white; a neutral has three equal channels.

    Returns
    -------
    (..., 12)
        r-g, b-g; the three square roots of products less their means; the seven cube roots
        less theirs. Roots are taken of the colour with its chromaticity held within the reach.
    """
    r, g, b = lin[..., 0], lin[..., 1], lin[..., 2]
    light = np.maximum(lin @ AP1_LUMINANCE, 0)[..., None]
    roots = light * _roots(chroma_place(lin))
    return np.concatenate([np.stack([r - g, b - g], axis=-1), roots], axis=-1)


def _roots(place: A) -> A:
    """Return the ten root terms (..., 10) at chromaticities (..., 2), at luminance 1."""
    direction = np.exp(np.stack([place[..., 0], 0 * place[..., 0], place[..., 1]], axis=-1))
    direction = direction / (direction @ AP1_LUMINANCE)[..., None]
    r, g, b = direction[..., 0], direction[..., 1], direction[..., 2]
    sr, sg, sb = np.sqrt(r), np.sqrt(g), np.sqrt(b)
    cr, cg, cb = np.cbrt(r), np.cbrt(g), np.cbrt(b)
    return np.stack(
        [
            sr * sg - (r + g) / 2,
            sg * sb - (g + b) / 2,
            sr * sb - (r + b) / 2,
            cr * cg * cg - (r + 2 * g) / 3,
            cg * cb * cb - (g + 2 * b) / 3,
            cr * cb * cb - (r + 2 * b) / 3,
            cg * cr * cr - (g + 2 * r) / 3,
            cb * cg * cg - (b + 2 * g) / 3,
            cb * cr * cr - (b + 2 * r) / 3,
            cr * cg * cb - (r + g + b) / 3,
        ],
        axis=-1,
    )


def chroma_place(lin: A) -> A:
    """Return (..., 2): ln r/g and ln b/g, held within the reach."""
    floor = 1e-3 * np.maximum(lin.max(axis=-1, keepdims=True), 1e-9)
    logs = np.log(np.maximum(lin, floor))
    return np.asarray(np.clip(logs[..., [0, 2]] - logs[..., 1:2], -REACH, REACH), np.float64)


def kernel(places: A, centres: A) -> A:
    """Return the smooth residual's kernel, (n, m), 1 where two chromaticities agree."""
    distance = ((places[:, None, :] - centres[None, :, :]) ** 2).sum(axis=-1)
    return np.asarray(np.exp(-0.5 * distance / KERNEL_WIDTH**2), np.float64)


def neutral_free_kernel(places: A, centres: A) -> A:
    """Return the kernel of a residual that is known to be zero at neutral, (n, m)."""
    zero = np.zeros((1, 2))
    return kernel(places, centres) - kernel(places, zero) * kernel(centres, zero).T


def evaluate_model(lin: A, matrix: A, roots: A, smooth: A) -> A:
    """Return y of white-balanced colours.

    Parameters
    ----------
    lin : (..., 3)
    matrix : (3, 3), rows sum to one
    roots : (10, 3) or (0, 3)
        Coefficients of the terms after the first two.
    smooth : (m, 5)
        Chromaticity (2) and weight (3) of each centre of the smooth residual.
    """
    light = np.maximum(lin @ AP1_LUMINANCE, 0)[..., None]
    return np.asarray(lin @ matrix.T + light * _by_chroma(chroma_place(lin), roots, smooth))


def _by_chroma(place: A, roots: A, smooth: A) -> A:
    """Return roots and smooth residual (..., 3) at chromaticities (..., 2), at luminance 1."""
    out = np.zeros((*place.shape[:-1], 3))
    if len(roots):
        out += _roots(place) @ roots
    if len(smooth):
        k = kernel(place.reshape(-1, 2), smooth[:, :2])
        out += (k @ smooth[:, 2:]).reshape(out.shape)
    return out


def chroma_table(roots: A, smooth: A) -> A:
    """Return roots and smooth residual sampled over chromaticity, (GRID, GRID, 3), table[u, v]."""
    axis = np.linspace(-REACH, REACH, GRID)
    return _by_chroma(np.stack(np.meshgrid(axis, axis, indexing="ij"), axis=-1), roots, smooth)
