"""The match stage in numbers: what its document means, in float64."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_table, evaluate_model
from syntonos.core.chain.document import Match


def mix_matrix(mix: float) -> NDArray[np.float64]:
    """Return P = (1 - mix) I + mix 1 l^T: AP1 moved a little towards its luminance.

    In it the data of real cameras and lights are positive, so whites can be divided by.
    """
    return (1 - mix) * np.eye(3) + mix * np.ones((3, 1)) * AP1_LUMINANCE


@lru_cache(maxsize=8)
def _mixing(mix: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    mat = mix_matrix(mix)
    return mat, np.asarray(np.linalg.inv(mat), np.float64)


_Affine = tuple[NDArray[np.float64], NDArray[np.float64]]


@lru_cache(maxsize=64)
def around_model(match: Match) -> tuple[_Affine, _Affine]:
    """Return matrix and offset before and after the match's colour model; read only."""
    p, inverse = _mixing(match.mix)
    gain = 2.0**match.stops / np.array(match.angle_white)
    before = (gain[:, None] * p, -gain * np.array(match.angle_flare))
    after = (inverse * np.array(match.reference_white), inverse @ np.array(match.reference_flare))
    for array in (*before, *after):
        array.setflags(write=False)
    return before, after


def match_affine(match: Match) -> _Affine:
    """Return (matrix (3, 3), offset (3,)) of an affine match stage on scene-linear AP1."""
    (before, shift), (after, lift) = around_model(match)
    core = after @ np.array(match.matrix)
    return core @ before, core @ shift + lift


_Rows = tuple[tuple[float, ...], ...]


def _arrays(roots: _Rows, smooth: _Rows) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return np.array(roots).reshape(-1, 3), np.array(smooth).reshape(-1, 5)


@lru_cache(maxsize=64)
def model_table(roots: _Rows, smooth: _Rows) -> NDArray[np.float64]:
    """Return a model's roots and smooth residual as `chroma_table` samples them; kept."""
    return chroma_table(*_arrays(roots, smooth))


def through_match(match: Match, lin_ap1: NDArray[np.float64]) -> NDArray[np.float64]:
    """Apply a match stage to scene-linear AP1 (..., 3) in float64, without its blend to a clip."""
    (before, shift), (after, lift) = around_model(match)
    y = evaluate_model(lin_ap1 @ before.T + shift, np.array(match.matrix),
                       *_arrays(match.roots, match.smooth))  # fmt: skip
    return np.asarray(y @ after.T + lift, np.float64)
