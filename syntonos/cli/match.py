"""`syntonos match`: two charts, a match, a LUT, and a report."""

from __future__ import annotations

import argparse
import sys
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.cli.by_scene import match_by_scene, places_of_scenes
from syntonos.cli.charts import (
    are_values,
    bracketed,
    frames_of,
    read_all,
    read_side,
    settle_levels,
)
from syntonos.cli.output import (
    as_json,
    has_place,
    lut_file,
    print_readback,
    read_back_lut,
    say_uncertain,
    write_file,
)
from syntonos.core.chain import (
    NAMED_OUTPUTS,
    Chain,
    Decode,
    EncodingOutput,
    LutLevels,
    Parts,
    ReadBack,
    chain_to_json,
    compose,
)
from syntonos.core.charts import (
    ChartReading,
    find_layout,
)
from syntonos.core.charts.clipping import clip_of_scenes
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ChartError, FitError
from syntonos.core.formats import read_lut
from syntonos.core.matching import (
    MODEL_NAMES,
    FitOptions,
    LevelsChoice,
    MatchFit,
    fit_match,
    fit_to_json,
    reading_to_json,
)
from syntonos.core.matching.by_places import are_enough
from syntonos.core.matching.carried import lut_cost
from syntonos.core.matching.highlights import fill_of
from syntonos.core.matching.pooled import pooled_prior
from syntonos.core.matching.scene_check import check_by_scene
from syntonos.core.matching.scene_fit import Clusters
from syntonos.core.matching.targets import is_picture
from syntonos.core.matching.verdict import MOST_LUT_COST, USUAL_TOLERANCE, judge_match

_SCENE = ("picture", "areas", "statistics")  # the best first


@dataclass(frozen=True, slots=True)
class _Charts:
    """What was read for a match: a chart of each side, those beside them, and what was settled."""

    reference: ChartReading
    angle: ChartReading
    beside: list[tuple[ChartReading, ChartReading]]
    stated: dict[str, str]
    choice: LevelsChoice
    said: list[str]


def run_match(args: argparse.Namespace) -> int:
    """Match an angle to the reference and write the LUT."""
    has_place(args.out, args.report, beside=[*args.reference, *args.angle])
    _check_scenes(args)
    if args.by in _SCENE:
        return match_by_scene(args, (args.by,))
    if args.by == "auto" and is_picture(args.reference_encoding):
        print("No chart is read in a scan or by a profile. Matching by the scene.")
        return match_by_scene(args, _SCENE)
    try:
        charts = _charts_of(args)
    except ChartError as error:
        if args.by != "auto":
            raise
        print(f"No chart: {error.message} Matching by the scene.")
        return match_by_scene(args, _SCENE)
    if isinstance(charts, int):
        return charts
    _needs_encoding(args, charts.reference)
    said = list(charts.said)
    pool = pooled_prior(charts.beside) if charts.beside else None
    scenes = frames_of(args.angle_scene, charts.angle.encoding) if args.angle_scene else []
    clip = _scene_clip(scenes, charts.angle, said)
    options = FitOptions(args.model, pool=pool, clip=clip)
    fit = fit_match(charts.reference, charts.angle, options)
    scene = None
    if args.reference_scene:
        scene = _compare(args, charts, fit, said)
        if scene.colours is not None:
            options = replace(options, scene=scene.colours)
            fit = fit_match(charts.reference, charts.angle, options)
    if scenes:
        fit = _filled(fit, scenes, charts.angle)
    chain = _match_chain(args, charts, fit)
    levels = LutLevels(args.lut_in, args.lut_out)
    comment = f"{charts.angle.encoding} {charts.angle.levels} to {args.to}"
    data = lut_file(chain, args.out, args.size, levels, comment)
    first = frames_of(args.angle[:1], charts.angle.encoding)[0]
    result = read_back_lut(data, args.out, chain, levels, first)
    cost = _cost_of(args, chain, data, fit, levels, said)
    if args.report:
        report = _match_report(charts, fit, chain, result, cost)
        report |= {"scene": {"agrees": scene.agrees, "words": scene.words}} if scene else {}
        write_file(args.report, as_json(report).encode())
    write_file(args.out, data)
    for warning in (*said, *fit.warnings):
        print(f"warning: {warning}", file=sys.stderr)
    _say_match(charts, fit)
    print(f"{args.out}: {args.size} points to {args.to}")
    print_readback(result)
    return 0


