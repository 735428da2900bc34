"""`python -m syntonos.core.evaluate.pictures`: matches without a chart, on simulated sets."""

from __future__ import annotations

import argparse
import json
import os
import sys
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass, replace
from multiprocessing import get_context
from pathlib import Path
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.stages.match import through_match
from syntonos.core.encodings import AP1, decode, find_encoding, gamut_matrix
from syntonos.core.errors import FitError
from syntonos.core.evaluate.cases import (
    KNOWN_FAMILIES,
    Case,
    Side,
    off_chart_objects,
    read_side,
)
from syntonos.core.evaluate.pairs import balance_for, random_camera
from syntonos.core.matching.by_areas import Area, Shot, fit_areas
from syntonos.core.matching.by_places import fit_places, scene_colours
from syntonos.core.matching.by_statistics import fit_statistics
from syntonos.core.matching.fit import FitOptions, fit_match
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.places import Places, find_places
from syntonos.core.matching.scene_check import far_off
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.lights import random_light
from syntonos.core.simulate.scenes import HEIGHT, WIDTH, Seen, Set, View, look, random_set
from syntonos.core.simulate.scenes import same_places as places_of_scene
from syntonos.core.simulate.sensors import random_sensor
from syntonos.core.simulate.spectra import Spectrum, chart_reflectances

A = NDArray[np.float64]
F = NDArray[np.float32]
LIGHTS: Final = ("daylight", "tungsten", "poor-led", "stage")
# Development may look at the first as often as it likes; the other is for a release.
_SEEDS: Final = {"development": 400_000, "held-back": 9_000_000}
_SMOOTH: Final = 0.06  # spread of light's logarithm over a place that is compared
INTERVAL: Final = 1.75


@dataclass(frozen=True, slots=True)
class PictureCase:
    """Two cameras in one set, from two places, in one light."""

    name: str
    seed: int
    scene: Set
    lamp: Spectrum
    reference: SimulatedCamera
    angle: SimulatedCamera
    views: tuple[View, View]


@dataclass(frozen=True, slots=True)
class PictureVerdict:
    """How matches of one case did; delta E are means at truly corresponding places.

    `other...` are colours that the scene does not have. Where the pair was refused, `refused` says
    why and its figures are NaN.
    """

    name: str
    seed: int
    overlap: float  # true, share of the reference's picture
    stops: float  # that the exposures are apart
    zoom: float
    moved: bool
    noise: float  # the larger, share of middle grey
    refused: str
    wrong_refused: bool  # the reference against another set's picture
    features: int
    seconds: float
    white: float  # by white and exposure alone, the best there is
    affine: float  # by the affine map that fits the true places best
    by_true: float  # by the same fit, made on the true places
    by_places: float
    by_areas: float  # eight, drawn roughly
    by_statistics: float
    other_true: float
    other_places: float
    other_areas: float
    by_chart: float  # by a chart that both saw in the same light
    with_scene: float  # by the same, steadied by the scene where that agrees
    other_chart: float
    other_with_scene: float
    agrees: bool  # whether the scene does
    seen: float  # stated, of the scene's colours and of others
    unseen: float
    expected: float


def draw_case(name: str, seed: int) -> PictureCase:
    """Draw a case of a light; the same seed gives the same case."""
    rng = np.random.default_rng(seed)
    lamp = random_light(rng, name)
    first, second = (random_sensor(rng, str(rng.choice(KNOWN_FAMILIES))) for _ in range(2))
    if rng.random() < 0.4:
        second = 0.72 * first + 0.28 * second
    far_apart = rng.random() < 0.25
    cameras = []
    for sensor, stops in (
        (first, rng.normal(0, 0.2)), (second, rng.uniform(-3, 3) if far_apart
                                      else rng.uniform(-1.2, 1.2)),
    ):  # fmt: skip
        camera = random_camera(rng, sensor, balance_for(rng, lamp), 0.04)
        noise = rng.uniform(0.06, 0.14) if rng.random() < 0.15 else rng.uniform(0.005, 0.04)
        cameras.append(replace(camera, bits=10, noise=float(noise), stops=float(stops),
                               flare=float(rng.uniform(0, 0.006))))  # fmt: skip
    scene = random_set(rng)
    views = _views(rng)
    return PictureCase(name, seed, scene, lamp, cameras[0], cameras[1], views)


