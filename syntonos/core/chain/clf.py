"""Writing a chain as CLF: exact nodes for what CLF can say, LUT nodes for the rest.

Source: Academy S-2014-006 / SMPTE ST 2136-1; OpenColorIO writes the file from its transforms.

Exact: levels and matrices (Matrix), clamps (Range), log cameras (Log), powers (Exponent), CDLs
(ASC_CDL), a look's own CLF. Curves that CLF has no node for become a LUT1D, over half floats where
their input is light. What mixes channels otherwise, such as a match with a smooth residual, becomes
a LUT3D between two Log nodes; steps beside each other share one.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.document import Chain
from syntonos.core.chain.engine import run
from syntonos.core.chain.packing import Node, Packer, Program, Step
from syntonos.core.chain.program import packed
from syntonos.core.chain.tables import find_table
from syntonos.core.errors import ChainError
from syntonos.core.formats.clf_look import clf_transform

CLF_NAME: Final = "Academy/ASC Common LUT Format"
_CUBE, _CURVE = 65, 4096
_BLACK, _FLOOR = 0.01, -0.02  # scene-linear: knee of the shaper, and its lowest value


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
    at = 0
    while at < len(pack.steps):
        end, step = at + 1, pack.steps[at]
        if step.node is Node.CUBE:
            while end < len(pack.steps) and pack.steps[end].node is Node.CUBE:
                end += 1
            _add_cube(group, pack, program, at, end)
        elif step.node is Node.CURVE:
            _add_curve(group, step, program.part(at, end))
        elif step.node is Node.OWN:
            table = find_table(str(pack.hosted[int(step.params[0])]))
            group.appendTransform(clf_transform(table.clf))
        else:
            group.appendTransform(_exact(step))
        at = end
    return group


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


def _add_curve(group: Any, step: Step, part: Program) -> None:
    """Add a LUT1D: over codes 0..1 where it decodes, over half floats where its input is light."""
    import PyOpenColorIO as ocio

    if step.inverse:
        x = np.linspace(0, 1, _CURVE, dtype=np.float32)
        lut = ocio.Lut1DTransform(_CURVE, False)
    else:
        x = np.arange(65536, dtype=np.uint16).view(np.float16).astype(np.float32)
        x = np.nan_to_num(x, nan=0.0, posinf=65504.0, neginf=-65504.0)
        lut = ocio.Lut1DTransform(65536, True)
    values = run(part, np.repeat(x[:, None], 3, axis=1))
    lut.setData(np.ascontiguousarray(np.nan_to_num(values), np.float32).ravel())
    group.appendTransform(lut)


def _add_cube(group: Any, pack: Packer, program: Program, first: int, last: int) -> None:
    """Add a LUT3D of several steps, in log on both sides where light comes in and goes out."""
    import PyOpenColorIO as ocio

    axis = np.linspace(0, 1, _CUBE, dtype=np.float32)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    part = program.part(first, last)
    lut = ocio.Lut3DTransform(_CUBE)
    lut.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    if pack.steps[first].is_code:
        lut.setData(np.ascontiguousarray(run(part, grid)).ravel())
        group.appendTransform(lut)
        return
    slope, offset = _shaper(program.part(0, first))

    def light(code: NDArray[np.float32]) -> NDArray[np.float32]:
        straight = slope / (np.log(2) * _BLACK)
        at_zero = slope * np.log2(_BLACK) + offset
        low = (code - at_zero) / straight
        return np.where(code < at_zero, low, 2.0 ** ((code - offset) / slope) - _BLACK).astype(
            np.float32
        )

    def code_of(lin: NDArray[np.float32]) -> NDArray[np.float32]:
        straight = slope / (np.log(2) * _BLACK)
        at_zero = slope * np.log2(_BLACK) + offset
        log = slope * np.log2(np.maximum(lin, 0) + _BLACK) + offset
        return np.where(lin < 0, straight * lin + at_zero, log).astype(np.float32)

    def shaper() -> Any:
        return ocio.LogCameraTransform(
            [0.0] * 3, base=2.0, logSideSlope=[slope] * 3, logSideOffset=[offset] * 3,
            linSideSlope=[1.0] * 3, linSideOffset=[_BLACK] * 3,
        )  # fmt: skip

    lut.setData(np.ascontiguousarray(code_of(run(part, light(grid)))).ravel())
    group.appendTransform(shaper())
    group.appendTransform(lut)
    back = shaper()
    back.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    group.appendTransform(back)


def _shaper(before: Program) -> tuple[float, float]:
    """Return slope and offset of a log that takes the light that can come to 0..1."""
    corners = np.array([[r, g, b] for r in (0, 1) for g in (0, 1) for b in (0, 1)], np.float32)
    top = float(max(1.0, run(before, corners).max()))
    # Straight below zero: its lowest value is reached there, at the slope in zero.
    low = np.log2(_BLACK) + _FLOOR / (np.log(2) * _BLACK)
    slope = 1 / (np.log2(top + _BLACK) - low)
    return float(slope), float(-slope * low)
