"""A frame through a chain to bytes for a screen, counted for its scopes on the way.

Pixels are counted and rounded while they lie in the first-level cache: no picture of floats is
made, which takes as long as the scopes themselves.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Chain, run
from syntonos.core.chain.engine import Cancelled, each_band, to_bytes
from syntonos.core.chain.executor import Region, plan, upto_last, with_margin
from syntonos.core.chain.marks import screen_program
from syntonos.core.chain.program import Program
from syntonos.core.scopes._draw_kernel import draw_part
from syntonos.core.scopes.counts import WHOLE, Counter, ScopeCounts, Span, count_scopes

_PARTS = 4  # of what one thread does: a closed view is noticed between them
_NOTHING = Program(np.zeros(0, np.int32), np.zeros((0, 1), np.float32), np.zeros(4, np.float32))


def draw(
    chain: Chain,
    code_rgb: NDArray[np.float32],
    *,
    number: int = 0,
    region: Region | None = None,
    span: Span = WHOLE,
    whole: bool = False,
    threads: int = 1,
    is_cancelled: Callable[[], bool] | None = None,
) -> tuple[NDArray[np.uint8], ScopeCounts]:
    """Return a frame through a chain as an SDR screen shows it best, and its scope counts.

    Parameters
    ----------
    chain : Chain
    code_rgb : (h, w, 3) float32
        Stored code values, 1.0 = full scale of the file.
    number : int
        The frame's, from 0, for stages that depend on it.
    region : (left, top, width, height), optional
        In pixels; only it is drawn and counted, as it is in the whole frame.
    span : tuple
        Of the display signal that the parade shows.
    whole : bool
        HDR is darkened until its peak is white, not clipped at its reference white.
    threads : int
        How many parts may be drawn at once.
    is_cancelled : callable, optional
        Asked between parts; when it says true the rest is given up.

    Returns
    -------
    picture : (h, w, 3) uint8
    counts : ScopeCounts
        Of the display's own values, not of those for the screen.

    Raises
    ------
    Cancelled
        When `is_cancelled` said so.
    """
    planned, display = plan(chain, number), getattr(chain.output, "display", "rec709")
    width = code_rgb.shape[1]
    code_rgb, inner = with_margin(code_rgb, region, planned.margin(width))
    code_rgb = upto_last(planned, code_rgb, width, threads=threads, is_cancelled=is_cancelled)
    if inner is not None:
        code_rgb = code_rgb[inner]
    program = planned.last
    screen = screen_program(display, whole=whole)
    if program.is_hosted:
        disp = run(program, code_rgb, threads=threads, is_cancelled=is_cancelled)
        seen = disp if screen is None else run(screen, disp, threads=threads)
        return to_bytes(seen), count_scopes(disp, display, span)
    source = np.ascontiguousarray(code_rgb, np.float32)
    flat, width = source.reshape(-1, 3), source.shape[1]
    picture = np.empty(source.shape, np.uint8)
    out = picture.reshape(-1, 3)
    edges = np.linspace(0, len(flat), threads + 1).astype(int)
    counters = [Counter(width, display, span) for _ in range(threads)]
    first, last = _arrays(program), _arrays(screen or _NOTHING)

    def work(part: int) -> None:
        counter = counters[part]
        for a, b in pairwise(np.linspace(edges[part], edges[part + 1], _PARTS + 1).astype(int)):
            if is_cancelled is not None and is_cancelled():
                raise Cancelled
            few, many = draw_part(
                flat[a:b], out[a:b], first, last, counter.columns, a, width, counter.arrays
            )
            counter.below, counter.above = counter.below + few, counter.above + many

    each_band(work, range(threads), threads)
    total = counters[0]
    for other in counters[1:]:
        total.parade += other.parade
        total.vector += other.vector
        total.below, total.above = total.below + other.below, total.above + other.above
    return picture, total.result(len(flat))


def _arrays(program: Program) -> tuple[Any, ...]:
    return program.ops, program.params, program.tables
