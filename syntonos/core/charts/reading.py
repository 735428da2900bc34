"""Reading a chart: per patch a robust mean in scene-linear, its spread, and what is wrong."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.charts.clipping import clip_level
from syntonos.core.charts.layout import CHART_24, ChartLayout, chart_homography, places_of
from syntonos.core.charts.noise import temporal_noise
from syntonos.core.encodings import Encoding, decode, levels_scale_offset, take_levels_off
from syntonos.core.errors import ChartError

CLIPPED, CRUSHED, GLARE = "clipped", "crushed", "glare"
_LEAST_PIXELS = 12
_ALIKE = 0.06  # log ratio of channels within which patches pass for neutral
_FLOOR = 0.0005  # stored code: nothing lower can be in a file
_FARTHEST = 1e6  # pixels: no corner lies beyond


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
    correlation: tuple[float, float, float] = (0.0, 0.0, 0.0)  # of noise: r with g, g with b, r, b
    # What averaging leaves of the file's rounding, where noise is below a step; scene-linear.
    rounding: tuple[float, float, float] = (0.0, 0.0, 0.0)
    # From frame to frame, in code values; None where one frame was read.
    noise: tuple[float, float, float] | None = None

    @property
    def is_usable(self) -> bool:
        """Whether its mean says what the camera saw: neither clipped nor crushed."""
        return CLIPPED not in self.flags and CRUSHED not in self.flags

    @property
    def mean_cov(self) -> NDArray[np.float64]:
        """Covariance (3, 3) of the mean's error, scene-linear; matrices correlate noise."""
        rg, gb, rb = self.correlation
        corr = np.array([[1, rg, rb], [rg, 1, gb], [rb, gb, 1]])
        noise = corr * np.outer(self.spread, self.spread) / max(self.count, 1)
        return np.asarray(noise + np.diag(np.array(self.rounding) ** 2), np.float64)


@dataclass(frozen=True, slots=True)
class ChartReading:
    """One chart in one clip."""

    corners: tuple[tuple[float, float], ...]  # centres of the layout's corner patches
    encoding: str
    levels: str
    frames: int
    patches: tuple[PatchReading, ...]
    # Where the sensor clips, scene-linear; None where nothing in the frames is clipped.
    clip: float | None = None
    layout: ChartLayout = CHART_24

    @property
    def lin_rgb(self) -> NDArray[np.float64]:
        """(n, 3) scene-linear in the clip's own gamut."""
        return np.array([p.lin_rgb for p in self.patches])

    @property
    def white(self) -> float:
        """The light of the lightest grey (mean of its channels), or of the brightest channel."""
        greys, lin = self.layout.greys, self.lin_rgb
        return float(lin[greys[0]].mean() if greys else lin.max())


Places = list[tuple[NDArray[np.intp], NDArray[np.intp]]]


def _patch_pixels(
    shape: tuple[int, ...], corners: ArrayLike, layout: ChartLayout
) -> list[tuple[NDArray[np.intp], NDArray[np.intp]]]:
    """Return the rows and columns of the pixels inside each patch's sample area."""
    height, width = shape[:2]
    mat = chart_homography(corners, layout)
    half, grid = layout.sample_half, places_of(layout)
    edge = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    inverse = np.linalg.inv(mat)
    found = []
    outside = []
    for i in range(len(layout.names)):
        centre = grid[i]
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


def _code_step(frame: NDArray[np.float32], places: Places) -> float:
    """Return the step between stored codes, 0 where the file is finer than 12 bit."""
    stored = np.unique(np.concatenate([frame[ys, xs].ravel() for ys, xs in places]))
    # 8, 10 and 12 bit by full scale, and 10 and 12 bit shifted into 16.
    for top in (255, 1023, 65535 / 64, 4095, 65535 / 16):
        codes = stored.astype(np.float64) * top
        if np.abs(codes - np.round(codes)).max() < 0.04:
            return 1 / top
    return 0.0