def _views(rng: np.random.Generator) -> tuple[View, View]:
    """Draw where both cameras stand, and their lenses; half of them in time, half not."""
    focal = float(rng.uniform(1.1, 1.8))
    to = np.array([0.0, 0.2, 6.0]) + rng.normal(0, 0.3, 3)
    wide = rng.random() < 0.5  # parallax
    apart = rng.normal(0, [0.6, 0.15, 0.4]) if wide else rng.normal(0, [0.12, 0.05, 0.1])
    zoom = float(np.exp(rng.uniform(np.log(1 / 1.9), np.log(1.9))))
    aside = rng.normal(0, [1.1, 0.35, 0.0])
    moved = float(rng.random() < 0.5)

    def lens() -> dict[str, float]:
        return {"bend": float(rng.normal(0, 0.02)), "fall_off": float(rng.uniform(0, 0.2)),
                "blur": float(max(0.0, rng.normal(0.4, 0.6)))}  # fmt: skip

    eye = np.array([0.0, 0.3, 0.0])
    return (
        View(eye, to, focal, **lens()),
        View(eye + apart, to + aside, focal * zoom, roll=float(rng.normal(0, 0.03)), moved=moved,
             **lens()),
    )  # fmt: skip


def _light(camera: SimulatedCamera, raw: F, rng: np.random.Generator | None) -> F:
    """Return what a camera's file says of balanced raw, as scene-linear AP1."""
    if rng is None:
        camera = replace(camera, noise=0.0, bits=None, clip=1e3)
    encoding = find_encoding(camera.encoding)
    lin = decode(camera.record(raw, rng).astype(np.float64), encoding.curve)
    return np.asarray(lin @ gamut_matrix(encoding.gamut, AP1).T, np.float32)


def render(case: PictureCase) -> tuple[tuple[Seen, Seen], tuple[F, F]]:
    """Return what both views show, and what both files say of it."""
    sides = tuple(zip((case.reference, case.angle), case.views, strict=True))
    seen = tuple(look(case.scene, view, camera, case.lamp) for camera, view in sides)
    files = tuple(
        _light(camera, s.raw, np.random.default_rng(case.seed * 2 + k))
        for k, ((camera, _), s) in enumerate(zip(sides, seen, strict=True))
    )
    return seen, files  # type: ignore[return-value]


def true_places(case: PictureCase, seen: tuple[Seen, Seen], files: tuple[F, F]
                ) -> tuple[Places, A, A]:  # fmt: skip
    """Return the true places, and the colours (n, 3) there without sheen and noise."""
    at = places_of_scene(case.scene, case.views, seen)
    matte = [
        _light(camera, s.matte, None)
        for camera, s in zip((case.reference, case.angle), seen, strict=True)
    ]
    even = np.ones(len(at[0]), bool)
    for picture, place in zip(matte, at, strict=True):
        log = np.log(np.maximum(picture.mean(axis=2), 1e-4))
        spread = cv2.blur(log * log, (7, 7)) - cv2.blur(log, (7, 7)) ** 2
        x, y = np.round(place).astype(int).T
        even &= (spread[y, x] < _SMOOTH**2) & (picture[y, x].min(axis=-1) > 2e-3)
    at = at[0][even], at[1][even]
    noisy, clean = (
        [_means(p, place) for p, place in zip(pictures, at, strict=True)]
        for pictures in (files, matte)
    )
    size = np.array([WIDTH, HEIGHT])
    overlap = len(even) / (len(range(3, WIDTH, 6)) * len(range(3, HEIGHT, 6)))
    places = Places(noisy[0], noisy[1], (at[0] + 0.5) / size, (at[1] + 0.5) / size,
                    0, 1.0, overlap)  # fmt: skip
    return places, clean[0], clean[1]


def _means(picture: F, at: A) -> A:
    mean = cv2.blur(picture, (5, 5))
    x, y = (w.astype(np.float32)[:, None] for w in at.T)
    return np.asarray(cv2.remap(mean, x, y, cv2.INTER_LINEAR)[:, 0], np.float64)


def rough_areas(case: PictureCase, true: Places, colours: A, count: int = 8) -> list[Area]:
    """Draw areas as a person would: things of many colours (n, 3), outlined roughly in both."""
    rng = np.random.default_rng(case.seed)
    size = np.array([WIDTH, HEIGHT])
    feature = np.log(np.maximum(colours, 1e-3))
    chosen = [int(rng.integers(len(feature)))]
    while len(chosen) < count:
        apart = np.linalg.norm(feature[:, None] - feature[chosen][None], axis=2).min(axis=1)
        chosen.append(int((apart * np.sqrt(rng.random(len(apart)))).argmax()))
    out = []
    for i in chosen:
        sides: list[tuple[float, float, float, float]] = []
        wide = rng.uniform(16, 44, 2)
        for at in (true.at_reference[i], true.at_angle[i]):
            x, y = at * size + rng.normal(0, 4, 2) - wide / 2
            sides.append((float(x), float(y), float(wide[0]), float(wide[1])))
            wide = wide * rng.uniform(0.8, 1.3, 2)
        out.append(Area(sides[0], sides[1]))
    return out