def _charts_of(args: argparse.Namespace) -> _Charts | int:
    """Read the charts of both sides; an exit code where it is not certain which way up one is."""
    sides, stated = {}, {}
    layout = find_layout(args.chart)
    told: list[str] = []
    images = {side: getattr(args, side) for side in ("reference", "angle")}
    slugs = {side: getattr(args, f"{side}_encoding") for side in images}
    pairs = read_all(images, slugs, layout) if args.all_charts else []
    together = dict(zip(images, pairs[0], strict=True)) if pairs else {}
    for side, paths in images.items():
        stated[side] = getattr(args, f"{side}_levels")
        if side in together:
            read = together[side]
        else:
            read, certain = read_side(paths, slugs[side], getattr(args, f"{side}_corners"), layout)
            if not certain:
                return say_uncertain(paths[0], layout)
        sides[side], words = bracketed(
            read, getattr(args, f"{side}_bracket"), slugs[side], layout, side
        )
        told += words
    choice, said = settle_levels(sides, stated)
    # The other charts of the frames, under the levels that were settled for all of them.
    beside = [(one[choice.reference], other[choice.angle]) for one, other in pairs[1:]]
    reference, angle = sides["reference"][choice.reference], sides["angle"][choice.angle]
    return _Charts(reference, angle, beside, stated, choice, [*told, *said])


def _needs_encoding(args: argparse.Namespace, reference: ChartReading) -> None:
    if args.to == "reference" and reference.encoding == "linear/ap1" and reference.frames == 1:
        raise FitError(
            "A LUT to the reference's encoding needs a reference that was recorded.",
            hint="With values from a table, choose --to rec709-tone or --to rec709-plain.",
            code="match.no_encoding",
        )


def _scene_clip(
    scenes: list[NDArray[np.float32]], angle: ChartReading, said: list[str]
) -> float | None:
    """Return where the angle's sensor clips, as its scenes show it."""
    if not scenes:
        return None
    clip = clip_of_scenes(scenes, find_encoding(angle.encoding), angle.levels, angle.white)
    if clip is None and angle.clip is None:
        said.append("Nothing in the angle's scenes is clipped: where its sensor ends is not "
                    "known, and clipped highlights would keep the match's tint.")  # fmt: skip
    return clip


def _filled(
    fit: MatchFit, scenes: list[NDArray[np.float32]], angle: ChartReading
) -> MatchFit:  # fmt: skip
    """Return a fit that fills clipped highlights as the angle's scenes say."""
    fill = fill_of(scenes, find_encoding(angle.encoding), angle.levels)
    return replace(fit, match=replace(fit.match, highlights=fill))


@dataclass(frozen=True, slots=True)
class _Compared:
    """What scenes said of a match from charts; their colours, where they steady it."""

    agrees: bool | None  # None where they do not show the same
    words: str
    colours: Clusters | None = None


def _check_scenes(args: argparse.Namespace) -> None:
    """Refuse scenes beside a chart where they could say nothing, before anything is read."""
    if not args.reference_scene:
        return
    if args.by in _SCENE:
        raise FitError(
            f"--reference-scene stands beside a chart, and --by {args.by} reads none.",
            hint="Give the scenes as --reference and --angle.", code="match.no_chart",
        )  # fmt: skip
    if not args.angle_scene:
        raise FitError("--reference-scene needs a scene of the angle to compare with.",
                       hint="Add --angle-scene.", code="match.one_scene")  # fmt: skip
    if are_values(args.reference):
        raise FitError(
            "Values of a table are not what the reference's scene looks like.",
            hint="Leave --reference-scene out, or match to the reference's own chart.",
            code="check.values",
        )  # fmt: skip


def _compare(
    args: argparse.Namespace, charts: _Charts, fit: MatchFit, said: list[str]
) -> _Compared:
    """Ask the scenes of both sides whether they agree with the charts."""
    paths = {"reference": args.reference_scene, "angle": args.angle_scene}
    try:
        places = places_of_scenes(paths, {"reference": charts.reference, "angle": charts.angle})
        found = check_by_scene(fit.match, [(0, places)])
        if found.agrees:
            return _Compared(
                True, found.words, found.colours if are_enough(found.colours) else None
            )
    except FitError as error:
        said.append(f"The scenes take no part. {error}")
        return _Compared(None, str(error))
    said.append(found.words)
    return _Compared(False, found.words)


