"""`python -m syntonos.core.evaluate.detection`: how charts are found, by class of picture."""

from __future__ import annotations

import argparse
import os
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import cache
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts import (
    CHART_24,
    ChartLayout,
    find_chart,
    find_layout,
    patch_centres,
    read_layout,
    turned,
)
from syntonos.core.errors import ChartError
from syntonos.core.evaluate.pairs import balance_for, random_camera
from syntonos.core.simulate.chart import chart_image, place_chart, reflectances_of
from syntonos.core.simulate.lights import random_light
from syntonos.core.simulate.objects import random_objects
from syntonos.core.simulate.sensors import measured_sensor, random_sensor

A = NDArray[np.float64]
CLASSES: Final = (
    "plain", "turned", "perspective", "small", "covered", "uneven", "under", "over", "coloured",
    "lookalike", "noisy",
)  # fmt: skip
# Other charts, under the conditions of the first classes in turn.
OTHERS: Final = ("grid-140", "double-48", "ramp-20", "ramp-11-double", "own-96", "ramp-11")
_CLOSE = 2.0  # pixels


@dataclass(frozen=True, slots=True)
class Found:
    """What a search gave on one picture."""

    kind: str
    seed: int
    was_found: bool
    certain: bool
    right: bool  # every patch within half a patch of where it is
    miss: float  # pixels, largest over the patches; infinite where it was not found
    seconds: float


def _clutter(rng: np.random.Generator, size: tuple[int, int], colours: A) -> A:
    """Draw a room of shapes and textures, linear (h, w, 3)."""
    width, height = size
    picture = np.full((height, width, 3), 0.15) * colours[0]
    for scale in (width / 8, width / 40):
        small = rng.random((max(2, int(height / scale)), max(2, int(width / scale)), 1))
        big = cv2.resize(small, size, interpolation=cv2.INTER_CUBIC)[..., None]
        picture = picture * np.clip(0.6 + 0.8 * big, 0.1, 2)
    for _ in range(40):
        colour = colours[rng.integers(len(colours))] * rng.uniform(0.3, 1.2)
        x, y = rng.uniform(0, width), rng.uniform(0, height)
        w, h = rng.uniform(0.01, 0.2, 2) * width
        if rng.random() < 0.6:
            box = cv2.boxPoints(((x, y), (w, h), rng.uniform(0, 90)))
            cv2.fillConvexPoly(picture, box.astype(np.int32), colour.tolist(), cv2.LINE_AA)
        else:
            axes = (int(w / 2) + 1, int(h / 2) + 1)
            cv2.ellipse(picture, (int(x), int(y)), axes, 0, 0, 360, colour.tolist(), -1)
    return np.asarray(picture, np.float64)


def _grid(rng: np.random.Generator, picture: A, colours: A) -> None:
    """Add something that looks like a chart: a grid of coloured or grey tiles, windows, bricks."""
    height, width = picture.shape[:2]
    rows, columns = rng.integers(3, 7), rng.integers(4, 9)
    pitch = int(rng.uniform(0.015, 0.05) * width)
    left = int(rng.uniform(0, max(1, width - columns * pitch)))
    top = int(rng.uniform(0, max(1, height - rows * pitch)))
    kind = rng.integers(3)
    for r in range(rows):
        for c in range(columns):
            shift = pitch // 2 * (r % 2) if kind == 2 else 0
            x, y = left + c * pitch + shift, top + r * pitch
            colour = (
                colours[rng.integers(len(colours))] if kind == 0
                else colours[0] * rng.uniform(0.5, 1.5) if kind == 1
                else colours[1] * rng.uniform(0.8, 1.2)
            )  # fmt: skip
            cv2.rectangle(picture, (x, y), (x + int(pitch * 0.8), y + int(pitch * 0.8)),
                          np.asarray(colour).tolist(), -1)  # fmt: skip


