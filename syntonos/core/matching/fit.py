"""Fitting a match: the angle's reading brought to the reference camera's own reading."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.stages.match import mix_matrix, through_match
from syntonos.core.charts import ChartLayout, ChartReading
from syntonos.core.charts.reading import CLIPPED, CRUSHED
from syntonos.core.colorimetry import white_to_cct_duv
from syntonos.core.encodings import AP1
from syntonos.core.errors import FitError
from syntonos.core.matching.advice import Advice, advise
from syntonos.core.matching.bayes import PAIR, SCENE, Model, Setting
from syntonos.core.matching.expected import INTERVAL, Expected, overall, stated
from syntonos.core.matching.levels import LevelsCheck, check_levels
from syntonos.core.matching.metric import MIX, scene_delta_e
from syntonos.core.matching.models import (
    AVERAGED,
    EXPECTED_SCALE,
    MODELS,
    WHITE,
    WHITE_SCALE,
    kept_for,
    match_of,
    plain_of,
    priors_for,
    settings_for,
)
from syntonos.core.matching.prior import Prior
from syntonos.core.matching.readings import ColourPair, readings_of, spread_out, working
from syntonos.core.matching.rounds import (
    Answer,
    Readings,
    answer_of,
    evenly_lit,
    reference_white,
    run_rounds,
)
from syntonos.core.matching.scene_fit import Clusters

A = NDArray[np.float64]
_LEAST_FOR_COLOUR = 12
_LEAST = 6
_AGAINST_POOL = 3.0  # log evidence
_APART = 4.0  # delta E by which an area is told to disagree
_GRADIENT = 0.25  # of the light, from edge to edge, between the readings
_BAD = 2.5  # delta E, cross-validated
_WILD = "unlike the other patches: dirt, cover or a reflection"
_WILD_BY_SCENE = "unlike the other patches and the scene: dirt, cover, a reflection or other light"
_SMALL = 40  # pixels that a patch's mean stands on
_FLARE_WARNED = 0.02  # share of white
_FLARE_TOLD = 0.0005  # share of white: less is taken out, but not told
_GLARE_TOLD = 0.02  # share of white; less is told only beside another glared patch


@dataclass(frozen=True, slots=True)
class FitOptions:
    """What a person may choose.

    `model` is one of MODELS; `leave_out` are patches (from 1); `weights` pairs of patch (from 1)
    and weight, 1 for an ordinary one; `pairs` are colours off the chart seen by both cameras;
    `pool` is `pooled_prior` of the pair's readings in other lights; `clip` is where the angle's
    sensor clips as its scenes show it (`charts.clipping`), for a chart whose frames do not;
    `scene` are colours of the light's scenes that both cameras saw (`scene_colours`).
    """

    model: str = AVERAGED
    leave_out: tuple[int, ...] = ()
    weights: tuple[tuple[int, float], ...] = ()
    pairs: tuple[ColourPair, ...] = ()
    pool: Prior | None = None  # what this camera pair showed in other lights
    clip: float | None = None
    scene: Clusters | None = None


@dataclass(frozen=True, slots=True)
class PatchResidual:
    """One patch: scene delta E against the reference's reading, and why it was left out."""

    index: int  # from 1
    name: str
    before: float
    after: float
    left_out: str | None  # None where it took part
    predicted: float | None  # by a fit without this patch
    grey_spread: float | None  # greys: largest difference between channels after, as a share


@dataclass(frozen=True, slots=True)
class ModelChoice:
    """What one model would give."""

    model: str
    after: float  # mean over the patches that took part
    left_one_out: float  # mean over patches predicted from the others
    expected: float  # mean delta E off the chart, as expected
    kinds: dict[str, float]  # the same by kind of colour


@dataclass(frozen=True, slots=True)
class ScenePart:
    """What colours of the light's scenes had to say beside the chart."""

    count: int  # of colours
    aside: int  # of them, unlike the others: something moved, or shines into one camera
    left_out: float  # mean delta E over the rest, each predicted by a fit without it


