"""Which encodings and levels the charts of two cameras speak for.

Every candidate decodes the angle's stored codes anew; it is judged by how straight and how steep
the grey ramp becomes against the reference's and against the chart's published steps, and by the
evidence of a match from there. Candidates that the data cannot tell apart are named together, with
what confusing them would cost. Nothing is changed by this: a person decides.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.stages.match import mix_matrix, through_match
from syntonos.core.charts import ChartReading
from syntonos.core.charts.layout import reference_lin
from syntonos.core.charts.noise import noise_misfit
from syntonos.core.charts.reading import triple
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import (
    AP1,
    LEVELS,
    Encoding,
    camera_candidates,
    decode,
    encode,
    find_encoding,
    gamut_matrix,
    put_levels_on,
    take_levels_off,
)
from syntonos.core.errors import ColourError, EncodingError
from syntonos.core.matching.fit import FitOptions, MatchFit, fit_match
from syntonos.core.matching.levels import darkest, evidence_of
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.prior import population

A = NDArray[np.float64]
# Compression and noise reduction bend noise: what it says is worth little, and never a doubt alone.
_NOISE_SD = 0.12  # stops
_NOISE_MOST = 3.0  # log odds
_TRUST = 0.5  # evidence of wrong models is too sure of itself
_BEND_SD = 0.04  # stops: what flare, wear and uneven light bend a ramp in the mean
_BRACKET_SD = 0.05  # stops: shutter and aperture are not exact
_APART: Final = 5.0  # log odds beyond which a candidate is told to be unlikely
_GAMUT_MAY: Final = 25.0  # log odds that a gamut alone may make
_MOST_COSTED = 6
_MOST_STOPS = 9.0
_FAR_BEND: Final = 0.1  # stops: what was recorded was never so far behind the straightest
_FAR = -300.0  # log evidence of what is not looked at


@dataclass(frozen=True, slots=True)
class Candidate:
    """One encoding with levels, and how well it explains the angle's chart."""

    encoding: str
    levels: str
    log_odds: float  # against the best, at most zero
    slope: float  # of the grey ramp, stops against the reference's stops
    bend: float  # stops rms about a straight ramp of slope one, against the published steps
    noise: float  # stops rms of noise about what light makes of it; 0 where it is not known
    cost: float | None = None  # mean delta E between pictures made by this and by the stated one
    cost_dark: float | None = None  # stops, four stops under middle grey
    cost_bright: float | None = None  # stops, three stops over middle grey


@dataclass(frozen=True, slots=True)
class EncodingCheck:
    """What the charts say of the angle's encoding."""

    verdict: Literal["agrees", "doubtful", "cannot tell"]
    stated: Candidate
    alike: tuple[Candidate, ...]  # those that cannot be told apart, the likeliest first
    candidates: tuple[Candidate, ...]  # all, the likeliest first
    causes: tuple[str, ...]  # what could explain a doubt, the likeliest first


def as_encoded(reading: ChartReading, encoding: Encoding, levels: str) -> ChartReading:
    """Return a reading as it would be had its codes another meaning.

    Noise is carried along by the curves' slopes; a mean of codes is decoded, not decoded pixels.
    """
    old = find_encoding(reading.encoding)
    code = np.array([p.code_rgb for p in reading.patches])

    def lin(value: A, enc: Encoding, lev: str) -> A:
        return decode(take_levels_off(value, lev), enc.curve)

    step = 1e-4
    slopes = [
        (lin(code + step, enc, lev) - lin(code - step, enc, lev)) / (2 * step)
        for enc, lev in ((encoding, levels), (old, reading.levels))
    ]
    ratio = slopes[0] / np.maximum(slopes[1], 1e-9)
    fresh = lin(code, encoding, levels)
    patches = tuple(
        replace(
            p, lin_rgb=triple(fresh[i]), spread=triple(np.array(p.spread) * ratio[i]),
            rounding=triple(np.array(p.rounding) * ratio[i]),
        )
        for i, p in enumerate(reading.patches)
    )  # fmt: skip
    return replace(
        reading, encoding=encoding.slug, levels=levels, patches=patches, clip=None
    )  # fmt: skip


def _greys(reading: ChartReading) -> tuple[list[int], A]:
    rows = [i for i in reading.layout.greys if reading.patches[i].is_usable]
    lin = reading.lin_rgb @ gamut_matrix(find_encoding(reading.encoding).gamut, AP1).T
    return rows, np.asarray(lin @ AP1_LUMINANCE, np.float64)


def _ramp(reading: ChartReading, reference: ChartReading) -> tuple[float, float]:
    """Return slope against the reference, and bend against the published steps."""
    rows, own = _greys(reading)
    others, base = _greys(reference)
    both = [i for i in rows if i in others and min(own[i], base[i]) > 1e-5]
    if len(both) < 3:
        return 1.0, 0.0
    slope = float(np.polyfit(np.log2(base[both]), np.log2(own[both]), 1)[0])
    layout = reference.layout
    if layout.nominal is None:
        return slope, 0.0
    weight = np.array([0.25 if i in darkest(layout) else 1.0 for i in both])
    off = np.log2(own[both]) - np.log2((reference_lin(layout) @ AP1_LUMINANCE)[both])
    off = off - np.average(off, weights=weight)
    return slope, float(np.sqrt(np.average(off**2, weights=weight)))