@cache
def layout_of(kind: str) -> ChartLayout:
    """Return the chart that a class shows."""
    if kind == "own-96":
        rows = ", ".join(str(i) for i in (*range(89, 97),))
        return read_layout(f"rows = 8\ncolumns = 12\nneutrals = [{rows}]", kind)
    return find_layout(kind) if kind in OTHERS else CHART_24


def _corners(rng: np.random.Generator, kind: str, size: tuple[int, int], layout: ChartLayout) -> A:
    """Return where the chart's outer corners are, clockwise from its top left."""
    width, height = size
    share = 0.06 if kind == "small" else float(rng.uniform(0.12, 0.4))
    if layout is not CHART_24:
        share = float(rng.uniform(0.25, 0.55))
    w = share * width
    h = 0.7 * w
    if layout is not CHART_24:
        h = w * (layout.rows_at[-1] + 2.1) / (layout.columns_at[-1] + 2.1)
    box = np.array([[-w, -h], [w, -h], [w, h], [-w, h]]) / 2
    degrees = float(rng.uniform(0, 360) if kind == "turned" else rng.normal(0, 6))
    if kind == "perspective":
        # A turn of up to 55 degrees about an upright or a level axis, seen from near.
        angle = np.radians(rng.uniform(35, 55)) * rng.choice([-1, 1])
        axis = int(rng.integers(2))
        depth = box[:, axis] * np.sin(angle)
        box[:, axis] *= np.cos(angle)
        box *= (1 / (1 + depth / (2.2 * w)))[:, None]
    t = np.radians(degrees)
    box = box @ np.array([[np.cos(t), np.sin(t)], [-np.sin(t), np.cos(t)]])
    low, high = box.min(axis=0), box.max(axis=0)
    margin = 0.02 * width
    room = np.maximum(np.array([width, height]) - (high - low) - 2 * margin, 1)
    return np.asarray(box - low + margin + rng.random(2) * room, np.float64)


