"""The engine: a chain packed into opcodes, run over a frame in bands on a shared pool.

What the host library is the standard for, ACES outputs and the nodes of a CLF, it does itself, band
by band, between them.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cache, lru_cache
from itertools import pairwise
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_table, evaluate_model
from syntonos.core.chain.displays import Display, find_display
from syntonos.core.chain.document import (
    AcesOutput,
    AnyOutput,
    Balance,
    Cdl,
    CdlStep,
    Chain,
    DisplayOutput,
    EncodingOutput,
    LookStep,
    LutStep,
    Match,
)
from syntonos.core.chain.tables import LookTable, clf_runner, find_table
from syntonos.core.encodings import (
    AP1,
    GAMUTS,
    Curve,
    find_encoding,
    gamut_matrix,
    levels_scale_offset,
)
from syntonos.core.encodings.scalar import LINEAR, TABLE
from syntonos.core.errors import ChainError

ENGINE_VERSION = 7  # part of every cache's key: raised when pixels change
_WIDTH = 40  # parameters of the widest opcode
# Where the blend towards a clip begins and is done, as shares of the clip.
_CLIP_FROM, _CLIP_TO = 0.75, 0.98
_Band = TypeVar("_Band")


@dataclass(frozen=True, slots=True)
class Program:
    """Opcodes (n,) int32, their parameters (n, 40) float32, all tables end to end, float32.

    `hosted` is what the host library does where an OP_HOST stands, whose first parameter says
    which: an ACES output (from ACES2065-1), or the sha256 of a CLF.
    """

    ops: NDArray[np.int32]
    params: NDArray[np.float32]
    tables: NDArray[np.float32]
    hosted: tuple[AcesOutput | str, ...] = ()

    @property
    def is_hosted(self) -> bool:
        """Whether the host library has a part in it."""
        return bool((self.ops == k.OP_HOST).any())

    def part(self, first: int, last: int | None = None) -> Program:
        """Return the program of some of its opcodes."""
        return replace(self, ops=self.ops[first:last], params=self.params[first:last])


class Packer:
    """Collects opcodes; neighbouring affine steps are multiplied together in float64."""

    def __init__(self) -> None:
        self.rows: list[tuple[int, NDArray[np.float64]]] = []
        self.tables: list[NDArray[np.float32]] = []
        self.filled = 0
        self.hosted: list[AcesOutput | str] = []

    def add(self, op: int, params: tuple[float, ...]) -> None:
        """Append an opcode."""
        self.rows.append((op, np.array(params, np.float64)))

    def table(self, values: NDArray[Any]) -> float:
        """Keep a table; returns its place."""
        at = self.filled
        flat = np.ascontiguousarray(values, np.float32).ravel()
        self.tables.append(flat)
        self.filled += flat.size
        return float(at)

    def host(self, what: AcesOutput | str, mix: float = 1.0) -> None:
        """Append what the host library does."""
        self.add(k.OP_HOST, (float(len(self.hosted)), mix))
        self.hosted.append(what)

    def affine(self, mat: NDArray[np.float64], shift: NDArray[np.float64] | None = None) -> None:
        """Append a matrix and an offset, or multiply them into the one before."""
        offset = np.zeros(3) if shift is None else shift
        if self.rows and self.rows[-1][0] == k.OP_AFFINE:
            before = self.rows.pop()[1].reshape(3, 4)
            mat, offset = mat @ before[:, :3], mat @ before[:, 3] + offset
        self.rows.append((k.OP_AFFINE, _with_offset(mat, offset).ravel()))

    def match(self, match: Match) -> None:
        """Append a match stage."""
        clip = (1e30, 0.0) if match.clip is None else (
            _CLIP_FROM * match.clip, 1 / ((_CLIP_TO - _CLIP_FROM) * match.clip)
        )  # fmt: skip
        if not match.is_affine:
            (before, shift), (after, lift) = _around_model(match)
            into, out = _with_offset(before, shift), _with_offset(after, lift)
            by_chroma = _cached_table(match.roots, match.smooth)
            place = (self.table(by_chroma), float(len(by_chroma)))
            self.add(k.OP_MODEL, (*into.ravel(), *np.ravel(match.matrix), *out.ravel(), *clip,
                                  *AP1_LUMINANCE, *place))  # fmt: skip
            return
        mat, shift = match_affine(match)
        if match.clip is None:
            self.affine(mat, shift)
            return
        rows = _with_offset(mat, shift).ravel()
        self.add(k.OP_AFFINE_TO_CLIP, (*rows, *clip, *AP1_LUMINANCE))

    def curve(self, curve: Curve, levels: str, *, inverse: bool) -> None:
        """Append a curve with its levels: coding, or decoding (`inverse`)."""
        scale, offset = levels_scale_offset(levels)
        if inverse and levels != "full":
            self.add(k.OP_LEVELS, (1 / scale, -offset / scale))
        if curve.family == TABLE:
            self.add(k.DEC_TABLE if inverse else k.ENC_TABLE,
                     (self.table(np.array(curve.params)),))  # fmt: skip
        elif curve.family != LINEAR:
            self.add((k.OP_DECODE if inverse else k.OP_ENCODE) + curve.family, curve.params)
        if not inverse and levels != "full":
            self.add(k.OP_LEVELS, (scale, offset))

    def cdl(self, cdl: Cdl) -> None:
        """Append a CDL."""
        plain = cdl.power == (1.0, 1.0, 1.0)
        self.add(k.OP_CDL, (*cdl.slope, *cdl.offset, *cdl.power, cdl.saturation, float(cdl.clamp),
                            float(plain)))  # fmt: skip

    def lut(self, table: LookTable) -> None:
        """Append a LUT with its domain."""
        low, high = np.array(table.low), np.array(table.high)
        if (low != 0).any() or (high != 1).any():
            self.affine(np.diag(1 / (high - low)), -low / (high - low))
        op = k.OP_LUT_3D if table.is_3d else k.OP_LUT_1D
        self.add(op, (self.table(table.values), float(len(table.values))))

    def balance(self, balance: Balance) -> None:
        """Append a light's balance."""
        self.affine(np.diag(np.array(balance.gains) * 2.0**balance.stops))
        if balance.cdl is not None:
            self.step(CdlStep(balance.cdl))

    def step(self, step: LookStep) -> None:
        """One step of a look, in its encoding and back; a LUT to a display stays there."""
        encoding = find_encoding(step.encoding)
        self.affine(gamut_matrix(AP1, encoding.gamut))
        self.curve(encoding.curve, step.levels, inverse=False)
        table = find_table(step.sha256) if isinstance(step, LutStep) else None
        if table is not None and table.clf:
            self.host(table.sha256, step.mix)
        else:
            if step.mix < 1:
                self.add(k.OP_KEEP, ())
            if isinstance(step, CdlStep):
                self.cdl(step.cdl)
            elif table is not None:
                self.lut(table)
            if step.mix < 1:
                self.add(k.OP_BLEND, (step.mix,))
        if isinstance(step, LutStep) and step.to is not None:
            return
        self.curve(encoding.curve, step.levels, inverse=True)
        self.affine(gamut_matrix(encoding.gamut, AP1))

    def compress(self, strength: float) -> None:
        """Append the gamut compression, where it has a strength."""
        if strength > 0:
            self.add(k.OP_COMPRESS, (*_COMPRESSION, strength))

    def show(self, output: DisplayOutput) -> None:
        """Scene-linear AP1 to a display."""
        self.compress(output.compression)
        if isinstance(output, AcesOutput):
            self.affine(gamut_matrix(AP1, GAMUTS["ap0"]))
            self.host(output)
            self.add(k.OP_CLAMP, (0.0, 1.0))
            return
        display = find_display(output.display)
        self.affine(gamut_matrix(AP1, display.gamut))
        if output.tone is None:
            self.add(k.OP_CLAMP, (0.0, display.peak))
        else:
            self.add(k.OP_TONE, output.tone.packed(display.peak))
        self.light(display)

    def light(self, display: Display) -> None:
        """Display light to the display's code values."""
        if display.system_gamma:
            g = display.system_gamma
            luminance = display.gamut.to_xyz[1]
            self.add(k.OP_SCENE_LIGHT, (display.peak, (1 - g) / g, 3.0, *luminance))
        self.curve(display.curve, "full", inverse=False)

    def shown(self, display: Display, output: AnyOutput) -> None:
        """Code values of one display, which a look has made, to what the output is."""
        if isinstance(output, EncodingOutput) or display.system_gamma:
            raise ChainError(
                f"The look ends in a LUT to {display.name}: nothing scene-linear is left.",
                hint="Take that LUT out of the look for this file.", code="look.ends",
            )  # fmt: skip
        target = find_display(output.display)
        self.add(k.OP_CLAMP, (0.0, 1.0))
        if target == display:
            return
        self.curve(display.curve, "full", inverse=True)
        self.affine(gamut_matrix(display.gamut, target.gamut))
        self.add(k.OP_CLAMP, (0.0, target.peak))
        self.light(target)

    def program(self, *, fused: bool = True) -> Program:
        """Return what the kernels run: `fused`, a clamp before a root is one step with it."""
        rows: list[tuple[int, NDArray[np.float64]]] = []
        for op, values in self.rows:
            if (
                fused
                and op == k.ENC_POW
                and rows
                and rows[-1][0] == k.OP_CLAMP
                and rows[-1][1][0] >= 0
            ):
                values = np.concatenate([values[:6], rows.pop()[1]])
                op = k.OP_CLAMPED_ROOT
            rows.append((op, values))
        params = np.zeros((len(rows), _WIDTH), np.float32)
        for row, (_, values) in zip(params, rows, strict=True):
            row[: values.size] = values
        ops = np.array([op for op, _ in rows], np.int32)
        tables = np.concatenate(self.tables) if self.tables else np.zeros(4, np.float32)
        return Program(ops, params, tables, tuple(self.hosted))


