"""What each command does, over the core alone."""

from __future__ import annotations

import argparse
import errno
import json
import os
import sys
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.cli.charts import (
    bracketed,
    frames_of,
    levels_alone,
    read_all,
    read_side,
    settle_levels,
)
from syntonos.core.chain import (
    NAMED_OUTPUTS,
    STORED,
    Chain,
    Decode,
    EncodingOutput,
    LutLevels,
    Parts,
    ReadBack,
    bake_lut,
    chain_to_json,
    compose,
    read_back,
    read_back_clf,
    read_chain,
    write_clf,
)
from syntonos.core.charts import (
    ChartLayout,
    ChartReading,
    find_charts,
    find_layout,
)
from syntonos.core.charts.clipping import clip_of_scenes
from syntonos.core.encodings import ENCODINGS, find_encoding
from syntonos.core.errors import ChartError, FitError, LutFileError, MediaError
from syntonos.core.formats import Cube, read_lut, write_3dl, write_cube
from syntonos.core.matching import (
    MODEL_NAMES,
    FitOptions,
    LevelsChoice,
    MatchFit,
    fit_match,
    fit_to_json,
    reading_to_json,
)
from syntonos.core.matching.carried import CARRIES, lut_cost
from syntonos.core.matching.encoding_check import check_encoding
from syntonos.core.matching.pooled import pooled_prior
from syntonos.core.matching.verdict import USUAL_TOLERANCE, judge_match
from syntonos.core.media import (
    kind_of,
    read_recording,
)

UNCERTAIN = 3


def _write(path: str, data: bytes) -> None:
    """Write a file that appears under its name only when it is complete."""
    target = Path(path)
    partial = target.with_name(f".{target.name}.part")
    try:
        partial.write_bytes(data)
        partial.replace(target)
    except OSError as error:  # in the words of the path that was asked for
        raise OSError(error.errno, error.strerror, path) from error
    finally:
        partial.unlink(missing_ok=True)


def _has_place(*paths: str | None) -> None:
    """Raise before the work, not after it, where a file could not be written."""
    for path in paths:
        if path is not None and not Path(path).parent.is_dir():
            raise FileNotFoundError(errno.ENOENT, "There is no such folder", str(Path(path).parent))


def _json(plain: Any) -> str:
    return json.dumps(plain, indent=2, ensure_ascii=False, allow_nan=False)


def _check_encodings() -> int:
    """Print each encoding's largest difference from the libraries that have it."""
    from syntonos.core.evaluate.encodings import compare_all

    print(f"{'encoding':<28}{'colour-science':>16}{'OpenColorIO':>16}{'round trip':>14}")
    print(f"{'':<28}{'of the code':>16}{'share of light':>16}{'share':>14}")
    for row in compare_all():
        theirs = ["-" if v is None else f"{v:.1e}" for v in (row.colour_science, row.opencolorio)]
        print(f"{row.slug:<28}{theirs[0]:>16}{theirs[1]:>16}{row.round_trip:>14.1e}")
    return 0


def run_encodings(args: argparse.Namespace) -> int:
    """List the encodings, or compare them with the libraries that have them."""
    if args.check:
        return _check_encodings()
    rows = [
        {"slug": e.slug, "name": e.name, "curve": e.curve.name, "gamut": e.gamut.name,
         "display": e.curve.is_display, "source": e.curve.source}
        for e in ENCODINGS.values()
    ]  # fmt: skip
    if args.json:
        print(_json(rows))
    else:
        for row in rows:
            print(f"{row['slug']:<26}{row['name']}")
    return 0


def _check_media() -> int:
    from syntonos.core.evaluate.media import compare_raw, compare_video

    print("largest error in 10-bit codes: our R'G'B' against the formula on the codec's codes, and")
    print("against the frame that was written, with the codec's own loss")
    print(f"{'codec':<16}{'range':<8}{'levels':<8}{'formula':>10}{'written':>10}  tagged")
    for row in compare_video():
        print(f"{row.codec:<16}{row.quantisation:<8}{row.levels:<8}{row.formula:>10.1e}"
              f"{row.written:>10.2f}  {row.tag or '-'}")  # fmt: skip
    print("\nlargest error of scene light, 1 = white: raw against the truth, and LibRaw's numbers")
    print(f"{'quality':<10}{'highlights':<12}{'truth':>10}{'LibRaw':>10}")
    for raw in compare_raw():
        theirs = "-" if raw.libraw is None else f"{raw.libraw:.1e}"
        print(f"{raw.quality:<10}{raw.highlights:<12}{raw.truth:>10.1e}{theirs:>10}")
    return 0


