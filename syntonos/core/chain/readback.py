"""Read-back: how far a written LUT is from the chain it was made from."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.bake import STORED, LutLevels
from syntonos.core.chain.clf import apply_clf
from syntonos.core.chain.displays import HDR_WHITE, find_display
from syntonos.core.chain.document import PLAIN, Chain, Decode, EncodingOutput
from syntonos.core.chain.engine import run
from syntonos.core.chain.lut import apply_lut
from syntonos.core.chain.marks import any_channel
from syntonos.core.chain.program import compile_chain
from syntonos.core.colorimetry import delta_e_2000, xy_to_xyz, xyz_to_lab
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import (
    CURVES,
    GAMUTS,
    decode,
    encode,
    find_encoding,
    gamut_matrix,
    put_levels_on,
    take_levels_off,
)
from syntonos.core.encodings.gamuts import D65
from syntonos.core.encodings.scalar import LINEAR
from syntonos.core.errors import ChainError
from syntonos.core.formats.clf_look import clf_processor

_MOST_PIXELS = 120_000
# Scene-linear ends of the grid of what cameras record, where a file holds light.
_BELOW, _DARKEST, _BRIGHTEST = 0.05, 0.002, MIDDLE_GREY * 64


@dataclass(frozen=True, slots=True)
class Difference:
    """Delta E 2000 between a LUT and the exact chain over one set of colours."""

    colours: str  # "grid" (a display's), "wide" (outside of it) or "picture"
    interpolation: str  # "tetrahedral" or "trilinear"
    bits: int | None  # None: float; 10: the LUT's result rounded to 10 bit
    mean: float
    p99_9: float
    max: float


@dataclass(frozen=True, slots=True)
class ReadBack:
    """All differences, and how much of the picture is outside what a LUT or its target holds."""

    size: int
    differences: tuple[Difference, ...]
    share_outside: float | None  # share of the picture's values that leave 0..1 in the target
    share_beyond: float | None = None  # share of its pixels beyond the 0..1 that the LUT takes

    def to_json(self) -> dict[str, Any]:
        """Return plain JSON values."""
        return asdict(self)

    def of(self, colours: str, interpolation: str = "tetrahedral",
           bits: int | None = None) -> Difference:  # fmt: skip
        """Return one of the differences."""
        return next(
            d for d in self.differences
            if (d.colours, d.interpolation, d.bits) == (colours, interpolation, bits)
        )  # fmt: skip


def display_lab(disp_rgb: NDArray[Any], display: str = "rec709") -> NDArray[np.float64]:
    """Turn a display's code values (..., 3) into L*a*b* under D65.

    White is 100 cd/m2, on an HDR display the reference white of BT.2408, 203 cd/m2: brighter
    light has an L* above 100.
    """
    shown = find_display(display)
    code = np.clip(np.asarray(disp_rgb, np.float64), 0, 1)
    light = shown.light_of(decode(code, shown.curve))
    white = HDR_WHITE if shown.is_hdr else 1.0
    return xyz_to_lab(light / white @ shown.gamut.to_xyz.T, xy_to_xyz(D65))


def to_lab(values: NDArray[np.float32], chain: Chain) -> NDArray[np.float64]:
    """Turn what a chain gives (..., 3) into L*a*b*; of an encoding, after `rec709-plain`."""
    if not isinstance(chain.output, EncodingOutput):
        return display_lab(values, chain.output.display)
    seen = Chain(Decode(chain.output.encoding, chain.output.levels), PLAIN)
    return display_lab(run(compile_chain(seen), values))


def grid_in_gamut(chain: Chain, steps: int = 21) -> NDArray[np.float32]:
    """Return stored code values (n, 3) of a grid of BT.709 colours in the clip's encoding.

    The grid is even in display code values, up to display white as `rec709-plain` has it; colours
    that the file cannot hold are left out.
    """
    axis = np.linspace(0, 1, steps)
    disp = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    source = find_encoding(chain.decode.encoding)
    to_camera = gamut_matrix(GAMUTS["ap1"], source.gamut) @ gamut_matrix(
        GAMUTS["bt709"], GAMUTS["ap1"]
    )
    lin = decode(disp, CURVES["bt1886"]) @ to_camera.T
    code = put_levels_on(encode(lin, source.curve), chain.decode.levels)
    return np.asarray(code[((code >= 0) & (code <= 1)).all(axis=-1)], np.float32)


def grid_outside(
    chain: Chain, steps: int = 19, *, reach: tuple[float, float] = (0.0, 1.0)
) -> NDArray[np.float32]:
    """Return stored code values (n, 3) of what a camera records and BT.709 does not hold.

    A grid over the encoding's own gamut: codes evenly over `reach`, or of a file that holds light
    even in stops, up to six stops above middle grey. What `grid_in_gamut` covers is left out.
    """
    source = find_encoding(chain.decode.encoding)
    if source.curve.family == LINEAR:
        low = -_BELOW if reach[0] >= 0 else reach[0]
        axis = np.concatenate([[low, 0.0], np.geomspace(_DARKEST, _BRIGHTEST, steps - 2)])
    else:
        axis = np.linspace(*reach, steps)
    stored = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    lin = decode(take_levels_off(stored, chain.decode.levels), source.curve)
    seen = lin @ gamut_matrix(source.gamut, GAMUTS["bt709"]).T
    is_shown = ((seen >= 0) & (seen <= 1)).all(axis=-1)
    return np.asarray(stored[~is_shown & (lin.max(axis=-1) <= _BRIGHTEST)], np.float32)


def _sets(
    chain: Chain, code_rgb: NDArray[np.float32] | None
) -> dict[str, NDArray[np.float32]]:  # fmt: skip
    """Return the code values of which a LUT is compared, by what they are."""
    if code_rgb is None:
        return {"grid": grid_in_gamut(chain), "wide": grid_outside(chain)}
    pixels = np.asarray(code_rgb, np.float32).reshape(-1, 3)
    pixels = pixels[:: max(1, -(-len(pixels) // _MOST_PIXELS))]
    # Video can hold R'G'B' beyond 0 and 1: as far as this clip does.
    ends = float(np.clip(pixels.min(), -0.1, 0.0)), float(np.clip(pixels.max(), 1.0, 1.1))
    return {"grid": grid_in_gamut(chain), "wide": grid_outside(chain, reach=ends),
            "picture": pixels}  # fmt: skip


def read_back(
    table: NDArray[np.float32],
    chain: Chain,
    code_rgb: NDArray[np.float32] | None = None,
    *,
    levels: LutLevels = STORED,
) -> ReadBack:
    """Compare a LUT with the exact chain.

    Parameters
    ----------
    table : (size, size, size, 3) float32
        As read from the file again, ``table[r, g, b]``.
    chain : Chain
        The chain it was made from.
    code_rgb : (..., 3) float32, optional
        The clip's own pixels (stored code values); a regular subset of at most 120 000 is used.

    Returns
    -------
    ReadBack
        Delta E 2000 after `rec709-plain` (after the chain's own output where that is a display):
        mean, 99.9th percentile and maximum; tetrahedral and trilinear; float and rounded to
        10 bit; on a grid of colours that a display holds, on one of what the camera records beyond
        them, and on the picture. What share of the picture lies
        beyond what the target's code values hold, and beyond what the LUT takes: video can hold
        R'G'B' above 1, and a LUT gives there what it gives at its edge.

    Raises
    ------
    ChainError
        readback.not_finite where either gives NaN or infinite values.
    """
    sets = _sets(chain, code_rgb)
    program = compile_chain(chain)
    found: list[Difference] = []
    outside: float | None = None
    beyond: float | None = None
    for colours, codes in sets.items():
        exact = run(program, codes)
        lab = to_lab(exact, chain)
        into = levels.from_stored(codes)
        if colours == "picture":
            beyond = float(any_channel((into < 0) | (into > 1)).mean())
        if colours == "picture" and isinstance(chain.output, EncodingOutput):
            outside = float(any_channel((exact < 0) | (exact > 1)).mean())
        for interpolation, bits in product(("tetrahedral", "trilinear"), (None, 10)):
            got: NDArray[np.float32] = apply_lut(
                into,
                table,
                interpolation=interpolation,  # type: ignore[arg-type]
            )
            if bits:
                top = np.float32(2**bits - 1)
                got = np.asarray(np.clip(np.round(got * top), 0, top) / top, np.float32)
            got = levels.code(got, chain)
            d = delta_e_2000(lab, to_lab(got, chain))
            found.append(
                Difference(
                    colours, interpolation, bits,
                    float(d.mean()), float(np.percentile(d, 99.9)), float(d.max()),
                )
            )  # fmt: skip
    return ReadBack(len(table), _finite(found), outside, beyond)


def read_back_clf(
    data: bytes, chain: Chain, code_rgb: NDArray[np.float32] | None = None
) -> ReadBack:
    """Compare a CLF file, as OpenColorIO applies it to (h, w, 3), with the exact chain.

    Parameters and result as of `read_back`; there is one way to apply it, in float.
    """
    cpu = clf_processor(data)
    program = compile_chain(chain)
    sets = _sets(chain, code_rgb)
    found: list[Difference] = []
    outside: float | None = None
    for colours, codes in sets.items():
        exact = run(program, codes)
        if colours == "picture" and isinstance(chain.output, EncodingOutput):
            outside = float(((exact < 0) | (exact > 1)).any(axis=-1).mean())
        d = delta_e_2000(to_lab(exact, chain), to_lab(apply_clf(cpu, codes), chain))
        found.append(Difference(colours, "tetrahedral", None, float(d.mean()),
                                float(np.percentile(d, 99.9)), float(d.max())))  # fmt: skip
    return ReadBack(0, _finite(found), outside)


def _finite(found: list[Difference]) -> tuple[Difference, ...]:
    for d in found:
        if not np.isfinite((d.mean, d.p99_9, d.max)).all():
            raise ChainError(
                f"The LUT or its chain gives no numbers for some of the {d.colours} colours.",
                hint="Check the chain's curves and powers, and the file.",
                code="readback.not_finite",
            )
    return tuple(found)
