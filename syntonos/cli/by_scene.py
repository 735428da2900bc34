"""`syntonos match --by picture|areas|statistics`: matches from what both cameras see, no chart."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.cli.charts import frames_of
from syntonos.cli.output import as_json, lut_file, print_readback, read_back_lut, write_file
from syntonos.core.chain import (
    NAMED_OUTPUTS,
    Chain,
    Decode,
    EncodingOutput,
    LutLevels,
    Parts,
    chain_to_json,
    compile_chain,
    compose,
    run,
)
from syntonos.core.charts import ChartReading
from syntonos.core.encodings import find_encoding, take_levels_off
from syntonos.core.errors import FitError
from syntonos.core.matching.by_areas import Area, Shot, areas_from_json, fit_areas
from syntonos.core.matching.by_places import fit_places, joined
from syntonos.core.matching.by_statistics import fit_statistics
from syntonos.core.matching.highlights import clipped_as_in_scenes, clipped_channels, top_of
from syntonos.core.matching.places import Places, find_places, pixels_within, within_areas
from syntonos.core.matching.report import scene_fit_to_json
from syntonos.core.matching.scene_fit import SceneFit
from syntonos.core.matching.targets import PROFILE, is_picture, is_shown, taken_name, target_light
from syntonos.core.matching.verdict import judge_match
from syntonos.core.media import kind_of
from syntonos.core.media.stills import read_shown

OTHER_SCENE = 4
_MOST_PAIRS = 4
_Usable = tuple[NDArray[np.bool_], NDArray[np.bool_]]
_WORDS = {
    "picture": "by the scene, places that both show",
    "areas": "by the areas",
    "statistics": "by statistics of the whole pictures",
}


@dataclass(frozen=True, slots=True)
class _Seen:
    """One side's frames: scene-linear AP1, and where each says what the camera saw."""

    lights: list[NDArray[np.float32]]
    clear: list[NDArray[np.bool_]]
    codes: list[NDArray[np.float32]]  # as stored; none of pictures that are no footage


def match_by_scene(args: argparse.Namespace, ways: tuple[str, ...]) -> int:
    """Match an angle to the reference by the first of some ways that works.

    Returns 4 where the pictures are not of one scene, or have too little in common.
    """
    areas = _areas_of(args)
    levels = {}
    for side in ("reference", "angle"):
        stated = getattr(args, f"{side}_levels")
        levels[side] = "full" if stated == "auto" else stated
        if stated == "auto" and not is_shown(getattr(args, f"{side}_encoding")):
            print(f"warning: curve levels of the {side} were taken as full: a scene does not tell "
                  f"them. Say --{side}-levels legal where they are.", file=sys.stderr)  # fmt: skip
    limits: list[str] = []
    sides = [
        _as_target(args, levels["reference"], limits) if is_shown(args.reference_encoding)
        else _seen(args.reference, args.reference_encoding, levels["reference"]),
        _seen(args.angle, args.angle_encoding, levels["angle"]),
    ]  # fmt: skip
    found = None
    for way in ways:
        if way == "areas" and (areas is None or all(a.leaves_out for a in areas)):
            continue
        try:
            found = _fitted(way, sides, areas, args.mix / 100)
            break
        except FitError as error:
            if not error.code.startswith(("places.", "statistics.")):
                raise
            print(f"syntonos: {error}", file=sys.stderr)
    if found is None:
        return OTHER_SCENE
    fit, words, evidence = found
    space = find_encoding(args.angle_encoding)
    fit = replace(
        fit, match=clipped_as_in_scenes(fit.match, sides[1].codes, space, levels["angle"])
    )  # fmt: skip
    chain = _chain(args, levels, fit)
    lut_levels = LutLevels(args.lut_in, args.lut_out)
    comment = f"{args.angle_encoding} {levels['angle']} to {args.to}, matched {_WORDS[fit.by]}"
    data = lut_file(chain, args.out, args.size, lut_levels, comment)
    first = frames_of(args.angle[:1], args.angle_encoding)[0]
    result = read_back_lut(data, args.out, chain, lut_levels, first)
    if args.report:
        report = {
            "by": fit.by, "fit": scene_fit_to_json(fit) | evidence, "levels": levels,
            "limits": limits, "read_back": result.to_json(), "chain": chain_to_json(chain),
        }  # fmt: skip
        write_file(args.report, as_json(report).encode())
    write_file(args.out, data)
    print(words)
    _say(fit, args.mix)
    for limit in limits:
        print(limit)
    print(f"{args.out}: {args.size} points to {args.to}")
    print_readback(result)
    return 0