@dataclass(frozen=True, slots=True)
class MatchFit:
    """A match and the evidence for it."""

    match: Match
    model: str
    flare_share: float  # of chart white, positive where the angle has more than the reference
    warmth: float  # mired, how much too warm the angle is
    tint: float  # Duv x 1000, how much too green the angle is
    slope: float  # of the grey ramp, stops against stops
    residuals: tuple[PatchResidual, ...]
    before: float  # mean scene delta E without a match
    white_only: float  # mean after white and exposure alone
    after: float  # mean over the patches that took part
    left_one_out: float  # mean over patches predicted by fits without them
    expected: float  # mean delta E to expect of colours that are not on the chart
    expected_low: float  # the true mean lies between low and high nine times in ten
    expected_high: float
    expected_kinds: dict[str, Expected]  # the same for greys, skins, foliage, saturated and other
    models: tuple[ModelChoice, ...]  # what every model would give
    levels: tuple[LevelsCheck, LevelsCheck]  # reference, angle
    log_evidence: float
    advice: tuple[Advice, ...]  # what would help, the best first
    limit: str  # what limits the match, in words
    warnings: tuple[str, ...] = field(default=())
    pairs: tuple[float, ...] = field(default=())  # delta E that each pair misses by the others
    steadied: ScenePart | None = None


def bring_to_reference(match: Match, lin_ap1: A) -> A:
    """Apply a match stage to scene-linear AP1 (..., 3), in float64."""
    return through_match(match, lin_ap1)


def difference_as_shot(reference: ChartReading, angle: ChartReading) -> float:
    """Return how far apart two cameras are as shot: what `MatchFit.before` says once they match.

    Parameters
    ----------
    reference, angle : ChartReading
        Of the same chart under the same light.

    Returns
    -------
    float
        Mean CIEDE2000 in scene-linear, under the white of the reference's own greys, over patches
        that neither reading speaks against; of all where too few are left to fit a match. A fit
        leaves out what it finds glared as well.

    Raises
    ------
    FitError
        fit.other_chart when the readings are of different charts.
    """
    options = FitOptions()
    _check(reference, angle, options)
    reasons = _left_out(reference, angle, options)
    try:
        used = spread_out(reference, _usable(len(reference.layout.names), reasons))
        readings = readings_of(reference, angle, used)
    except FitError:
        # Too little is left for a fit: the chart's mean colour stands for white.
        lin = working(reference)
        white = lin.mean(axis=0) / float(lin.mean(axis=0) @ AP1_LUMINANCE)
        return float(scene_delta_e(working(angle), lin, white).mean())
    judge = _Judge(reference, angle, readings, reasons, used)
    return judge.mean(judge.before)


def _left_out(reference: ChartReading, angle: ChartReading, options: FitOptions) -> dict[int, str]:
    reasons: dict[int, str] = {}
    for who, reading in (("reference", reference), ("angle", angle)):
        for i, patch in enumerate(reading.patches):
            for flag in (CLIPPED, CRUSHED):
                if flag in patch.flags:
                    reasons.setdefault(i, f"{flag} in the {who}")
            if not np.isfinite(patch.lin_rgb).all():
                reasons[i] = f"not a number in the {who}"
    for number in options.leave_out:
        reasons.setdefault(number - 1, "by hand")
    return reasons


def _disagreeing(
    answer: Answer, used: list[int], readings: Readings, layout: ChartLayout
) -> dict[int, str]:
    """Return the patches (from 0) that the rounds set aside, with the reason."""
    out: dict[int, str] = {}

    def beside(a: int, b: int) -> bool:
        if max(a, b) >= len(used):
            return False
        (ra, ca), (rb, cb) = (divmod(used[k], layout.columns) for k in (a, b))
        return abs(ra - rb) <= 1 and abs(ca - cb) <= 1

    for row, light in answer.glared.items():
        if row >= len(used):
            continue
        alone = not any(beside(row, other) for other in answer.glared if other != row)
        if alone and abs(light) < _GLARE_TOLD and row not in readings.suspects:
            continue
        who = "angle" if light > 0 else "reference"
        out[used[row]] = f"glare in the {who}, {abs(light):.1%} of white"
    for row in answer.wild:
        if row < len(used):
            out[used[row]] = _WILD_BY_SCENE if (readings.patches == SCENE).any() else _WILD
    return out


