"""A whole frame, or a region of it, through a chain: around the pointwise programs.

Stages that depend on the frame's number become the pointwise ones that they are there. Stages that
need their neighbourhood run between programs, with a margin around the region that is asked for.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.document import Chain
from syntonos.core.chain.engine import run
from syntonos.core.chain.packing import Packer, Program
from syntonos.core.chain.program import compile_chain
from syntonos.core.chain.stages import Locality, StageKind, kind_of
from syntonos.core.errors import ChainError

Picture: TypeAlias = NDArray[np.float32]
Region: TypeAlias = tuple[int, int, int, int]  # left, top, width, height in pixels


@dataclass(frozen=True, slots=True)
class Plan:
    """What a chain does to a frame: programs with area stages between them.

    before : pairs of a program and the area stage after it, in order
    last : the program at the end
    """

    before: tuple[tuple[Program, StageKind, Any], ...]
    last: Program

    def margin(self, width: int) -> int:
        """Return how many pixels around a region of a frame of this width have to be there."""
        return sum(kind.margin(stage, width) for _, kind, stage in self.before)


def at_frame(chain: Chain, number: int) -> Chain:
    """Return the chain as it is at a frame's number, without stages that depend on it."""
    moving = {
        kind_of(stage).place: kind_of(stage).at(stage, number) for stage in chain.stages
        if kind_of(stage).locality(stage) is Locality.FRAME
    }  # fmt: skip
    return replace(chain, **moving) if moving else chain


def plan(chain: Chain, number: int = 0) -> Plan:
    """Return what a chain does to a frame.

    Parameters
    ----------
    chain : Chain
    number : int
        The frame's, from 0.
    """
    here = at_frame(chain, number)
    localities = [kind_of(stage).locality(stage) for stage in here.stages]
    if Locality.NEIGHBOURHOOD not in localities:
        return Plan((), compile_chain(here))
    before, pack = [], Packer()
    for stage, locality in zip(here.stages, localities, strict=True):
        kind = kind_of(stage)
        kind.pack(pack, stage, here)
        if locality is Locality.NEIGHBOURHOOD:
            before.append((pack.program(), kind, stage))
            pack = Packer()
    return Plan(tuple(before), pack.program())


def execute(
    chain: Chain,
    code_rgb: Picture,
    *,
    number: int = 0,
    region: Region | None = None,
    until: str = "",
    threads: int = 1,
    is_cancelled: Callable[[], bool] | None = None,
) -> Picture:
    """Run a chain over a frame.

    Parameters
    ----------
    chain : Chain
    code_rgb : (h, w, 3) float32
        Stored code values of the whole frame.
    number : int
        The frame's, from 0.
    region : (left, top, width, height), optional
        In pixels; only it is made, as it is in the whole frame.
    until : str
        The name of a place in the last program, as stages note it, where it stops.
    threads, is_cancelled
        As of `run`.

    Returns
    -------
    (h, w, 3) float32, or the region's size.

    Raises
    ------
    ChainError
        region.outside, for a region that is not within the frame.
    """
    planned = plan(chain, number)
    width = code_rgb.shape[1]
    source, inner = with_margin(code_rgb, region, planned.margin(width))
    values = upto_last(planned, source, width, threads=threads, is_cancelled=is_cancelled)
    last = planned.last.part(0, planned.last.where(until)[-1]) if until else planned.last
    out = run(last, values, threads=threads, is_cancelled=is_cancelled)
    return out if inner is None else np.ascontiguousarray(out[inner])


def upto_last(
    planned: Plan,
    code_rgb: Picture,
    width: int,
    *,
    threads: int = 1,
    is_cancelled: Callable[[], bool] | None = None,
) -> Picture:
    """Run what stands before a plan's last program on (h, w, 3); `width` is the whole frame's."""
    values = code_rgb
    for program, kind, stage in planned.before:
        values = run(program, values, threads=threads, is_cancelled=is_cancelled)
        assert kind.area is not None  # noqa: S101 - a kind that needs neighbours says what it does
        values = kind.area(stage, values, width)
    return values


def with_margin(
    code_rgb: Picture, region: Region | None, margin: int
) -> tuple[Picture, tuple[slice, slice] | None]:
    """Return the region of (h, w, 3) with its margin, as far as the frame goes, and where it lies.

    Raises
    ------
    ChainError
        region.outside where it is not within the frame.
    """
    if region is None:
        return code_rgb, None
    height, width = code_rgb.shape[:2]
    left, top, wide, high = region
    if left < 0 or top < 0 or wide < 1 or high < 1 or left + wide > width or top + high > height:
        raise ChainError(
            f"The region {region} is not within a frame of {width} x {height}.",
            hint="Choose a region of the frame.", code="region.outside",
        )  # fmt: skip
    x, y = max(0, left - margin), max(0, top - margin)
    right, bottom = min(width, left + wide + margin), min(height, top + high + margin)
    inner = slice(top - y, top - y + high), slice(left - x, left - x + wide)
    return np.ascontiguousarray(code_rgb[y:bottom, x:right]), inner
