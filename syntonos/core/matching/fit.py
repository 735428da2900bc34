"""Fitting a match: the angle's reading brought to the reference camera's own reading."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.engine import AP1_LUMINANCE, match_affine, mix_matrix
from syntonos.core.charts import CHART_24, ChartReading
from syntonos.core.colorimetry import white_to_cct_duv
from syntonos.core.encodings import AP1, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.matching.greys import GreyFit, fit_greys
from syntonos.core.matching.levels import LevelsCheck, check_levels
from syntonos.core.matching.matrix import fit_neutral_matrix
from syntonos.core.matching.metric import difference_jacobian, scene_delta_e

A = NDArray[np.float64]
_MIX = 0.2
_LEAST_FOR_MATRIX = 12


@dataclass(frozen=True, slots=True)
class FitOptions:
    """What a person may choose: the model, and patches to leave out (numbers from 1)."""

    model: str = "matrix"  # or "white": white and exposure only
    leave_out: tuple[int, ...] = ()


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
    left_one_out: float  # mean over patches predicted by fits without them: the one to trust
    levels: tuple[LevelsCheck, LevelsCheck]  # reference, angle
    warnings: tuple[str, ...] = field(default=())


def working(reading: ChartReading) -> A:
    """Return a reading's patches (n, 3) in scene-linear AP1."""
    return reading.lin_rgb @ gamut_matrix(find_encoding(reading.encoding).gamut, AP1).T


def bring_to_reference(match: Match, lin_ap1: A) -> A:
    """Apply a match stage to scene-linear AP1 (..., 3), in float64."""
    mat, offset = match_affine(match)
    return np.asarray(lin_ap1 @ mat.T + offset, np.float64)


def _left_out(reference: ChartReading, angle: ChartReading, options: FitOptions) -> dict[int, str]:
    reasons: dict[int, str] = {}
    for who, reading in (("reference", reference), ("angle", angle)):
        for i, patch in enumerate(reading.patches):
            if patch.flags and i not in reasons:
                reasons[i] = f"{', '.join(patch.flags)} in the {who}"
            if min(patch.lin_rgb) != min(patch.lin_rgb):
                reasons[i] = f"not a number in the {who}"
    for number in options.leave_out:
        reasons.setdefault(number - 1, "by hand")
    return reasons


def _greys(x: A, y: A, errors: A, used: list[int]) -> GreyFit:
    greys = [i for i in CHART_24.greys if i in used]
    mids = [greys.index(i) for i in CHART_24.mid_greys if i in used]
    if not mids:
        raise FitError(
            "None of the mid greys (patches 20 to 23) can be used: they are clipped, glared or "
            "left out.",
            hint="Read a frame with the chart exposed below clipping and without glare.",
            code="fit.no_greys",
        )
    return fit_greys(x[greys], y[greys], errors[greys], mids)


def _fit_once(x: A, y: A, errors: A, used: list[int], model: str) -> tuple[Match, GreyFit]:
    """Run all steps on the patches `used`; x, y are (24, 3) in mixed AP1."""
    grey = _greys(x, y, errors, used)
    matrix = np.eye(3)
    if model == "matrix":
        inverse = np.linalg.inv(mix_matrix(_MIX))
        a = (x[used] - grey.angle_flare) / grey.angle_white * 2.0**grey.stops
        b = (y[used] - grey.reference_flare) / grey.reference_white
        white = inverse @ grey.reference_white
        jac = difference_jacobian((b * grey.reference_white) @ inverse.T, white)
        jac = jac @ (inverse * grey.reference_white)
        floor = 1 / (1 + (errors[used] / 0.004) ** 2)
        matrix, _ = fit_neutral_matrix(a, b, jac, floor)
    rows = tuple(_triple(row) for row in matrix)
    match = Match(
        angle_flare=_triple(grey.angle_flare),
        angle_white=_triple(grey.angle_white),
        stops=grey.stops,
        matrix=(rows[0], rows[1], rows[2]),
        reference_white=_triple(grey.reference_white),
        reference_flare=_triple(grey.reference_flare),
        mix=_MIX,
    )
    return match, grey


def _triple(values: A) -> tuple[float, float, float]:
    a, b, c = (float(v) for v in values)
    return a, b, c