def _noise(reading: ChartReading, encoding: Encoding) -> float:
    """Return how far the greys' noise is from what light makes of it, the mean of the channels."""
    rows = [
        p for i in reading.layout.greys
        if (p := reading.patches[i]).is_usable and p.noise is not None
    ]  # fmt: skip
    if not rows:
        return 0.0
    code = np.array([p.code_rgb for p in rows])
    noise = np.array([p.noise for p in rows])
    each = [noise_misfit(code[:, c], noise[:, c], encoding, reading.levels) for c in range(3)]
    known = [misfit for misfit in each if misfit is not None]
    return float(np.mean(known)) if known else 0.0


def _bracket_misfit(
    encoding: Encoding, levels: str, base: ChartReading,
    bracket: Sequence[tuple[ChartReading, float]],
) -> float:  # fmt: skip
    """Return half the squared misfit of a bracket's exposure steps."""
    rows, middle = _greys(as_encoded(base, encoding, levels))
    total = 0.0
    for reading, stops in bracket:
        others, lit = _greys(as_encoded(reading, encoding, levels))
        both = [i for i in rows if i in others]
        got = np.log2(np.maximum(lit[both], 1e-6) / np.maximum(middle[both], 1e-6))
        total += float(np.minimum(((got - stops) / _BRACKET_SD) ** 2, 60).mean()) * 3
    return 0.5 * total


def check_encoding(
    reference: ChartReading,
    angle: ChartReading,
    bracket: Sequence[tuple[ChartReading, float]] = (),
    progress: Callable[[float, str], None] = lambda share, what: None,
    *,
    is_compressed: bool = False,
) -> EncodingCheck:
    """Judge what the angle's encoding and levels could be.

    Parameters
    ----------
    reference, angle : ChartReading
        Of one chart under one light; the angle's as it is stated now.
    bracket : sequence of (ChartReading, float)
        More readings of the angle, each with its exposure in stops above `angle`'s. They tell
        curve and levels apart from flare, and need no reference.
    progress
        Told the share that is done, 0 to 1, and what comes next; what it raises ends the check.

    is_compressed
        Whether the angle's clip is compressed video: its noise then says nothing.

    Returns
    -------
    EncodingCheck
        "agrees" when the stated encoding is the likeliest or cannot be told from it and confusing
        them costs little; "cannot tell" when it costs much; "doubtful" when another explains the
        charts clearly better.
    """
    wanted = camera_candidates(angle.encoding)
    stated = find_encoding(angle.encoding)
    seen = [
        as_encoded(angle, encoding, levels)
        for encoding in (wanted if stated in wanted else [*wanted, stated])
        for levels in LEVELS
    ]
    ramps = [_ramp(r, reference) for r in seen]
    straightest = min(bend for _, bend in ramps)
    found: list[tuple[float, Candidate]] = []
    of_match: dict[tuple[str, str], float] = {}
    for number, (reading, (slope, bend)) in enumerate(zip(seen, ramps, strict=True)):
        encoding = find_encoding(reading.encoding)
        progress(0.6 * number / len(seen), f"{encoding.name}, {reading.levels}")
        noise = 0.0 if is_compressed else _noise(reading, encoding)
        candidate = Candidate(reading.encoding, reading.levels, 0.0, slope, bend, noise)
        is_stated = (reading.encoding, reading.levels) == (stated.slug, angle.levels)
        score = -0.5 * min((bend / _BEND_SD) ** 2, 60)
        score -= min(0.5 * (noise / _NOISE_SD) ** 2, _NOISE_MOST)
        # A ramp that is bent beyond all others needs no closer look.
        far = bend > straightest + _FAR_BEND and not is_stated
        evidence = _TRUST * (_FAR if far else evidence_of(reference, reading))
        of_match[reading.encoding, reading.levels] = evidence
        score += evidence
        score -= _bracket_misfit(encoding, reading.levels, angle, bracket)
        found.append((score, candidate))
    best = max(score for score, _ in found)
    ranked = sorted((replace(c, log_odds=score - best) for score, c in found),
                    key=lambda c: -c.log_odds)  # fmt: skip
    own = next(c for c in ranked if (c.encoding, c.levels) == (stated.slug, angle.levels))
    # What is judged is curve and levels; a gamut taken for another is what a match corrects.
    best_of: dict[tuple[str, str], float] = {}
    for c in ranked:
        best_of.setdefault(_curve_of(c), c.log_odds)
    if -_APART >= best_of[_curve_of(own)] > -_GAMUT_MAY:
        # Only the gamut may be what speaks against it: the stated curve with the likeliest gamut.
        other = f"{stated.curve.slug}/{find_encoding(ranked[0].encoding).gamut.slug}"
        with contextlib.suppress(EncodingError):  # a curve of one's own has its own gamut only
            tried = as_encoded(angle, find_encoding(other), angle.levels)
            gain = _TRUST * evidence_of(reference, tried) - of_match[own.encoding, own.levels]
            best_of[_curve_of(own)] = max(best_of[_curve_of(own)], own.log_odds + gain)
    alike = [c for c in ranked if best_of[_curve_of(c)] > -_APART]
    as_stated = fit_match(reference, angle)
    costed = []
    for number, c in enumerate(alike[:_MOST_COSTED]):
        progress(0.7 + 0.3 * number / len(alike[:_MOST_COSTED]), find_encoding(c.encoding).name)
        costed += _with_costs(reference, angle, as_stated, [c])
    known = {(c.encoding, c.levels): c for c in costed}
    ranked = [known.get((c.encoding, c.levels), c) for c in ranked]
    own = known.get((own.encoding, own.levels), own)
    verdict: Literal["agrees", "doubtful", "cannot tell"] = "agrees"
    if best_of[_curve_of(own)] <= -_APART:
        verdict = "doubtful"
    elif any((c.cost or 0) > 1.0 or abs(c.cost_dark or 0) > 0.25 for c in costed):
        verdict = "cannot tell"
    causes = _causes(own, ranked, as_stated) if verdict == "doubtful" else ()
    return EncodingCheck(verdict, own, tuple(costed), tuple(ranked), causes)