def judge(case: PictureCase, other: PictureCase) -> PictureVerdict:
    """Render a case, match it in all ways, and compare with the truth; `other` is a wrong set."""
    seen, files = render(case)
    true, want, got = true_places(case, seen, files)
    kinds = [_of_objects(case, camera) for camera in (case.reference, case.angle)]
    white = _of_objects(case, case.reference, np.ones((1, 36)))[0]

    def off(lin: A, goal: A = want) -> float:
        return float(scene_delta_e(lin, goal, white).mean())

    def both(match: Match) -> tuple[float, float]:
        return off(through_match(match, got)), off(through_match(match, kinds[1]), kinds[0])

    gain = np.exp(np.median(np.log(np.maximum(want, 1e-4) / np.maximum(got, 1e-4)), axis=0))
    plain = np.column_stack([got, np.ones(len(got))])
    weight = 1 / (0.02 + want.mean(axis=1, keepdims=True))
    best = plain @ np.linalg.lstsq(plain * weight, want * weight, rcond=None)[0]
    begun = time.perf_counter()
    refused, features, fit, found = "", 0, None, None
    try:
        found = find_places(*files)
        features = found.features
        fit = fit_places(found)
    except FitError as error:
        refused = error.code
    seconds = time.perf_counter() - begun
    nan = float("nan")
    by_places = both(fit.match) if fit else (nan, nan)
    areas = Shot(*files, rough_areas(case, true, want), places=found)
    by_areas = both(fit_areas([areas]).match)
    by_true = both(fit_places(true).match)
    by_chart, with_scene, agrees = _by_charts(case, found, both)
    stated = (fit.seen.mean, fit.unseen.mean, fit.expected.mean) if fit else (nan, nan, nan)
    return PictureVerdict(
        case.name, case.seed, true.overlap, abs(case.angle.stops - case.reference.stops),
        case.views[1].focal / case.views[0].focal, case.views[1].moved > 0,
        max(case.reference.noise, case.angle.noise), refused, _is_refused(files[0], other),
        features, seconds, off(got * gain), off(best), by_true[0], by_places[0], by_areas[0],
        off(through_match(fit_statistics(*files).match, got)), by_true[1], by_places[1],
        by_areas[1], by_chart[0], with_scene[0], by_chart[1], with_scene[1], agrees, *stated,
    )  # fmt: skip


def _by_charts(
    case: PictureCase, places: Places | None, judged: Callable[[Match], tuple[float, float]]
) -> tuple[tuple[float, float], tuple[float, float], bool]:
    """Return how the chart's match does, how with the scene beside it, and whether that agrees."""
    rng = np.random.default_rng(case.seed + 7)
    sides = [Side(camera, camera.levels, gradient=(float(u), float(v)))
             for camera, (u, v) in zip((case.reference, case.angle),
                                       rng.uniform(-0.08, 0.08, (2, 2)), strict=True)]  # fmt: skip
    shot = Case(case.name, case.seed, sides[0], sides[1], case.lamp, chart_reflectances())
    reference, angle = (read_side(shot, side) for side in sides)
    plain = fit_match(reference, angle).match
    alone = judged(plain)
    try:
        colours = scene_colours(places) if places is not None else None
    except FitError:
        colours = None
    if colours is None or far_off(plain, colours):
        return alone, alone, False
    steadied = fit_match(reference, angle, FitOptions(scene=colours)).match
    return alone, judged(steadied), True


def _is_refused(reference: F, other: PictureCase) -> bool:
    """Say whether another set's picture is refused beside a reference."""
    raw = look(other.scene, other.views[1], other.angle, other.lamp).raw
    try:
        fit_places(find_places(reference, _light(other.angle, raw, np.random.default_rng(1))))
    except FitError:
        return True
    return False


def _of_objects(case: PictureCase, camera: SimulatedCamera, objects: A | None = None) -> A:
    """Return what a camera records of colours that are not in the scene, without noise."""
    rows = off_chart_objects()[0] if objects is None else objects
    raw = (camera.expose(rows * case.lamp) * 0.95).astype(np.float32)
    return _light(camera, raw, None).astype(np.float64)


def _judge_seed(name: str, seed: int) -> PictureVerdict:
    cv2.setNumThreads(1)
    return judge(draw_case(name, seed), draw_case(name, seed + 500))


