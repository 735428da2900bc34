"""Several readings of one chart by one camera, read as one: a bracket, or more clips."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.reading import CLIPPED, CRUSHED, ChartReading, PatchReading, triple
from syntonos.core.encodings import encode, find_encoding, put_levels_on
from syntonos.core.errors import ChartError

A = NDArray[np.float64]
_ROUNDS: Final = 6
_MODEL_ERROR = 0.002  # of a value: what a curve and a shutter repeat at best
_BLACK_SIGMA = 3.0  # a black level is believed beyond so many of its errors
_STRAIGHT = 0.02  # stops: more is told
_HIDDEN, _HIDDEN_SIGMA = 0.02, 5.0  # share of the patch, deviations: beyond both is a clip
_FAINT = 0.002  # of the brightest patch: darker ones do not speak for exposure


@dataclass(frozen=True, slots=True)
class Exposure:
    """One reading against the first."""

    stops: float  # above the first
    bend: float  # stops rms by which the patches disagree about that


@dataclass(frozen=True, slots=True)
class Merged:
    """A bracket as one reading, and what it says by itself."""

    reading: ChartReading
    exposures: tuple[Exposure, ...]  # of all but the first
    black: tuple[float, float, float]  # scene-linear: what does not follow the exposure
    rescued: tuple[int, ...]  # patches (from 1) that the first could not tell

    @property
    def is_straight(self) -> bool:
        """Whether the patches agree about the exposures: curve and levels are then right."""
        return all(e.bend < _STRAIGHT for e in self.exposures)


def merge_readings(readings: Sequence[ChartReading]) -> Merged:
    """Read several exposures of one chart as one reading, at the first one's exposure.

    lin_k = g_k (s - black) + black for every patch s of the first: the exposure g_k is common to
    all patches and channels, a black level does not follow it. What is clipped in one and not in
    another is taken from there; what several tell is averaged by their noise.

    Parameters
    ----------
    readings : sequence of ChartReading
        Of one chart, camera, light and encoding; the first is the exposure that the match is for.

    Raises
    ------
    ChartError
        bracket.other when they are not of one chart or one encoding, bracket.apart when two have
        fewer than 4 patches in common.
    """
    base = readings[0]
    if any((r.encoding, r.levels, r.layout.names) != (base.encoding, base.levels, base.layout.names)
           for r in readings):  # fmt: skip
        raise ChartError(
            "The readings are not of one chart in one encoding.",
            hint="Read them again with the same chart, encoding and levels.", code="bracket.other",
        )  # fmt: skip
    black: A = np.zeros(3)
    lins = [r.lin_rgb for r in readings]
    good = [np.array([p.is_usable for p in r.patches]) for r in readings]
    pairs = [_common(base, r, *both) for r, both in zip(readings[1:], _pairs(good), strict=True)]
    errors = [_errors(r) for r in readings]
    for _ in range(_ROUNDS):
        gains = [_gain(lins[0], lins[k + 1], rows, black) for k, rows in enumerate(pairs)]
        black = _black(lins, errors, pairs, gains)
    exposures = tuple(
        Exposure(float(np.log2(g)), _bend(lins[0], lins[k + 1], pairs[k], black, g))
        for k, g in enumerate(gains)
    )
    scaled = [lins[0]] + [(v - black) / g + black for v, g in zip(lins[1:], gains, strict=True)]
    scales = [1.0, *gains]
    top = float(lins[0].max())
    patches, rescued = [], []
    for i, first in enumerate(base.patches):
        those = _believed(
            [k for k in range(len(readings)) if good[k][i]], scales,
            [v[i] for v in scaled], [e[i] / g for e, g in zip(errors, scales, strict=True)], top,
        )  # fmt: skip
        if not those:
            patches.append(first)
            continue
        if 0 not in those:
            rescued.append(i + 1)
        covs = [
            readings[k].patches[i].mean_cov / scales[k] ** 2
            + np.diag((_MODEL_ERROR * scaled[k][i]) ** 2 + 1e-14)
            for k in those
        ]
        weights = [np.linalg.inv(c) for c in covs]
        cov = np.linalg.inv(sum(weights))
        mean = cov @ sum(w @ scaled[k][i] for w, k in zip(weights, those, strict=True))
        patches.append(_patch(base, first, [readings[k].patches[i] for k in those], mean, cov))
    clips = [r.clip / g for r, g in zip(readings, scales, strict=True) if r.clip is not None]
    reading = replace(
        base, patches=tuple(patches), frames=sum(r.frames for r in readings),
        clip=base.clip if base.clip is not None else max(clips, default=None),
    )  # fmt: skip
    return Merged(reading, exposures, triple(black), tuple(rescued))


def _believed(
    those: list[int], scales: Sequence[float], values: Sequence[A], errors: Sequence[A], top: float
) -> list[int]:
    """Return the exposures of one patch without those that a darker one proves to be clipped.

    A sensor may clip far below the file's ceiling, and a matrix hides it in all channels.
    """
    order = sorted(those, key=lambda k: scales[k])
    kept = order[:1]
    for k in order[1:]:
        dark = kept[-1]
        off = np.abs(values[k] - values[dark])
        limit = np.maximum(_HIDDEN_SIGMA * np.hypot(errors[k], errors[dark]), _HIDDEN * top)
        if (off <= np.maximum(limit, _HIDDEN * np.abs(values[dark]).max())).all():
            kept.append(k)
    return sorted(kept)


def _pairs(good: Sequence[NDArray[np.bool_]]) -> list[tuple[NDArray[np.bool_], ...]]:
    return [(good[0], other) for other in good[1:]]


def _common(base: ChartReading, other: ChartReading, *good: NDArray[np.bool_]) -> NDArray[np.intp]:
    bright = np.minimum(
        base.lin_rgb.min(axis=1) / max(float(base.lin_rgb.max()), 1e-9),
        other.lin_rgb.min(axis=1) / max(float(other.lin_rgb.max()), 1e-9),
    )
    rows = np.flatnonzero(good[0] & good[1] & (bright > _FAINT))
    if len(rows) < 4:
        raise ChartError(
            f"Two exposures of the bracket have only {len(rows)} patches in common that are "
            "neither clipped nor drowned.",
            hint="Shoot the bracket in smaller steps, two stops at most.", code="bracket.apart",
        )  # fmt: skip
    return rows


def _errors(reading: ChartReading) -> A:
    """Return the standard errors (n, 3) of the patches' means."""
    noise = np.array([np.sqrt(np.diag(p.mean_cov)) for p in reading.patches])
    return np.asarray(np.hypot(noise, _MODEL_ERROR * reading.lin_rgb), np.float64)


