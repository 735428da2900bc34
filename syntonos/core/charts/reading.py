"""Reading a chart: per patch a robust mean in scene-linear, its spread, and what is wrong."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.charts.layout import CHART_24, ChartLayout, chart_homography
from syntonos.core.encodings import Encoding, decode, levels_scale_offset, take_levels_off
from syntonos.core.errors import ChartError

CLIPPED, GLARE = "clipped", "glare"
_LEAST_PIXELS = 12


@dataclass(frozen=True, slots=True)
class PatchReading:
    """What was measured on one patch."""

    index: int  # from 1, in reading order
    centre: tuple[float, float]  # x, y in pixels
    code_rgb: tuple[float, float, float]  # as stored
    lin_rgb: tuple[float, float, float]  # scene-linear in the clip's own gamut
    spread: tuple[float, float, float]  # robust standard deviation over the pixels, scene-linear
    error: float  # standard error of the mean as a share of chart white
    flags: tuple[str, ...]
    count: int = 100  # pixels that were averaged, over all frames

    @property
    def standard_error(self) -> tuple[float, float, float]:
        """Of the mean, per channel, scene-linear."""
        r, g, b = (s / max(self.count, 1) ** 0.5 for s in self.spread)
        return r, g, b


@dataclass(frozen=True, slots=True)
class ChartReading:
    """One chart in one clip."""

    corners: tuple[tuple[float, float], ...]  # centres of patches 1, 6, 24, 19
    encoding: str
    levels: str
    frames: int
    patches: tuple[PatchReading, ...]
    # Where the sensor clips, scene-linear; None where nothing in the frames is clipped.
    clip: float | None = None

    @property
    def lin_rgb(self) -> NDArray[np.float64]:
        """(n, 3) scene-linear in the clip's own gamut."""
        return np.array([p.lin_rgb for p in self.patches])