def fit_match(
    reference: ChartReading, angle: ChartReading, options: FitOptions | None = None
) -> MatchFit:
    """Fit the match of an angle to the reference camera's own reading of the same chart.

    In this order: flare (only when the greys carry it), white and exposure on the mid greys, then
    a 3x3 whose rows sum to one, robust, in delta E. Everything in AP1 mixed a little towards
    luminance, where the data are positive.

    Parameters
    ----------
    reference, angle : ChartReading
        Of the same chart under the same light.
    options : FitOptions, optional

    Returns
    -------
    MatchFit
        Residuals are CIEDE2000 in scene-linear under the reference's own white, against the
        reference's reading. `left_one_out` predicts each patch from the others.

    Raises
    ------
    FitError
        fit.too_few when fewer than 6 patches are left, fit.no_greys without mid greys,
        fit.underdetermined when a matrix is asked for and fewer than 12 patches are left.
    """
    options = options or FitOptions()
    reasons = _left_out(reference, angle, options)
    used = [i for i in range(24) if i not in reasons]
    warnings: list[str] = []
    if len(used) < 6:
        raise FitError(
            f"Only {len(used)} of 24 patches can be used, 6 are needed for white and exposure.",
            hint="Read a frame with the chart below clipping and without glare.",
            code="fit.too_few",
        )
    model = options.model
    if model == "matrix" and len(used) < _LEAST_FOR_MATRIX:
        model = "white"
        warnings.append(
            f"Only {len(used)} patches are usable, {_LEAST_FOR_MATRIX} are needed for a matrix: "
            "white and exposure were matched."
        )
    mixing = mix_matrix(_MIX)
    lin_x, lin_y = working(angle), working(reference)
    x, y = lin_x @ mixing.T, lin_y @ mixing.T
    errors = np.hypot([p.error for p in reference.patches], [p.error for p in angle.patches])
    match, grey = _fit_once(x, y, errors, used, model)
    match = replace(match, clip=angle.clip)
    plain, _ = _fit_once(x, y, errors, used, "white")
    white = np.asarray(np.linalg.solve(mixing, grey.reference_white), np.float64)
    before = scene_delta_e(lin_x, lin_y, white)
    matched = bring_to_reference(match, lin_x)
    after = scene_delta_e(matched, lin_y, white)
    alone = scene_delta_e(bring_to_reference(plain, lin_x), lin_y, white)
    predicted: dict[int, float] = {}
    for i in used:
        rest = [k for k in used if k != i]
        if len(rest) < 6 or not any(k in CHART_24.mid_greys for k in rest):
            continue
        without, _ = _fit_once(x, y, errors, rest, model)
        predicted[i] = float(scene_delta_e(bring_to_reference(without, lin_x[i]), lin_y[i], white))
    residuals = tuple(
        PatchResidual(
            i + 1, CHART_24.names[i], float(before[i]), float(after[i]), reasons.get(i),
            predicted.get(i), _grey_spread(matched[i], lin_y[i]) if i in CHART_24.greys else None,
        )
        for i in range(24)
    )  # fmt: skip
    warmth, tint = _white_distance(grey, mixing)
    checks = check_levels(reference), check_levels(angle)
    warnings += _warnings(checks, grey, warmth, reasons)
    chart_white = float((y @ AP1_LUMINANCE)[list(CHART_24.greys)].max())
    stray = grey.angle_flare * 2.0**grey.stops - grey.reference_flare
    return MatchFit(
        match, model, float(stray @ AP1_LUMINANCE) / chart_white, warmth, tint, grey.slope,
        residuals, float(before[used].mean()), float(alone[used].mean()),
        float(after[used].mean()), float(np.mean(list(predicted.values()))), checks,
        tuple(warnings),
    )  # fmt: skip


def _grey_spread(got: A, want: A) -> float:
    ratio = np.maximum(got, 1e-6) / np.maximum(want, 1e-6)
    return float(ratio.max() / ratio.min() - 1)


def _white_distance(grey: GreyFit, mixing: A) -> tuple[float, float]:
    """Return how much warmer (mired) and greener (Duv x 1000) the angle's greys are."""
    to_xyz = AP1.to_xyz @ np.linalg.inv(mixing)
    t_ref, d_ref = white_to_cct_duv(to_xyz @ grey.reference_white)
    t_ang, d_ang = white_to_cct_duv(to_xyz @ grey.angle_white)
    return 1e6 / t_ang - 1e6 / t_ref, (d_ang - d_ref) * 1000


def _warnings(
    checks: tuple[LevelsCheck, LevelsCheck], grey: GreyFit, warmth: float, reasons: dict[int, str]
) -> list[str]:
    out = [
        f"The grey ramp of the {who} speaks against {check.stated} levels: with {check.likely} "
        f"levels it bends by {min(check.bend_full, check.bend_legal):.2f} stop instead of "
        f"{max(check.bend_full, check.bend_legal):.2f}. Check the levels of the clip."
        for who, check in zip(("reference", "angle"), checks, strict=True)
        if check.is_doubtful
    ]
    if not out and abs(grey.slope - 1) > 0.04:
        out.append(
            f"The grey ramps rise {grey.slope:.2f} stops per stop: an encoding, levels or the "
            "light may differ."
        )
    if abs(grey.stops) > 1:
        out.append(
            f"The angle is {abs(grey.stops):.1f} stops {'under' if grey.stops > 0 else 'over'}: "
            "expose it closer and shoot the chart again."
        )
    if abs(warmth) > 60:
        out.append(
            f"The angle is {abs(warmth):.0f} mired too {'warm' if warmth > 0 else 'cool'}: set "
            "its white closer and shoot the chart again."
        )
    if len(reasons) > 4:
        out.append(f"{len(reasons)} of 24 patches are left out.")
    return out