def _ratios(first: A, other: A, rows: NDArray[np.intp], black: A) -> A:
    return np.log(np.maximum(other[rows] - black, 1e-7) / np.maximum(first[rows] - black, 1e-7))


def _gain(first: A, other: A, rows: NDArray[np.intp], black: A) -> float:
    return float(np.exp(np.median(_ratios(first, other, rows, black))))


def _bend(first: A, other: A, rows: NDArray[np.intp], black: A, gain: float) -> float:
    off = _ratios(first, other, rows, black) / np.log(2) - np.log2(gain)
    return float(1.4826 * np.median(np.abs(off)))


def _black(
    lins: Sequence[A], errors: Sequence[A], pairs: Sequence[NDArray[np.intp]],
    gains: Sequence[float],
) -> A:  # fmt: skip
    """Return the level (3,) that does not follow the exposure, where it is beyond its error."""
    top, bottom = np.zeros(3), np.zeros(3)
    for k, rows in enumerate(pairs):
        g = gains[k]
        if abs(np.log2(g)) < 0.3:
            continue  # the same exposure again says nothing of it
        want = lins[k + 1][rows] - g * lins[0][rows]  # = black (1 - g)
        noise = np.hypot(errors[k + 1][rows], g * errors[0][rows])
        weight = (1 - g) ** 2 / noise**2
        top += (weight * want / (1 - g)).sum(axis=0)
        bottom += weight.sum(axis=0)
    out = np.where(bottom > 0, top / np.maximum(bottom, 1e-12), 0.0)
    sigma = 1 / np.sqrt(np.maximum(bottom, 1e-12))
    return np.asarray(np.where(np.abs(out) > _BLACK_SIGMA * sigma, out, 0.0), np.float64)


def _patch(
    base: ChartReading, first: PatchReading, those: Sequence[PatchReading], mean: A, cov: A
) -> PatchReading:
    """Return a patch whose mean and covariance are the merged ones."""
    count = sum(p.count for p in those)
    sigma = np.sqrt(np.diag(cov))
    corr = 0.98 * cov / np.outer(sigma, sigma)
    kept = [f for f in first.flags if f not in (CLIPPED, CRUSHED)]
    code = first.code_rgb
    if first not in those:
        # As the first exposure would have stored it, had it had room.
        curve = find_encoding(base.encoding).curve
        code = triple(put_levels_on(encode(mean, curve), base.levels))
    return replace(
        first, code_rgb=code, lin_rgb=triple(mean), spread=triple(sigma * np.sqrt(count)),
        count=count, rounding=(0.0, 0.0, 0.0),
        correlation=(float(corr[0, 1]), float(corr[1, 2]), float(corr[0, 2])),
        flags=tuple(f for f in kept if all(f in p.flags for p in those)),
    )  # fmt: skip