def run_media(args: argparse.Namespace) -> int:
    """Say what recordings say of themselves, or compare reading with the formulas."""
    if args.check:
        return _check_media()
    if not args.files:
        raise MediaError("No file was given.", hint="Name recordings, or say --check.",
                         code="media.missing")  # fmt: skip
    rows = []
    for path in args.files:
        said = asdict(read_recording([path]))
        rows.append({"file": path, **said, "rate": str(said["rate"] or "")})
    if args.json:
        print(_json(rows))
        return 0
    for row in rows:
        print(f"{row['file']}: {row['format']} {row['bits']} bit, {row['width']}x{row['height']}, "
              f"{row['frame_count']} frames at {row['rate'] or 'no rate'}, "
              f"{row['timecode'] or 'no timecode'}, range {row['tagged_range'] or 'not said'}"
              )  # fmt: skip
        for name, value in row["facts"].items():
            print(f"  {name.replace('_', ' ')}: {value}")
        for text in row["warnings"]:
            print(f"  {text}")
    return 0


def run_chart(args: argparse.Namespace) -> int:
    """Find and read a chart."""
    layout = find_layout(args.chart)
    if args.all:
        return _list_charts(args.images, layout)
    readings, certain = read_side(args.images, args.encoding, args.corners, layout)
    reading = readings[levels_alone(readings) if args.levels == "auto" else args.levels]
    if args.json:
        plain = reading_to_json(reading)
        print(_json({"corners": plain["corners"], "orientation_certain": certain,
                     "encoding": reading.encoding, "levels": reading.levels,
                     "frames": reading.frames, "patches": plain["patches"]}))  # fmt: skip
    else:
        for p in reading.patches:
            lin = " ".join(f"{v:8.4f}" for v in p.lin_rgb)
            print(f"{p.index:>3} {layout.names[p.index - 1]:<14} {lin}  {', '.join(p.flags)}")
    return 0 if certain else _say_uncertain(args.images[0], layout)


def _list_charts(paths: Sequence[str], layout: ChartLayout) -> int:
    found = find_charts(np.mean(frames_of(paths), axis=0, dtype=np.float32), layout)
    for chart in found:
        corners = " ".join(f"{x:.1f},{y:.1f}" for x, y in chart.corners)
        sure = "" if chart.orientation_certain else "  which way up is not certain"
        print(f"--corners {corners}{sure}")
    return 0


def _say_uncertain(name: str, layout: ChartLayout) -> int:
    print(
        f"syntonos: a chart was found in {name}, but not which way up it is. Give its corners in "
        f"the order of patches {layout.corner_words()}.",
        file=sys.stderr,
    )
    return UNCERTAIN


def _print_readback(result: ReadBack) -> None:
    if result.share_beyond:
        print(f"{result.share_beyond:.1%} of the picture lies beyond 0 to 1, where the LUT gives "
              "what it gives at its edge; a CLF goes on.")  # fmt: skip
    for d in result.differences:
        bits = "10 bit" if d.bits else "float"
        print(f"  {d.colours:<8}{d.interpolation:<12}{bits:<7} delta E mean {d.mean:.3f}  "
              f"99.9 % {d.p99_9:.3f}  max {d.max:.3f}")  # fmt: skip


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
    _has_place(args.out, args.report)
    charts = _charts_of(args)
    if isinstance(charts, int):
        return charts
    _needs_encoding(args, charts.reference)
    said = list(charts.said)
    pool = pooled_prior(charts.beside) if charts.beside else None
    clip = _scene_clip(args, charts.angle, said)
    fit = fit_match(charts.reference, charts.angle, FitOptions(args.model, pool=pool, clip=clip))
    chain = _match_chain(args, charts, fit)
    levels = LutLevels(args.lut_in, args.lut_out)
    comment = f"{charts.angle.encoding} {charts.angle.levels} to {args.to}"
    data = _lut_file(chain, args.out, args.size, levels, comment)
    first = frames_of(args.angle[:1], charts.angle.encoding)[0]
    result = _read_back(data, args.out, chain, levels, first)
    cost = _cost_of(args, chain, data, fit, levels, said)
    if args.report:
        report = _match_report(charts, fit, chain, result, cost)
        _write(args.report, _json(report).encode())
    _write(args.out, data)
    for warning in (*said, *fit.warnings):
        print(f"warning: {warning}", file=sys.stderr)
    _say_match(charts, fit)
    print(f"{args.out}: {args.size} points to {args.to}")
    _print_readback(result)
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
                return _say_uncertain(paths[0], layout)
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


def _scene_clip(args: argparse.Namespace, angle: ChartReading, said: list[str]) -> float | None:
    """Return where the angle's sensor clips, as its scenes show it."""
    if not args.angle_scene:
        return None
    clip = clip_of_scenes(frames_of(args.angle_scene, angle.encoding),
                          find_encoding(angle.encoding), angle.levels, angle.white)  # fmt: skip
    if clip is None and angle.clip is None:
        said.append("Nothing in the angle's scenes is clipped: where its sensor ends is not "
                    "known, and clipped highlights would keep the match's tint.")  # fmt: skip
    return clip


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
    if cost > CARRIES:
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
    left_out = sum(1 for r in fit.residuals if r.left_out) / len(fit.residuals)
    verdict = judge_match(fit.expected, left_out=left_out)
    print("; ".join((f"{verdict.words}: up to {USUAL_TOLERANCE:g} is in tune",
                     *verdict.lowered_by)))  # fmt: skip


