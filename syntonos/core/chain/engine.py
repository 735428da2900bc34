"""The engine: a program run over a frame in bands on a shared pool.

What the host library is the standard for, ACES outputs and the nodes of a CLF, it does itself, band
by band, between the opcodes.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from functools import cache, lru_cache
from itertools import pairwise
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.displays import find_display
from syntonos.core.chain.document import AcesOutput
from syntonos.core.chain.program import Program
from syntonos.core.chain.tables import clf_runner

ENGINE_VERSION = 11  # part of every cache's key: raised when pixels change
_Band = TypeVar("_Band")


@lru_cache(maxsize=16)
def _aces_processor(display: str, version: str) -> Any:
    import PyOpenColorIO as ocio

    target = find_display(display)
    group = ocio.GroupTransform([
        ocio.BuiltinTransform(target.aces_1 if version == "1.3" else target.aces_2),
        ocio.BuiltinTransform(target.view),
    ])  # fmt: skip
    return ocio.Config.CreateRaw().getProcessor(group).getOptimizedCPUProcessor(
        ocio.BIT_DEPTH_F32, ocio.BIT_DEPTH_F32, ocio.OPTIMIZATION_DEFAULT
    )  # fmt: skip


def behind_aces(xyz: NDArray[np.float64], display: str, version: str) -> NDArray[np.float64]:
    """Return the scene that an ACES output shows as some light.

    Parameters
    ----------
    xyz : (..., 3)
        CIE XYZ about D65, 1 at 100 cd/m2; within what the output can show.
    display : str
        A display's slug.
    version : str
        "1.3" or "2.0".

    Returns
    -------
    (..., 3) float64
        ACES2065-1. The output transform's own inverse, done by OpenColorIO in float32.
    """
    light = np.ascontiguousarray(xyz, np.float32)
    _aces_inverse(display, version).applyRGB(light)
    return light.astype(np.float64)


@lru_cache(maxsize=16)
def _aces_inverse(display: str, version: str) -> Any:
    import PyOpenColorIO as ocio

    target = find_display(display)
    name = target.aces_1 if version == "1.3" else target.aces_2
    back = ocio.BuiltinTransform(name, ocio.TRANSFORM_DIR_INVERSE)
    return ocio.Config.CreateRaw().getProcessor(back).getDefaultCPUProcessor()


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(min(os.cpu_count() or 1, 8), thread_name_prefix="engine")


class Cancelled(Exception):  # noqa: N818 - no failure: nobody waits for it any more
    """A run was given up between two bands, since its view was closed."""


def _bands(count: int, threads: int, watched: bool) -> list[slice]:
    # Watched runs are cut finer, so that a closed view is noticed soon.
    parts = max(1, min(threads * (4 if watched else 1), count // 4096))
    edges = np.linspace(0, count, parts + 1).astype(int)
    return [slice(a, b) for a, b in pairwise(edges)]


def run(
    program: Program,
    code_rgb: NDArray[np.float32],
    *,
    threads: int = 1,
    is_cancelled: Callable[[], bool] | None = None,
) -> NDArray[np.float32]:
    """Run a program over pixels.

    Parameters
    ----------
    program : Program
    code_rgb : (..., 3) float32
        Stored code values, 1.0 = full scale of the file.
    threads : int
        How many bands may run at once on the shared pool.
    is_cancelled : callable, optional
        Asked between bands; when it says true the rest is given up.

    Returns
    -------
    (..., 3) float32, a new array. NaN stays NaN.

    Raises
    ------
    Cancelled
        When `is_cancelled` said so.
    """
    source = np.ascontiguousarray(code_rgb, np.float32)
    flat = source.reshape(-1, 3)
    out = np.empty_like(flat)

    def work(band: slice) -> None:
        if is_cancelled is not None and is_cancelled():
            raise Cancelled
        _run_band(program, flat[band], out[band])

    each_band(work, _bands(len(flat), threads, is_cancelled is not None), threads)
    return out.reshape(source.shape)


def run_on_grid(
    program: Program, axis: NDArray[np.float32], *, threads: int = 1
) -> NDArray[np.float32]:
    """Run a program over all combinations of an axis's values; the grid itself is never stored.

    Parameters
    ----------
    axis : (n, 3) float32
        Of each channel.

    Returns
    -------
    (n, n, n, 3) float32, [r, g, b].
    """
    n = len(axis)
    out = np.empty((n * n * n, 3), np.float32)

    def work(band: slice) -> None:
        own, values = upto(program), out[band]
        k.run_grid(axis, band.start, values, own.ops, own.params, own.tables)
        _go_on(program, len(own.ops), values)

    each_band(work, _bands(len(out), threads, watched=False), threads)
    return out.reshape(n, n, n, 3)


def upto(program: Program) -> Program:
    """Return what comes before the host library's first part."""
    stops = np.flatnonzero(program.ops == k.OP_HOST)
    return program.part(0, int(stops[0])) if len(stops) else program


def _run_band(program: Program, src: NDArray[np.float32], dst: NDArray[np.float32]) -> None:
    own = upto(program)
    k.run_float(src, dst, own.ops, own.params, own.tables)
    _go_on(program, len(own.ops), dst)


def _go_on(program: Program, done: int, values: NDArray[np.float32]) -> None:
    """Run what comes from the host library's first part on, which is number `done`, in place."""
    while done < len(program.ops):
        which, mix = program.params[done, :2]
        _do_hosted(program.hosted[int(which)], float(mix), values)
        program = program.part(done + 1)
        own = upto(program)
        done = len(own.ops)
        if done:
            k.run_float(values, values, own.ops, own.params, own.tables)


def _do_hosted(what: AcesOutput | str, mix: float, values: NDArray[np.float32]) -> None:
    before = values.copy() if mix < 1 else None
    cpu = clf_runner(what) if isinstance(what, str) else _aces_processor(what.display, what.version)
    cpu.applyRGB(values)
    if before is not None:
        values[:] = before + np.float32(mix) * (values - before)


def each_band(work: Callable[[_Band], None], bands: Iterable[_Band], threads: int) -> None:
    """Do the work for each band, up to `threads` of them at once on the shared pool."""
    if threads == 1:
        for band in bands:
            work(band)
    else:
        list(_pool().map(work, bands))


def to_bytes(disp_rgb: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Round display values 0..1 to bytes, any shape; NaN becomes 0."""
    out = np.empty(disp_rgb.shape, np.uint8)
    k.to_bytes(np.ascontiguousarray(disp_rgb).reshape(-1), out.reshape(-1))
    return out
