"""The best frames of a clip: still, large, sharp, unclipped, without glare or a passing hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.detection import find_chart
from syntonos.core.charts.identity import sample_cells
from syntonos.core.charts.layout import CHART_24, ChartLayout, chart_homography, places_of
from syntonos.core.charts.reading import checked_corners
from syntonos.core.charts.refine import refine_corners
from syntonos.core.errors import ChartError

A = NDArray[np.float64]
_WIDTH: Final = 960  # frames are compared at this width
_STILL = 0.03  # of the pitch: a chart that moves less stands still
_SHARP = 0.6  # of the sharpest frame's contrast at the edges
_FOLLOWED = 0.5  # agreement with the template below which a chart is not followed
_PASSED = 0.02  # stored code: a patch that differs more from its usual level is disturbed
_GLARE = 0.02  # stored code: dark patches of two frames that differ less are as clean
_LEAST_COMPARED = 4  # frames from which glare is told
_MOST_FAILED = 2  # searches for a chart that went away
_AT_TOP = 0.01  # stored code: a patch so near to the frame's highest value may be clipped
MOTION, SOFT, DISTURBED, CLIPPED, GLARE = "moved", "soft", "disturbed", "clipped", "glare"


@dataclass(frozen=True, slots=True)
class FrameNote:
    """One frame against the others."""

    frame: int  # place in the sequence that was given
    moved: float  # pixels from where the chart usually is, the farthest corner
    sharpness: float  # of the sharpest frame's in which the chart rests
    reason: str | None  # why it is not proposed


@dataclass(frozen=True, slots=True)
class Proposal:
    """Frames to read, and where the chart is in them."""

    corners: A  # (4, 2) in the frames' pixels, as the template lies best
    given: A  # the corners that were given, carried along to the chosen frames; not improved
    frames: tuple[int, ...]
    notes: tuple[FrameNote, ...]
    moved: float  # pixels: how far the chart wanders over all frames

    @property
    def is_moving(self) -> bool:
        """Whether most frames had to be left out because the chart moves."""
        gone = sum(note.reason == MOTION for note in self.notes)
        return gone > len(self.notes) / 2


def propose_frames(
    frames: Sequence[NDArray[np.float32]], corners: A, layout: ChartLayout = CHART_24
) -> Proposal:
    """Choose the frames of a clip that are worth averaging.

    Parameters
    ----------
    frames : sequence of (h, w, 3) float32
        Stored code values, of one clip.
    corners : (4, 2) float64
        Where the chart was found, in the frames' pixels.

    Returns
    -------
    Proposal
        At least one frame; where the chart never stands still, the sharpest.

    Raises
    ------
    ChartError
        chart.corners, as `checked_corners`.
    """
    corners = checked_corners(corners, layout)
    factor = min(1.0, _WIDTH / frames[0].shape[1])
    start = (corners + 0.5) * factor - 0.5
    places, sharp, levels, agreements = [], [], [], []
    smalls = []
    for frame in frames:
        small = frame
        if factor < 1:
            size = (_WIDTH, round(frame.shape[0] * factor))
            small = cv2.resize(frame, size, interpolation=cv2.INTER_AREA).astype(np.float32)
        found, agreement = refine_corners(small, start, layout)
        smalls.append(small)
        places.append(found)
        agreements.append(agreement)
    _find_lost(smalls, places, agreements, layout)
    for small, found, agreement in zip(smalls, places, agreements, strict=True):
        levels.append(sample_cells(small, places_of(layout), chart_homography(found, layout)))
        sharp.append(agreement * _edge_contrast(small, found))
    if np.median(agreements) < _FOLLOWED:
        # No chart is seen there as it was described: nothing tells the frames apart.
        every = tuple(range(len(frames)))
        notes = [FrameNote(i, 0.0, 1.0, None) for i in every]
        return Proposal(np.array(corners), np.array(corners), every, tuple(notes), 0.0)
    quads = np.array(places)
    pitch = float(np.hypot(*(start[1] - start[0]))) / max(layout.columns_at[-1], 1.0)
    middle = _usual_place(quads, _STILL * pitch)
    moved = np.hypot(*np.moveaxis(quads - middle, -1, 0)).max(axis=1)
    still = moved <= max(0.25, _STILL * pitch)
    # Against frames of one size only: the larger a chart, the fewer of its pixels are edges.
    sharpness = np.array(sharp) / max(float(np.array(sharp)[still].max()), 1e-9)
    # Patches that lie at the frame's own ceiling; a white patch alone may.
    tops = np.array([np.nanpercentile(frame, 99.99) for frame in frames])
    at_top = (np.array(levels) >= tops[:, None, None] - _AT_TOP).any(axis=2).sum(axis=1)
    clipped = at_top > at_top[still].min() + 1
    glared = _glared(np.array(levels), still & ~clipped)
    usual = np.nanmedian(np.array(levels)[still & ~clipped & ~glared], axis=0)
    off = np.nan_to_num(np.abs(np.array(levels) - usual)).max(axis=(1, 2))
    # Noise alone moves a patch's median a little, from frame to frame.
    limit = max(_PASSED, 4 * float(np.median(off[still & ~clipped & ~glared])))
    notes = []
    for i in range(len(frames)):
        reason = None
        if not still[i]:
            reason = MOTION
        elif clipped[i]:
            reason = CLIPPED
        elif glared[i]:
            reason = GLARE
        elif off[i] > limit:
            reason = DISTURBED
        elif sharpness[i] < _SHARP:
            reason = SOFT
        notes.append(FrameNote(i, float(moved[i] / factor), float(sharpness[i]), reason))
    chosen = [n.frame for n in notes if n.reason is None] or [int(np.argmax(sharp))]
    at = np.median(quads[chosen], axis=0)
    # The corners were placed in one of the frames: the one where the chart is nearest to them.
    nearest = quads[int(np.argmin(np.abs(quads - start).max(axis=(1, 2))))]
    shift = (at - nearest) / factor
    still_there = float(np.abs(shift).max()) < 0.25
    return Proposal(
        (at + 0.5) / factor - 0.5, corners + (0.0 if still_there else 1.0) * shift, tuple(chosen),
        tuple(notes), float(moved.max() / factor),
    )  # fmt: skip


def _find_lost(
    smalls: Sequence[NDArray[np.float32]], places: list[A], agreements: list[float],
    layout: ChartLayout,
) -> None:  # fmt: skip
    """Search again where a chart that is seen in other frames went farther than edges tell.

    A search that finds nothing takes seconds: after two of them the rest is given up.
    """
    seen = [k for k, agreement in enumerate(agreements) if agreement >= _FOLLOWED]
    if not seen:
        return
    last, failed = places[seen[0]], 0
    for k, small in enumerate(smalls):
        if agreements[k] < _FOLLOWED and failed < _MOST_FAILED:
            found = _find_again(small, last, layout)
            if found is None:
                failed += 1
            else:
                places[k], agreements[k] = found
        if agreements[k] >= _FOLLOWED:
            last = places[k]


def _find_again(code: NDArray[np.float32], last: A, layout: ChartLayout) -> tuple[A, float] | None:
    """Return the chart's place in a frame where it is elsewhere, turned as it was before."""
    try:
        found = find_chart(code, layout)
    except ChartError:
        return None
    # A chart does not turn over in the hand from frame to frame.
    turned = [np.roll(found.corners, k, axis=0) for k in range(4)]
    near = min(turned, key=lambda quad: float(np.abs(_shape(quad) - _shape(last)).sum()))
    return refine_corners(code, near, layout)