def run_check(args: argparse.Namespace) -> int:
    """Say which encodings the charts speak for."""
    read: dict[str, ChartReading] = {}
    sides = {}
    layout = find_layout(args.chart)
    for side in ("reference", "angle"):
        slug = getattr(args, f"{side}_encoding")
        sides[side], certain = read_side(getattr(args, side), slug, None, layout)
        if not certain:
            return _say_uncertain(getattr(args, side)[0], layout)
    stated = {side: getattr(args, f"{side}_levels") for side in sides}
    if stated["reference"] == "auto" and len(sides["reference"]) == 2:
        # Not by a fit: the angle's encoding is what is in doubt.
        stated["reference"] = levels_alone(sides["reference"])
    choice, _ = settle_levels(sides, stated)
    for side in sides:
        read[side] = sides[side][getattr(choice, side)]
    bracket = []
    for text in args.bracket or []:
        path, _, stops = text.rpartition(":")
        try:
            step = float(stops)
        except ValueError:
            raise ChartError(
                f"{text!r} does not say how many stops it is above the angle's chart.",
                hint="Give each as IMAGE:STOPS, like over.dpx:+2.", code="check.bracket",
            ) from None  # fmt: skip
        readings, _ = read_side([path], args.angle_encoding, None, layout)
        bracket.append((readings[read["angle"].levels], step))
    compressed = any(kind_of(path) == "video" for path in args.angle)
    result = check_encoding(read["reference"], read["angle"], bracket, is_compressed=compressed)
    if args.json:
        print(_json(asdict(result)))
        return 0
    print(f"{result.verdict}: the angle is stated as {result.stated.encoding}, "
          f"{result.stated.levels} levels")  # fmt: skip
    for c in result.candidates[:8]:
        cost = "" if c.cost is None else (
            f"  confused with the stated: {c.cost:.2f} delta E, {c.cost_dark:+.2f} stop in the "
            f"dark, {c.cost_bright:+.2f} in the lights"
        )  # fmt: skip
        print(f"  {c.encoding:<24}{c.levels:<7}log odds {c.log_odds:7.1f}  slope {c.slope:.2f}  "
              f"bend {c.bend:.2f} stop  noise off {c.noise:.2f}{cost}")  # fmt: skip
    for cause in result.causes:
        print(f"  it could be {cause}")
    return 0


def _chain(path: str) -> Chain:
    return read_chain(json.loads(Path(path).read_text("utf-8")))


def run_bake(args: argparse.Namespace) -> int:
    """Bake a chain document."""
    chain = _chain(args.chain)
    levels = LutLevels(args.lut_in, args.lut_out)
    _write(args.out, _lut_file(chain, args.out, args.size, levels))
    return 0


def _lut_file(chain: Chain, path: str, size: int, levels: LutLevels, comment: str = "") -> bytes:
    """Return a chain as the kind of file that the name ends in."""
    ending = Path(path).suffix.lower()
    if ending == ".clf":
        if levels != STORED:
            raise LutFileError("A CLF says itself what its values mean.",
                               hint="Leave --lut-in and --lut-out away.")  # fmt: skip
        return write_clf(chain, title="Syntonos")
    if ending not in (".cube", ".3dl"):
        raise LutFileError(f"{path} is no kind of LUT that is known here.",
                           hint="End the name in .cube, .3dl or .clf.")  # fmt: skip
    table = bake_lut(chain, size, threads=os.cpu_count() or 1, levels=levels)
    if ending == ".3dl":
        return write_3dl(table)
    comments: tuple[str, ...] = (comment,) if comment else ()
    if levels != STORED:
        comments += (f"LUT input {levels.into}, output {levels.out}",)
    return write_cube(Cube(table, "Syntonos"), comments=comments)


def _read_back(
    data: bytes, path: str, chain: Chain, levels: LutLevels, image: NDArray[np.float32] | None
) -> ReadBack:
    if Path(path).suffix.lower() == ".clf":
        return read_back_clf(data, chain, image)
    return read_back(read_lut(data, path).values, chain, image, levels=levels)


def run_readback(args: argparse.Namespace) -> int:
    """Compare a LUT with the chain it was made from."""
    chain = _chain(args.chain)
    image = frames_of([args.image])[0] if args.image else None
    levels = LutLevels(args.lut_in, args.lut_out)
    result = _read_back(Path(args.lut).read_bytes(), args.lut, chain, levels, image)
    print(f"{args.lut}: {result.size} points per axis" if result.size else args.lut)
    _print_readback(result)
    return 0
