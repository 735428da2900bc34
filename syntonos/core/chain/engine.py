"""The engine: a chain packed into opcodes, run over a frame in bands on a shared pool."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_table, evaluate_model
from syntonos.core.chain.document import Chain, EncodingOutput, Match
from syntonos.core.chain.tone import TONE
from syntonos.core.encodings import (
    AP1,
    GAMUTS,
    Curve,
    find_encoding,
    gamut_matrix,
    levels_scale_offset,
)
from syntonos.core.encodings.scalar import LINEAR

ENGINE_VERSION = 3  # part of every cache's key: raised when pixels change
_WIDTH = 40  # parameters of the widest opcode
# Where the blend towards a clip begins and is done, as shares of the clip.
_CLIP_FROM, _CLIP_TO = 0.75, 0.98


@dataclass(frozen=True, slots=True)
class Program:
    """Opcodes (n,) int32, their parameters (n, 40) float32, and a match's table."""

    ops: NDArray[np.int32]
    params: NDArray[np.float32]
    by_chroma: NDArray[np.float32]  # (g, g, 3); (2, 2, 3) zeros without one


class _Packer:
    """Collects opcodes; neighbouring affine steps are multiplied together in float64."""

    def __init__(self) -> None:
        self.rows: list[tuple[int, NDArray[np.float64]]] = []
        self.by_chroma = np.zeros((2, 2, 3))

    def add(self, op: int, params: tuple[float, ...]) -> None:
        self.rows.append((op, np.array(params, np.float64)))

    def affine(self, mat: NDArray[np.float64], shift: NDArray[np.float64] | None = None) -> None:
        offset = np.zeros(3) if shift is None else shift
        if self.rows and self.rows[-1][0] == k.OP_AFFINE:
            before = self.rows.pop()[1].reshape(3, 4)
            mat, offset = mat @ before[:, :3], mat @ before[:, 3] + offset
        self.rows.append((k.OP_AFFINE, np.column_stack([mat, offset]).ravel()))

    def match(self, match: Match) -> None:
        clip = (1e30, 0.0) if match.clip is None else (
            _CLIP_FROM * match.clip, 1 / ((_CLIP_TO - _CLIP_FROM) * match.clip)
        )  # fmt: skip
        if not match.is_affine:
            (before, shift), (after, lift) = _around_model(match)
            into, out = np.column_stack([before, shift]), np.column_stack([after, lift])
            self.by_chroma = _cached_table(match.roots, match.smooth)
            self.add(k.OP_MODEL, (*into.ravel(), *np.ravel(match.matrix), *out.ravel(), *clip,
                                  *AP1_LUMINANCE))  # fmt: skip
            return
        mat, shift = match_affine(match)
        if match.clip is None:
            self.affine(mat, shift)
            return
        rows = np.column_stack([mat, shift]).ravel()
        self.add(k.OP_AFFINE_TO_CLIP, (*rows, *clip, *AP1_LUMINANCE))

    def curve(self, curve: Curve, levels: str, *, inverse: bool) -> None:
        scale, offset = levels_scale_offset(levels)
        if inverse and levels != "full":
            self.add(k.OP_LEVELS, (1 / scale, -offset / scale))
        if curve.family != LINEAR:
            self.add((k.OP_DECODE if inverse else k.OP_ENCODE) + curve.family, curve.params)
        if not inverse and levels != "full":
            self.add(k.OP_LEVELS, (scale, offset))

    def program(self) -> Program:
        params = np.zeros((len(self.rows), _WIDTH), np.float32)
        for row, (_, values) in zip(params, self.rows, strict=True):
            row[: values.size] = values
        ops = np.array([op for op, _ in self.rows], np.int32)
        return Program(ops, params, self.by_chroma.astype(np.float32))


def mix_matrix(mix: float) -> NDArray[np.float64]:
    """Return P = (1 - mix) I + mix 1 l^T: AP1 moved a little towards its luminance.

    In it the data of real cameras and lights are positive, so whites can be divided by.
    """
    return (1 - mix) * np.eye(3) + mix * np.ones((3, 1)) * AP1_LUMINANCE


_Affine = tuple[NDArray[np.float64], NDArray[np.float64]]


def _around_model(match: Match) -> tuple[_Affine, _Affine]:
    """Return matrix and offset before and after the match's colour model."""
    p = mix_matrix(match.mix)
    gain = 2.0**match.stops / np.array(match.angle_white)
    inverse = np.linalg.inv(p)
    return (
        (gain[:, None] * p, -gain * np.array(match.angle_flare)),
        (inverse * np.array(match.reference_white), inverse @ np.array(match.reference_flare)),
    )