def _with_offset(mat: NDArray[np.float64], offset: NDArray[np.float64]) -> NDArray[np.float64]:
    rows = np.empty((3, 4))
    rows[:, :3], rows[:, 3] = mat, offset
    return rows


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
def _around_model(match: Match) -> tuple[_Affine, _Affine]:
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


@lru_cache(maxsize=8)  # what a chain names goes by its content, so a program does not get stale
def compile_chain(chain: Chain) -> Program:
    """Pack a chain into a program; its arrays are only read.

    Only tables are made here, nothing is compiled: a new chain costs microseconds, and 5 ms where
    its match has roots or a smooth residual that were not seen before. The last few are kept.

    Raises
    ------
    EncodingError
        When a stage names an encoding that is not known.
    """
    return packed(chain).program()


def packed(chain: Chain) -> Packer:
    """Return a chain's opcodes with their parameters in float64; what writes CLF walks them."""
    pack = Packer()
    source = find_encoding(chain.decode.encoding)
    pack.curve(source.curve, chain.decode.levels, inverse=True)
    pack.affine(gamut_matrix(source.gamut, AP1) * np.array(chain.input.unit))
    if chain.match is not None:
        pack.match(chain.match)
    if chain.balance is not None:
        pack.balance(chain.balance)
    steps = chain.look.steps if chain.look is not None else ()
    for step in steps:
        pack.step(step)
    last = steps[-1] if steps else None
    if isinstance(last, LutStep) and last.to is not None:
        pack.shown(find_display(last.to), chain.output)
        return pack
    if isinstance(chain.output, EncodingOutput):
        target = find_encoding(chain.output.encoding)
        pack.affine(gamut_matrix(AP1, target.gamut))
        pack.curve(target.curve, chain.output.levels, inverse=False)
        return pack
    pack.show(chain.output)
    return pack


def _compression() -> tuple[float, ...]:
    """Return thresholds, scales, power and its root of the reference gamut compression.

    Source: ACES 1.3, reference gamut compression: limits 1.147, 1.264, 1.312, thresholds 0.815,
    0.803, 0.880, power 1.2, for cyan, magenta and yellow distances in AP1.
    """
    limit, threshold = np.array([1.147, 1.264, 1.312]), np.array([0.815, 0.803, 0.880])
    power = 1.2
    span = limit - threshold
    scale = span / (((1 - threshold) / span) ** -power - 1) ** (1 / power)
    return (*threshold, *scale, power, 1 / power)


_COMPRESSION = _compression()


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
        _run_band(program, flat[band], out[band])

    each_band(work, _bands(len(flat), threads, is_superseded is not None), threads)
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