def _rounding(spread: NDArray[np.float64], quantum: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the error that rounding leaves in a mean: none once noise exceeds half a step.

    Source: the first harmonic of a quantiser's error, dithered by Gaussian noise (Widrow,
    Kollar 2008, "Quantization Noise", chapter 4; from memory).
    """
    # Sheppard: a rounded value's variance is larger by a twelfth of the step squared.
    own = np.sqrt(np.maximum(spread**2 - quantum**2 / 12, 0))
    share = np.where(quantum > 0, own / np.maximum(quantum, 1e-12), 9.0)
    left = np.exp(-2 * np.pi**2 * np.minimum(share, 9) ** 2)
    return np.asarray(quantum / np.sqrt(12) * left, np.float64)


def _collapsed(
    lins: NDArray[np.float64], spreads: NDArray[np.float64], top: NDArray[np.float64],
    quanta: NDArray[np.float64], equal: NDArray[np.float64], layout: ChartLayout,
) -> NDArray[np.bool_]:  # fmt: skip
    """Say which patches lie on a flat top below the file's ceiling: a sensor's own clip.

    Noise grows with light; where a channel is the brightest thing in the picture and its noise
    has collapsed against what the darker patches predict, it is clipped.

    Parameters
    ----------
    lins, spreads : (n, 3) scene-linear means and standard deviations of the patches
    top : (3,) the picture's brightest light per channel
    quanta : (n, 3) the step of the file at each mean: noise below it is not seen as a spread
    equal : (n, 3) share of pixels that are stored alike, which tells noise down to 0.3 steps
    """
    flat = np.zeros(len(lins), bool)
    for c in range(3):
        lin, variance = np.maximum(lins[:, c], 0), spreads[:, c] ** 2
        bright = lin >= 0.95 * top[c]
        if bright.all() or not bright.any():
            continue
        # Shot noise: variance = a + b lin, on the greys that are surely below. Coloured patches
        # would mislead: a camera's matrix brings the noise of other channels into a dark one.
        dark = [i for i in layout.greys if lin[i] < 0.8 * top[c]]
        if len(dark) < 3:
            continue
        slope = float(np.median(variance[dark] / (lin[dark] + 0.02)))
        usual = slope * (lin + 0.02)
        seen = usual > quanta[:, c] ** 2
        still = (usual > (0.3 * quanta[:, c]) ** 2) & (equal[:, c] > 0.995)
        flat |= bright & ((seen & (variance < 0.36 * usual)) | still)
    return flat


def _robust(values: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return mean and standard deviation without what lies beyond three deviations."""
    middle = np.median(values, axis=0)
    sigma = 1.4826 * np.median(np.abs(values - middle), axis=0) + 1e-9
    # Where noise is below a step of the file, most pixels are equal: the deciles still tell it.
    sigma = np.maximum(sigma, np.ptp(np.percentile(values, [10, 90], axis=0), axis=0) / 2.563)
    keep = (np.abs(values - middle) <= 3 * sigma).all(axis=1)
    kept = values[keep] if keep.sum() >= 3 else values
    return kept.mean(axis=0), np.maximum(kept.std(axis=0), sigma * 0.5)


