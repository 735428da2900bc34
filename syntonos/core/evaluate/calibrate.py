"""`python -m syntonos.core.evaluate.calibrate`: the stated error against the true one, by kind.

The cases are those of the evaluation on seeds of their own; half of their sensors are drawn anew
from all families, and half of the colours come from other formulas than the prior was learned on.
Prints for every kind of colours the factor and power that `matching/expected.py` holds, fitted in
logarithms, and how the present ones do.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import cache
from multiprocessing import get_context
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.errors import ColourError
from syntonos.core.evaluate.cases import (
    Case,
    draw_cases,
    off_chart,
    off_chart_objects,
    read_side,
)
from syntonos.core.evaluate.pairs import STATED_AS
from syntonos.core.matching import fit_match
from syntonos.core.matching.expected import CALIBRATION, INTERVAL, INTERVALS, KINDS
from syntonos.core.matching.fit import bring_to_reference
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.simulate.objects import other_objects
from syntonos.core.simulate.sensors import FAMILIES, random_sensor
from syntonos.core.simulate.spectra import NM

A = NDArray[np.float64]
_SEED = 40_000_000  # apart from what is learned from and judged on
_OTHER: Final = {"skin": 40, "foliage": 40, "saturated": 50, "ordinary": 120}


@cache
def _objects() -> tuple[A, NDArray[np.str_]]:
    """Return reflectances of both families of shapes, and what kind each is stated as."""
    rng = np.random.default_rng(99)
    own, kinds = off_chart_objects()
    others = [other_objects(rng, kind, n) for kind, n in _OTHER.items()]
    named = [STATED_AS.get(k, "other") for k in kinds.tolist()]
    named += [STATED_AS.get(k, "other") for k, n in _OTHER.items() for _ in range(n)]
    return np.concatenate([own, *others]), np.array(named)


def other_sensors(case: Case) -> Case:
    """Return a case with sensors of any family, near to each other in half of the cases."""
    rng = np.random.default_rng(case.seed + 1)
    first, second = (random_sensor(rng, str(rng.choice(FAMILIES))) for _ in range(2))
    if rng.random() < 0.5:
        second = 0.72 * first + 0.28 * second
    return replace(
        case,
        reference=replace(case.reference, camera=replace(case.reference.camera, sensor=first)),
        angle=replace(case.angle, camera=replace(case.angle.camera, sensor=second)),
    )


def _measure(case: Case) -> tuple[str, dict[str, tuple[float, float]]] | None:
    """Return the case's name with (stated before calibration, true) of every kind and overall."""
    if case.seed % 2:
        case = other_sensors(case)
    true = case.reference.camera.levels, case.angle.camera.levels
    try:
        reference, angle = (
            read_side(case, side, levels=levels)
            for side, levels in zip((case.reference, case.angle), true, strict=True)
        )
        fit = fit_match(reference, angle)
    except ColourError:
        return None
    objects, kinds = _objects()
    y, x = (off_chart(case, side, objects=objects) for side in (case.reference, case.angle))
    white = off_chart(case, case.reference, objects=np.ones((1, len(NM))))[0]
    distance = scene_delta_e(bring_to_reference(fit.match, x), y, white)
    out = {}
    for kind, stated in fit.expected_kinds.items():
        factor, power = CALIBRATION[kind]
        out[kind] = (stated.mean / factor) ** (1 / power), float(distance[kinds == kind].mean())
    return case.name, out


def _line(name: str, stated: A, true: A, interval: float = INTERVAL) -> str:
    ratio = np.log(true / stated)
    inside = float((np.abs(ratio) < np.log(interval)).mean())
    return (f"{name:<20}{len(true):>6}{np.exp(ratio.mean()):>8.2f}{ratio.std():>8.2f}"
            f"{inside:>8.2f}{true.mean():>8.2f}")  # fmt: skip


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the cases and print factors, powers and how far they hold."""
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    parser = argparse.ArgumentParser(prog="calibrate", description=__doc__)
    parser.add_argument("--per-class", type=int, default=40)
    parser.add_argument("--seed", type=int, default=_SEED, help="another one judges the factors")
    args = parser.parse_args(arguments)
    cases = draw_cases(args.per_class, args.seed)
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        found = [f for f in pool.map(_measure, cases, chunksize=2) if f is not None]
    print("kind                 cases    true/stated  spread  inside  true mean")
    stated, true = np.zeros(len(found)), np.zeros(len(found))
    for kind, share in KINDS.items():
        raw, mean = (np.array([row[kind][i] for _, row in found]) for i in (0, 1))
        power, offset = np.polyfit(np.log(raw), np.log(mean), 1)
        factor, present = CALIBRATION[kind]
        print(_line(kind, factor * raw**present, mean, INTERVALS[kind])
              + f"   fitted: ({np.exp(offset):.3f}, {power:.3f})")  # fmt: skip
        stated += share * factor * raw**present
        true += share * mean
    print(_line("all", stated, true))
    for name in dict.fromkeys(name for name, _ in found):
        own = np.array([n == name for n, _ in found])
        print(_line(name, stated[own], true[own]))
    return 0


if __name__ == "__main__":
    sys.exit(main())