def _say(fit: SceneFit, mix: float) -> None:
    """Tell what a fit is worth, and what would help."""
    seen, unseen, expected = fit.seen, fit.unseen, fit.expected
    print(f"exposure {fit.match.stops:+.2f} stop; delta E before {fit.before:.2f}, white and "
          f"exposure {fit.white_only:.2f}, after {fit.after:.2f}, left-one-out "
          f"{fit.left_out:.2f} over {fit.clusters} colours, {fit.aside} set aside")  # fmt: skip
    print(f"expect {expected.mean:.2f}, between {expected.low:.2f} and {expected.high:.2f} nine "
          f"times in ten: {seen.mean:.2f} of colours that the scene has, {unseen.mean:.2f} of "
          "others")  # fmt: skip
    if fit.by == "statistics":
        print(f"An estimate only, mixed in by {mix:g} %: the pictures as a whole may differ by "
              "more than the cameras do.")  # fmt: skip
    for word in fit.advice:
        print(word)
    print(judge_match(expected.mean).words)


def _areas_of(args: argparse.Namespace) -> list[Area] | None:
    if not args.areas:
        if args.by == "areas":
            raise FitError(
                "--by areas needs to be told where they are.",
                hint='Add --areas FILE.json, a list of {"reference": [x, y, w, h], "angle": '
                     "[x, y, w, h]}.",
                code="areas.none",
            )  # fmt: skip
        return None
    try:
        data = json.loads(Path(args.areas).read_text("utf-8"))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise FitError(
            f"{args.areas} could not be read as JSON: {error}.",
            hint='Write a list of {"reference": [x, y, w, h], "angle": [x, y, w, h]}, in pixels.',
            code="areas.form",
        ) from error  # fmt: skip
    areas = areas_from_json(data)
    if args.by == "areas" and all(a.leaves_out for a in areas):
        raise FitError(
            "Every area of the list leaves something out: none says what is the same.",
            hint="Add some without leave_out.", code="areas.none",
        )  # fmt: skip
    return areas


def _fitted(
    way: str, sides: list[_Seen], areas: list[Area] | None, mix: float
) -> tuple[SceneFit, str, dict[str, Any]]:
    """Fit in one way; returns what it stands on in words and as JSON."""
    first = sides[0].lights[0], sides[1].lights[0]
    usable = sides[0].clear[0], sides[1].clear[0]
    if way == "areas":
        assert areas is not None  # noqa: S101 - asked for before
        fit = fit_areas([Shot(*first, areas, usable, _whole(*first, usable))])
        told = ", ".join(f"{miss:.2f}" for miss in fit.misses)
        words = f"{_WORDS[way]}: {len(areas)} of them, delta E that each is off: {told}"
        return fit, words, {"areas": len(areas)}
    if way == "statistics":
        usable = _marked(areas, first, usable)
        return fit_statistics(*first, mix=mix, usable=usable), _WORDS[way], {"mix": mix}
    places, failed = _places(sides, areas)
    count = min(len(sides[0].lights), len(sides[1].lights), _MOST_PAIRS)
    words = (f"{_WORDS[way]}: {len(places.reference)} in {count - failed} of {count} pairs of "
             f"frames, {places.overlap:.0%} of the reference's picture in common")  # fmt: skip
    return fit_places(places), words, {
        "places": len(places.reference), "features": places.features,
        "agreement": places.agreement, "overlap": places.overlap,
    }  # fmt: skip


def _marked(
    areas: list[Area] | None, pictures: Sequence[NDArray[np.float32]], usable: _Usable
) -> _Usable:  # fmt: skip
    """Return which pixels count of each picture: of areas, where there are any."""
    pairs = [(_shares(a, pictures[0].shape, pictures[1].shape), a.leaves_out) for a in areas or []]
    one, other = (
        clear & pixels_within(
            clear.shape, [p[side] for p, leaves in pairs if not leaves],
            [p[side] for p, leaves in pairs if leaves],
        )
        for side, clear in enumerate(usable)
    )  # fmt: skip
    return one, other


