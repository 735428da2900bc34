"""A CDL for a box that works in a stated encoding, with the LUT that goes behind it.

A CDL that was made in the working log does something else on a camera's log. Here slope, offset,
power and saturation are fitted in the encoding that the box works in, so that after the LUT behind
it the picture is as near the chain's as ten numbers allow. What they lose is measured.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from syntonos.core.chain.bake import bake_lut
from syntonos.core.chain.colour_model import CDL_LUMA
from syntonos.core.chain.compose import Overrides, compose, parts_of_chain
from syntonos.core.chain.document import (
    Cdl,
    CdlStep,
    Chain,
    Decode,
    EncodingOutput,
    Input,
    Look,
    chain_hash,
)
from syntonos.core.chain.engine import run
from syntonos.core.chain.lut import apply_lut
from syntonos.core.chain.program import compile_chain
from syntonos.core.chain.readback import Difference, ReadBack, grid_in_gamut, to_lab
from syntonos.core.chain.stages._strict import triple
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.encodings import find_encoding
from syntonos.core.encodings.scalar import LINEAR
from syntonos.core.errors import ChainError
from syntonos.core.formats import Correction, Cube, read_cdl_file, read_cube, write_cdl, write_cube

_FITTED, _MEASURED = 1500, 120_000  # pixels
_FAR = 4.0  # delta E beyond which a pixel draws less: no ten numbers reach it
_LOW, _HIGH = 0.2, 5.0  # of slopes and powers
_STAGES = ("match", "trim", "balance")  # what the CDL stands for


@dataclass(frozen=True, slots=True)
class CdlFit:
    """A CDL in an encoding, what stands before and behind it, and what it loses.

    encoding : slug
        Its code values, levels full, are what the CDL works on. It clamps to 0..1 as ASC CDL has
        it.
    before : Chain, optional
        From the clip's own code values to the encoding; None where the clip carries it already.
    behind : Chain
        From the encoding to the chain's output, with its look.
    mean, p99_9, max : float
        Delta E 2000 between the exact chain and the CDL's way, without any LUT's own error.
    """

    cdl: Cdl
    encoding: str
    before: Chain | None
    behind: Chain
    mean: float
    p99_9: float
    max: float


def fit_cdl(
    chain: Chain, encoding: str, code_rgb: NDArray[np.float32] | None = None
) -> CdlFit:  # fmt: skip
    """Fit a CDL in an encoding to a chain's match, trim and balance.

    Parameters
    ----------
    chain : Chain
        Without softening; its look and output stay behind the CDL as they are.
    encoding : str
        A slug; the box works on its code values.
    code_rgb : (..., 3) float32, optional
        The clip's own pixels, stored code values; without them a grid of BT.709 colours.

    Returns
    -------
    CdlFit

    Raises
    ------
    ChainError
        encoding.unknown; cdl.light for an encoding of light, on which no box applies a CDL.

    Source: ASC Color Decision List 1.2 for the form (from memory, checked against OpenColorIO).
    """
    space = find_encoding(encoding)
    if space.curve.family == LINEAR:
        raise ChainError(
            f"{space.name} holds light: a CDL works on log or display code values.",
            hint="Name the encoding that the box works in.", code="cdl.light",
        )  # fmt: skip
    pixels = grid_in_gamut(chain) if code_rgb is None else code_rgb
    pixels = np.asarray(pixels, np.float32).reshape(-1, 3)
    few = pixels[:: max(1, len(pixels) // _FITTED)][:_FITTED]
    goal = to_lab(run(compile_chain(chain), few), chain)
    stored = EncodingOutput(encoding, "full")
    codes = [
        np.asarray(run(compile_chain(compose(parts_of_chain(chain), overrides)), few), np.float64)
        for overrides in (
            Overrides(off=frozenset({*_STAGES, "look"}), output=stored),  # type: ignore[arg-type]
            Overrides(until="balance", output=stored),
        )
    ]

    def miss(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
        way = _through(chain, _cdl_of(numbers - 1), encoding)
        return np.asarray((to_lab(run(compile_chain(way), few), chain) - goal).ravel(), np.float64)

    # About one and not about nothing: steps are shares of the numbers, in 32 bit pixels.
    start = _near(*codes) + 1
    found = least_squares(
        miss, start, method="trf", loss="soft_l1", f_scale=_FAR, diff_step=1e-3, max_nfev=40
    )
    cdl = _cdl_of(found.x - 1)
    many = pixels[:: max(1, -(-len(pixels) // _MEASURED))]
    both = [to_lab(run(compile_chain(one), many), chain)
            for one in (chain, _through(chain, cdl, encoding))]  # fmt: skip
    off = delta_e_2000(*both)
    own = (chain.decode.encoding, chain.decode.levels)
    before = None
    if own != (encoding, "full"):
        before = replace(chain, match=None, trim=None, balance=None, look=None, output=stored)
    behind = replace(chain, decode=Decode(encoding, "full"), input=Input(), match=None, trim=None,
                     balance=None)  # fmt: skip
    return CdlFit(cdl, encoding, before, behind, float(off.mean()),
                  float(np.percentile(off, 99.9)), float(off.max()))  # fmt: skip


def _through(chain: Chain, cdl: Cdl, encoding: str) -> Chain:
    """Return the chain with a CDL in place of match, trim and balance."""
    steps = chain.look.steps if chain.look is not None else ()
    look = Look((CdlStep(cdl, encoding), *steps))
    return replace(chain, match=None, trim=None, balance=None, look=look)


def _cdl_of(numbers: NDArray[Any]) -> Cdl:
    """Return a CDL of its ten numbers: logarithms of slopes, offsets, of powers, of saturation."""
    slope, offset, power = np.split(numbers[:9], 3)
    slope, power = (np.clip(np.exp(v), _LOW, _HIGH) for v in (slope, power))
    saturation = float(np.clip(np.exp(numbers[9]), 0.0, _HIGH))
    three = [triple(part.round(6).tolist(), "cdl") for part in (slope, offset, power)]
    return Cdl(three[0], three[1], three[2], round(saturation, 6), clamp=True)


def _near(code: NDArray[np.float64], goal: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return numbers to start from: a line for each channel through the code values."""
    numbers = np.zeros(10)
    for c in range(3):
        slope, offset = np.polyfit(code[:, c], goal[:, c], 1)
        numbers[c], numbers[3 + c] = np.log(np.clip(slope, _LOW, _HIGH)), offset
    lines = code * np.exp(numbers[:3]) + numbers[3:6]
    chroma = [np.abs(v - (v @ np.array(CDL_LUMA))[:, None]).mean() for v in (lines, goal)]
    numbers[9] = np.log(np.clip(chroma[1] / max(chroma[0], 1e-6), 0.5, 2.0))
    return numbers