def fit_match(
    reference: ChartReading, angle: ChartReading, options: FitOptions | None = None
) -> MatchFit:
    """Fit the match of an angle to the reference camera's own reading of the same chart.

    Flare, exposure, white and uneven light are found together with the colour, by Bayesian
    regression with a prior learned from simulated cameras; patches that glare or disagree are
    found by the evidence. docs/matching.md tells the method.

    Parameters
    ----------
    reference, angle : ChartReading
        Of the same chart under the same light.
    options : FitOptions, optional

    Returns
    -------
    MatchFit
        Residuals are CIEDE2000 in scene-linear under the reference's own white, against the
        reference's reading. `expected` is what colours off the chart will miss in the mean.

    Raises
    ------
    FitError
        fit.too_few when fewer than 6 patches are left, fit.no_greys without any grey, fit.model
        for a model that is not known, fit.other_chart when the readings are of different charts.
    """
    options = options or FitOptions()
    _check(reference, angle, options)
    reasons = _left_out(reference, angle, options)
    layout = reference.layout
    used = _usable(len(layout.names), reasons)
    model, warnings = _model_for(options, layout, len(used))
    weights = {number - 1: weight for number, weight in options.weights}
    used = spread_out(reference, used)
    readings = readings_of(reference, angle, used, weights, options.pairs, options.scene)
    answer, priors, settings = _rounds(readings, options.pool)
    reasons |= _disagreeing(answer, used, readings, layout)
    judge = _Judge(reference, angle, readings, reasons, used)
    judge.even_out(answer)
    answers = _answers(answer, priors, settings)
    choices = tuple(judge.choice(answers[name], name) for name in MODELS)
    chosen = answers[model]
    clip = angle.clip if angle.clip is not None else options.clip
    match = replace(match_of(chosen, model), clip=clip)
    own = next(c for c in choices if c.model == model)
    warmth, tint = white_distance(match)
    checks = check_levels(reference), check_levels(angle)
    slope, flare = judge.slope(match), judge.flare_share(match)
    advice, limit = (
        ((), "Only white and exposure are matched.")
        if model == WHITE
        else advise(chosen, priors[model], reasons, layout)
    )
    warnings += _warnings(checks, match, slope, warmth, flare)
    warnings += _small_charts(reference, angle)
    pairs = tuple(float(v) for v in chosen.left_out[readings.patches == PAIR])
    warnings += _apart_areas(pairs, own)
    warnings += _light_warnings(answer, own)
    return MatchFit(
        match, model, flare, warmth, tint, slope, judge.residuals(match, chosen, used),
        judge.mean(judge.before), next(c.after for c in choices if c.model == WHITE),
        own.after, own.left_one_out, own.expected, own.expected / INTERVAL,
        own.expected * INTERVAL, stated(own.kinds), choices, checks,
        answer.log_evidence, advice, limit, tuple(warnings), pairs,
        _of_scene(chosen, readings.patches == SCENE),
    )  # fmt: skip


def _of_scene(answer: Answer, is_scene: NDArray[np.bool_]) -> ScenePart | None:
    rows = np.flatnonzero(is_scene)
    if not len(rows):
        return None
    calm = [r for r in rows.tolist() if r not in answer.wild | set(answer.glared)]
    left_out = answer.left_out[calm or rows]
    return ScenePart(len(rows), len(rows) - len(calm), float(left_out.mean()))


def _check(reference: ChartReading, angle: ChartReading, options: FitOptions) -> None:
    """Refuse a model that is not known, and readings of different charts."""
    if options.model not in MODELS:
        raise FitError(
            f"There is no model {options.model!r}.", hint=f"Choose one of {', '.join(MODELS)}.",
            code="fit.model",
        )  # fmt: skip
    if (reference.layout.rows_at, reference.layout.columns_at) != (
        angle.layout.rows_at, angle.layout.columns_at,
    ):  # fmt: skip
        raise FitError(
            f"The reference's chart is one of {reference.layout.name}, the angle's of "
            f"{angle.layout.name}.",
            hint="Read the same chart in both.", code="fit.other_chart",
        )  # fmt: skip


def _usable(count: int, reasons: Mapping[int, str]) -> list[int]:
    """Return the patches that nothing speaks against; enough of them for white and exposure."""
    used = [i for i in range(count) if i not in reasons]
    if len(used) < _LEAST:
        raise FitError(
            f"Only {len(used)} of {count} patches can be used, {_LEAST} are needed for white and "
            "exposure.",
            hint="Read a frame with the chart below clipping and without glare.",
            code="fit.too_few",
        )
    return used


def _model_for(options: FitOptions, layout: ChartLayout, used: int) -> tuple[str, list[str]]:
    """Return the model that so many patches carry, and what there is to say of it."""
    # Where the pair's other lights or its scenes know the colour, a few greys are enough.
    if options.model == WHITE or options.pool is not None or options.scene is not None:
        return options.model, []
    if used + len(options.pairs) < _LEAST_FOR_COLOUR:
        return WHITE, [
            f"Only {used} patches are usable, {_LEAST_FOR_COLOUR} are needed for colour: "
            "white and exposure were matched."
        ]
    if len(layout.greys) > len(layout.names) - _LEAST and not options.pairs:
        return WHITE, ["This chart has only greys: white and exposure were matched."]
    return options.model, []


