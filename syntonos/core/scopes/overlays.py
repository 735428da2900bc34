"""Marks that lie over a picture: lines of equal stops, and where neutral is left and which way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.white import shift_of
from syntonos.core.colorimetry.constants import MIDDLE_GREY

A = NDArray[np.float64]
_GRID: Final = 240  # cells across, for lines
_SOFT: Final = 2.5  # of those, the radius of what is smoothed before
_MARKS: Final = 40  # across
_MOST_WARMTH, _MOST_TINT = 80.0, 20.0  # beyond, a thing has a colour of its own
_DARKEST: Final = -5.0  # stops about middle grey: below, white is noise
_LEVELS: Final = tuple(range(-7, 8))


@dataclass(frozen=True, slots=True)
class Contour:
    """A line of equal luminance.

    stop : about middle grey
    segments : (n, 4)
        x, y of one end and of the other, in shares of the picture.
    """

    stop: int
    segments: A


def stop_contours(lin_ap1: NDArray[Any], levels: Sequence[int] = _LEVELS) -> list[Contour]:
    """Return the lines at which a picture's luminance is a whole number of stops about grey.

    Parameters
    ----------
    lin_ap1 : (h, w, 3)
        Scene-linear AP1; middle grey is 0.18.
    levels : sequence of int
        The stops.

    Returns
    -------
    list of Contour
        Only of levels that the picture has. Lines go from one edge of a cell to the next, by
        linear interpolation (marching squares; saddles are cut both ways alike).
    """
    luma = np.asarray(lin_ap1, np.float32) @ AP1_LUMINANCE.astype(np.float32)
    height = max(2, round(_GRID * luma.shape[0] / luma.shape[1]))
    small = cv2.resize(luma, (_GRID, height), interpolation=cv2.INTER_AREA)
    stops = np.log2(np.maximum(cv2.GaussianBlur(small, (0, 0), _SOFT), 1e-5) / MIDDLE_GREY)
    field = np.asarray(stops, np.float64)
    found = [Contour(level, _lines(field - level)) for level in levels]
    return [line for line in found if len(line.segments)]


# The edges of a cell, by their ends: (row, column) from its top left corner, clockwise.
_EDGES: Final = (((0, 0), (0, 1)), ((0, 1), (1, 1)), ((1, 1), (1, 0)), ((1, 0), (0, 0)))


def _lines(field: A) -> A:
    """Return the segments (n, 4) on which a field (h, w) is zero."""
    h, w = field.shape
    rows, columns = np.mgrid[: h - 1, : w - 1]
    cuts, points = [], []
    for (r0, c0), (r1, c1) in _EDGES:
        a = field[r0 : r0 + h - 1, c0 : c0 + w - 1]
        b = field[r1 : r1 + h - 1, c1 : c1 + w - 1]
        cut = (a > 0) != (b > 0)
        with np.errstate(divide="ignore", invalid="ignore"):
            t = np.where(cut, a / (a - b), 0.0)
        x = columns + c0 + t * (c1 - c0) + 0.5
        y = rows + r0 + t * (r1 - r0) + 0.5
        cuts.append(cut)
        points.append(np.stack([x / w, y / h], axis=-1))
    segments = []
    crossed = np.stack(cuts, axis=-1)
    two, four = crossed.sum(axis=-1) == 2, crossed.all(axis=-1)
    for i in range(4):
        for j in range(i + 1, 4):
            here = two & cuts[i] & cuts[j]
            if j == i + 1:
                here = here | (four & (i % 2 == 0))
            segments.append(np.concatenate([points[i][here], points[j][here]], axis=-1))
    return np.concatenate(segments)


@dataclass(frozen=True, slots=True)
class Cast:
    """How far a place of the picture is from neutral.

    x, y : shares of the picture
    warmth : mired, + is warmer
    tint : Duv x 1000, + is greener
    """

    x: float
    y: float
    warmth: float
    tint: float


def casts(lin_ap1: NDArray[Any]) -> list[Cast]:
    """Return where a picture is near neutral, and how far from it and which way.

    Parameters
    ----------
    lin_ap1 : (h, w, 3)
        Scene-linear AP1: neutral has three equal channels.

    Returns
    -------
    list of Cast
        Of a grid of places. What is farther than 80 mired or 20 Duv x 1000 has a colour of its own
        and is left out, as are places darker than five stops under middle grey. The way is told as
        balance and trim turn it.
    """
    lin = np.asarray(lin_ap1, np.float32)
    size = _MARKS, max(1, round(_MARKS * lin.shape[0] / lin.shape[1]))
    small = np.asarray(cv2.resize(lin, size, interpolation=cv2.INTER_AREA), np.float64)
    turned = shift_of(small)
    stops = np.log2(np.maximum(small @ AP1_LUMINANCE, 1e-6) / MIDDLE_GREY)
    near = (
        (np.abs(turned[..., 0]) <= _MOST_WARMTH) & (np.abs(turned[..., 1]) <= _MOST_TINT)
        & (stops > _DARKEST)
    )  # fmt: skip
    return [
        Cast((c + 0.5) / size[0], (r + 0.5) / size[1], float(turned[r, c, 0]),
             float(turned[r, c, 1]))
        for r, c in zip(*np.nonzero(near), strict=True)
    ]  # fmt: skip