def cdl_files(fit: CdlFit, size: int, *, title: str, threads: int = 1) -> dict[str, bytes]:
    """Return what a box is given, by name: the correction, and the LUTs before and behind it.

    Parameters
    ----------
    fit : CdlFit
    size : int
        Points of the LUTs per axis.
    title : str
        Of what it is, for the files' heads.
    threads : int
        How many parts of a LUT may be made at once.
    """
    name = find_encoding(fit.encoding).name
    c = fit.cdl
    words = (
        f"for code values of {name}, full levels; a CDL alone loses ΔE {fit.mean:.2f} in the mean"
    )
    row = Correction(title, c.slope, c.offset, c.power, c.saturation, words)
    files = {"correction.cc": write_cdl([row], "cc")}
    for kind, chain, says in (
        ("1-before", fit.before, f"{title}: from the clip to {name}, before the CDL"),
        ("2-behind", fit.behind, f"{title}: behind the CDL, from {name}"),
    ):
        if chain is None:
            continue
        table = bake_lut(chain, size, threads=threads)
        comments = (f"{chain.decode.encoding} {chain.decode.levels} levels in",
                    f"chain {chain_hash(chain)}")  # fmt: skip
        files[f"{kind}.cube"] = write_cube(Cube(table, says), comments=comments)
    return files


def read_back_cdl(
    files: dict[str, bytes], fit: CdlFit, chain: Chain, code_rgb: NDArray[np.float32] | None = None
) -> ReadBack:
    """Read a CDL's files again, and compare all of them together with the exact chain.

    Parameters
    ----------
    files : dict
        As of `cdl_files`.
    fit : CdlFit
    chain : Chain
        What they stand for.
    code_rgb : (..., 3) float32, optional
        The clip's own pixels, stored code values.

    Returns
    -------
    ReadBack
        On a grid of BT.709 colours and on the picture, interpolated tetrahedrally.
    """
    (row,) = read_cdl_file(files["correction.cc"])
    cdl = Cdl(row.slope, row.offset, row.power, row.saturation, clamp=True)
    luts = {name: read_cube(data).table for name, data in files.items() if name.endswith(".cube")}
    stage = Chain(Decode(fit.encoding, "full"), EncodingOutput(fit.encoding, "full"),
                  look=Look((CdlStep(cdl, fit.encoding),)))  # fmt: skip
    program = compile_chain(stage)
    sets = {"grid": grid_in_gamut(chain)}
    if code_rgb is not None:
        pixels = np.asarray(code_rgb, np.float32).reshape(-1, 3)
        sets["picture"] = pixels[:: max(1, -(-len(pixels) // _MEASURED))]
    found = []
    for colours, codes in sets.items():
        lab = to_lab(run(compile_chain(chain), codes), chain)
        values = codes if fit.before is None else apply_lut(codes, luts["1-before.cube"])
        values = apply_lut(run(program, values), luts["2-behind.cube"])
        off = delta_e_2000(lab, to_lab(values, chain))
        found.append(Difference(colours, "tetrahedral", None, float(off.mean()),
                                float(np.percentile(off, 99.9)), float(off.max())))  # fmt: skip
    return ReadBack(len(luts["2-behind.cube"]), tuple(found), None)