def _whole(
    base: NDArray[np.float32], own: NDArray[np.float32],
    usable: tuple[NDArray[np.bool_], NDArray[np.bool_]],
) -> Places | None:  # fmt: skip
    """Return what two pictures both show as a whole, where they show the same scene."""
    try:
        return find_places(base, own, usable=usable)
    except FitError:
        return None


def _seen(paths: list[str], encoding: str, levels: str) -> _Seen:
    codes = frames_of(paths, encoding)[:_MOST_PAIRS]
    space = find_encoding(encoding)
    top = top_of(space, [take_levels_off(code, levels) for code in codes])
    program = compile_chain(Chain(Decode(encoding, levels), EncodingOutput("linear/ap1")))
    return _Seen(
        [run(program, code) for code in codes],
        [
            np.asarray(~clipped_channels(code, space, levels, top=top).any(axis=-1), np.bool_)
            for code in codes
        ],
        codes,
    )


def places_of_scenes(paths: dict[str, list[str]], readings: dict[str, ChartReading]) -> Places:
    """Return what scenes of reference and angle both show, taken as their charts were read.

    Raises
    ------
    FitError
        places.scene where none shows the same.
    """
    sides = [_seen(paths[side], readings[side].encoding, readings[side].levels)
             for side in ("reference", "angle")]  # fmt: skip
    return _places(sides, None)[0]


def _as_target(args: argparse.Namespace, levels: str, limits: list[str]) -> _Seen:
    """Return pictures that are no footage: graded stills, film scans, pictures with a profile."""
    taken = args.reference_encoding
    if args.to == "reference" and is_picture(taken):
        raise FitError(
            f"No LUT leads to {taken_name(taken)}.", code="match.no_encoding",
            hint="Choose --to rec709-tone or --to rec709-plain.",
        )  # fmt: skip
    output = EncodingOutput(taken, levels) if args.to == "reference" else NAMED_OUTPUTS[args.to]
    pictures: list[tuple[NDArray[np.float32], bytes]] = []
    for path in args.reference:
        if kind_of(path) == "stills":
            shown = read_shown(path)
            pictures.append((shown.code_rgb, shown.icc))
            if taken == PROFILE and not shown.icc:
                raise FitError(f"{path} holds no ICC profile.", code="target.profile",
                               hint="Say --reference-encoding srgb, or what it is.")  # fmt: skip
        else:
            pictures += [(code, b"") for code in frames_of([path], taken)]
    targets = [target_light(code, taken, levels, output, profile)
               for code, profile in pictures[:_MOST_PAIRS]]  # fmt: skip
    limits += sorted({t.limit for t in targets if t.limit})
    return _Seen([t.light for t in targets], [t.usable for t in targets], [])


def _places(sides: list[_Seen], areas: list[Area] | None) -> tuple[Places, int]:
    """Return the places of all pairs of frames that show one scene, and how many do not."""
    found, failed = [], []
    one, other = sides
    for k, (base, own) in enumerate(zip(one.lights, other.lights, strict=False)):
        try:
            places = find_places(base, own, usable=(one.clear[k], other.clear[k]))
            if areas is not None:
                within, out = (
                    [_shares(a, base.shape, own.shape) for a in areas if a.leaves_out is leaves]
                    for leaves in (False, True)
                )
                places = within_areas(places, within, out)
            found.append(places)
        except FitError as error:
            failed.append(error)
    if not found:
        raise failed[0]
    return joined(found), len(failed)


def _shares(area: Area, base: tuple[int, ...], own: tuple[int, ...]) -> Any:
    """Return an area as shares of both pictures."""
    return tuple(
        (x / shape[1], y / shape[0], w / shape[1], h / shape[0])
        for (x, y, w, h), shape in ((area.reference, base), (area.angle, own))
    )


def _chain(args: argparse.Namespace, levels: dict[str, str], fit: SceneFit) -> Chain:
    output = (
        EncodingOutput(args.reference_encoding, levels["reference"]) if args.to == "reference"
        else NAMED_OUTPUTS[args.to]
    )  # fmt: skip
    return compose(Parts(Decode(args.angle_encoding, levels["angle"]), output, match=fit.match))