def picture_of(kind: str, seed: int) -> tuple[NDArray[np.float32], A]:
    """Return stored code values of a picture with a chart, and its patches' centres (n, 2)."""
    rng = np.random.default_rng([seed, (*CLASSES, *OTHERS).index(kind)])
    layout = layout_of(kind)
    width = int(rng.choice([960, 1280, 1920]))
    size = (width, width * 9 // 16)
    light = random_light(rng, "stage" if kind == "coloured" else "daylight")
    sensor = measured_sensor(0) if rng.random() < 0.3 else random_sensor(rng)
    camera = random_camera(rng, sensor, balance_for(rng, light), 0.04)
    stops = {"under": -3.0, "over": 3.0}.get(kind, float(rng.normal(0, 0.5)))
    noise = float(rng.uniform(0.1, 0.2) if kind == "noisy" else rng.uniform(0.01, 0.03))
    camera = replace(camera, bits=10, noise=noise, stops=stops, clip=float(rng.uniform(6, 16)),
                     flare=float(rng.uniform(0, 0.01)))  # fmt: skip
    kinds = ("smooth", "saturated", "skin", "fabric", "metal")
    things = np.concatenate([random_objects(rng, k, 8) for k in kinds])
    colours = camera.expose(things * light)
    picture = _clutter(rng, size, colours)
    if kind == "lookalike":
        for _ in range(4):
            _grid(rng, picture, colours)
    patches = camera.expose(reflectances_of(layout, rng) * light) * 0.95
    corners = _corners(rng, kind if layout is CHART_24 else CLASSES[seed % 3], size, layout)
    picture, centres = place_chart(picture, *chart_image(patches, 60, layout), corners)
    if kind == "covered":
        _cover(rng, picture, centres, colours)
    if kind == "uneven":
        slope = rng.normal(size=2)
        slope /= np.abs(slope).sum()
        across, down = np.linspace(-1, 1, width), np.linspace(-1, 1, size[1])
        picture *= 2.0 ** (2 * (slope[0] * across[None] + slope[1] * down[:, None]))[..., None]
    picture = cv2.GaussianBlur(picture, (0, 0), float(rng.uniform(0.4, 0.9)))
    return camera.record(picture, rng), centres


def _cover(rng: np.random.Generator, picture: A, centres: A, colours: A) -> None:
    """Put a hand's worth of something over two to five patches at an edge."""
    across = centres[5] - centres[0]
    pitch = float(np.hypot(*across)) / 5
    at = centres[rng.choice([0, 5, 18, 23, 2, 3, 20, 21])]
    axes = (int(pitch * rng.uniform(0.9, 1.3)), int(pitch * rng.uniform(0.6, 1.0)))
    colour = colours[16 + rng.integers(8)]
    cv2.ellipse(picture, (int(at[0]), int(at[1])), axes, float(rng.uniform(0, 180)), 0, 360,
                colour.tolist(), -1)  # fmt: skip


def search(job: tuple[str, int]) -> Found:
    """Look for the chart in one picture."""
    kind, seed = job
    code, centres = picture_of(kind, seed)
    layout = layout_of(kind)
    start = time.perf_counter()
    try:
        found = find_chart(code, layout)
    except ChartError:
        return Found(kind, seed, False, False, False, np.inf, time.perf_counter() - start)
    seconds = time.perf_counter() - start
    # Where it is asked which way up the chart is, the better answer counts.
    turns = (0,) if found.orientation_certain else (0, 2)
    misses = [
        np.hypot(*(patch_centres(turned(found.corners, k), layout) - centres).T) for k in turns
    ]
    miss = min(misses, key=lambda m: float(m.max()))
    pitch = float(np.hypot(*(centres[1] - centres[0])))
    right = bool(miss.max() < 0.5 * pitch)
    return Found(kind, seed, True, found.orientation_certain, right, float(miss.max()), seconds)


def table(rows: Sequence[Found]) -> list[tuple[str, ...]]:
    """Return a row per class: found rightly, asked, wrong without asking, centres, seconds."""
    out: list[tuple[str, ...]] = []
    for kind in (*dict.fromkeys(r.kind for r in rows), "all"):
        own = [r for r in rows if kind in (r.kind, "all")]
        good = [r for r in own if r.right]
        out.append((
            kind, f"{len(own)}", f"{np.mean([r.right and r.certain for r in own]):.3f}",
            f"{np.mean([r.was_found and not r.certain for r in own]):.3f}",
            f"{np.mean([r.certain and not r.right for r in own]):.3f}",
            f"{np.median([r.miss for r in good]) if good else np.nan:.2f}",
            f"{np.mean([r.miss <= _CLOSE for r in own]):.3f}",
            f"{np.median([r.seconds for r in own]):.2f}",
        ))  # fmt: skip
    return out


HEADINGS: Final = ("class", "pictures", "found", "asked", "wrong", "px", "in 2 px", "s")


def main() -> int:
    """Search pictures of every class and print the table."""
    parser = argparse.ArgumentParser(prog="detection", description=__doc__)
    parser.add_argument("--per-class", type=int, default=20)
    parser.add_argument("--seed", type=int, default=50_000)
    parser.add_argument("--only")
    parser.add_argument("--misses", action="store_true", help="name the pictures that failed")
    args = parser.parse_args()
    jobs = [
        (kind, args.seed + i)
        for kind in (*CLASSES, *OTHERS) if args.only in (None, kind) for i in range(args.per_class)
    ]  # fmt: skip
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        rows = list(pool.map(search, jobs))
    for row in (HEADINGS, *table(rows)):
        print(f"{row[0]:<14}" + "".join(f"{cell:>10}" for cell in row[1:]))
    if args.misses:
        for r in rows:
            if not r.right or r.miss > _CLOSE or not r.certain:
                print(r)
    return 0


if __name__ == "__main__":
    sys.exit(main())
