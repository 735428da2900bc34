"""What the code values of an ordinary clip say of its encoding and levels, without any chart.

Less than a chart tells, but every clip has it: codes outside of the stated levels, black under the
curve's zero, a clip point elsewhere than in the camera's other clips, and what the file itself
names. Nothing is changed by this: a person decides.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.noise import noise_by_level, noise_misfit
from syntonos.core.encodings import (
    LEGAL_OFFSET,
    LEGAL_SCALE,
    LEVELS,
    Encoding,
    camera_candidates,
    decode,
    find_encoding,
    take_levels_off,
)
from syntonos.core.errors import ColourError
from syntonos.core.media.grouping import encoding_of

_BLACK, _WHITE = LEGAL_OFFSET, LEGAL_OFFSET + LEGAL_SCALE
_NEAR = 4 / 1023  # noise and ringing about a level
_OUTSIDE: Final = 0.002  # share of codes outside of legal levels that is no accident
_UNDER_ZERO: Final = -0.002  # scene light; flare lifts real black above zero
_DARK = 0.5  # per cent of the darkest pixels
_CLIP_APART: Final = 0.35  # stops between clip points of one camera
_NEUTRAL = 0.02  # codes: a clipped highlight is neutral
_NOISE_LEVELS = 5
_NOISE_OFF, _NOISE_FITS = 0.3, 0.1  # stops: what is wrong for certain, and what fits
_STEP_10 = 1 / 1023
_DISPLAYS: Final = ("rec709", "srgb")


@dataclass(frozen=True, slots=True)
class ClipProfile:
    """What a clip's code values look like.

    `outside` is the share of codes outside of legal levels, `dark` the code of the darkest half per
    cent (mean of the channels), `bright` that of the brightest pixels, `clip` the code at which
    highlights end flat and neutral, None where nothing does. `noise` is pairs of a code and the
    noise at it, from frames that follow each other as they were recorded; empty where unknown.
    """

    outside: float
    dark: float
    bright: float
    clip: float | None
    noise: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that speaks against what a clip is said to carry."""

    kind: str  # metadata, levels, black, clip, noise, chart
    text: str
    encoding: str = ""  # what would explain it, where something does
    levels: str = ""


def profile_of(
    frames: Sequence[NDArray[np.float32]], following: Sequence[NDArray[np.float32]] = ()
) -> ClipProfile:
    """Describe code values; frames (h, w, 3) float32, 1.0 = full scale.

    `following` are two frames that follow each other, as they were recorded: neither scaled nor
    compressed, which would change their noise.
    """
    code = np.concatenate([frame.reshape(-1, 3) for frame in frames])
    outside = (code < _BLACK - _NEAR) | (code > _WHITE + _NEAR)
    mean = code.mean(axis=1)
    dark, bright = (float(v) for v in np.percentile(mean, [_DARK, 99.99]))
    clip = None
    top = mean > bright - 0.03
    flat = np.abs(mean - bright) < 0.006
    neutral = np.ptp(code, axis=1) < _NEUTRAL
    # Flat: at least half of what is near the top stands at it, and it is more than a few pixels.
    if (flat & neutral).sum() > max(0.5 * top.sum(), 0.0003 * len(mean)):
        clip = float(np.median(mean[flat & neutral]))
    noise: tuple[tuple[float, float], ...] = ()
    if len(following) > 1:
        codes, sigmas = noise_by_level(following[0], following[1])
        noise = tuple((float(c), float(s)) for c, s in zip(codes, sigmas, strict=True))
    return ClipProfile(float(outside.mean()), dark, bright, clip, noise)


def _light(code: float, encoding: str, levels: str) -> float:
    values = take_levels_off(np.array([code]), levels)
    return float(decode(values, find_encoding(encoding).curve)[0])


