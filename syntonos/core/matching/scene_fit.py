"""A fit to colours of a scene that two cameras saw, and what such a fit says of itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_place
from syntonos.core.chain.stages.match import mix_matrix, through_match
from syntonos.core.charts.reading import triple
from syntonos.core.matching.bayes import Setting
from syntonos.core.matching.expected import Expected, overall
from syntonos.core.matching.metric import MIX, scene_delta_e, scene_lab
from syntonos.core.matching.models import kept_for, match_of, priors_for
from syntonos.core.matching.prior import Prior
from syntonos.core.matching.rounds import Answer, Readings, run_rounds

A = NDArray[np.float64]
B = NDArray[np.bool_]
# Nothing in a scene says what is white. A log camera codes a white under its own balance as equal
# channels, and middle grey as 0.18.
WHITE: Final = np.ones(3)
PAPER: Final = np.linalg.inv(mix_matrix(MIX)) @ WHITE
_FLOOR: Final = 1e-5
_PER_STOP, _PER_CHROMA = 0.35, 2.2  # what counts as far
_MOST_GROUPED: Final = 6000
POOLED: Final = "pooled"
_FALL_OFF_SD, _MOST_FALL_OFF = 0.12, 0.5  # of light at the side of the picture
# Error on the scene's own colours, and on others: a left-out^b doubt^c, and nine times in ten
# within a factor. Fitted by `core.evaluate.pictures` on its development seeds.
SEEN: Final = (0.65, 0.875, 0.0, 2.1)
UNSEEN: Final = (1.12, 0.37, 0.725, 2.5)


@dataclass(frozen=True, slots=True)
class Clusters:
    """Colours that both cameras saw, each the middle of many pixels.

    reference, angle : (k, 3) scene-linear AP1
    spread : (k, 3, 3) covariance of the logarithm of their ratio, in mixed AP1
    count : (k,) places in each
    """

    reference: A
    angle: A
    spread: A
    count: A

    def beside(self, other: Clusters) -> Clusters:
        """Return these and others."""
        return Clusters(*(
            np.concatenate([getattr(self, k), getattr(other, k)])
            for k in ("reference", "angle", "spread", "count")
        ))  # fmt: skip


@dataclass(frozen=True, slots=True)
class SceneFit:
    """A match from a scene, and what it stands on.

    by : "picture" (matching places), "areas" or "statistics"
    before : mean delta E over the colours that took part, without a match
    white_only : with white and exposure alone
    after : with the match
    left_out : each predicted from the others
    seen, unseen : to expect of colours that the scene has, and of others
    clusters : how many colours; `aside` of them were set aside
    misses : (n,) delta E that the match misses at each place or area
    used : (n,) which of them took part
    fall_off : light that the reference's and the angle's lens lose at the sides of the picture
    """

    by: str
    match: Match
    before: float
    white_only: float
    after: float
    left_out: float
    seen: Expected
    unseen: Expected
    clusters: int
    aside: int
    misses: A
    used: B
    fall_off: tuple[float, float] = (0.0, 0.0)
    advice: tuple[str, ...] = ()  # what would help, in words

    @property
    def expected(self) -> Expected:
        """Delta E to expect of what this light holds: half of it colours that the scene had."""
        mean = (self.seen.mean + self.unseen.mean) / 2
        return Expected(mean, min(self.seen.low, mean), max(self.unseen.high, mean))


_HUES: Final = (("red", 330, 60), ("yellow or green", 60, 180), ("blue", 180, 330))  # degrees
_COLOURED: Final = 12.0  # chroma, from which a colour is more than a tint


def mixed(lin: A) -> A:
    """Return light (..., 3) mixed towards its luminance, in which recordings are positive."""
    return np.asarray(np.maximum(lin @ mix_matrix(MIX).T, _FLOOR), np.float64)


def colour_place(light: A) -> A:
    """Return where mixed light (n, 3) lies, (n, 3): what looks as far apart is about as far."""
    stops = np.log2(np.maximum(light @ AP1_LUMINANCE, _FLOOR))
    return np.column_stack([_PER_STOP * stops, _PER_CHROMA * chroma_place(light)])


def grouped(places: A, k: int) -> tuple[NDArray[np.intp], A]:
    """Return which of k groups each place (n, 3) is in, and their middles; the same each time.

    Middles are found on some thousands of the places.
    """
    rows = places.astype(np.float32)
    if len(rows) <= k:  # OpenCV takes a single row for a column
        return np.arange(len(rows)), np.asarray(rows, np.float64)
    some = rows[:: max(1, len(rows) // _MOST_GROUPED)]
    criteria = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 1e-4)
    cv2.setRNGSeed(1)
    _, _, middle = cv2.kmeans(some, k, None, criteria, 2, cv2.KMEANS_PP_CENTERS)
    half = 0.5 * (middle**2).sum(axis=1)
    label = (rows @ middle.T - half).argmax(axis=1)
    return np.asarray(label, np.intp), np.asarray(middle, np.float64)


def luminance(lin: A) -> A:
    """Return luminance (n,), above nothing."""
    return np.asarray(np.maximum(lin @ AP1_LUMINANCE, _FLOOR), np.float64)


@dataclass(frozen=True, slots=True)
class Lenses:
    """What the lenses of both cameras lose towards the sides of their pictures.

    squared : how far places (n,) lie from the middle of either picture, in half widths, squared
    """

    squared: tuple[A, A]

    @staticmethod
    def at(places: tuple[A, A], heights: tuple[float, float]) -> Lenses:
        """Return them for places (n, 2) in shares of pictures of these heights, in widths."""
        one, other = (
            (2 * (place[:, 0] - 0.5)) ** 2 + (2 * height * (place[:, 1] - 0.5)) ** 2
            for place, height in zip(places, heights, strict=True)
        )
        return Lenses((one, other))

    def of(self, rows: NDArray[np.intp]) -> Lenses:
        """Return the same at some of the places, by rows (m,), which may come more than once."""
        return Lenses((self.squared[0][rows], self.squared[1][rows]))

    def evened(self, want: A, got: A, fall: A) -> tuple[A, A]:
        """Return both sides (n, 3) as they would be without fall-off."""
        r, a = ((1 - f * s)[:, None] for f, s in zip(fall, self.squared, strict=True))
        return want / r, got / a

    def fall_off(self, seen: A, base: A, kept: B, before: A, *, together: float = 1.0) -> A:
        """Return the fall-off (2,) by what a match leaves in light, robustly.

        `seen` is the angle after the match, `base` the reference, both evened by the fall-off
        `before`; `together` is how many places err as one.
        """
        light = np.log(luminance(seen[kept]) / luminance(base[kept]))
        sides = (self.squared[0][kept], -self.squared[1][kept], np.ones(len(light)))
        terms = np.column_stack(sides)
        spread = max(1.48 * float(np.median(np.abs(light - np.median(light)))), 0.01)
        hold = np.array([1.0, 1.0, 0.0]) * 5 * together * (spread / _FALL_OFF_SD) ** 2
        pull = -hold * [*before, 0.0]
        weight, found = np.ones(len(light)), np.zeros(3)
        for _ in range(6):
            weighted = terms * weight[:, None]
            found = np.linalg.solve(weighted.T @ terms + np.diag(hold), weighted.T @ light + pull)
            weight = 1 / (1 + ((light - terms @ found) / spread) ** 2)
        return np.asarray(np.clip(before + found[:2], 0, _MOST_FALL_OFF), np.float64)


def fit_clusters(
    groups: Clusters, model: str, settings: list[Setting], pool: Prior | None = None
) -> tuple[Match, Answer]:
    """Fit a match to clusters as to the patches of a chart that the prior does not know.

    `pool` is what charts of other lights say of this pair's sensors (`pooled_prior`): one more
    family of cameras, whose evidence decides with that of the others.
    """
    want, got = mixed(groups.reference), mixed(groups.angle)
    noise = want[:, :, None] * groups.spread * want[:, None, :]
    rows = np.arange(len(want))
    readings = Readings(
        got, want, np.zeros_like(noise), noise, np.zeros((len(rows), 2)), rows, rows.tolist(),
        np.ones(len(rows)), np.ones(len(rows)), is_learned=False, white=WHITE, is_chart=False,
    )  # fmt: skip
    priors = priors_for(model)
    if pool is not None:
        priors = priors | {POOLED: kept_for(model, pool)}
        own = [s for s in settings if s.family == settings[0].family]
        settings = [*settings, *(replace(s, family=POOLED) for s in own)]
    answer = run_rounds(readings, priors, settings)
    return match_of(answer, model), answer


def gain_match(gain: A) -> Match:
    """Return a match of white and exposure alone: the angle's light times a gain (3,)."""
    level = float(gain @ AP1_LUMINANCE)
    white = mix_matrix(MIX) @ np.ones(3)
    return Match(
        angle_white=triple(white), stops=float(np.log2(level)),
        reference_white=triple(white * gain / level), mix=MIX,
    )  # fmt: skip


