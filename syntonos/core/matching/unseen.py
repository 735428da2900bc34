"""Where a picture's colours lie outside what a fit has seen."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Chain, EncodingOutput, compile_chain, run
from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_place
from syntonos.core.chain.document import Match
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.charts.layout import reference_lin
from syntonos.core.matching._unseen_kernel import CELLS, EDGE, look_up

A = NDArray[np.float64]
_REACH = 0.5  # log ratio of channels: there the smooth residual has fallen to half


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
    # x of the model: the match as far as white and flare, without colour.
    white = replace(Match(), angle_flare=match.angle_flare, angle_white=match.angle_white,
                    stops=match.stops, mix=match.mix)  # fmt: skip
    inner = Chain(chain.decode, EncodingOutput("linear/ap1"), match=white)
    x = run(compile_chain(inner), code_rgb, threads=threads) @ _mixed(match.mix)
    out = np.empty(code_rgb.shape[:2], np.bool_)
    look_up(x.reshape(-1, 3), _far_away(match), AP1_LUMINANCE.astype(np.float32), out.reshape(-1))
    return out


def _mixed(mix: float) -> NDArray[np.float32]:
    return np.asarray(mix_matrix(mix).T, np.float32)


@lru_cache(maxsize=16)
def _far_away(match: Match) -> NDArray[np.bool_]:
    """Return a table over chromaticity: true where no patch is near."""
    if match.smooth:
        centres = np.array(match.smooth)[:, :2]
    else:
        nominal = reference_lin() @ mix_matrix(match.mix).T
        centres = np.concatenate([chroma_place(nominal), np.zeros((1, 2))])
    axis = np.linspace(-EDGE, EDGE, CELLS)
    grid = np.stack(np.meshgrid(axis, axis, indexing="ij"), axis=-1)
    distance = np.hypot(*np.moveaxis(grid[:, :, None] - centres, -1, 0)).min(axis=-1)
    return np.asarray(distance > _REACH, np.bool_)


def hatch(
    picture: NDArray[np.uint8], where: NDArray[np.bool_], *, falling: bool = False
) -> NDArray[np.uint8]:
    """Return a picture (h, w, 3) with slanted lines where `where` says so, light on dark and back.

    Lines rise to the right, or fall.
    """
    lines = np.flatnonzero(where & _lines(*where.shape, falling))
    out = picture.copy()
    flat = out.reshape(-1, 3)
    flat[lines] = np.where(flat[lines].mean(axis=1, keepdims=True) > 127, 13, 230)
    return out


@lru_cache(maxsize=8)
def _lines(height: int, width: int, falling: bool) -> NDArray[np.bool_]:
    rows, columns = np.arange(height)[:, None], np.arange(width)
    return np.asarray((rows + (-columns if falling else columns)) % 9 < 2, np.bool_)
