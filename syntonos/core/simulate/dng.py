"""Writing a DNG of a simulated sensor: uncompressed Bayer, with the tags that development needs.

Source: Digital Negative (DNG) Specification 1.7.1.0; TIFF/EP (ISO 12234-2) for the filter array.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.media.facts import frame_of_timecode, timecode_of_frame


def mosaic(camera_rgb: ArrayLike, *, black: int | Sequence[int], white: int) -> NDArray[np.uint16]:
    """Return what a red-green / green-blue filter array of sensor values (h, w, 3) stores (h, w).

    0 becomes `black` (one, or four by the filter array's rows), 1 becomes `white`, rounded and
    clamped to the codes.
    """
    rgb = np.asarray(camera_rgb, np.float64)
    picked = rgb[..., 1].copy()
    picked[0::2, 0::2] = rgb[0::2, 0::2, 0]
    picked[1::2, 1::2] = rgb[1::2, 1::2, 2]
    blacks = np.broadcast_to(np.asarray(black), 4).reshape(2, 2)
    height, width = picked.shape
    level = np.tile(blacks, (-(-height // 2), -(-width // 2)))[:height, :width]
    codes: NDArray[np.float64] = np.rint(picked * (white - level) + level)
    return np.clip(codes, 0, white).astype(np.uint16)


def _rationals(values: ArrayLike, scale: int = 10_000) -> tuple[int, ...]:
    flat = np.rint(np.asarray(values, np.float64).ravel() * scale).astype(int)
    return tuple(number for value in flat for number in (int(value), scale))


def timecode_bytes(timecode: str) -> bytes:
    """Return the eight bytes of a DNG's TimeCodes entry (SMPTE ST 331's order)."""
    parts = [int(timecode[i : i + 2]) for i in (9, 6, 3, 0)]
    return bytes(part // 10 * 16 + part % 10 for part in parts) + bytes(4)


def clock_tags(timecode: str, rate: tuple[int, int], reel: str) -> list[tuple[Any, ...]]:
    """Return FrameRate, TimeCodes and ReelName, the latter two where they are known."""
    tags: list[tuple[Any, ...]] = [(51044, 10, 1, rate, True)]
    if timecode:
        tags.append((51043, 1, 8, timecode_bytes(timecode), True))
    if reel:
        tags.append((51081, 2, 0, reel, True))
    return tags


def _black_tags(black: int | Sequence[int]) -> list[tuple[Any, ...]]:
    """Return BlackLevelRepeatDim and BlackLevel."""
    if isinstance(black, int):
        return [(50713, 3, 2, (1, 1), True), (50714, 4, 1, black, True)]
    return [(50713, 3, 2, (2, 2), True), (50714, 4, 4, tuple(black), True)]


def write_dng(
    path: str | os.PathLike[str],
    codes: NDArray[np.uint16],
    *,
    model: str,
    color_matrix: ArrayLike,
    neutral: ArrayLike,
    black: int | Sequence[int],
    white: int,
    baseline_stops: float = 0.0,
    exposure_index: int = 800,
    color_matrix_2: ArrayLike | None = None,
    rate: tuple[int, int] = (24, 1),
    timecode: str = "",
    reel: str = "",
    description: str = "",
    extra: Sequence[tuple[Any, ...]] = (),
) -> None:
    """Write photosites (h, w) as a DNG that appears under its name only when it is complete.

    Parameters
    ----------
    codes
        From `mosaic`, red-green over green-blue.
    color_matrix, color_matrix_2
        (3, 3) from XYZ to the sensor under D65, and under standard light A.
    neutral
        (3,) sensor values of the white that it is balanced for, the largest 1.
    baseline_stops
        By how much a developer is to brighten: BaselineExposure.
    """
    import tifffile

    first = color_matrix if color_matrix_2 is None else color_matrix_2
    tags: list[tuple[Any, ...]] = [
        (50706, 1, 4, (1, 4, 0, 0), True), (50707, 1, 4, (1, 1, 0, 0), True),
        (50708, 2, 0, model, True), (271, 2, 0, model.split()[0], True), (272, 2, 0, model, True),
        (33421, 3, 2, (2, 2), True), (33422, 1, 4, (0, 1, 1, 2), True),
        (50710, 1, 3, (0, 1, 2), True), (50711, 3, 1, 1, True), *_black_tags(black),
        (50717, 4, 1, white, True),
        (50721, 10, 9, _rationals(first), True),
        (50728, 5, 3, _rationals(neutral, 1_000_000), True),
        (50730, 10, 1, _rationals([baseline_stops]), True),
        (50778, 3, 1, 21 if color_matrix_2 is None else 17, True),
        (34855, 3, 1, exposure_index, True), *clock_tags(timecode, rate, reel),
    ]  # fmt: skip
    if color_matrix_2 is not None:
        tags += [(50722, 10, 9, _rationals(color_matrix), True), (50779, 3, 1, 21, True)]
    path = Path(path)
    partial = path.with_name(f".{path.name}.part")
    tifffile.imwrite(
        partial, codes, photometric=32803, planarconfig="contig", metadata=None,
        description=description or None, software="", datetime=None,
        extratags=[*tags, *extra],
    )  # fmt: skip
    partial.replace(path)


def next_timecode(timecode: str, frames: int, rate: int) -> str:
    """Return a timecode some frames later, no numbers dropped."""
    from fractions import Fraction

    steady = Fraction(rate)
    return timecode_of_frame(frame_of_timecode(timecode, steady) + frames, steady)