_Key = Callable[[PictureVerdict], bool]
_ROWS: Final[dict[str, _Key]] = {
    **{name: (lambda v, n=name: v.name == n) for name in LIGHTS},  # type: ignore[misc]
    "overlap under 40 %": lambda v: v.overlap < 0.4,
    "overlap 40 to 70 %": lambda v: 0.4 <= v.overlap < 0.7,
    "overlap over 70 %": lambda v: v.overlap >= 0.7,
    "up to 1 stop apart": lambda v: v.stops <= 1,
    "1 to 2 stops": lambda v: 1 < v.stops <= 2,
    "over 2 stops": lambda v: v.stops > 2,
    "same moment": lambda v: not v.moved,
    "something moved": lambda v: v.moved,
    "strong noise": lambda v: v.noise > 0.05,
    "all": lambda v: True,
}
HEADINGS: Final = (
    "class", "cases", "accepted", "wrong refused", "white", "affine", "true", "places", "to true",
    "areas", "to true", "statistics", "other, true", "places", "areas", "no worse than white",
    "stated right", "of seen", "of other", "seconds", "agrees", "chart", "with scene",
    "other, chart", "with scene",
)  # fmt: skip


def table(verdicts: Sequence[PictureVerdict]) -> list[tuple[str, ...]]:
    """Return one row per class: medians of delta E, geometric means of ratios, shares of cases."""
    rows: list[tuple[str, ...]] = []
    for name, belongs in _ROWS.items():
        own = [v for v in verdicts if belongs(v)]
        taken = [v for v in own if not v.refused]
        if not taken:
            continue

        def middle(of: Callable[[PictureVerdict], float]) -> str:
            return f"{np.median([of(v) for v in taken]):.2f}"  # noqa: B023

        def ratio(of: Callable[[PictureVerdict], float]) -> str:
            return f"{np.exp(np.mean([np.log(of(v)) for v in taken])):.2f}"  # noqa: B023

        def share(of: _Key) -> str:
            return f"{np.mean([of(v) for v in taken]):.2f}"  # noqa: B023

        rows.append((
            name, f"{len(own)}", f"{len(taken) / len(own):.3f}",
            f"{np.mean([v.wrong_refused for v in own]):.3f}",
            middle(lambda v: v.white), middle(lambda v: v.affine), middle(lambda v: v.by_true),
            middle(lambda v: v.by_places), ratio(lambda v: v.by_places / v.by_true),
            middle(lambda v: v.by_areas), ratio(lambda v: v.by_areas / v.by_true),
            middle(lambda v: v.by_statistics), middle(lambda v: v.other_true),
            middle(lambda v: v.other_places), middle(lambda v: v.other_areas),
            share(lambda v: v.by_places <= v.white + 0.1),
            share(lambda v: _right((v.by_places + v.other_places) / 2, v.expected)),
            share(lambda v: _right(v.by_places, v.seen)),
            share(lambda v: _right(v.other_places, v.unseen)),
            middle(lambda v: v.seconds), share(lambda v: v.agrees),
            middle(lambda v: v.by_chart), middle(lambda v: v.with_scene),
            middle(lambda v: v.other_chart), middle(lambda v: v.other_with_scene),
        ))  # fmt: skip
    return rows


def _right(true: float, stated: float) -> bool:
    return 1 / INTERVAL <= true / stated <= INTERVAL


def main() -> int:
    """Run the cases and print the table."""
    parser = argparse.ArgumentParser(prog="evaluate", description=__doc__)
    parser.add_argument("--per-class", type=int, default=50)
    parser.add_argument("--seeds", choices=sorted(_SEEDS), default="development")
    parser.add_argument("--json", metavar="FILE", help="write every case's numbers")
    args = parser.parse_args()
    # Linear algebra of this size is fastest on one thread each.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    jobs = [(name, _SEEDS[args.seeds] + 1000 * i + k)
            for i, name in enumerate(LIGHTS) for k in range(args.per_class)]  # fmt: skip
    verdicts = []
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        for verdict in pool.map(_judge_seed, *zip(*jobs, strict=True)):
            verdicts.append(verdict)
            print(f"\r{len(verdicts)} of {len(jobs)} pairs", end="", file=sys.stderr, flush=True)
    print(file=sys.stderr)
    if args.json:
        Path(args.json).write_text(json.dumps([asdict(v) for v in verdicts]), "utf-8")
    for row in [HEADINGS, *table(verdicts)]:
        print("| " + " | ".join(row) + " |")
    return 0


if __name__ == "__main__":
    sys.exit(main())