def _shape(quad: A) -> A:
    """Return a quad's sides by length one, which says how it is turned."""
    sides = np.roll(quad, -1, axis=0) - quad
    return np.asarray(sides / np.maximum(np.hypot(*sides.T), 1e-6)[:, None], np.float64)


def _glared(levels: A, good: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Say which frames have light on the chart's dark patches that others do not have.

    Whatever passes over a dark patch, glare or a hand, is lighter than it: where two frames at
    least agree on less, they are the better ones, however many the others are.

    Parameters
    ----------
    levels : (frames, patches, 3) stored code
    good : (frames,) those that count
    """
    found = np.zeros(len(levels), bool)
    if good.sum() < _LEAST_COMPARED:
        return found
    mean = levels.mean(axis=2)
    usual = np.nanmedian(mean[good], axis=0)
    dark = usual <= np.nanpercentile(usual, 34)
    # A lamp that flickers moves all patches alike, in log.
    even = mean - np.nanmedian(mean - usual, axis=1)[:, None]
    low = np.sort(even[good][:, dark], axis=0)[1]
    over = np.nan_to_num(even[:, dark] - low).max(axis=1)
    # Noise alone moves a patch from frame to frame.
    noise = float(np.nanmedian(np.abs(np.diff(even[good][:, dark], axis=0))))
    found = over > max(_GLARE, 6 * noise)
    return found if (good & ~found).sum() > 1 else np.zeros(len(levels), bool)


def _usual_place(quads: A, reach: float) -> A:
    """Return the place where most pixels of the chart can be averaged: often seen, or large."""
    apart = np.abs(quads[:, None] - quads[None]).max(axis=(2, 3))
    together = apart <= max(0.25, reach)
    size = np.array([cv2.contourArea(quad.astype(np.float32)) for quad in quads])
    pixels = together.sum(axis=1) * size / size.max()
    centre = int(np.argmax(pixels - 1e-3 * apart.mean(axis=1) / max(apart.max(), 1)))
    return np.asarray(np.median(quads[together[centre]], axis=0), np.float64)


def _edge_contrast(code: NDArray[np.float32], corners: A) -> float:
    """Return how steep the steepest edges about the chart are, against its range."""
    low = np.maximum(np.floor(corners.min(axis=0)), 0).astype(int)
    high = np.ceil(corners.max(axis=0)).astype(int) + 1
    part = code[low[1] : high[1], low[0] : high[0]].mean(axis=2)
    if min(part.shape) < 4:
        return 0.0
    steps = np.concatenate([np.abs(np.diff(part, axis=k)).ravel() for k in (0, 1)])
    span = float(np.ptp(np.percentile(part, [2, 98])))
    return float(np.percentile(steps, 97)) / max(span, 1e-3)