def _over_frames(means: NDArray[np.float64], errors: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the mean (3,) over frames (f, 3), without a frame that a flash or a hand is in.

    Of two frames both count. Of more those that agree with their median within four standard
    errors; the median where these are less than half, since then the light itself moves.
    """
    if len(means) < 3:
        return np.asarray(means.mean(axis=0), np.float64)
    middle = np.median(means, axis=0)
    near = 4 * np.median(errors, axis=0) + 0.002 * np.abs(middle)
    keep = (np.abs(means - middle) <= near).all(axis=1)
    kept = means[keep].mean(axis=0) if 2 * keep.sum() > len(means) else middle
    return np.asarray(kept, np.float64)


def _correlation(noise: NDArray[np.float64]) -> tuple[float, float, float]:
    """Return the correlations r with g, g with b, r with b of noise (n, 3), held below 0.98."""
    if noise.std(axis=0).min() < 1e-9:
        return 0.0, 0.0, 0.0
    corr = np.asarray(0.98 * np.corrcoef(noise.T), np.float64)
    return float(corr[0, 1]), float(corr[1, 2]), float(corr[0, 2])


def _from_upper_half(values: NDArray[np.float64]) -> tuple[float, float]:
    """Return centre and deviation of values (n,) whose lower end was cut off by the file's floor.

    Noise is symmetrical in scene-linear, so the median stays where it was, and the upper half
    tells the spread. The deviation is enlarged to give the median's standard error over root n.
    """
    middle = float(np.median(values))
    above = values[values > middle]
    sigma = 1.4826 * float(np.median(above - middle)) if len(above) else 0.0
    return middle, sigma * np.sqrt(np.pi / 2)


def checked_corners(corners: ArrayLike, layout: ChartLayout = CHART_24) -> NDArray[np.float64]:
    """Return corners as (4, 2) float64.

    Raises
    ------
    ChartError
        chart.corners when they span no area, or not in the order of the layout's corner patches.
    """
    quad = np.asarray(corners, np.float64)
    is_near = quad.shape == (4, 2) and np.isfinite(quad).all() and np.abs(quad).max() < _FARTHEST
    if not is_near or not _is_convex(quad):
        raise ChartError(
            "The four corners do not span a quadrilateral in the order of patches "
            f"{layout.corner_words()}.",
            hint="Place them on the centres of these patches, clockwise.",
            code="chart.corners",
        )
    return quad


_Place = tuple[NDArray[np.intp], NDArray[np.intp]]  # rows and columns of a patch's pixels
_A = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class _Measured:
    """One patch over all frames, before it is judged beside the others."""

    code: _A  # (3,) stored
    lin: _A  # (3,) scene-linear, robust mean
    spread: _A  # (3,)
    is_clipped: bool
    is_crushed: bool
    count: int  # pixels of all frames
    correlation: tuple[float, float, float]
    equal: _A  # (3,) share of pixels with the middle code
    noise: tuple[float, float, float] | None  # between neighbouring frames, where there are two


def _measure(
    frames: Sequence[NDArray[np.float32]], place: _Place, encoding: Encoding, levels: str
) -> _Measured:
    """Measure one patch."""
    ys, xs = place
    stored = np.stack([frame[ys, xs] for frame in frames]).astype(np.float64)
    lin = decode(take_levels_off(stored, levels), encoding.curve)
    per_frame = [_robust(frame) for frame in lin]
    middle = _over_frames(
        np.array([row[0] for row in per_frame]),
        np.array([row[1] for row in per_frame]) / np.sqrt(len(ys)),
    )
    spread = np.mean([spread for _, spread in per_frame], axis=0)
    low = (stored <= _FLOOR).mean(axis=(0, 1))
    for c in np.flatnonzero(low > 0.003):
        middle[c], spread[c] = _from_upper_half(lin[..., c].ravel())
    at_top = (stored >= _ceiling(levels) - 0.0025).any(axis=2).mean(axis=1).max()
    noise = (lin - np.median(lin, axis=1, keepdims=True)).reshape(-1, 3)
    pairs = [temporal_noise(a, b) for a, b in pairwise(stored)]
    return _Measured(
        code=np.mean([_robust(frame)[0] for frame in stored], axis=0),
        lin=middle,
        spread=spread,
        is_clipped=bool(at_top > 0.02),
        is_crushed=bool(low.max() > 0.4),
        count=len(ys) * len(frames),
        correlation=_correlation(noise),
        equal=(stored == np.median(stored, axis=(0, 1))).mean(axis=(0, 1)),
        noise=triple(np.median(pairs, axis=0)) if pairs else None,
    )


def _limits(
    frame: NDArray[np.float32], places: Places, codes: _A, encoding: Encoding, levels: str
) -> tuple[_A, _A]:
    """Return the light of a frame's brightest pixels (3,), and of a code's step at each patch."""
    brightest = np.percentile(frame[::3, ::3].reshape(-1, 3), 99.9, axis=0).astype(np.float64)
    top = decode(take_levels_off(brightest, levels), encoding.curve)
    half = codes + np.array([[[-0.5]], [[0.5]]]) * _code_step(frame, places)
    return top, np.diff(decode(take_levels_off(half, levels), encoding.curve), axis=0)[0]


def _flags(*, clipped: bool, crushed: bool, glare: bool) -> tuple[str, ...]:
    named = ((CLIPPED, clipped), (CRUSHED, crushed), (GLARE, glare))
    return tuple(flag for flag, is_on in named if is_on)


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
        x, y in pixels of the centres of the layout's corner patches (1, 6, 24, 19); the first
        pixel's centre is 0, 0.
    encoding : Encoding
        What the code values mean.
    levels : {"full", "legal"}

    Returns
    -------
    ChartReading
        Per patch the robust mean over its inner area, spread, standard error, flags ("clipped":
        any channel at the file's ceiling or on a flat top below it; "crushed": at the
        file's floor in most pixels; "glare": suspected, the patch
        is uneven far beyond the others).

    Raises
    ------
    ChartError
        chart.corners when they span no area, chart.outside, chart.too_small, chart.frames when
        the frames differ in size.
    """
    quad = checked_corners(corners, layout)
    if len({frame.shape for frame in frames}) != 1:
        raise ChartError(
            f"{len(frames)} frames of different sizes were given.",
            hint="Give at least one frame, and only frames of one clip.",
            code="chart.frames",
        )
    places = _patch_pixels(frames[0].shape, quad, layout)
    measured = [_measure(frames, place, encoding, levels) for place in places]
    lins = np.array([m.lin for m in measured])
    spreads = np.array([m.spread for m in measured])
    top, quanta = _limits(frames[0], places, np.array([m.code for m in measured]), encoding, levels)
    rounding = _rounding(spreads, quanta)
    layout = with_neutrals(lins, layout)
    flat = _collapsed(lins, spreads, top, quanta, np.array([m.equal for m in measured]), layout)
    glared = _glared(places, frames, encoding, levels, lins)
    white = float(np.mean(lins[layout.greys[0]])) if layout.greys else float(np.max(lins))
    patches = tuple(
        PatchReading(
            i + 1,
            (float(xs.mean()), float(ys.mean())),
            triple(m.code),
            triple(m.lin),
            triple(m.spread),
            float(np.mean(m.spread) / np.sqrt(m.count) / max(white, 1e-6)),
            _flags(clipped=m.is_clipped or bool(flat[i]), crushed=m.is_crushed, glare=glared[i]),
            m.count,
            m.correlation,
            triple(rounding[i]),
            m.noise,
        )
        for i, (m, (ys, xs)) in enumerate(zip(measured, places, strict=True))
    )
    return ChartReading(
        tuple((float(x), float(y)) for x, y in quad),
        encoding.slug,
        levels,
        len(frames),
        patches,
        clip_level(frames[0], encoding, levels, white),
        layout,
    )


def with_neutrals(lin: NDArray[np.float64], layout: ChartLayout) -> ChartLayout:
    """Return the layout with its neutrals, found in a reading where the layout names none.

    Neutrals have one chromaticity, whatever the light, and many levels. The patches (n, 3),
    scene-linear, that gather most levels within six per cent of one chromaticity are taken.
    """
    if layout.greys:
        return layout
    lit = np.log(np.maximum(lin, 1e-6))
    place = np.column_stack([lit[:, 0] - lit[:, 1], lit[:, 2] - lit[:, 1]])
    light = np.log2(np.maximum(lin.mean(axis=1), 1e-6))
    best: list[int] = []
    most = 0
    for i in np.flatnonzero(light > light.max() - 7):
        alike = np.flatnonzero(
            (np.hypot(*(place - place[i]).T) < _ALIKE) & (light > light.max() - 7)
        )
        steps = len(np.unique(np.round(light[alike] / 0.4)))
        if (steps, len(alike)) > (most, len(best)):
            best, most = [int(k) for k in alike], steps
    if most < 4:
        return layout
    greys = sorted(best, key=lambda i: -light[i])
    top = light[greys[0]]
    mid = tuple(i for i in greys if -4.2 < light[i] - top < -0.1)
    return replace(layout, greys=tuple(greys), mid_greys=mid or tuple(greys))


def triple(values: NDArray[np.float64]) -> tuple[float, float, float]:
    """Return (3,) as three floats."""
    a, b, c = (float(v) for v in values)
    return a, b, c


def _is_convex(quad: NDArray[np.float64]) -> bool:
    sides = np.roll(quad, -1, axis=0) - quad
    after = np.roll(sides, -1, axis=0)
    turn = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    return bool((turn > 1).all() or (turn < -1).all())


def _glared(
    places: Places,
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
        # The range of nine medians of noise alone stays below six deviations of a block's mean.
        noise = luma.std() / np.sqrt(max(len(luma) / 9, 1)) * 6
        uneven.append(max(span - noise, 0.0) / max(float(mean.mean()) + 0.02, 1e-3))
    usual = float(np.median(uneven))
    return [value > max(0.06, 5 * usual) for value in uneven]