def match_affine(match: Match) -> _Affine:
    """Return (matrix (3, 3), offset (3,)) of an affine match stage on scene-linear AP1."""
    (before, shift), (after, lift) = _around_model(match)
    core = after @ np.array(match.matrix)
    return core @ before, core @ shift + lift


_Rows = tuple[tuple[float, ...], ...]


def _arrays(roots: _Rows, smooth: _Rows) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return np.array(roots).reshape(-1, 3), np.array(smooth).reshape(-1, 5)


@lru_cache(maxsize=64)
def _cached_table(roots: _Rows, smooth: _Rows) -> NDArray[np.float64]:
    return chroma_table(*_arrays(roots, smooth))


def through_match(match: Match, lin_ap1: NDArray[np.float64]) -> NDArray[np.float64]:
    """Apply a match stage to scene-linear AP1 (..., 3) in float64, without its blend to a clip."""
    (before, shift), (after, lift) = _around_model(match)
    y = evaluate_model(lin_ap1 @ before.T + shift, np.array(match.matrix),
                       *_arrays(match.roots, match.smooth))  # fmt: skip
    return np.asarray(y @ after.T + lift, np.float64)


def compile_chain(chain: Chain) -> Program:
    """Pack a chain into a program.

    Only tables are made here, nothing is compiled: a new chain costs microseconds, and 5 ms where
    its match has roots or a smooth residual that were not seen before.

    Raises
    ------
    EncodingError
        When a stage names an encoding that is not known.
    """
    pack = _Packer()
    source = find_encoding(chain.decode.encoding)
    pack.curve(source.curve, chain.decode.levels, inverse=True)
    pack.affine(gamut_matrix(source.gamut, AP1))
    if chain.match is not None:
        pack.match(chain.match)
    if isinstance(chain.output, EncodingOutput):
        target = find_encoding(chain.output.encoding)
        pack.affine(gamut_matrix(AP1, target.gamut))
        pack.curve(target.curve, chain.output.levels, inverse=False)
        return pack.program()
    display = find_encoding("rec709")
    pack.affine(gamut_matrix(AP1, GAMUTS["bt709"]))
    if chain.output.target == "rec709-tone":
        pack.add(k.OP_TONE, (*TONE.params, 1e-9, 1.0))
    else:
        pack.add(k.OP_CLAMP, (0.0, 1.0))
    pack.curve(display.curve, "full", inverse=False)
    return pack.program()


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(min(os.cpu_count() or 1, 8), thread_name_prefix="engine")


class Superseded(Exception):  # noqa: N818 - no failure: a newer draft took this one's place
    """A run was given up between two bands, since a newer one is waiting."""


def _bands(count: int, threads: int, watched: bool) -> list[slice]:
    # Watched runs are cut finer, so that a newer draft is noticed soon.
    parts = max(1, min(threads * (4 if watched else 1), count // 4096))
    edges = np.linspace(0, count, parts + 1).astype(int)
    return [slice(a, b) for a, b in pairwise(edges)]


def run(
    program: Program,
    code_rgb: NDArray[np.float32],
    *,
    threads: int = 1,
    is_superseded: Callable[[], bool] | None = None,
) -> NDArray[np.float32]:
    """Run a program over pixels.

    Parameters
    ----------
    program : Program
    code_rgb : (..., 3) float32
        Stored code values, 1.0 = full scale of the file.
    threads : int
        How many bands may run at once on the shared pool.
    is_superseded : callable, optional
        Asked between bands; when it says true the rest is given up.

    Returns
    -------
    (..., 3) float32, a new array. NaN stays NaN.

    Raises
    ------
    Superseded
        When `is_superseded` said so.
    """
    source = np.ascontiguousarray(code_rgb, np.float32)
    flat = source.reshape(-1, 3)
    out = np.empty_like(flat)

    def work(band: slice) -> None:
        if is_superseded is not None and is_superseded():
            raise Superseded
        k.run_float(flat[band], out[band], program.ops, program.params, program.by_chroma)

    bands = _bands(len(flat), threads, is_superseded is not None)
    if threads == 1:
        for band in bands:
            work(band)
    else:
        list(_pool().map(work, bands))
    return out.reshape(source.shape)


def to_bytes(disp_rgb: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Round display values 0..1 to bytes, any shape; NaN becomes 0."""
    out = np.empty(disp_rgb.shape, np.uint8)
    k.to_bytes(np.ascontiguousarray(disp_rgb).reshape(-1), out.reshape(-1))
    return out