def _patch_pixels(
    shape: tuple[int, ...], corners: ArrayLike, layout: ChartLayout
) -> list[tuple[NDArray[np.intp], NDArray[np.intp]]]:
    """Return the rows and columns of the pixels inside each patch's sample area."""
    height, width = shape[:2]
    mat = chart_homography(corners, layout)
    half = layout.sample_half
    edge = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    inverse = np.linalg.inv(mat)
    found = []
    outside = []
    for i in range(len(layout.names)):
        centre = np.array([i % layout.columns, i // layout.columns])
        quad = (centre + edge) @ mat[:, :2].T + mat[:, 2]
        quad = quad[:, :2] / quad[:, 2:]
        low, high = np.floor(quad.min(axis=0)), np.ceil(quad.max(axis=0))
        if low.min() < 0 or high[0] > width - 1 or high[1] > height - 1:
            outside.append(i + 1)
            continue
        xs, ys = np.meshgrid(
            np.arange(int(low[0]), int(high[0]) + 1), np.arange(int(low[1]), int(high[1]) + 1)
        )
        back = np.stack([xs, ys, np.ones_like(xs)], axis=-1) @ inverse.T
        place = back[..., :2] / back[..., 2:] - centre
        inside = (np.abs(place) <= half).all(axis=-1)
        if int(inside.sum()) < _LEAST_PIXELS:
            raise ChartError(
                f"Patch {i + 1} covers only {inside.sum()} pixels, {_LEAST_PIXELS} are needed.",
                hint="Use a frame in which the chart is larger, or check the corners.",
                code="chart.too_small",
            )
        found.append((ys[inside], xs[inside]))
    if outside:
        raise ChartError(
            f"The chart is partly outside the picture: patches {', '.join(map(str, outside))}.",
            hint="Use a frame that shows the whole chart, or move the corners.",
            code="chart.outside",
        )
    return found


def _ceiling(levels: str) -> float:
    """Return the stored code that the file cannot exceed."""
    scale, offset = levels_scale_offset(levels)
    # Legal files may hold a little above 940; more than that is a picture at its end.
    return min(1.0, scale + offset + 0.02)


def _collapsed(lins: NDArray[np.float64], spreads: NDArray[np.float64], top: NDArray[np.float64]
               ) -> NDArray[np.bool_]:  # fmt: skip
    """Say which patches lie on a flat top below the file's ceiling: a sensor's own clip.

    Noise grows with light; where a channel is the brightest thing in the picture and its noise
    has collapsed against what the darker patches predict, it is clipped.

    Parameters
    ----------
    lins, spreads : (n, 3) scene-linear means and standard deviations of the patches
    top : (3,) the picture's brightest light per channel
    """
    flat = np.zeros(len(lins), bool)
    for c in range(3):
        lin, variance = np.maximum(lins[:, c], 0), spreads[:, c] ** 2
        bright = lin >= 0.95 * top[c]
        if bright.all() or not bright.any():
            continue
        # Shot noise: variance = a + b lin, on the patches that are surely below.
        dark = lin < 0.8 * top[c]
        if dark.sum() < 6:
            continue
        slope = float(np.median(variance[dark] / (lin[dark] + 0.02)))
        flat |= bright & (variance < 0.36 * slope * (lin + 0.02))
    return flat


def _clip_level(
    code: NDArray[np.float32], encoding: Encoding, levels: str, white: float
) -> float | None:
    """Return the light at which all channels pile up at the top of a frame, or None.

    A sensor that clips gives its white in all channels, so the smallest channel is looked at. What
    is not well above the chart's white may be a white thing and is not taken for a clip.
    """
    low = code[::2, ::2].min(axis=2).astype(np.float64)
    lin = decode(take_levels_off(low, levels), encoding.curve)
    top = float(np.percentile(lin, 99.95))
    if top < 2.5 * white:
        return None
    piled = float((np.abs(lin - top) < 0.03 * top).mean())
    below = float(((lin < 0.97 * top) & (lin > 0.85 * top)).mean())
    return top if piled > 0.002 and piled > 2 * below else None


def _robust(values: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return mean and standard deviation without what lies beyond three deviations."""
    middle = np.median(values, axis=0)
    sigma = 1.4826 * np.median(np.abs(values - middle), axis=0) + 1e-9
    keep = (np.abs(values - middle) <= 3 * sigma).all(axis=1)
    kept = values[keep] if keep.sum() >= 3 else values
    return kept.mean(axis=0), np.maximum(kept.std(axis=0), sigma * 0.5)


def read_chart(
    frames: Sequence[NDArray[np.float32]],
    corners: ArrayLike,
    encoding: Encoding,
    *,
    levels: str = "full",
    layout: ChartLayout = CHART_24,
) -> ChartReading:
    """Read a chart whose place is known.

    Parameters
    ----------
    frames : sequence of (h, w, 3) float32
        Stored code values of frames in which chart and camera stand still; they are averaged,
        unclamped, in scene-linear.
    corners : (4, 2) float
        x, y in pixels of the centres of patches 1, 6, 24, 19; the first pixel's centre is 0, 0.
    encoding : Encoding
        What the code values mean.
    levels : {"full", "legal"}

    Returns
    -------
    ChartReading
        Per patch the robust mean over its inner area, spread, standard error, flags ("clipped":
        any channel at the file's ceiling or on a flat top below it; "glare": suspected, the patch
        is uneven far beyond the others).

    Raises
    ------
    ChartError
        chart.corners when they span no area, chart.outside, chart.too_small, chart.frames when
        the frames differ in size.
    """
    quad = np.asarray(corners, np.float64)
    if quad.shape != (4, 2) or not np.isfinite(quad).all() or not _is_convex(quad):
        raise ChartError(
            "The four corners do not span a quadrilateral in the order of patches 1, 6, 24, 19.",
            hint="Place them on the centres of dark skin, bluish green, black and white.",
            code="chart.corners",
        )
    if len({frame.shape for frame in frames}) != 1:
        raise ChartError(
            f"{len(frames)} frames of different sizes were given.",
            hint="Give at least one frame, and only frames of one clip.",
            code="chart.frames",
        )
    places = _patch_pixels(frames[0].shape, quad, layout)
    ceiling = _ceiling(levels)
    codes, lins, spreads, clipped, counts = [], [], [], [], []
    for ys, xs in places:
        stored = np.stack([frame[ys, xs] for frame in frames]).astype(np.float64)
        lin = decode(take_levels_off(stored, levels), encoding.curve)
        clipped.append(bool((stored >= ceiling - 0.0025).any(axis=2).mean(axis=1).max() > 0.02))
        per_frame = [_robust(frame) for frame in lin]
        # Of three frames and more the median: one frame with a flash or a hand does not count.
        together = np.median if len(frames) > 2 else np.mean
        lins.append(together([mean for mean, _ in per_frame], axis=0))
        spreads.append(np.mean([spread for _, spread in per_frame], axis=0))
        codes.append(np.mean([_robust(frame)[0] for frame in stored], axis=0))
        counts.append(len(ys) * len(frames))
    brightest = np.percentile(frames[0][::3, ::3].reshape(-1, 3), 99.9, axis=0).astype(np.float64)
    top = decode(take_levels_off(brightest, levels), encoding.curve)
    flat = _collapsed(np.array(lins), np.array(spreads), top)
    glared = _glared(places, frames, encoding, levels, np.array(lins))
    white = float(np.mean(lins[layout.greys[0]]))
    centres = [(float(xs.mean()), float(ys.mean())) for ys, xs in places]
    patches = tuple(
        PatchReading(
            i + 1,
            centres[i],
            _triple(codes[i]),
            _triple(lins[i]),
            _triple(spreads[i]),
            float(np.mean(spreads[i]) / np.sqrt(counts[i]) / max(white, 1e-6)),
            tuple(
                flag for flag, on in ((CLIPPED, clipped[i] or flat[i]), (GLARE, glared[i])) if on
            ),
            counts[i],
        )
        for i in range(len(places))
    )
    return ChartReading(
        tuple((float(x), float(y)) for x, y in quad),
        encoding.slug,
        levels,
        len(frames),
        patches,
        _clip_level(frames[0], encoding, levels, white),
    )


def _triple(values: NDArray[np.float64]) -> tuple[float, float, float]:
    a, b, c = (float(v) for v in values)
    return a, b, c


def _is_convex(quad: NDArray[np.float64]) -> bool:
    sides = np.roll(quad, -1, axis=0) - quad
    after = np.roll(sides, -1, axis=0)
    turn = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    return bool((turn > 1).all() or (turn < -1).all())


def _glared(
    places: list[tuple[NDArray[np.intp], NDArray[np.intp]]],
    frames: Sequence[NDArray[np.float32]],
    encoding: Encoding,
    levels: str,
    lins: NDArray[np.float64],
) -> list[bool]:
    """Say which patches are uneven: the range of 3x3 block means, against the others' range."""
    uneven = []
    for (ys, xs), mean in zip(places, lins, strict=True):
        stored = np.mean([frame[ys, xs] for frame in frames], axis=0).astype(np.float64)
        luma = decode(take_levels_off(stored, levels), encoding.curve).mean(axis=1)
        rows = np.minimum((ys - ys.min()) * 3 // (np.ptp(ys) + 1), 2)
        columns = np.minimum((xs - xs.min()) * 3 // (np.ptp(xs) + 1), 2)
        blocks = [
            np.median(luma[(rows == r) & (columns == c)])
            for r in range(3) for c in range(3) if ((rows == r) & (columns == c)).sum() >= 3
        ]  # fmt: skip
        span = np.ptp(blocks) if len(blocks) > 3 else 0.0
        noise = luma.std() / np.sqrt(max(len(luma) / 9, 1)) * 3
        uneven.append(max(span - noise, 0.0) / max(float(mean.mean()) + 0.02, 1e-3))
    usual = float(np.median(uneven))
    return [value > max(0.06, 5 * usual) for value in uneven]
