"""Programs: opcodes with their parameters, for the engine to run, and what packs them.

Every step is packed with the node that says it in a CLF, so that what writes one never has to tell
an opcode's meaning from its number.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass, replace
from enum import Enum
from functools import lru_cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.encodings import Curve, levels_scale_offset
from syntonos.core.encodings.scalar import LINEAR, LOG_LIN, POWER, POWER_LIN, TABLE

_WIDTH = 40  # parameters of the widest opcode


class Node(Enum):
    """What says a step in a CLF: a node that is exact, or a sampled one."""

    SCALE = "Matrix: parameters scale, offset"
    MATRIX = "Matrix: parameters (3, 4)"
    RANGE = "Range: parameters low, high"
    LOG = "Log, cameraLinToLog"
    EXPONENT = "Exponent, basicMirror"
    EXPONENT_TOE = "Exponent, moncurve"
    CDL = "ASC_CDL"
    OWN = "the nodes of the CLF that a look brought"
    CURVE = "LUT1D: each channel for itself"
    CUBE = "LUT3D: channels mix; all up to the last such step goes into one"
    NONE = "no node: such a chain is refused"


@dataclass(frozen=True, slots=True)
class Step:
    """One packed step: opcode, parameters in float64, its node in a CLF.

    `is_code` says whether code values come into it, and not light; `inverse` whether the node
    decodes.
    """

    op: int
    params: NDArray[np.float64]
    node: Node
    is_code: bool
    inverse: bool = False


_NODE_OF_FAMILY = {LOG_LIN: Node.LOG, POWER: Node.EXPONENT, POWER_LIN: Node.EXPONENT_TOE}


@dataclass(frozen=True, slots=True)
class Program:
    """Opcodes (n,) int32, their parameters (n, 40) float32, all tables end to end, float32.

    `hosted` is what the host library does where an OP_HOST stands, whose first parameter says
    which: an ACES output (from ACES2065-1), or the sha256 of a CLF. `notes` are places that stages
    named, with the number of the opcode that begins there.
    """

    ops: NDArray[np.int32]
    params: NDArray[np.float32]
    tables: NDArray[np.float32]
    hosted: tuple[Any, ...] = ()
    notes: tuple[tuple[str, int], ...] = ()

    @property
    def is_hosted(self) -> bool:
        """Whether the host library has a part in it."""
        return bool((self.ops == k.OP_HOST).any())

    def where(self, name: str) -> tuple[int, ...]:
        """Return the numbers of the opcodes that begin at places of this name."""
        return tuple(at for found, at in self.notes if found == name)

    def part(self, first: int, last: int | None = None) -> Program:
        """Return the program of some of its opcodes."""
        return replace(self, ops=self.ops[first:last], params=self.params[first:last])


class Packer:
    """Collects opcodes; neighbouring affine steps are multiplied together in float64."""

    def __init__(self) -> None:
        self.steps: list[Step] = []
        self.tables: list[NDArray[np.float32]] = []
        self.filled = 0
        self.notes: list[tuple[str, int]] = []
        self._in_code = True
        self._is_kept = False
        self.hosted: list[Any] = []

    @property
    def gives_code(self) -> bool:
        """Whether what comes out of the last step is code values, and not light."""
        return self._in_code

    def add(
        self, op: int, params: tuple[float, ...], node: Node = Node.CUBE, *, inverse: bool = False
    ) -> None:
        """Append an opcode, with the CLF node that says it."""
        if self._is_kept and node is not Node.NONE:
            node = Node.CUBE  # what is mixed with what was kept goes into one cube with it
        self.steps.append(Step(op, np.array(params, np.float64), node, self._in_code, inverse))

    def keep(self) -> None:
        """Keep what comes in, for `blend`."""
        self._is_kept = True
        self.add(k.OP_KEEP, ())

    def blend(self, mix: float) -> None:
        """Mix what was kept with what has become of it: 1 keeps nothing."""
        self.add(k.OP_BLEND, (mix,))
        self._is_kept = False

    def clamp(self, low: float, high: float) -> None:
        """Append a clamp of each channel."""
        self.add(k.OP_CLAMP, (low, high), Node.RANGE)

    def note(self, name: str) -> None:
        """Name the place where the next opcode begins."""
        self.notes.append((name, len(self.steps)))

    def table(self, values: NDArray[Any]) -> float:
        """Keep a table of any shape; returns its place."""
        at = self.filled
        flat = np.ascontiguousarray(values, np.float32).ravel()
        self.tables.append(flat)
        self.filled += flat.size
        return float(at)

    def host(self, what: Any, node: Node, mix: float = 1.0) -> None:
        """Append what the host library does."""
        self.add(k.OP_HOST, (float(len(self.hosted)), mix), node)
        self.hosted.append(what)

    def affine(self, mat: NDArray[np.float64], shift: NDArray[np.float64] | None = None) -> None:
        """Append a matrix (3, 3) and an offset (3,), or multiply them into the one before."""
        offset = np.zeros(3) if shift is None else shift
        if self.steps and self.steps[-1].op == k.OP_AFFINE:
            before = self.steps.pop().params.reshape(3, 4)
            mat, offset = mat @ before[:, :3], mat @ before[:, 3] + offset
        self.add(k.OP_AFFINE, tuple(_with_offset(mat, offset).ravel()), Node.MATRIX)

    def curve(self, curve: Curve, levels: str, *, inverse: bool) -> None:
        """Append a curve with its levels: coding, or decoding (`inverse`)."""
        scale, offset = levels_scale_offset(levels)
        if inverse and levels != "full":
            self.add(k.OP_LEVELS, (1 / scale, -offset / scale), Node.SCALE)
        if curve.family == TABLE:
            op, place = (
                k.DEC_TABLE if inverse else k.ENC_TABLE,
                self.table(_own_curve(curve.params)),
            )
            self.add(op, (place,), Node.CURVE, inverse=inverse)
        elif curve.family != LINEAR:
            op = (k.OP_DECODE if inverse else k.OP_ENCODE) + curve.family
            node = _NODE_OF_FAMILY.get(curve.family, Node.CURVE)
            self.add(op, curve.params, node, inverse=inverse)
        if not inverse and levels != "full":
            self.add(k.OP_LEVELS, (scale, offset), Node.SCALE)
        self._in_code = not inverse and curve.family != LINEAR

    def program(self, *, fused: bool = True) -> Program:
        """Return what the kernels run: `fused`, a clamp before a root is one step with it."""
        rows: list[tuple[int, NDArray[np.float64]]] = []
        begins: list[int] = []  # of each of the packer's steps, its opcode's number
        for step in self.steps:
            op, values = step.op, step.params
            begins.append(len(rows))
            if (
                fused
                and op == k.ENC_POW
                and rows
                and rows[-1][0] == k.OP_CLAMP
                and rows[-1][1][0] >= 0
            ):
                values = np.concatenate([values[:6], rows.pop()[1]])
                begins[-1] -= 1
                op = k.OP_CLAMPED_ROOT
            rows.append((op, values))
        params = np.zeros((len(rows), _WIDTH), np.float32)
        for row, (_, values) in zip(params, rows, strict=True):
            row[: values.size] = values
        ops = np.array([op for op, _ in rows], np.int32)
        tables = _put_together(tuple(self.tables))
        notes = tuple((name, begins[at]) for name, at in self.notes)
        return Program(ops, params, tables, tuple(self.hosted), notes)


@lru_cache(maxsize=16)
def _own_curve(params: tuple[float, ...]) -> NDArray[np.float32]:
    return np.array(params, np.float32)


_together: OrderedDict[tuple[tuple[int, int], ...], tuple[Any, NDArray[np.float32]]] = OrderedDict()
_lock = threading.Lock()
_MOST_TOGETHER: Final = 8


def _put_together(tables: tuple[NDArray[np.float32], ...]) -> NDArray[np.float32]:
    """Return tables one after the other; the same one while the same ones are asked for.

    Under the hand only numbers change: megabytes would be copied for each picture, and be cold.
    Tables are told apart by where they lie in memory, which is theirs as long as they are kept.
    """
    if not tables:
        return np.zeros(4, np.float32)
    key = tuple((table.ctypes.data, table.size) for table in tables)
    with _lock:
        kept = _together.pop(key, None) or (tables, np.concatenate(tables))
        _together[key] = kept
        while len(_together) > _MOST_TOGETHER:
            _together.popitem(last=False)
    return kept[1]


def _with_offset(mat: NDArray[np.float64], offset: NDArray[np.float64]) -> NDArray[np.float64]:
    rows = np.empty((3, 4))
    rows[:, :3], rows[:, 3] = mat, offset
    return rows