def judged(
    by: str, match: Match, answer: Answer, groups: Clusters, misses: A, used: B,
    fall_off: tuple[float, float] = (0.0, 0.0), widen: float = 1.0,
) -> SceneFit:  # fmt: skip
    """Return a fit with its figures from misses (n,); `widen` is a factor on what is expected."""
    want, got = groups.reference, groups.angle
    calm = [i for i in range(len(want)) if i not in answer.wild | set(answer.glared)]
    left_out = float(answer.left_out[calm].mean())
    gain = np.median(np.maximum(want, _FLOOR)[calm] / np.maximum(got, _FLOOR)[calm], axis=0)

    def mean(lin: A) -> float:
        return float(scene_delta_e(lin, want, PAPER)[calm].mean())

    doubt = overall(answer.expected)
    seen, unseen = (_stated(left_out, doubt, rule, widen) for rule in (SEEN, UNSEEN))
    return SceneFit(
        by, match, mean(got), mean(got * gain), mean(through_match(match, got)), left_out, seen,
        unseen, len(want), len(want) - len(calm), misses, used, fall_off, missing_words(want),
    )  # fmt: skip


def missing_words(lin: A) -> tuple[str, ...]:
    """Say which colours are not among some (n, 3) that both cameras saw, and what would help."""
    light, a, b = scene_lab(lin, PAPER).T
    if not len(light):
        return ()
    chroma, hue = np.hypot(a, b), np.degrees(np.arctan2(b, a)) % 360
    missing = [
        name for name, low, high in _HUES
        if not ((chroma > _COLOURED) & ((hue - low) % 360 < (high - low) % 360)).any()
    ]  # fmt: skip
    if len(missing) == len(_HUES):
        return ("Both see greys only: add frames or areas with colours.",)
    if missing:
        return (f"Both see no {' and no '.join(missing)}: add frames or areas that have some.",)
    return ()


