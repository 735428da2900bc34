"""Writing a chain as CLF: exact nodes for what CLF can say, LUT nodes for the rest.

Source: Academy S-2014-006 / SMPTE ST 2136-1; OpenColorIO writes the file from its transforms.

Exact: levels and matrices (Matrix), clamps (Range), log cameras (Log), powers (Exponent), CDLs
(ASC_CDL), a look's own CLF. Curves that CLF has no node for become a LUT1D, over half floats where
their input is light. What mixes channels otherwise, such as a match with a smooth residual, becomes
a LUT3D. A LUT3D takes 0 to 1 only, and light of a camera's gamut is far below zero in AP1: so the
cube begins at the code values, which do have ends, and holds all up to the last such step; what
comes after it has its own nodes.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.document import Chain, EncodingOutput
from syntonos.core.chain.engine import run
from syntonos.core.chain.packing import Node, Packer, Program, Step
from syntonos.core.chain.program import packed
from syntonos.core.chain.tables import find_table
from syntonos.core.encodings import find_encoding
from syntonos.core.encodings.scalar import LINEAR
from syntonos.core.errors import ChainError
from syntonos.core.formats.clf_look import clf_transform

CLF_NAME: Final = "Academy/ASC Common LUT Format"
_CUBE, _CURVE = 65, 4096
# Codes that a cube takes: one grid step below 0, four above 1, where video holds R'G'B' too.
_STEP = 1 / (_CUBE - 1 - 5)
_FIRST, _LAST = -_STEP, 1 + 4 * _STEP
# Light that a cube takes where the file holds light: from -1 to 64, and the knee of its shaper.
_LOW, _TOP, _KNEE = -1.0, 64.0, 0.01
_MOST = 130.0  # octaves above the knee: what float32 holds


def clf_of(chain: Chain) -> Any:
    """Return a chain as an OpenColorIO group of transforms that CLF can hold.

    Raises
    ------
    ChainError
        clf.aces for ACES outputs, which CLF has no node for.
    """
    import PyOpenColorIO as ocio

    pack = packed(chain)
    if any(step.node is Node.NONE for step in pack.steps):
        raise ChainError(
            "CLF has no node for an ACES output.", code="clf.aces",
            hint="Take a 3D LUT away, or one of our own outputs.",
        )  # fmt: skip
    program = pack.program(fused=False)
    group = ocio.GroupTransform()
    for first, last in _segments(pack):
        at = first
        cubes = [i for i in range(first, last) if pack.steps[i].node is Node.CUBE]
        if cubes:
            holds_light = find_encoding(chain.decode.encoding).curve.family == LINEAR
            begin = first if first == 0 else cubes[0]
            if begin == 0 and holds_light and pack.steps[0].node is Node.SCALE:
                begin = 1  # after the levels of a file that holds light
            for step in range(first, begin):
                _add_node(group, pack, program, step)
            # Into code values it goes to their end: they are even where light is not.
            at = last if isinstance(chain.output, EncodingOutput) else cubes[-1] + 1
            _add_cube(group, pack, program, begin, at)
        for step in range(at, last):
            _add_node(group, pack, program, step)
    return group


def _segments(pack: Packer) -> list[tuple[int, int]]:
    """Return the runs of steps between the nodes that a look brought, those by themselves."""
    own = [i for i, step in enumerate(pack.steps) if step.node is Node.OWN]
    ends = sorted({0, *own, *(i + 1 for i in own), len(pack.steps)})
    return list(pairwise(ends))


def _add_node(group: Any, pack: Packer, program: Program, at: int) -> None:
    """Add the node of one step that is not a cube."""
    step = pack.steps[at]
    if step.node is Node.OWN:
        table = find_table(str(pack.hosted[int(step.params[0])]))
        group.appendTransform(clf_transform(table.clf))
    elif step.node is Node.CURVE:
        _add_curve(group, step, program.part(at, at + 1))
    else:
        group.appendTransform(_exact(step))


def write_clf(chain: Chain, *, title: str = "") -> bytes:
    """Write a chain as a CLF file.

    Raises
    ------
    ChainError
        As `clf_of` does.
    """
    import PyOpenColorIO as ocio

    group = clf_of(chain)
    if title:
        group.getFormatMetadata().setName(title)
    text: str = group.write(formatName=CLF_NAME, config=ocio.Config.CreateRaw())
    return text.encode()


def apply_clf(cpu: Any, code_rgb: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return pixels (..., 3) through a processor, a new array."""
    out = np.array(code_rgb, np.float32, order="C", copy=True)
    cpu.applyRGB(out.reshape(-1))
    return out