def _answers(
    answer: Answer, priors: _Priors, settings: dict[str, list[Setting]]
) -> dict[str, Answer]:
    """Return what each model answers, the averaged one and white alone among them."""
    alone = {
        name: answer_of(
            Model(answer.problem, priors[name]), settings[name], answer.line,
            answer.glared, answer.wild,
        )
        for name in MODELS if name not in (AVERAGED, WHITE)
    }  # fmt: skip
    return {AVERAGED: answer, **alone, WHITE: answer}


def _small_charts(reference: ChartReading, angle: ChartReading) -> list[str]:
    out = []
    for who, reading in (("reference", reference), ("angle", angle)):
        pixels = float(np.median([p.count for p in reading.patches])) / max(reading.frames, 1)
        if 1 < pixels < _SMALL:
            out.append(
                f"The chart of the {who} is small: {pixels:.0f} pixels a patch. Shoot it larger."
            )
    return out


def _apart_areas(misses: Sequence[float], own: ModelChoice) -> list[str]:
    return [
        f"Area {k + 1} disagrees with the chart by {miss:.1f} delta E: see whether it is the same "
        "thing in the same light in both pictures."
        for k, miss in enumerate(misses) if miss > max(_APART, 3 * own.expected)
    ]  # fmt: skip


_Priors = dict[str, dict[str, Prior]]  # by model, then by family
_Rounds = tuple[Answer, _Priors, dict[str, list[Setting]]]


def _rounds(readings: Readings, pool: Prior | None) -> _Rounds:
    """Run the rounds; with the other lights' prior, unless this reading speaks against it."""
    names = [name for name in MODELS if name != WHITE]
    count = len(readings.angle)

    def under(priors: _Priors) -> _Rounds:
        settings = {n: settings_for(n, count, tuple(p)) for n, p in priors.items()}
        if pool is not None and count < _LEAST_FOR_COLOUR:
            settings = {n: plain_of(rows) for n, rows in settings.items()}
        return run_rounds(readings, priors[AVERAGED], settings[AVERAGED]), priors, settings

    shared = None
    if pool is not None:
        shared = under({name: {"pooled": kept_for(name, pool)} for name in names})
        if count < _LEAST_FOR_COLOUR:
            return shared  # so few patches cannot speak against it
    own = under({name: priors_for(name) for name in names})
    if shared is None or shared[0].log_evidence < own[0].log_evidence - _AGAINST_POOL:
        return own
    return shared


class _Judge:
    """Distances of a reading to the reference's, under the reference's own white."""

    def __init__(
        self, reference: ChartReading, angle: ChartReading, readings: Readings,
        reasons: dict[int, str], used: list[int],
    ) -> None:  # fmt: skip
        self.readings, self.used, self.layout = readings, used, reference.layout
        self.lin_x, self.lin_y = working(angle), working(reference)
        self.reasons = reasons
        self.white: A = np.linalg.inv(mix_matrix(MIX)) @ reference_white(readings)
        self.before = self.distance(self.lin_x)

    def even_out(self, answer: Answer) -> None:
        """Take the uneven light off that the fit found; the match itself does not carry it."""
        flat = evenly_lit(answer, self.readings)[: len(self.used)]
        self.lin_x[self.used] = flat @ np.linalg.inv(mix_matrix(MIX)).T

    def distance(self, lin: A) -> A:
        return scene_delta_e(lin, self.lin_y, self.white)

    def mean(self, values: A) -> float:
        taken = [i for i in range(len(values)) if i not in self.reasons]
        return float(values[taken].mean()) if taken else float(values.mean())

    def choice(self, answer: Answer, name: str) -> ModelChoice:
        after = self.mean(self.distance(through_match(match_of(answer, name), self.lin_x)))
        if name == WHITE:
            # Three numbers from many patches: leaving one out changes next to nothing.
            kinds = {kind: after * scale for kind, scale in WHITE_SCALE.items()}
            return ModelChoice(name, after, after, overall(kinds), kinds)
        own = np.flatnonzero(self.readings.patches != SCENE).tolist()
        calm = [r for r in own if r not in answer.wild | set(answer.glared)]
        kinds = {k: v * EXPECTED_SCALE[name] for k, v in answer.expected.items()}
        left_out = float(answer.left_out[calm].mean())
        return ModelChoice(name, after, left_out, overall(kinds), kinds)

    def residuals(self, match: Match, answer: Answer, used: list[int]) -> tuple[PatchResidual, ...]:
        matched = through_match(match, self.lin_x)
        after = self.distance(matched)
        predicted = {i: float(answer.left_out[row]) for row, i in enumerate(used)}
        return tuple(
            PatchResidual(
                i + 1, self.layout.names[i], float(self.before[i]), float(after[i]),
                self.reasons.get(i), predicted.get(i),
                _grey_spread(matched[i], self.lin_y[i]) if i in self.layout.greys else None,
            )
            for i in range(len(after))
        )  # fmt: skip

    def slope(self, match: Match) -> float:
        """Return the slope of the grey ramp, stops against stops, without flare."""
        mixing = mix_matrix(MIX)
        bright_x = (self.lin_x @ mixing.T - np.array(match.angle_flare)) @ AP1_LUMINANCE
        bright_y = (self.lin_y @ mixing.T - np.array(match.reference_flare)) @ AP1_LUMINANCE
        rows = [
            i for i in _but_the_darkest(self.layout)
            if i not in self.reasons and min(bright_x[i], bright_y[i]) > 1e-5
        ]  # fmt: skip
        if len(rows) < 3:
            return 1.0
        return float(np.polyfit(np.log2(bright_x[rows]), np.log2(bright_y[rows]), 1)[0])

    def flare_share(self, match: Match) -> float:
        gain = 2.0**match.stops / np.array(match.angle_white) * np.array(match.reference_white)
        stray = np.array(match.angle_flare) * gain - np.array(match.reference_flare)
        chart_white = 0.88 * float(self.white @ AP1_LUMINANCE)
        share = float(stray @ AP1_LUMINANCE) / chart_white
        return share if abs(share) >= _FLARE_TOLD else 0.0


