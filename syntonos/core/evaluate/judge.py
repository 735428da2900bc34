"""Judging fits on colours that were not on the chart, against plain methods and the floor."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import (
    Chain,
    Decode,
    EncodingOutput,
    apply_lut,
    bake_lut,
    compile_chain,
    run,
)
from syntonos.core.colorimetry import adaptation_matrix, delta_e_itp
from syntonos.core.encodings import (
    AP1,
    GAMUTS,
    LEVELS,
    decode,
    find_encoding,
    gamut_matrix,
    take_levels_off,
)
from syntonos.core.encodings.gamuts import D65
from syntonos.core.evaluate.cases import (
    Case,
    off_chart,
    off_chart_codes,
    off_chart_objects,
    read_side,
)
from syntonos.core.evaluate.methods import PLAIN, floor, plain_methods
from syntonos.core.evaluate.pairs import STATED_AS
from syntonos.core.matching import LevelsChoice, MatchFit, choose_levels, fit_match
from syntonos.core.matching.carried import lut_cost
from syntonos.core.matching.expected import INTERVAL
from syntonos.core.matching.fit import bring_to_reference
from syntonos.core.matching.metric import scene_delta_e, scene_lab
from syntonos.core.simulate.spectra import NM

A = NDArray[np.float64]
_WHITE_NITS = 203.0  # ITU-R BT.2408: reference white


@dataclass(frozen=True, slots=True)
class Verdict:
    """How a fit did on one case; delta E are means over the off-chart colours."""

    name: str
    seed: int
    mean: float
    p95: float
    floor_mean: float
    floor_p95: float
    expected: float
    on_chart: float
    cross_validated: float
    plain: dict[str, float]
    grey: float  # largest difference between channels on greys, as a share, mean over greys
    skin_hue: float  # degrees, mean of absolute differences
    floor_grey: float  # the floor's own
    floor_skin_hue: float
    itp: float
    plain_itp: dict[str, float]
    log_evidence: float
    levels_right: bool
    kinds: dict[str, tuple[float, float]]  # stated and true mean, by kind of colour
    lut_told: float  # what the tool says of this
    lut: float  # how much more the mean is through a 65 LUT into the reference's encoding

    @property
    def holds_mean(self) -> bool:
        """Whether the mean is within its target."""
        return self.mean <= 1.25 * self.floor_mean + 0.1

    @property
    def holds_p95(self) -> bool:
        """Whether the 95th percentile is within its target."""
        return self.p95 <= 1.35 * self.floor_p95 + 0.2

    @property
    def holds_expected(self) -> bool:
        """Whether the stated error is within its interval of the true one."""
        return 1 / INTERVAL <= self.mean / self.expected <= INTERVAL


def _itp(lin_a: A, lin_b: A, white: A) -> float:
    xyz = AP1.to_xyz @ white
    to_d65 = adaptation_matrix(xyz[:2] / xyz.sum(), D65, method="cat02")
    to_rgb = np.linalg.inv(GAMUTS["f-gamut"].to_xyz) @ to_d65 @ AP1.to_xyz * _WHITE_NITS
    return float(delta_e_itp(lin_a @ to_rgb.T, lin_b @ to_rgb.T).mean())


def _through_lut(
    case: Case, fit: MatchFit, chosen: LevelsChoice, y: A, white: A
) -> tuple[float, float]:
    """Return what a 65 LUT into the reference's encoding adds to the mean, as told and as is.

    Colours that the angle's file cannot hold are lost to the exact chain as well.
    """
    target = find_encoding(case.reference.camera.encoding)
    angle, reference = case.angle.camera.encoding, case.reference.camera.encoding
    chain = Chain(
        Decode(angle, chosen.angle), EncodingOutput(reference, chosen.reference), match=fit.match
    )
    code = np.clip(off_chart_codes(case, case.angle), 0, 1).astype(np.float32)
    table = bake_lut(chain, 65)

    def mean(out: NDArray[np.float32]) -> float:
        lin = decode(take_levels_off(out.astype(np.float64), chosen.reference), target.curve)
        return float(scene_delta_e(lin @ gamut_matrix(target.gamut, AP1).T, y, white).mean())

    exact = mean(run(compile_chain(chain), code))
    return lut_cost(chain, table, fit.expected), mean(apply_lut(code, table)) - exact


def _tint(got: A, wanted: A) -> float:
    """Return the largest difference between channels, as a share, mean over greys."""
    ratio = got / wanted
    return float((ratio.max(axis=1) / ratio.min(axis=1) - 1).mean())


def _turn(got: A, wanted: A, white: A) -> float:
    """Return how far hues are turned, degrees, mean of absolute differences."""
    a, b = (scene_lab(lin, white) for lin in (got, wanted))
    turned = np.degrees(np.arctan2(a[:, 2], a[:, 1]) - np.arctan2(b[:, 2], b[:, 1]))
    return float(np.abs((turned + 180) % 360 - 180).mean())


def by_kind(fit: MatchFit, distance: A, kinds: NDArray[np.str_]) -> dict[str, tuple[float, float]]:
    """Return stated and true mean delta E of each kind of colour, from those of all (n,)."""
    named = np.array([STATED_AS.get(k, "other") for k in kinds.tolist()])
    return {
        kind: (stated.mean, float(distance[named == kind].mean()))
        for kind, stated in fit.expected_kinds.items() if (named == kind).any()
    }  # fmt: skip


def judge(case: Case) -> Verdict:
    """Read both sides with the levels left open, fit, and compare off the chart."""
    sides = [
        {levels: read_side(case, side, levels=levels) for levels in LEVELS}
        for side in (case.reference, case.angle)
    ]
    chosen = choose_levels(*sides)
    true = case.reference.camera.levels, case.angle.camera.levels
    reference, angle = sides[0][chosen.reference], sides[1][chosen.angle]
    fit = fit_match(reference, angle)
    y = off_chart(case, case.reference, chosen.reference)
    x = off_chart(case, case.angle, chosen.angle)
    kinds = off_chart_objects()[1]
    white = off_chart(case, case.reference, chosen.reference, np.ones((1, len(NM))))[0]
    got = bring_to_reference(fit.match, x)
    distance = scene_delta_e(got, y, white)
    best = floor(x, y, white)
    base = scene_delta_e(best, y, white)
    methods = {k: f(x) for k, f in plain_methods(reference, angle).items()}
    greys, skins = kinds == "grey", kinds == "skin"
    return Verdict(
        case.name, case.seed, float(distance.mean()), float(np.percentile(distance, 95)),
        float(base.mean()), float(np.percentile(base, 95)), fit.expected, fit.after,
        fit.left_one_out,
        {k: float(scene_delta_e(v, y, white).mean()) for k, v in methods.items()},
        _tint(got[greys], y[greys]), _turn(got[skins], y[skins], white),
        _tint(best[greys], y[greys]), _turn(best[skins], y[skins], white),
        _itp(got, y, white), {k: _itp(v, y, white) for k, v in methods.items()},
        fit.log_evidence, (chosen.reference, chosen.angle) == true, by_kind(fit, distance, kinds),
        *_through_lut(case, fit, chosen, y, white),
    )  # fmt: skip


def judge_all(
    cases: Sequence[Case], tell: Callable[[int, int], None] = lambda done, of: None
) -> list[Verdict]:
    """Judge cases on all cores."""
    # Linear algebra of this size is fastest on one thread each.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    out = []
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        for verdict in pool.map(judge, cases, chunksize=2):
            out.append(verdict)
            tell(len(out), len(cases))
    return out


def _mean(values: Sequence[float]) -> float:
    return float(np.mean(values))


def _geometric(values: Sequence[float]) -> float:
    return float(np.exp(np.mean(np.log(values))))


def best_plain(verdicts: Sequence[Verdict]) -> str:
    """Return the single plain method with the smallest geometric mean over these cases."""
    return min(PLAIN, key=lambda k: _geometric([v.plain[k] for v in verdicts]))


HEADINGS: Final = (
    "class", "cases", "mean", "p95", "/floor", "/plain", "target", "greys %", "floor's",
    "skin h", "floor's", "stated", "<white", "levels", "ITP", "LUT",
)  # fmt: skip


def table(verdicts: Sequence[Verdict]) -> list[tuple[str, ...]]:
    """Return one row per class and one over all.

    /floor and /plain are geometric means of ratios to the floor and to the best single plain
    method; target, stated, <white and levels are shares of cases: mean and 95th percentile within
    their targets, the stated error within its interval, not worse than white and exposure by more
    than 0.05, levels found. ITP is the ratio to the same plain method in delta E ITP; LUT the most
    that a 65 LUT adds to the mean.
    """
    plain = best_plain(verdicts)
    names = list(dict.fromkeys(v.name for v in verdicts))
    rows: list[tuple[str, ...]] = []
    for name in [*names, "all"]:
        own = [v for v in verdicts if name in (v.name, "all")]
        rows.append((
            name, f"{len(own)}", f"{_mean([v.mean for v in own]):.2f}",
            f"{_mean([v.p95 for v in own]):.2f}",
            f"{_geometric([v.mean / v.floor_mean for v in own]):.2f}",
            f"{_geometric([v.mean / v.plain[plain] for v in own]):.3f}",
            f"{_mean([v.holds_mean and v.holds_p95 for v in own]):.2f}",
            f"{100 * _mean([v.grey for v in own]):.2f}",
            f"{100 * _mean([v.floor_grey for v in own]):.2f}",
            f"{_mean([v.skin_hue for v in own]):.2f}",
            f"{_mean([v.floor_skin_hue for v in own]):.2f}",
            f"{_mean([v.holds_expected for v in own]):.2f}",
            f"{_mean([v.mean <= v.plain[PLAIN[0]] + 0.05 for v in own]):.2f}",
            f"{_mean([v.levels_right for v in own]):.2f}",
            f"{_geometric([v.itp / v.plain_itp[plain] for v in own]):.3f}",
            f"{max(v.lut for v in own):.3f}",
        ))  # fmt: skip
    return rows