def _curve_of(candidate: Candidate) -> tuple[str, str]:
    return find_encoding(candidate.encoding).curve.slug, candidate.levels


def _with_costs(
    reference: ChartReading, angle: ChartReading, base: MatchFit, alike: Sequence[Candidate]
) -> list[Candidate]:
    """Work out what confusing each candidate with the stated encoding would cost."""
    stated = find_encoding(angle.encoding)
    p = mix_matrix(base.match.mix)
    white = np.linalg.inv(p) @ np.array(base.match.reference_white)
    own_white = np.linalg.inv(p) @ (np.array(base.match.angle_white) * 2.0**-base.match.stops)
    mixed = population() * np.array(base.match.angle_white) * 2.0**-base.match.stops
    things = mixed @ np.linalg.inv(p).T
    greys = own_white * MIDDLE_GREY * 2.0 ** np.array([[-4.0], [3.0]])
    lin = np.concatenate([things, greys])
    code = put_levels_on(
        encode(lin @ gamut_matrix(AP1, stated.gamut).T, stated.curve), angle.levels
    )
    code = np.clip(code, 0, 1)

    def through(encoding: Encoding, levels: str, fit: MatchFit) -> A:
        seen = decode(take_levels_off(code, levels), encoding.curve)
        return through_match(fit.match, seen @ gamut_matrix(encoding.gamut, AP1).T)

    want = through(stated, angle.levels, base)
    out = []
    for c in alike:
        encoding = find_encoding(c.encoding)
        try:
            fit = fit_match(reference, as_encoded(angle, encoding, c.levels), FitOptions())
        except ColourError:
            out.append(c)
            continue
        got = through(encoding, c.levels, fit)
        stops = np.log2(
            np.maximum(got[-2:] @ AP1_LUMINANCE, 1e-7) / np.maximum(want[-2:] @ AP1_LUMINANCE, 1e-7)
        )
        stops = np.clip(stops, -_MOST_STOPS, _MOST_STOPS)
        cost = float(scene_delta_e(got[:-2], want[:-2], white).mean())
        out.append(replace(c, cost=cost, cost_dark=float(stops[0]), cost_bright=float(stops[1])))
    return out


def _causes(own: Candidate, ranked: Sequence[Candidate], fit: MatchFit) -> tuple[str, ...]:
    """Rank what could explain that the stated encoding does not fit."""
    rows: list[tuple[float, str]] = []
    other = next(c for c in ranked if c.encoding == own.encoding and c.levels != own.levels)
    curve = next(c for c in ranked if c.encoding != own.encoding)
    for c, text in (
        (other, f"levels: {other.levels} instead of {own.levels}"),
        (curve, f"curve: {find_encoding(curve.encoding).name}, {curve.levels} levels"),
    ):
        gain = c.log_odds - own.log_odds
        if gain > 1:
            rows.append((gain, f"{text} (the ramp bends by {c.bend:.2f} instead of "
                               f"{own.bend:.2f} stop)"))  # fmt: skip
    if abs(fit.flare_share) > 0.005:
        rows.append((200 * abs(fit.flare_share), f"flare: {fit.flare_share:.1%} of white"))
    if abs(fit.match.stops) > 1:
        rows.append((abs(fit.match.stops), f"exposure: {fit.match.stops:+.1f} stops apart"))
    if abs(fit.warmth) > 60:
        rows.append((abs(fit.warmth) / 40, f"filter or light: {fit.warmth:+.0f} mired apart"))
    return tuple(text for _, text in sorted(rows, reverse=True))