def check_clip(
    profile: ClipProfile,
    encoding: str,
    levels: str,
    *,
    kind: str = "video",
    facts: Mapping[str, str] | None = None,
    others: Sequence[ClipProfile] = (),
) -> tuple[Finding, ...]:
    """Return what speaks against a clip's stated encoding and levels; nothing where nothing does.

    Parameters
    ----------
    profile
        Of the clip.
    encoding, levels
        As it is taken now.
    kind
        "stills", "video" or "raw"; raw is developed to what it is said to be.
    facts
        What its files say, under the names of `media.FACTS`.
    others
        Profiles of clips of the same camera that are taken alike.

    Raises
    ------
    EncodingError
        When encoding or levels are not known.

    Source: common practice, no source; that a curve's zero is black is the curves' own definition.
    """
    stated = find_encoding(encoding)
    found: list[Finding] = []
    if kind == "raw" or stated.kind == "linear":
        return ()
    named, _ = encoding_of(kind, facts or {})
    if named and find_encoding(named).curve.slug != stated.curve.slug:
        text = f"Its files name {find_encoding(named).name}, it is taken as {stated.name}."
        found.append(Finding("metadata", text, encoding=named, levels=levels))
    # Display signals may go beyond white on purpose; a log curve's top is its own.
    if levels == "legal" and profile.outside > _OUTSIDE and not stated.curve.is_display:
        share = 100 * profile.outside
        text = f"{share:.1f} % of its codes lie outside of 64 to 940: it is hardly at legal levels."
        found.append(Finding("levels", text, encoding=encoding, levels="full"))
    dark = _light(profile.dark, encoding, levels)
    if dark < _UNDER_ZERO and not stated.curve.is_display:
        other = next(lv for lv in LEVELS if lv != levels)
        fits = _light(profile.dark, encoding, other) >= _UNDER_ZERO
        text = (
            f"Its darkest parts lie {-100 * dark:.1f} % of white under the curve's zero"
            + (f": at {other} levels they would not." if fits else ".")
        )  # fmt: skip
        found.append(Finding("black", text, encoding=encoding, levels=other if fits else ""))
    clips = [o.clip for o in others if o.clip is not None]
    if profile.clip is not None and clips:
        usual = float(np.median(clips))
        here, there = (_light(v, encoding, levels) for v in (profile.clip, usual))
        if min(here, there) > 0 and abs(np.log2(here / there)) > _CLIP_APART:
            text = (
                f"Its highlights end at code {1023 * profile.clip:.0f}, those of this camera's "
                f"other clips at {1023 * usual:.0f}: another curve, levels or exposure index."
            )
            better = _alike_at(profile.clip, there, encoding)
            found.append(Finding("clip", text, encoding=better[0], levels=better[1]))
    if kind == "stills" and (finding := _by_noise(profile, stated, levels)):
        found.append(finding)
    return tuple(found)


def _by_noise(profile: ClipProfile, stated: Encoding, levels: str) -> Finding | None:
    """Return what noise says where it speaks clearly: a display curve taken for log, mostly."""
    if len(profile.noise) < _NOISE_LEVELS:
        return None
    code, noise = np.array(profile.noise).T
    own = noise_misfit(code, noise, stated, levels, _STEP_10)
    if own is None or own < _NOISE_OFF:
        return None
    others = [
        (misfit, e, lv)
        for e in (*camera_candidates(stated.slug), *map(find_encoding, _DISPLAYS)) for lv in LEVELS
        if (misfit := noise_misfit(code, noise, e, lv, _STEP_10)) is not None
    ]  # fmt: skip
    least, best, best_levels = min(others, key=lambda row: row[0], default=(9.0, stated, levels))
    if least > _NOISE_FITS:
        return None
    text = (
        f"Its noise does not grow with light as {stated.name} would have it ({own:.2f} stop off); "
        f"as {best.name}, {best_levels} levels, it would ({least:.2f})."
    )
    return Finding("noise", text, encoding=best.slug, levels=best_levels)


def _alike_at(code: float, light: float, stated: str) -> tuple[str, str]:
    """Return the candidate under which a code is nearest to a light, where one comes close."""
    best, near = ("", ""), 0.06
    for candidate in camera_candidates(stated):
        for levels in LEVELS:
            try:
                here = _light(code, candidate.slug, levels)
            except ColourError:
                continue
            apart = abs(float(np.log2(max(here, 1e-6) / light)))
            if apart < near:
                best, near = (candidate.slug, levels), apart
    return best