def _match_chain(args: argparse.Namespace, charts: _Charts, fit: MatchFit) -> Chain:
    output = (
        EncodingOutput(charts.reference.encoding, charts.reference.levels)
        if args.to == "reference"
        else NAMED_OUTPUTS[args.to]
    )
    decode = Decode(charts.angle.encoding, charts.angle.levels)
    return compose(Parts(decode, output, match=fit.match))


def _cost_of(
    args: argparse.Namespace, chain: Chain, data: bytes, fit: MatchFit, levels: LutLevels,
    said: list[str],
) -> float:  # fmt: skip
    """Return what the LUT adds to the delta E that is expected."""
    if Path(args.out).suffix.lower() == ".clf":
        return 0.0
    cost = lut_cost(chain, read_lut(data, args.out).values, fit.expected, levels)
    if cost > MOST_LUT_COST:
        said.append(f"The LUT of {args.size} points adds about {cost:.2f} to the delta E of "
                    f"{fit.expected:.2f} that is expected: hand over a larger one.")  # fmt: skip
    return cost


def _match_report(
    charts: _Charts, fit: MatchFit, chain: Chain, result: ReadBack, cost: float
) -> dict[str, Any]:
    stated, choice = charts.stated, charts.choice
    return {
        "reference": reading_to_json(charts.reference),
        "angle": reading_to_json(charts.angle),
        "patches_used": [r.index for r in fit.residuals if r.left_out is None],
        "patches_left_out": [
            {"index": r.index, "reason": r.left_out} for r in fit.residuals if r.left_out
        ],
        "fit": fit_to_json(fit),
        "levels": {
            "reference": {"stated": stated["reference"], "used": choice.reference},
            "angle": {"stated": stated["angle"], "used": choice.angle},
            "log_odds": choice.log_odds if np.isfinite(choice.log_odds) else None,
        },
        "charts_beside": len(charts.beside),
        "read_back": result.to_json(),
        "lut_cost": cost,
        "chain": chain_to_json(chain),
    }


def _say_match(charts: _Charts, fit: MatchFit) -> None:
    if fit.steadied is not None:
        print(f"the scene agrees with the chart: {fit.steadied.count} of its colours take part, "
              f"{fit.steadied.aside} set aside, left-one-out "
              f"{fit.steadied.left_out:.2f}")  # fmt: skip
    if charts.beside:
        print(f"{len(charts.beside) + 1} charts of each frame were read together")
    print("curve levels: " + ", ".join(
        f"{side} {getattr(charts.choice, side)}, "
        f"{'found' if charts.stated[side] == 'auto' else 'as stated'}"
        for side in ("reference", "angle")
    ))  # fmt: skip
    print(f"flare {fit.flare_share:.2%} of white, exposure {fit.match.stops:+.2f} stop, white "
          f"{fit.warmth:+.0f} mired {fit.tint:+.1f} tint, ramp slope {fit.slope:.3f}")  # fmt: skip
    print(f"delta E before {fit.before:.2f}, white and exposure {fit.white_only:.2f}, after "
          f"{fit.after:.2f}, left-one-out {fit.left_one_out:.2f}")  # fmt: skip
    print(f"off the chart expect {fit.expected:.2f}, between {fit.expected_low:.2f} and "
          f"{fit.expected_high:.2f} nine times in ten ({MODEL_NAMES[fit.model]})")  # fmt: skip
    print("  of them " + ", ".join(f"{kind} {e.mean:.2f} ({e.low:.2f} to {e.high:.2f})"
                                  for kind, e in fit.expected_kinds.items()))  # fmt: skip
    left_out = sum(1 for r in fit.residuals if r.left_out) / len(fit.residuals)
    verdict = judge_match(fit.expected, left_out=left_out)
    print("; ".join((f"{verdict.words}: up to {USUAL_TOLERANCE:g} is in tune",
                     *verdict.lowered_by)))  # fmt: skip
