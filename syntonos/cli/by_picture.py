"""`syntonos match --by picture`: a match from what both cameras see, where nobody shot a chart."""

from __future__ import annotations

import argparse
import sys
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
from syntonos.core.encodings import find_encoding, take_levels_off
from syntonos.core.errors import FitError
from syntonos.core.matching.by_places import PlacesFit, fit_places, joined
from syntonos.core.matching.highlights import clipped_channels, top_of
from syntonos.core.matching.places import Places, find_places
from syntonos.core.matching.verdict import judge_match

OTHER_SCENE = 4
_MOST_PAIRS = 4
_Side = tuple[list[NDArray[np.float32]], list[NDArray[np.bool_]]]


def match_by_picture(args: argparse.Namespace) -> int:
    """Match an angle to the reference by the scene that both see; 4 where it is not the same."""
    levels = {}
    for side in ("reference", "angle"):
        stated = getattr(args, f"{side}_levels")
        levels[side] = "full" if stated == "auto" else stated
        if stated == "auto":
            print(f"warning: curve levels of the {side} were taken as full: a scene does not tell "
                  f"them. Say --{side}-levels legal where they are.", file=sys.stderr)  # fmt: skip
    sides = [_seen(getattr(args, side), getattr(args, f"{side}_encoding"), levels[side])
             for side in ("reference", "angle")]  # fmt: skip
    try:
        places, failed = _places(sides)
        fit = fit_places(places)
    except FitError as error:
        if not error.code.startswith("places."):
            raise
        print(f"syntonos: {error}", file=sys.stderr)
        return OTHER_SCENE
    chain = _chain(args, levels, fit)
    lut_levels = LutLevels(args.lut_in, args.lut_out)
    comment = f"{args.angle_encoding} {levels['angle']} to {args.to}, matched by the scene"
    data = lut_file(chain, args.out, args.size, lut_levels, comment)
    first = frames_of(args.angle[:1], args.angle_encoding)[0]
    result = read_back_lut(data, args.out, chain, lut_levels, first)
    if args.report:
        report = {"by": "picture", "fit": _fit_json(fit, places), "levels": levels,
                  "read_back": result.to_json(), "chain": chain_to_json(chain)}  # fmt: skip
        write_file(args.report, as_json(report).encode())
    write_file(args.out, data)
    pairs = min(len(sides[0][0]), len(sides[1][0]), _MOST_PAIRS)
    print(f"by the scene: {len(places.reference)} places in {pairs - failed} of {pairs} pairs of "
          f"frames, {places.overlap:.0%} of the reference's picture in common")  # fmt: skip
    print(f"exposure {fit.match.stops:+.2f} stop; delta E before {fit.before:.2f}, after "
          f"{fit.after:.2f}, left-one-out {fit.left_out:.2f} over {fit.clusters} colours, "
          f"{fit.aside} set aside")  # fmt: skip
    print(f"of colours that are not in the scene expect {fit.expected:.2f}")
    print(judge_match(fit.expected).words)
    print(f"{args.out}: {args.size} points to {args.to}")
    print_readback(result)
    return 0


def _seen(paths: list[str], encoding: str, levels: str) -> _Side:
    """Return frames in scene-linear AP1, and where each says what the camera saw."""
    codes = frames_of(paths, encoding)[:_MOST_PAIRS]
    space = find_encoding(encoding)
    top = top_of(space, [take_levels_off(code, levels) for code in codes])
    program = compile_chain(Chain(Decode(encoding, levels), EncodingOutput("linear/ap1")))
    return (
        [run(program, code) for code in codes],
        [
            np.asarray(~clipped_channels(code, space, levels, top=top).any(axis=-1), np.bool_)
            for code in codes
        ],
    )


def _places(sides: list[_Side]) -> tuple[Places, int]:
    """Return the places of all pairs of frames that show one scene, and how many do not."""
    found, failed = [], []
    for one, other, clear, plain in zip(
        sides[0][0], sides[1][0], sides[0][1], sides[1][1], strict=False
    ):
        try:
            found.append(find_places(one, other, usable=(clear, plain)))
        except FitError as error:
            failed.append(error)
    if not found:
        raise failed[0]
    return joined(found), len(failed)


def _chain(args: argparse.Namespace, levels: dict[str, str], fit: PlacesFit) -> Chain:
    output = (
        EncodingOutput(args.reference_encoding, levels["reference"]) if args.to == "reference"
        else NAMED_OUTPUTS[args.to]
    )  # fmt: skip
    return compose(Parts(Decode(args.angle_encoding, levels["angle"]), output, match=fit.match))


def _fit_json(fit: PlacesFit, places: Places) -> dict[str, Any]:
    return {
        "before": fit.before, "after": fit.after, "left_one_out": fit.left_out,
        "expected": fit.expected, "clusters": fit.clusters, "set_aside": fit.aside,
        "places": len(places.reference), "features": places.features,
        "agreement": places.agreement, "overlap": places.overlap,
    }  # fmt: skip
