"""What a display cannot show: colours outside of its primaries, and light above its white."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.displays import HDR_WHITE, find_display
from syntonos.core.chain.document import (
    AcesOutput,
    Chain,
    Decode,
    EncodingOutput,
    Look,
    LutStep,
    Output,
)
from syntonos.core.chain.engine import run
from syntonos.core.chain.executor import Region, execute, plan, upto_last
from syntonos.core.chain.packing import Packer, Program
from syntonos.core.chain.program import compile_chain
from syntonos.core.chain.tables import find_table, moving_range
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import CURVES, GAMUTS, decode

DISPLAY_LIGHT = "display light"  # the place that the output stage notes before its clamp
_BELOW = -1e-4  # linear light: less is rounding
_AT_PEAK = 0.99  # of the display's peak: white, for all that is seen


def beyond_display(
    chain: Chain, code_rgb: NDArray[np.float32], *, frame: int = 0, region: Region | None = None,
    threads: int = 1,
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:  # fmt: skip
    """Say which pixels a chain's display cannot show.

    Parameters
    ----------
    chain : Chain
        To a display. After its gamut compression, if it has one.
    code_rgb : (h, w, 3) float32
        Stored code values of the whole frame.
    frame, region, threads
        As of `execute`.

    Returns
    -------
    outside, clipped : (h, w) bool
        A channel of the display's linear light below zero; scene light that its tone scale (or
        plain clipping) sends to white, of an ACES output what it shows as its white. Both false
        for an encoding, and for a look that ends in a LUT to a display: what that LUT clips cannot
        be seen from outside.
    """
    size = code_rgb.shape[:2] if region is None else (region[3], region[2])
    none = np.zeros(size, np.bool_)
    how = {"number": frame, "region": region, "threads": threads}
    is_shown_by_look = chain.look is not None and chain.look.display is not None
    if isinstance(chain.output, EncodingOutput) or is_shown_by_look:
        return none, none
    display = find_display(chain.output.display)
    plain = chain.to(Output(display.slug, None, chain.output.compression))
    # Up to the clamp: linear light in the display's primaries.
    light = execute(plain, code_rgb, until=DISPLAY_LIGHT, **how)  # type: ignore[arg-type]
    below = any_channel(light < _BELOW)
    if isinstance(chain.output, AcesOutput):
        # Its own tone scale ends at the display's peak: what came out there went to white.
        shown = decode(execute(chain, code_rgb, **how), display.curve)  # type: ignore[arg-type]
        return below, ~any_channel(~(shown >= _AT_PEAK * display.signal_peak))
    tone = chain.output.tone
    top = MIDDLE_GREY * 2.0**tone.stops_to_white if tone is not None else display.peak
    return below, any_channel(light >= top)


def any_channel(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return (...) of a mask (..., 3): true where a channel is; as `any`, in less time."""
    return np.asarray(mask[..., 0] | mask[..., 1] | mask[..., 2], np.bool_)


def screen_white(display: str, *, whole: bool = False) -> float | None:
    """Return the light in nit that is white where HDR is seen on an SDR screen; None for SDR.

    The reference white of BT.2408, or, seen as a whole, the display's peak.
    """
    shown = find_display(display)
    return 100 * (shown.peak if whole else HDR_WHITE) if shown.is_hdr else None


def on_screen(
    disp_rgb: NDArray[np.float32], display: str, *, whole: bool = False, threads: int = 1
) -> NDArray[np.float32]:
    """Return a display's code values (..., 3) as an SDR screen of BT.709 shows them best.

    HDR is clipped at the reference white of BT.2408, or darkened as a whole until its peak is
    white; wider primaries are clipped to BT.709. This is a view, no evidence: figures and scopes
    read the display's own code values.
    """
    program = screen_program(display, whole=whole)
    return disp_rgb if program is None else run(program, disp_rgb, threads=threads)


@lru_cache(maxsize=16)
def screen_program(display: str, *, whole: bool = False) -> Program | None:
    """Return what `on_screen` does; None for SDR displays of BT.709 primaries."""
    shown, pack = find_display(display), Packer()
    if shown.gamut.slug == "bt709" and not shown.is_hdr:
        return None
    pack.curve(shown.curve, "full", inverse=True)
    if shown.to_light:
        pack.add(k.OP_SCENE_LIGHT, shown.to_light)
    white = (screen_white(display, whole=whole) or 100) / 100
    # All displays here have the white of D65.
    mat = np.linalg.solve(GAMUTS["bt709"].to_xyz, shown.gamut.to_xyz) / white
    pack.affine(np.asarray(mat, np.float64))
    pack.clamp(0.0, 1.0)
    pack.curve(CURVES["bt1886"], "full", inverse=False)
    return pack.program()


def grey_through_luts(chain: Chain) -> list[tuple[float, float]]:
    """Return, for each LUT of the look, what it makes of middle grey and of a stop either way.

    Returns
    -------
    list of (grey, contrast)
        Of a LUT that stays in its encoding: stops from middle grey, and stops out for a stop in.
        Of one to a display: the signal, 0 to 1, and how much of it a stop makes. Far from what
        looks usually do, the LUT is hardly made for the encoding that it is said to be for. Log
        and display values have middle grey at much the same code: it is the contrast that tells.
    """
    steps = chain.look.steps if chain.look is not None else ()
    stops = np.array([[-1], [0], [1]], np.float32)
    around = np.repeat(np.float32(MIDDLE_GREY) * 2**stops, 3, axis=1)
    linear = Decode("linear/ap1")
    out = []
    for step in steps:
        if not isinstance(step, LutStep):
            continue
        look = Look((replace(step, mix=1.0),))
        if step.to is not None:
            shown = run(compile_chain(Chain(linear, Output(step.to, None), look=look)), around)
            low, grey, high = (float(v) for v in shown.mean(axis=1))
        else:
            to = EncodingOutput("linear/ap1")
            lin = run(compile_chain(Chain(linear, to, look=look)), around).mean(axis=1)
            low, grey, high = (float(np.log2(max(v, 1e-6) / MIDDLE_GREY)) for v in lin)
        out.append((grey, (high - low) / 2))
    return out


def clipped_by_luts(
    chain: Chain, code_rgb: NDArray[np.float32], *, frame: int = 0
) -> list[float]:  # fmt: skip
    """Return, for each LUT of the look, the share of pixels (h, w, 3) of which it clips a channel.

    Clipped is what lies where the LUT's result no longer changes along the grey axis, or outside
    of its domain.
    """
    planned = plan(chain, frame)
    before = upto_last(planned, code_rgb, code_rgb.shape[1])
    out = []
    for sha, op in zip(chain.luts, planned.last.where("lut"), strict=True):
        table = find_table(sha)
        low, high = moving_range(table)
        x = run(planned.last.part(0, op), before)
        if table.clf:  # runs on what comes, not on shares of a domain
            at_low, at_high = np.array(table.low, np.float32), np.array(table.high, np.float32)
            x = (x - at_low) / (at_high - at_low)
        out.append(float(any_channel((x < low) | (x > high)).mean()))
    return out
