"""Where a picture's colours lie outside what a fit has seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Chain, EncodingOutput, compile_chain, run
from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_place
from syntonos.core.chain.document import Match
from syntonos.core.chain.engine import mix_matrix
from syntonos.core.charts.layout import reference_lin

A = NDArray[np.float64]
_REACH = 0.5  # log ratio of channels: there the smooth residual has fallen to half
_DARK = 0.004  # of white: below it chromaticity is noise
_CELLS, _EDGE = 161, 3.0


def unseen(chain: Chain, code_rgb: NDArray[np.float32], *, threads: int = 1) -> NDArray[np.bool_]:
    """Say which pixels' chromaticities lie away from all patches of the chart.

    Parameters
    ----------
    chain : Chain
        With a match; where its model has no centres, the chart's published patches count.
    code_rgb : (h, w, 3) float32
        Stored code values.

    Returns
    -------
    (h, w) bool, all false for a chain without a match.
    """
    match = chain.match
    if match is None:
        return np.zeros(code_rgb.shape[:2], np.bool_)
    plain = Chain(chain.decode, EncodingOutput("linear/ap1"))
    lin = run(compile_chain(plain), code_rgb, threads=threads)
    p = mix_matrix(match.mix).astype(np.float32)
    gain = (2.0**match.stops / np.array(match.angle_white)).astype(np.float32)
    x = (lin @ p.T - np.array(match.angle_flare, np.float32)) * gain
    light = x @ AP1_LUMINANCE.astype(np.float32)
    place = np.nan_to_num(chroma_place(x))
    cell = np.round((place + _EDGE) * ((_CELLS - 1) / (2 * _EDGE))).astype(np.intp)
    return np.asarray(_far_away(match)[cell[..., 0], cell[..., 1]] & (light > _DARK), np.bool_)


def _far_away(match: Match) -> NDArray[np.bool_]:
    """Return a table over chromaticity: true where no patch is near."""
    if match.smooth:
        centres = np.array(match.smooth)[:, :2]
    else:
        nominal = reference_lin() @ mix_matrix(match.mix).T
        centres = np.concatenate([chroma_place(nominal), np.zeros((1, 2))])
    axis = np.linspace(-_EDGE, _EDGE, _CELLS)
    grid = np.stack(np.meshgrid(axis, axis, indexing="ij"), axis=-1)
    distance = np.hypot(*np.moveaxis(grid[:, :, None] - centres, -1, 0)).min(axis=-1)
    return np.asarray(distance > _REACH, np.bool_)


def hatch(
    disp_rgb: NDArray[np.float32], where: NDArray[np.bool_], *, falling: bool = False
) -> NDArray[np.float32]:
    """Return display values with slanted lines where `where` says so, light on dark and back.

    Lines rise to the right, or fall.
    """
    height, width = where.shape
    rows, columns = np.mgrid[0:height, 0:width]
    lines = where & ((rows + (-columns if falling else columns)) % 9 < 2)
    out = disp_rgb.copy()
    out[lines] = np.where(disp_rgb[lines].mean(axis=1, keepdims=True) > 0.5, 0.05, 0.9)
    return out