def _stated(left_out: float, doubt: float, rule: tuple[float, ...], widen: float) -> Expected:
    a, b, c, times = rule
    mean = widen * a * left_out**b * doubt**c
    return Expected(mean, mean / times, mean * times)


def part_of(match: Match, share: float) -> Match:
    """Return a match that goes a share of the way, 0 to 1, in exposure, white and colour."""
    if share >= 1:
        return match

    def white(of: tuple[float, float, float]) -> tuple[float, float, float]:
        return triple(np.array(of) ** share)

    def flare(of: tuple[float, float, float]) -> tuple[float, float, float]:
        return triple(share * np.array(of))

    matrix = np.eye(3) + share * (np.array(match.matrix) - np.eye(3))
    rows = [triple(row) for row in matrix]
    smooth = tuple(
        (a, b, share * r, share * g, share * bl) for a, b, r, g, bl in match.smooth
    )  # fmt: skip
    return replace(
        match, angle_white=white(match.angle_white), reference_white=white(match.reference_white),
        angle_flare=flare(match.angle_flare), reference_flare=flare(match.reference_flare),
        stops=share * match.stops, matrix=(rows[0], rows[1], rows[2]),
        roots=tuple(triple(share * np.array(r)) for r in match.roots), smooth=smooth,
    )  # fmt: skip