def _but_the_darkest(layout: ChartLayout) -> tuple[int, ...]:
    """Return the greys without the dark end, which flare bends: five of six."""
    return layout.greys[: max(3, round(len(layout.greys) * 5 / 6))]


def _grey_spread(got: A, want: A) -> float:
    ratio = np.maximum(got, 1e-6) / np.maximum(want, 1e-6)
    return float(ratio.max() / ratio.min() - 1)


def white_distance(match: Match) -> tuple[float, float]:
    """Return how much warmer (mired) and greener (Duv x 1000) the angle's greys are."""
    to_xyz = AP1.to_xyz @ np.linalg.inv(mix_matrix(MIX))
    t_ref, d_ref = white_to_cct_duv(to_xyz @ np.array(match.reference_white))
    t_ang, d_ang = white_to_cct_duv(to_xyz @ np.array(match.angle_white))
    return 1e6 / t_ang - 1e6 / t_ref, (d_ang - d_ref) * 1000


def _light_warnings(answer: Answer, own: ModelChoice) -> list[str]:
    """Return what speaks for different light in the two readings."""
    out = []
    slope = float(np.abs(answer.line.plane[:2]).max())
    if slope > _GRADIENT:
        out.append(
            f"The light falls differently on the two charts, by {slope:.0%} from edge to edge: "
            "shoot both from the same place, the cameras one after the other."
        )
    if own.left_one_out > _BAD and own.model != WHITE:
        out.append(
            f"The patches contradict each other by {own.left_one_out:.1f} delta E: the two charts "
            "may have stood in different light, or one is not the chart that was chosen."
        )
    return out


def _warnings(
    checks: tuple[LevelsCheck, LevelsCheck], match: Match, slope: float, warmth: float,
    flare: float,
) -> list[str]:  # fmt: skip
    out = [
        f"The grey ramp of the {who} speaks against {check.stated} levels: with {check.likely} "
        f"levels it bends by {min(check.bend_full, check.bend_legal):.2f} stop instead of "
        f"{max(check.bend_full, check.bend_legal):.2f}. Check the levels of the clip."
        for who, check in zip(("reference", "angle"), checks, strict=True)
        if check.is_doubtful
    ]
    if not out and abs(slope - 1) > 0.04:
        out.append(
            f"The grey ramps rise {slope:.2f} stops per stop: an encoding, levels or the "
            "light may differ."
        )
    if abs(flare) > _FLARE_WARNED:
        who, other = ("angle", "reference") if flare > 0 else ("reference", "angle")
        out.append(
            f"The {who}'s blacks are lifted by {100 * abs(flare):.0f} % of white against the "
            f"{other}'s: stray light on its lens or chart, or one of the two has another curve."
        )
    if abs(match.stops) > 1:
        out.append(
            f"The angle is {abs(match.stops):.1f} stops {'under' if match.stops > 0 else 'over'}: "
            "expose it closer and shoot the chart again."
        )
    if abs(warmth) > 60:
        out.append(
            f"The angle is {abs(warmth):.0f} mired too {'warm' if warmth > 0 else 'cool'}: set "
            "its white closer and shoot the chart again."
        )
    return out


__all__ = ["FitOptions", "MatchFit", "ModelChoice", "PatchResidual", "bring_to_reference",
           "difference_as_shot", "fit_match", "working"]  # fmt: skip
