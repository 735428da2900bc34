"""What each command does, over the core alone."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from dataclasses import asdict

import numpy as np

from syntonos.cli.charts import (
    frames_of,
    levels_alone,
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
    Chain,
    LutLevels,
    read_chain,
)
from syntonos.core.chain.trimming import without_detail
from syntonos.core.charts import (
    ChartLayout,
    ChartReading,
    find_charts,
    find_layout,
)
from syntonos.core.encodings import ENCODINGS
from syntonos.core.errors import ChainError, ChartError, MediaError
from syntonos.core.files import MOST_LUT, parsing, read_bytes, read_text
from syntonos.core.matching import (
    reading_to_json,
)
from syntonos.core.matching.encoding_check import check_encoding
from syntonos.core.media import (
    kind_of,
    read_recording,
)


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
        print(as_json(rows))
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
        print(as_json(rows))
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
        print(as_json({"corners": plain["corners"], "orientation_certain": certain,
                     "encoding": reading.encoding, "levels": reading.levels,
                     "frames": reading.frames, "patches": plain["patches"]}))  # fmt: skip
    else:
        for p in reading.patches:
            lin = " ".join(f"{v:8.4f}" for v in p.lin_rgb)
            print(f"{p.index:>3} {layout.names[p.index - 1]:<14} {lin}  {', '.join(p.flags)}")
    return 0 if certain else say_uncertain(args.images[0], layout)


def _list_charts(paths: Sequence[str], layout: ChartLayout) -> int:
    found = find_charts(np.mean(frames_of(paths), axis=0, dtype=np.float32), layout)
    for chart in found:
        corners = " ".join(f"{x:.1f},{y:.1f}" for x, y in chart.corners)
        sure = "" if chart.orientation_certain else "  which way up is not certain"
        print(f"--corners {corners}{sure}")
    return 0


def run_check(args: argparse.Namespace) -> int:
    """Say which encodings the charts speak for."""
    read: dict[str, ChartReading] = {}
    sides = {}
    layout = find_layout(args.chart)
    for side in ("reference", "angle"):
        slug = getattr(args, f"{side}_encoding")
        sides[side], certain = read_side(getattr(args, side), slug, None, layout)
        if not certain:
            return say_uncertain(getattr(args, side)[0], layout)
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
        print(as_json(asdict(result)))
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


def read_chain_file(path: str) -> Chain:
    """Read a chain document from a file."""
    with parsing(path, ChainError, hint="Give a chain document.", code="chain.invalid"):
        try:
            document = json.loads(read_text(path))
        except json.JSONDecodeError as error:
            raise ChainError(f"{path}, line {error.lineno}: this is not JSON ({error.msg}).",
                             hint="Give a chain document.") from None  # fmt: skip
        return read_chain(document)


def run_bake(args: argparse.Namespace) -> int:
    """Bake a chain document."""
    has_place(args.out, beside=[args.chain])
    chain, lacks = without_detail(read_chain_file(args.chain))
    if lacks:
        print(lacks)
    levels = LutLevels(args.lut_in, args.lut_out)
    write_file(args.out, lut_file(chain, args.out, args.size, levels))
    return 0


def run_readback(args: argparse.Namespace) -> int:
    """Compare a LUT with the chain it was made from."""
    chain, _ = without_detail(read_chain_file(args.chain))
    image = frames_of([args.image])[0] if args.image else None
    levels = LutLevels(args.lut_in, args.lut_out)
    result = read_back_lut(read_bytes(args.lut, most=MOST_LUT), args.lut, chain, levels, image)
    print(f"{args.lut}: {result.size} points per axis" if result.size else args.lut)
    print_readback(result)
    return 0
