"""`python -m syntonos.core.evaluate.confusion`: how the encoding check does, by consequence.

Cameras record in any log encoding and levels. Each is declared rightly once and wrongly once; what
confusing the two would cost decides the class. Told is how often the check doubts a declaration,
cannot tell, or agrees, from one exposure and from a bracket of two stops either way.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts import ChartReading
from syntonos.core.encodings import (
    AP1,
    LEVELS,
    camera_candidates,
    decode,
    find_encoding,
    gamut_matrix,
    take_levels_off,
)
from syntonos.core.errors import ColourError
from syntonos.core.evaluate.cases import KNOWN_FAMILIES, Case, base_case, off_chart_codes, read_side
from syntonos.core.matching import fit_match
from syntonos.core.matching.encoding_check import as_encoded, check_encoding
from syntonos.core.matching.fit import bring_to_reference
from syntonos.core.matching.metric import scene_delta_e

A = NDArray[np.float64]
_STEPS: Final = (2.0, -2.0)
_FRAMES = 2  # what noise is told from
_DARK = 2.0**-4
VERDICTS: Final = ("agrees", "cannot tell", "doubtful")
CLASSES: Final = ("right", "harmless", "slight", "plain to see", "heavy")


@dataclass(frozen=True, slots=True)
class Told:
    """What a check said of one declaration."""

    consequence: str  # one of CLASSES
    with_bracket: bool
    verdict: str
    true_is_alike: bool  # whether what was recorded is among those that it cannot tell apart
    alike: int


def _draw(seed: int) -> tuple[Case, str, str]:
    """Return a pair of cameras, and a wrong encoding and levels for the angle."""
    rng = np.random.default_rng(seed)
    kind = str(rng.choice(["daylight", "tungsten", "mixed", "led"]))
    case = base_case(rng, seed, "confusion", kind, KNOWN_FAMILIES, related=bool(rng.random() < 0.5))
    case = replace(case, frames=_FRAMES)
    names = [e.slug for e in camera_candidates("")]
    true, levels = str(rng.choice(names)), str(rng.choice(LEVELS))
    camera = replace(
        case.angle.camera, encoding=true, levels=levels, flare=float(rng.uniform(0, 0.006))
    )
    case = replace(case, angle=replace(case.angle, camera=camera, declared_levels=levels))
    if rng.random() < 0.35:
        return case, true, "legal" if levels == "full" else "full"
    return case, str(rng.choice([n for n in names if n != true])), str(rng.choice(LEVELS))


def _consequence(case: Case, read: ChartReading, reference: ChartReading, wrong: ChartReading
                 ) -> str:  # fmt: skip
    """Return what pictures would suffer, were the wrong declaration believed and matched."""
    code = off_chart_codes(case, case.angle)
    dark = replace(case.angle.camera, stops=case.angle.camera.stops + np.log2(_DARK))
    codes = [code, off_chart_codes(case, replace(case.angle, camera=dark))]
    out = []
    for reading in (read, wrong):
        encoding = find_encoding(reading.encoding)
        match = fit_match(reference, reading).match
        to_ap1 = gamut_matrix(encoding.gamut, AP1).T
        out.append([
            bring_to_reference(
                match, decode(take_levels_off(c, reading.levels), encoding.curve) @ to_ap1
            )
            for c in codes
        ])  # fmt: skip
    white = np.median(reference.lin_rgb[list(reference.layout.mid_greys)], axis=0)
    white = white / white.mean()
    cost = float(scene_delta_e(out[1][0], out[0][0], white).mean())
    light = [np.maximum(v[1].mean(axis=1), 1e-6) for v in out]
    stops = float(np.median(np.abs(np.log2(light[1] / light[0]))))
    if cost < 0.5 and stops < 0.15:
        return "harmless"
    if cost < 1.2 and stops < 0.4:
        return "slight"
    return "plain to see" if cost < 4 and stops < 1.5 else "heavy"


def judge(seed: int) -> list[Told]:
    """Check one camera, declared rightly and wrongly, without and with a bracket."""
    case, slug, levels = _draw(seed)
    reference, own = read_side(case, case.reference), read_side(case, case.angle)
    bracket = []
    for step in _STEPS:
        camera = replace(case.angle.camera, stops=case.angle.camera.stops + step)
        bracket.append((read_side(case, replace(case.angle, camera=camera)), step))
    wrong = as_encoded(own, find_encoding(slug), levels)
    try:
        declared = [("right", own), (_consequence(case, own, reference, wrong), wrong)]
    except ColourError:
        return []
    out = []
    for name, reading in declared:
        for with_bracket in (False, True):
            others = [
                (as_encoded(r, find_encoding(reading.encoding), reading.levels), s)
                for r, s in bracket
            ]
            found = check_encoding(reference, reading, others if with_bracket else ())
            alike = {(c.encoding, c.levels) for c in found.alike}
            out.append(Told(name, with_bracket, found.verdict,
                            (own.encoding, own.levels) in alike, len(alike)))  # fmt: skip
    return out


HEADINGS: Final = ("declared", "exposures", "checks", *VERDICTS, "true alike", "alike")


def table(rows: Sequence[Told]) -> list[tuple[str, ...]]:
    """Return a row per consequence and number of exposures: shares of the verdicts."""
    out: list[tuple[str, ...]] = []
    for name in CLASSES:
        for with_bracket in (False, True):
            own = [r for r in rows if r.consequence == name and r.with_bracket == with_bracket]
            if own:
                shares = [np.mean([r.verdict == v for r in own]) for v in VERDICTS]
                out.append((
                    name, "three" if with_bracket else "one", f"{len(own)}",
                    *(f"{s:.2f}" for s in shares), f"{np.mean([r.true_is_alike for r in own]):.2f}",
                    f"{np.mean([r.alike for r in own]):.1f}",
                ))  # fmt: skip
    return out


def main() -> int:
    """Check many cameras and print the table."""
    parser = argparse.ArgumentParser(prog="confusion", description=__doc__)
    parser.add_argument("--cameras", type=int, default=60)
    parser.add_argument("--seed", type=int, default=310_000)
    args = parser.parse_args()
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        seeds = range(args.seed, args.seed + args.cameras)
        rows = [told for some in pool.map(judge, seeds) for told in some]
    for row in (HEADINGS, *table(rows)):
        print(f"{row[0]:<14}" + "".join(f"{cell:>13}" for cell in row[1:]))
    return 0


if __name__ == "__main__":
    sys.exit(main())
