"""A chain packed into a program: opcodes with their parameters, for the engine to run."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.colour_model import AP1_LUMINANCE
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
from syntonos.core.chain.match_stage import around_model, match_affine, model_table
from syntonos.core.chain.tables import LookTable, find_table
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

_WIDTH = 40  # parameters of the widest opcode
# Where the blend towards a clip begins and is done, as shares of the clip.
_CLIP_FROM, _CLIP_TO = 0.75, 0.98


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
            (before, shift), (after, lift) = around_model(match)
            into, out = _with_offset(before, shift), _with_offset(after, lift)
            by_chroma = model_table(match.roots, match.smooth)
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