def _exact(step: Step) -> Any:
    """Return the exact transform of a step."""
    import PyOpenColorIO as ocio

    p = step.params
    if step.node is Node.SCALE:
        matrix = np.diag([p[0], p[0], p[0], 1.0])
        return ocio.MatrixTransform(matrix.ravel().tolist(), [p[1]] * 3 + [0.0])
    if step.node is Node.MATRIX:
        rows, matrix = p.reshape(3, 4), np.eye(4)
        matrix[:3, :3] = rows[:, :3]
        return ocio.MatrixTransform(matrix.ravel().tolist(), [*rows[:, 3].tolist(), 0.0])
    if step.node is Node.RANGE:
        return ocio.RangeTransform(p[0], p[1], p[0], p[1])
    if step.node is Node.CDL:
        cdl = ocio.CDLTransform()
        cdl.setSOP([float(v) for v in p[:9]])
        cdl.setSat(float(p[9]))
        cdl.setStyle(ocio.CDL_ASC if p[10] > 0 else ocio.CDL_NO_CLAMP)
        return cdl
    if step.node is Node.LOG:
        made = ocio.LogCameraTransform(
            [p[6]] * 3, base=2.0, logSideSlope=[p[0]] * 3, logSideOffset=[p[3]] * 3,
            linSideSlope=[p[1]] * 3, linSideOffset=[p[2]] * 3, linearSlope=[p[4]] * 3,
        )  # fmt: skip
        is_backward = step.inverse
    elif step.node is Node.EXPONENT:
        made = ocio.ExponentTransform([p[0], p[0], p[0], 1.0])
        is_backward = not step.inverse
    else:
        made = ocio.ExponentWithLinearTransform(
            [p[0], p[0], p[0], 1.0], [p[3], p[3], p[3], 0.0], ocio.NEGATIVE_LINEAR
        )
        is_backward = not step.inverse
    if is_backward:
        made.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    return made


def _halves() -> NDArray[np.float32]:
    """Return every half float in the order of its bits, as a LUT1D over half floats has them."""
    x = np.arange(65536, dtype=np.uint16).view(np.float16).astype(np.float32)
    return np.nan_to_num(x, nan=0.0, posinf=65504.0, neginf=-65504.0)


def _lut1d(values: NDArray[np.float32], *, is_half: bool) -> Any:
    import PyOpenColorIO as ocio

    lut = ocio.Lut1DTransform(len(values), is_half)
    full = np.repeat(values[:, None], 3, axis=1) if values.ndim == 1 else values
    lut.setData(np.ascontiguousarray(np.nan_to_num(full), np.float32).ravel())
    return lut


def _add_curve(group: Any, step: Step, part: Program) -> None:
    """Add a LUT1D: over codes 0..1 where it decodes, over half floats where its input is light."""
    x = np.linspace(0, 1, _CURVE, dtype=np.float32) if step.inverse else _halves()
    values = run(part, np.repeat(x[:, None], 3, axis=1))
    group.appendTransform(_lut1d(values, is_half=not step.inverse))


def _to_log(lin: NDArray[np.float32]) -> NDArray[np.float32]:
    """Take light to octaves above the knee, what is below zero likewise downwards."""
    x = np.asarray(lin, np.float64)
    return np.asarray(np.copysign(np.log2(1 + np.abs(x) / _KNEE), x), np.float32)


def _to_light(log: NDArray[np.float32]) -> NDArray[np.float32]:
    x = np.asarray(log, np.float64).clip(-_MOST, _MOST)
    return np.asarray(np.copysign(_KNEE * (np.exp2(np.abs(x)) - 1), x), np.float32)


def _add_cube(group: Any, pack: Packer, program: Program, first: int, last: int) -> None:
    """Add a LUT3D of several steps over codes, or over the logarithm of light."""
    import PyOpenColorIO as ocio

    axis = np.linspace(0, 1, _CUBE, dtype=np.float32)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    if pack.steps[first].is_code:
        low, width = _FIRST, _LAST - _FIRST
        scale = np.diag([1 / width] * 3 + [1.0]).ravel().tolist()
        group.appendTransform(ocio.MatrixTransform(scale, [-low / width] * 3 + [0.0]))
        grid = low + width * grid
    else:
        low, top = _to_log(np.array([_LOW, _TOP], np.float32)).tolist()
        group.appendTransform(_lut1d((_to_log(_halves()) - low) / (top - low), is_half=True))
        grid = _to_light(low + (top - low) * grid)
    values = run(program.part(first, last), np.asarray(grid, np.float32))
    gives_code = pack.steps[last].is_code if last < len(pack.steps) else pack.gives_code
    lut = ocio.Lut3DTransform(_CUBE)
    lut.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    lut.setData(np.ascontiguousarray(values if gives_code else _to_log(values)).ravel())
    group.appendTransform(lut)
    if not gives_code:
        group.appendTransform(_lut1d(_to_light(_halves()), is_half=True))
